/* Reads files from the disk, all of them: with a limit on their size, never a device, and never
 * what a profile has no business with. What was read is remembered, so that no output takes its
 * place. */
#ifndef YONDER_COMPILER_READING_FILE_READ_H
#define YONDER_COMPILER_READING_FILE_READ_H

#include <stdbool.h>
#include <stddef.h>

/* A file or a pipe that a person named, "-" being standard input, as bytes with a 0 behind them; up
 * to `most` bytes and one more, so that a longer one shows. NULL: `why` says what is wrong. To be
 * freed. */
char *file_read(const char *path, size_t most, size_t *size, const char **why);

/* A file that a profile names: regular, and inside of the profile's own folder, links followed.
 * NULL and no `why`: there is none. */
char *file_read_inside(const char *folder, const char *path, size_t most, size_t *size,
                       const char **why);

/* Whether a path leads to a file that was read. */
bool file_was_read(const char *path);

#endif
