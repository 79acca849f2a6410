#include "compiler/reading/keys.h"

#include <ctype.h>
#include <errno.h>
#include <inttypes.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/reading/formula.h"

bool is_among(const char *text, const char *const *list, size_t count) {
    for (size_t i = 0; i < count; i++)
        if (strcmp(text, list[i]) == 0)
            return true;
    return false;
}

yt_part *find_value(const yt_part *map, const char *name) {
    for (yt_part *key = map->first; key; key = key->next->next)
        if (strcmp(key->text, name) == 0)
            return key->next;
    return NULL;
}

static void list_words(const char *const *words, size_t count, char *list, size_t room) {
    size_t used = 0;
    list[0] = 0;
    for (size_t i = 0; i < count && used < room; i++)
        used += (size_t)snprintf(list + used, room - used, "%s%s", i ? ", " : "", words[i]);
}

void unknown_key(yt_messages *messages, const yt_part *key, const char *const *known,
                 size_t count) {
    const char *near = nearest_name(key->text, key->bytes, known, count);
    char list[256];
    list_words(known, count, list, sizeof list);
    if (near)
        messages_add(messages, key->place, "there is no key \"%.40s\" here; did you mean \"%s\"?",
                     key->text, near);
    else
        messages_add(messages, key->place, "there is no key \"%.40s\" here; there are: %s",
                     key->text, list);
}

bool check_kind(yt_messages *messages, const yt_part *part, part_kind kind, const char *what) {
    if (part->kind == kind)
        return true;
    messages_add(messages, part->place, "%s", what);
    return false;
}

bool check_keys(yt_messages *messages, const yt_part *map, const char *const *known, size_t count) {
    bool good = true;
    for (const yt_part *key = map->first; key; key = key->next->next)
        if (!is_among(key->text, known, count)) {
            unknown_key(messages, key, known, count);
            good = false;
        }
    return good;
}

bool is_good_name(const char *name, size_t bytes, bool dots) {
    static const char *const taken[] = {"and", "or", "not", "none", "below", "adapter", "macros"};
    bool at_start = true;
    if (bytes == 0 || bytes > NAME_BYTES)
        return false;
    for (size_t i = 0; i < bytes; i++) {
        char c = name[i];
        bool is_number = i > 0 && isdigit((unsigned char)c); /* a part that is a number */
        if (at_start ? !(islower((unsigned char)c) || c == '_' || is_number)
                     : !(islower((unsigned char)c) || isdigit((unsigned char)c) || c == '_' ||
                         (c == '.' && dots)))
            return false;
        at_start = c == '.';
    }
    return !at_start && !is_among(name, taken, sizeof taken / sizeof taken[0]);
}

bool read_whole(yt_messages *messages, const yt_part *part, int64_t low, int64_t high,
                int64_t *number) {
    char *end = NULL;
    long long value = 0;
    bool is_hexadecimal = part->kind == PART_TEXT && strncmp(part->text, "0x", 2) == 0;
    errno = 0;
    if (part->kind == PART_TEXT &&
        (isdigit((unsigned char)part->text[0]) ||
         (part->text[0] == '-' && isdigit((unsigned char)part->text[1]))))
        value = strtoll(part->text, &end, is_hexadecimal ? 16 : 10);
    if (end && *end == 0 && errno == 0 && value >= low && value <= high) {
        *number = value;
        return true;
    }
    messages_add(messages, part->place,
                 "a whole number from %" PRId64 " to %" PRId64 " belongs here", low, high);
    return false;
}

bool read_flag(yt_messages *messages, const yt_part *part, bool *flag) {
    bool is_true = part->kind == PART_TEXT && strcmp(part->text, "true") == 0;
    if (!is_true && (part->kind != PART_TEXT || strcmp(part->text, "false") != 0)) {
        messages_add(messages, part->place, "this is true or false");
        return false;
    }
    *flag = is_true;
    return true;
}

bool read_amount(yt_pool *pool, yt_messages *messages, const yt_part *part, unsigned want,
                 int64_t *amount) {
    if (!check_kind(messages, part, PART_TEXT, unit_meaning(want)))
        return false;
    const yt_term *term = formula_parse(pool, messages, part);
    if (!term)
        return false;
    if (term->kind == TERM_NUMBER && term->unit == want) {
        *amount = term->amount;
        return true;
    }
    messages_add(messages, part->place, "%s belongs here", unit_meaning(want));
    return false;
}

bool read_word(yt_messages *messages, const yt_part *part, const char *const *words, size_t count,
               unsigned *index) {
    char list[256];
    for (unsigned i = 0; part->kind == PART_TEXT && i < count; i++)
        if (strcmp(part->text, words[i]) == 0) {
            *index = i;
            return true;
        }
    list_words(words, count, list, sizeof list);
    const char *near =
        part->kind == PART_TEXT ? nearest_name(part->text, part->bytes, words, count) : NULL;
    if (near)
        messages_add(messages, part->place, "there is no \"%.40s\" here; did you mean \"%s\"?",
                     part->text, near);
    else
        messages_add(messages, part->place, "one of these belongs here: %s", list);
    return false;
}
