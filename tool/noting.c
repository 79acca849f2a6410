#include "tool/noting.h"

#include <inttypes.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/formulas/sequences.h"
#include "compiler/messages/plain.h"

#define HELD_MOST 64 /* at a time */

static void add(noting *noting, uint64_t time_us, const char *name, const char *part, bool is_on,
                int64_t moved) {
    if (noting->count == noting->room) {
        noting->room = 2 * noting->room + 64;
        noting->changes = realloc(noting->changes, noting->room * sizeof *noting->changes);
        if (!noting->changes)
            abort();
    }
    noted_change *new = &noting->changes[noting->count++];
    *new = (noted_change){.time_us = time_us, .moved = moved, .is_on = is_on};
    snprintf(new->name, sizeof new->name, "%s%s", name, part);
}

void note_change(noting *noting, uint64_t time_us, const char *name, const yt_raw_meaning *meaning,
                 int64_t raw) {
    static const char *const parts[] = {".up", ".right", ".down", ".left"};
    static const uint8_t directions[] = {1, 3, 2, 6, 4, 12, 8, 9};
    if (meaning->is_hat) {
        int direction = raw_direction(meaning, raw);
        unsigned now = direction >= 0 ? directions[direction] : 0;
        for (unsigned i = 0; i < 4; i++)
            add(noting, time_us, name, parts[i], now >> i & 1, 0);
    } else if (meaning->kind == YT_SWITCH) {
        add(noting, time_us, name, "", raw_value(meaning, raw) > 0, 0);
    } else if (meaning->kind == YT_MOTION && raw != 0) {
        add(noting, time_us, name, "", false, (int64_t)raw_value(meaning, raw));
    } else {
        noting->left_out += meaning->kind != YT_MOTION;
    }
}

/* A change at its rounded time. */
typedef struct placed {
    uint64_t at_us;
    size_t order;
    const noted_change *change;
} placed;

static int compare(const void *a, const void *b) {
    const placed *one = a, *other = b;
    if (one->at_us != other->at_us)
        return one->at_us < other->at_us ? -1 : 1;
    return one->order < other->order ? -1 : 1;
}

/* When each change is: from the first on, rounded; a press is at least one step of that long. What
 * changes nothing is left out. */
static size_t place_changes(const noting *noting, uint64_t round_us, placed *all) {
    size_t count = 0;
    uint64_t first_us = 0;
    for (size_t i = 0; i < noting->count; i++) {
        const noted_change *change = &noting->changes[i];
        const placed *before = NULL;
        for (size_t k = count; !change->moved && k-- > 0 && !before;)
            if (!all[k].change->moved && strcmp(all[k].change->name, change->name) == 0)
                before = &all[k];
        if (!change->moved && (before ? before->change->is_on : false) == change->is_on)
            continue;
        if (count == 0)
            first_us = change->time_us;
        uint64_t at_us = (change->time_us - first_us + round_us / 2) / round_us * round_us;
        if (before && at_us <= before->at_us)
            at_us = before->at_us + round_us;
        all[count] = (placed){at_us, count, change};
        count++;
    }
    qsort(all, count, sizeof *all, compare);
    return count;
}

/* What is written, and what is pressed meanwhile. */
typedef struct writing {
    FILE *file; /* NULL: steps are only counted */
    const char *output;
    const char *held[HELD_MOST];
    unsigned held_count, steps;
} writing;

static void write_time(const writing *writing, uint64_t time_us) {
    fprintf(writing->file, time_us % 1000 ? "%.3f ms}\n" : "%.0f ms}\n", (double)time_us / 1000);
}

static void write_name(const writing *writing, const char *name) {
    fprintf(writing->file, "%s.", writing->output);
    plain_print(writing->file, name, strlen(name));
}

/* What is held, for a time. A step lasts up to a minute. */
static void write_stretch(writing *writing, uint64_t time_us) {
    const uint64_t most_us = 60000000;
    for (; time_us > 0; time_us -= time_us < most_us ? time_us : most_us) {
        uint64_t now_us = time_us < most_us ? time_us : most_us;
        writing->steps++;
        if (!writing->file)
            continue;
        fprintf(writing->file, writing->held_count ? "      - {press: [" : "      - {wait: ");
        for (unsigned i = 0; i < writing->held_count; i++) {
            fputs(i ? ", " : "", writing->file);
            write_name(writing, writing->held[i]);
        }
        fputs(writing->held_count ? "], for: " : "", writing->file);
        write_time(writing, now_us);
    }
}

static void change_held(writing *writing, const noted_change *change) {
    for (unsigned i = 0; i < writing->held_count; i++)
        if (strcmp(writing->held[i], change->name) == 0) {
            writing->held[i] = writing->held[--writing->held_count];
            break;
        }
    if (change->is_on && writing->held_count < HELD_MOST)
        writing->held[writing->held_count++] = change->name;
}

/* All motion of a moment, in one step with what is held; it lasts a millisecond, which the next
 * step is shorter. */
static bool write_motion(writing *writing, const placed *all, size_t from, size_t end) {
    bool any = false;
    for (size_t i = from; i < end; i++) {
        const noted_change *change = all[i].change;
        int64_t sum = 0;
        bool is_first = change->moved != 0;
        for (size_t k = from; k < i && is_first; k++)
            is_first = !all[k].change->moved || strcmp(all[k].change->name, change->name) != 0;
        for (size_t k = i; k < end && is_first; k++)
            if (all[k].change->moved && strcmp(all[k].change->name, change->name) == 0)
                sum += all[k].change->moved;
        if (!is_first || sum == 0)
            continue;
        if (writing->file) {
            fputs(any ? ", " : "      - {move: {", writing->file);
            write_name(writing, change->name);
            fprintf(writing->file, ": %" PRId64, sum);
        }
        any = true;
    }
    if (!any)
        return false;
    writing->steps++;
    if (writing->file && writing->held_count) {
        fputs("}, press: [", writing->file);
        for (unsigned i = 0; i < writing->held_count; i++) {
            fputs(i ? ", " : "", writing->file);
            write_name(writing, writing->held[i]);
        }
        fputs("], for: 1 ms}\n", writing->file);
    } else if (writing->file) {
        fputs("}}\n", writing->file);
    }
    return true;
}

static unsigned write_steps(FILE *file, const placed *all, size_t count, const char *output) {
    writing writing = {.file = file, .output = output};
    for (size_t i = 0; i < count;) {
        size_t end = i;
        while (end < count && all[end].at_us == all[i].at_us)
            change_held(&writing, all[end++].change);
        bool moved = write_motion(&writing, all, i, end);
        if (end < count)
            write_stretch(&writing, all[end].at_us - all[i].at_us - (moved ? 1000 : 0));
        i = end;
    }
    return writing.steps;
}

bool write_macro(FILE *file, const noting *noting, const char *output, uint64_t round_us) {
    placed *all = calloc(noting->count + 1, sizeof *all);
    if (!all)
        abort();
    size_t count = place_changes(noting, round_us, all);
    unsigned steps = write_steps(NULL, all, count, output);
    bool fits = steps <= MACRO_STEPS;
    if (!fits)
        fprintf(stderr,
                "that is %u steps, and a macro has up to %d; record less of it, or round its times "
                "more coarsely\n",
                steps, MACRO_STEPS);
    if (fits) {
        fprintf(file,
                "macros:\n  recorded:\n    # when: what sets it off, as in keys.f12\n    steps:\n");
        if (steps == 0)
            fprintf(file, "      []\n");
        write_steps(file, all, count, output);
    }
    free(all);
    return fits;
}

void noting_free(noting *noting) {
    free(noting->changes);
}
