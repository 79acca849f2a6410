/* Reading the keys and values of a YAML map, with an error for each that does not fit. */
#ifndef YONDER_COMPILER_READING_KEYS_H
#define YONDER_COMPILER_READING_KEYS_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "compiler/reading/document.h"
#include "yonder/value.h"

#define NAME_BYTES 60 /* of a name in a profile or a description */

bool is_among(const char *text, const char *const *list, size_t count);

/* The value of a key in a map; NULL if it is not there. */
yt_part *find_value(const yt_part *map, const char *name);

/* Says that there is no such key, and which one was meant, or which there are. */
void unknown_key(yt_messages *messages, const yt_part *key, const char *const *known, size_t count);

/* Says so of each key of a map that is none of these. False: it did. */
bool check_keys(yt_messages *messages, const yt_part *map, const char *const *known, size_t count);

/* Says `what` where a part is not of a kind. */
bool check_kind(yt_messages *messages, const yt_part *part, part_kind kind, const char *what);

/* Whether names may be made of these bytes: a to z, 0 to 9 and _, a letter first, no word of the
 * language. With `dots` several of them with dots between. */
bool is_good_name(const char *name, size_t bytes, bool dots);

/* A whole number, decimal or 0x…, within a range. False: said. */
bool read_whole(yt_messages *messages, const yt_part *part, int64_t low, int64_t high,
                int64_t *number);

/* true or false. */
bool read_flag(yt_messages *messages, const yt_part *part, bool *flag);

/* A number with a unit, as in a formula: "120 ms" as microseconds, others in Q16.16. `want` is one
 * of the units of formulas. */
bool read_amount(yt_pool *pool, yt_messages *messages, const yt_part *part, unsigned want,
                 int64_t *amount);

/* One word of a list; its index. False: said. */
bool read_word(yt_messages *messages, const yt_part *part, const char *const *words, size_t count,
               unsigned *index);

#endif
