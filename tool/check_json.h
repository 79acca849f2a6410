/* `yonder check --json`: what check finds out of a profile or a program, for programs. */
#ifndef YONDER_TOOL_CHECK_JSON_H
#define YONDER_TOOL_CHECK_JSON_H

#include <jansson.h>

#include "tool/tool.h"

#define CHECK_POINTER_BYTES 4 /* of the processors that profiles are for */

/* What a program takes and is able to do; NULL for the compiled profile: it says no costs. */
json_t *program_as_json(const yt_program *program, const yt_compiled *compiled);

/* Errors and warnings, each with its place. */
json_t *messages_as_json(const yt_messages *messages);

#endif
