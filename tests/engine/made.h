/* Profiles that are made by the rules of the language, bytes being the choices: most of them
 * compile. They use all functions, layers, parameters and macros, over a keyboard, a mouse and a
 * gamepad. */
#ifndef YONDER_TESTS_MADE_H
#define YONDER_TESTS_MADE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* The bytes as choices; behind their end all are 0. */
typedef struct making {
    const uint8_t *data;
    size_t size, at;
    char text[16384];
    size_t length;
    bool in_layer;
} making;

/* Makes a profile of the bytes: `text`, of `length` bytes. */
void made_profile(making *making, const uint8_t *data, size_t size);

/* The next choice, below `count`. */
unsigned made_choice(making *making, unsigned count);

#endif
