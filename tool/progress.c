#include "tool/progress.h"

#include <stdio.h>
#include <string.h>
#include <unistd.h>

#include "tool/way.h"

#define MOMENT_MS 500
#define EVERY_MS  100
#define CELLS     24

void progress_begin(progress *progress, const char *what, size_t all) {
    uint64_t now_ms = way_clock_ms();
    *progress = (struct progress){.what = what, .all = all, .begun_ms = now_ms, .told_ms = now_ms};
}

void progress_line(const progress *progress, size_t done, uint64_t now_ms, char *text,
                   size_t size) {
    char bar[CELLS + 1];
    size_t full = progress->all ? CELLS * done / progress->all : CELLS;
    uint64_t took_ms = now_ms - progress->begun_ms;
    unsigned left_s = done ? (unsigned)((took_ms * (progress->all - done) / done + 999) / 1000) : 0;
    for (size_t i = 0; i < CELLS; i++)
        bar[i] = i < full ? '#' : '.';
    bar[CELLS] = 0;
    snprintf(text, size, "%s [%s] %3u %%, %u s left", progress->what, bar,
             (unsigned)(progress->all ? 100 * done / progress->all : 100), left_s);
}

void progress_tell(progress *progress, size_t done) {
    uint64_t now_ms = way_clock_ms();
    char text[100];
    if (now_ms - progress->begun_ms < MOMENT_MS || now_ms - progress->told_ms < EVERY_MS ||
        done >= progress->all || !isatty(STDERR_FILENO))
        return;
    progress->told_ms = now_ms;
    progress->is_shown = true;
    progress_line(progress, done, now_ms, text, sizeof text);
    fprintf(stderr, "\r%-70s", text);
    fflush(stderr);
}

void progress_end(progress *progress) {
    if (progress->is_shown)
        fprintf(stderr, "\r%-70s\r", "");
    progress->is_shown = false;
}
