#include "compiler/names/spellings.h"

#include <ctype.h>

static const struct {
    const char *kind, *spelling, *one, *other;
} spellings[] = {
#define YT_SPELLING(kind, spelling, one, other) {kind, spelling, one, other},
#include "compiler/names/spellings.def"
#undef YT_SPELLING
};

#define COUNT (sizeof spellings / sizeof spellings[0])

static bool is_same(const char *known, const char *spelling, size_t length) {
    size_t i = 0;
    while (i < length && known[i] && known[i] == tolower((unsigned char)spelling[i]))
        i++;
    return i == length && known[i] == 0;
}

bool spelling_meant(const yt_device_kind *kind, const char *spelling, size_t length,
                    const char **one, const char **other) {
    for (size_t i = 0; i < COUNT; i++)
        if (strcmp(spellings[i].kind, kind->name) == 0 &&
            is_same(spellings[i].spelling, spelling, length)) {
            *one = spellings[i].one;
            *other = spellings[i].other;
            return true;
        }
    return false;
}

static bool is_named(const char *known, const char *name) {
    return known && strcmp(known, name) == 0;
}

const char *spelling_of(const yt_device_kind *kind, const char *name, size_t index) {
    for (size_t i = 0; i < COUNT; i++)
        if (strcmp(spellings[i].kind, kind->name) == 0 &&
            (is_named(spellings[i].one, name) || is_named(spellings[i].other, name)) &&
            index-- == 0)
            return spellings[i].spelling;
    return NULL;
}
