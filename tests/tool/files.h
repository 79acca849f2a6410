/* Files of tests: written, read, and looked at whether they are profiles. */
#ifndef YONDER_TESTS_FILES_H
#define YONDER_TESTS_FILES_H

#include <sys/stat.h>

#include "compiler/profile/compile.h"
#include "tests/harness.h"

static inline void write_text(const char *where, const char *text) {
    FILE *file = fopen(where, "w");
    CHECK(file != NULL && fputs(text, file) >= 0 && fclose(file) == 0);
}

/* All of it, with a 0 behind it; to be freed. `size` may be NULL. */
static inline char *read_text(const char *where, size_t *size) {
    struct stat there;
    FILE *file = fopen(where, "r");
    bool is_there = file != NULL && fstat(fileno(file), &there) == 0;
    char *text = calloc(1, is_there ? (size_t)there.st_size + 1 : 1);
    CHECK(is_there && text != NULL);
    size_t read = is_there ? fread(text, 1, (size_t)there.st_size, file) : 0;
    if (size)
        *size = read;
    if (file)
        fclose(file);
    return text;
}

/* Whether a text is a profile that is right, in the file of that name. */
static inline bool is_profile(const char *where, const char *text) {
    yt_messages messages;
    yt_compiled compiled;
    messages_begin(&messages, where, text, strlen(text));
    bool good = compile_profile(&compiled, &messages);
    if (good)
        pool_free(&compiled.pool);
    messages_free(&messages);
    return good;
}

#endif
