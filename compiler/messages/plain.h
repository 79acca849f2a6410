/* Text that comes from elsewhere, made plain: nothing in it can steer a terminal.
 *
 * Names of devices, of files and of what stands in profiles may hold any bytes. Here all of them
 * become UTF-8 that only shows: a ? stands for each control character (C0 but for line ends and
 * tabs, DEL, C1), for each character that turns the direction of writing, hides or joins (U+061C,
 * U+200B to U+200F, U+2028 to U+202E, U+2060 to U+206F, U+FFF9 to U+FFFB, U+E0000 to
 * U+E0FFF), and for each byte that is no UTF-8. */
#ifndef YONDER_COMPILER_MESSAGES_PLAIN_H
#define YONDER_COMPILER_MESSAGES_PLAIN_H

#include <stddef.h>
#include <stdio.h>

/* What of a text was not passed on yet: the beginning of a character. Begins with 0. */
typedef struct yt_plain {
    unsigned char held[4];
    unsigned count;
    size_t replaced; /* how many ? stand for something else */
} yt_plain;

/* Makes a piece of a text plain; what is given goes on where the last piece ended. `to` has room
 * for `bytes` + 4 bytes. Returns how many bytes were written there. */
size_t plain_piece(yt_plain *plain, const char *from, size_t bytes, char *to);

/* The end of the text: what is held is no character. `to` has room for 4 bytes. */
size_t plain_end(yt_plain *plain, char *to);

/* Makes a whole text plain where it stands; line ends and tabs become spaces. */
void plain_line(char *text);

/* Prints a text as plain_line makes it. */
void plain_print(FILE *file, const char *text, size_t bytes);

#endif
