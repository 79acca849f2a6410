/* Several files as one: a zip archive, written as a whole or not at all, and read as what comes
 * from anywhere: names that are not asked for, doubles, and files that are too long are refused. */
#ifndef YONDER_TOOL_ARCHIVE_H
#define YONDER_TOOL_ARCHIVE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#define ARCHIVE_FILES      512
#define ARCHIVE_FILE_BYTES ((size_t)16 << 20)
#define ARCHIVE_NAME       256

typedef struct archive_file {
    char name[ARCHIVE_NAME];
    uint8_t *bytes; /* with a 0 behind them */
    size_t size;
} archive_file;

typedef struct archive {
    archive_file *files;
    size_t count;
} archive;

/* Adds a copy of bytes; aborts where there is no memory. */
void archive_add(archive *archive, const char *name, const void *bytes, size_t size);

/* NULL: there is none of that name. */
const archive_file *archive_find(const archive *archive, const char *name);

/* False: said on standard error. */
bool archive_write(const archive *archive, const char *path, bool replaces);
bool archive_read(archive *archive, const char *path);

/* The same of bytes in memory; `why` says why not. */
bool archive_parse(archive *archive, const void *bytes, size_t size, const char **why);

void archive_free(archive *archive);

#endif
