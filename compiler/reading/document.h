/* The YAML of a profile as a tree, every part with its place. Built from libyaml's events.
 *
 * All scalars are text. What YAML offers beyond that and what often goes wrong is an error with a
 * hint: duplicate keys, empty values, anchors and aliases, merge keys, tags, a second document, and
 * formulas that { } or [ ] tear apart at their commas. */
#ifndef YONDER_COMPILER_READING_DOCUMENT_H
#define YONDER_COMPILER_READING_DOCUMENT_H

#include <stdbool.h>

#include "compiler/messages/messages.h"

#define DOCUMENT_BYTES 1048576 /* the longest profile */
#define DOCUMENT_DEPTH 16      /* maps and lists inside one another */

typedef enum part_kind { PART_TEXT, PART_MAP, PART_LIST } part_kind;

typedef struct yt_part {
    part_kind kind;
    yt_text_place place;
    bool in_flow;     /* inside { } or [ ] */
    const char *text; /* of a PART_TEXT, ended by 0 */
    size_t bytes;     /* of it; of { } and [ ] as they stand in the source */
    size_t body;      /* where its characters begin in the source; of { } and [ ] where they do */
    struct yt_part *next;  /* the next key, value or element of what it is in */
    struct yt_part *first; /* of a map: key, value, key, value…; of a list: its elements */
} yt_part;

/* Reads a source of the messages. NULL where it is no YAML, or is empty; `messages` says why. */
yt_part *document_read(yt_pool *pool, yt_messages *messages, unsigned source);

/* The place of the character `offset` (in bytes) of a text, `width` characters long. */
yt_text_place part_place(const yt_part *part, const yt_messages *messages, size_t offset,
                         int width);

#endif
