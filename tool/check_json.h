/* `yonder check --json`: what check finds out of a profile or a program, for programs. */
#ifndef YONDER_TOOL_CHECK_JSON_H
#define YONDER_TOOL_CHECK_JSON_H

#include <jansson.h>

#include "tool/tool.h"

#define CHECK_POINTER_BYTES 4 /* of the processors that profiles are for */

/* What a program takes and is able to do; NULL for the compiled profile: it says no costs. */
json_t *program_as_json(const yt_program *program, size_t stored, const yt_compiled *compiled);

/* The names of groups of functions, and of abilities, a bit each. */
json_t *groups_of(uint32_t groups);
json_t *abilities_of(uint32_t abilities);

/* The presses that chords hold back: "controls", "later_us", "line" of the chord. */
json_t *held_of(const yt_compiled *compiled);

/* Everything that a profile may type on a host: "key", "by" what (a formula, or with "is_macro" the
 * name of a macro), "file", "line". */
json_t *typed_of(profile *profile);

/* Adds to a list what check says of a file, with the keys that it can type; `rules` may be NULL.
 * False: it is not good. */
bool check_into(json_t *list, const char *path, const char *rules);

/* Errors and warnings, each with its place. */
json_t *messages_as_json(const yt_messages *messages);

#endif
