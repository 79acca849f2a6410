/* Any text as the log of a board: an error with its line, or reports in the order of time. */
#include "compiler/profile/compile.h"
#include "fuzz/fuzz.h"
#include "ports/sim/board_log.h"

static const char profile[] = "yonder: 1\ninputs: {desk: otter-desk}\noutputs: {pad: gamepad}\n"
                              "sheet: {pad.south: desk.red}\n";

static yt_compiled program;

static void compile(void) {
    yt_messages messages;
    messages_begin(&messages, "crane/fuzz", profile, strlen(profile));
    if (!compile_profile(&program, &messages))
        abort();
    messages_free(&messages);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    recording recording;
    if (!program.image)
        compile();
    for (size_t i = 0; i + 4 < size; i++) /* logs of hours are right, but slow */
        if (data[i] >= '0' && data[i] <= '9' && data[i + 1] >= '0' && data[i + 1] <= '9' &&
            data[i + 2] >= '0' && data[i + 2] <= '9')
            return 0;
    if (!board_log_parse(&recording, "log", (const char *)data, size, &program.program, 0,
                         "desk")) {
        INVARIANT(12, strncmp(recording.error, "log:", 4) == 0 && !recording.reports);
        return 0;
    }
    uint64_t last_us = 0;
    for (size_t i = 0; i < recording.report_count; i++) {
        INVARIANT(12, recording.reports[i].time_us >= last_us);
        INVARIANT(12,
                  recording.reports[i].offset + recording.reports[i].size <= recording.byte_count);
        last_us = recording.reports[i].time_us;
    }
    recording_free(&recording);
    return 0;
}
