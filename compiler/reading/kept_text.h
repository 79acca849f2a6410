/* The text that a program was made from, kept behind it: the profile as it was written, comments
 * and all, and the files that it names. docs/program-format.md has it byte by byte. */
#ifndef YONDER_COMPILER_READING_KEPT_TEXT_H
#define YONDER_COMPILER_READING_KEPT_TEXT_H

#include <stdint.h>

#include "compiler/messages/messages.h"

typedef struct yt_kept_file {
    const char *name; /* not ended by 0 */
    size_t name_bytes;
    const char *text;
    size_t bytes;
} yt_kept_file;

#define KEPT_FILES MESSAGES_SOURCES

/* The bytes that stand behind a program of all files that `messages` has; names are without the
 * profile's folder. In the pool. */
uint8_t *kept_text_make(yt_pool *pool, const yt_messages *messages, size_t *size);

/* Bytes of a program with the table of what may be rebound (yonder/rebind.h), where there is one;
 * 0: it is none. */
size_t program_whole_bytes(const uint8_t *program, size_t size);

/* Finds the files behind a program of `size` bytes with all that follows it; the first is the
 * profile. Returns how many there are; 0: there is no text; -1: it is broken. */
int kept_text_read(const uint8_t *program, size_t size, yt_kept_file files[KEPT_FILES]);

#endif
