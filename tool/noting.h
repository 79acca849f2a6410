/* What a device did, as the steps of a macro: switches and hats, and motion. */
#ifndef YONDER_TOOL_NOTING_H
#define YONDER_TOOL_NOTING_H

#include "tool/tool.h"

/* Something that changed: a switch went on or off, or motion came. */
typedef struct noted_change {
    uint64_t time_us;
    char name[USAGE_NAME_BYTES + 8];
    int64_t moved; /* counts; 0: a switch */
    bool is_on;
} noted_change;

typedef struct noting {
    noted_change *changes;
    size_t count, room;
    size_t left_out; /* changes of what is no switch and no motion */
} noting;

/* Notes a change of a device's control. */
void note_change(noting *noting, uint64_t time_us, const char *name, const yt_raw_meaning *meaning,
                 int64_t raw);

/* Writes the macro, its times rounded to `round_us`, at least 1 ms; controls have `output` and a
 * dot in front. False: it has too many steps, which is said. */
bool write_macro(FILE *file, const noting *noting, const char *output, uint64_t round_us);

void noting_free(noting *noting);

#endif
