#include "compiler/names/layouts.h"

#include <stdio.h>
#include <string.h>

static const char *const layout_keys[] = {"grave",
                                          "digit_1",
                                          "digit_2",
                                          "digit_3",
                                          "digit_4",
                                          "digit_5",
                                          "digit_6",
                                          "digit_7",
                                          "digit_8",
                                          "digit_9",
                                          "digit_0",
                                          "minus",
                                          "equals",
                                          "q",
                                          "w",
                                          "e",
                                          "r",
                                          "t",
                                          "y",
                                          "u",
                                          "i",
                                          "o",
                                          "p",
                                          "left_bracket",
                                          "right_bracket",
                                          "backslash",
                                          "a",
                                          "s",
                                          "d",
                                          "f",
                                          "g",
                                          "h",
                                          "j",
                                          "k",
                                          "l",
                                          "semicolon",
                                          "apostrophe",
                                          "z",
                                          "x",
                                          "c",
                                          "v",
                                          "b",
                                          "n",
                                          "m",
                                          "comma",
                                          "period",
                                          "slash",
                                          "non_us_backslash",
                                          "non_us_hash"};

typedef struct yt_layout {
    const char *name;
    const char *meaning;
    const char *rows[3]; /* alone, with shift, with the right alt */
} yt_layout;

#define YT_LAYOUT(name, meaning, alone, shifted, with_alt)                                         \
    {name, meaning, {alone, shifted, with_alt}},
static const yt_layout layouts[] = {
#include "compiler/names/layouts.def"
};

#define LAYOUTS (sizeof layouts / sizeof layouts[0])
#define KEYS    (sizeof layout_keys / sizeof layout_keys[0])

size_t next_character(const char *text, uint32_t *character) {
    const uint8_t *at = (const uint8_t *)text;
    size_t length = at[0] == 0     ? 0
                    : at[0] < 0x80 ? 1
                    : at[0] < 0xc2 ? 0
                    : at[0] < 0xe0 ? 2
                    : at[0] < 0xf0 ? 3
                    : at[0] < 0xf5 ? 4
                                   : 0;
    static const uint8_t firsts[] = {0, 0x7f, 0x1f, 0x0f, 0x07};
    *character = at[0] & firsts[length];
    for (size_t i = 1; i < length; i++) {
        if ((at[i] & 0xc0) != 0x80)
            return 0;
        *character = *character << 6 | (at[i] & 0x3f);
    }
    return length;
}

static const yt_layout *find_layout(const char *name) {
    for (size_t i = 0; i < LAYOUTS; i++)
        if (strcmp(layouts[i].name, name) == 0)
            return &layouts[i];
    return NULL;
}

bool layout_is_known(const char *name) {
    return find_layout(name) != NULL;
}

const char *layout_list(void) {
    static char list[100];
    size_t length = 0;
    for (size_t i = 0; i < LAYOUTS; i++)
        length += (size_t)snprintf(list + length, sizeof list - length, "%s%s", i ? ", " : "",
                                   layouts[i].name);
    return list;
}

bool layout_find(const char *name, uint32_t character, yt_layout_key *key) {
    static const char *const held[] = {NULL, "left_shift", "right_alt"};
    const yt_layout *layout = find_layout(name);
    key->with = NULL;
    key->key = character == ' ' ? "space" : character == '\n' ? "enter" : "tab";
    if (character == ' ' || character == '\n' || character == '\t')
        return true;
    for (size_t row = 0; layout && row < 3; row++) {
        const char *at = layout->rows[row];
        for (size_t i = 0; i < KEYS; i++) {
            uint32_t given;
            at += next_character(at, &given);
            if (given != character)
                continue;
            *key = (yt_layout_key){layout_keys[i], held[row]};
            return true;
        }
    }
    return false;
}
