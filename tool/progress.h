/* How far a transfer is, on standard error: on a terminal, and only where it takes longer than a
 * moment. */
#ifndef YONDER_TOOL_PROGRESS_H
#define YONDER_TOOL_PROGRESS_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

typedef struct progress {
    const char *what;
    size_t all;
    uint64_t begun_ms, told_ms;
    bool is_shown;
} progress;

void progress_begin(progress *progress, const char *what, size_t all);
void progress_tell(progress *progress, size_t done);

/* It is taken away again. */
void progress_end(progress *progress);

/* The line itself, such as "writing [#####     ]  50 %, 3 s left", without what ends it. */
void progress_line(const progress *progress, size_t done, uint64_t now_ms, char *text, size_t size);

#endif
