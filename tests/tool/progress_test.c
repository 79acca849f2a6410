/* The line that says how far a transfer is. */
#include "tests/harness.h"
#include "tool/progress.h"

static const char *line(size_t all, size_t done, uint64_t took_ms) {
    static char text[100];
    progress progress;
    progress_begin(&progress, "writing", all);
    progress_line(&progress, done, progress.begun_ms + took_ms, text, sizeof text);
    return text;
}

int main(void) {
    about("how far, and how long yet");
    CHECK_TEXT(line(1000, 0, 700), "writing [........................]   0 %, 0 s left");
    CHECK_TEXT(line(1000, 500, 3000), "writing [############............]  50 %, 3 s left");
    CHECK_TEXT(line(1000, 250, 1000), "writing [######..................]  25 %, 3 s left");
    CHECK_TEXT(line(1000, 999, 5000), "writing [#######################.]  99 %, 1 s left");
    CHECK_TEXT(line(1000, 1000, 5000), "writing [########################] 100 %, 0 s left");
    CHECK_TEXT(line(0, 0, 1), "writing [########################] 100 %, 0 s left");
    return report_checks();
}
