/* What `--json` gives: text that anything may have written is UTF-8 in it, and all of it is printed
 * in one way. */
#ifndef YONDER_TOOL_JSON_TEXT_H
#define YONDER_TOOL_JSON_TEXT_H

#include <jansson.h>
#include <stdbool.h>
#include <stdint.h>

/* The option, in a command's own list. */
#define JSON_OPTION(help)                                                                          \
    { "json", 'j', 0, 0, help, 0 }

/* A text as a string, made plain (compiler/messages/plain.h). */
json_t *json_text(const char *text);
json_t *json_text_of(const char *text, size_t bytes);

/* A text, or null where there is none (NULL or ""). */
json_t *json_text_or_null(const char *text);

/* Bytes, as in "00 08 ff". */
json_t *json_bytes(const uint8_t *bytes, size_t size);

/* Prints a value, which is taken, in one line. */
bool json_print_line(json_t *value);

/* Prints a value, which is taken, with its keys in their order. */
bool json_print(json_t *value);

#endif
