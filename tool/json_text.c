#include "tool/json_text.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/messages/plain.h"

json_t *json_text_of(const char *text, size_t bytes) {
    char *plain = malloc(bytes + 1);
    if (!plain)
        abort();
    memcpy(plain, text, bytes);
    plain[bytes] = 0;
    plain_line(plain);
    json_t *string = json_string(plain);
    free(plain);
    return string;
}

json_t *json_text(const char *text) {
    return json_text_of(text, strlen(text));
}

json_t *json_text_or_null(const char *text) {
    return text && *text ? json_text(text) : json_null();
}

json_t *json_bytes(const uint8_t *bytes, size_t size) {
    char *text = malloc(3 * size + 1);
    if (!text)
        abort();
    for (size_t i = 0; i < size; i++)
        snprintf(text + 3 * i, 4, "%02x ", bytes[i]);
    json_t *string = json_stringn(text, size ? 3 * size - 1 : 0);
    free(text);
    return string;
}

static bool print_as(json_t *value, size_t flags) {
    char *text = json_dumps(value, flags | JSON_PRESERVE_ORDER | JSON_REAL_PRECISION(12));
    json_decref(value);
    if (!text)
        return false;
    printf("%s\n", text);
    free(text);
    return true;
}

bool json_print(json_t *value) {
    return print_as(value, JSON_INDENT(2));
}

bool json_print_line(json_t *value) {
    return print_as(value, JSON_COMPACT);
}
