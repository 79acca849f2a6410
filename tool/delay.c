#include "tool/delay.h"

#include <stdlib.h>

#include "tool/plugs.h"

typedef struct delays {
    double *list; /* ms */
    size_t count, room;
} delays;

/* From the last thing that came in which the profile reads to the first that goes out behind it. */
static void find_delays(delays *of, const profile *profile, const sim_plug *plug,
                        change_list *changes) {
    uint64_t since_us = 0;
    bool waits = false;
    change_list_sort(changes);
    for (size_t i = 0; i < changes->count; i++) {
        const sim_change *change = &changes->list[i];
        if (!change_is_used(profile, plug, change))
            continue;
        if (!change_goes_out(change)) {
            since_us = change->time_us;
            waits = true;
        } else if (waits) {
            waits = false;
            of->list = recording_grow(of->list, of->count + 1, &of->room, sizeof *of->list);
            of->list[of->count++] = (double)(change->time_us - since_us) / 1000;
        }
    }
}

static int by_length(const void *a, const void *b) {
    double x = *(const double *)a, y = *(const double *)b;
    return (x > y) - (x < y);
}

#define MOMENTS 8 /* within a host's interval, at which reports come */

/* Plays the recording through a profile. False: said on standard error. */
static bool play_through(const profile *profile, const char *path, recording *recording,
                         uint64_t poll_us, delays *of) {
    static simulation simulation;
    change_list changes = {.list = NULL};
    sim_plug plug = {YT_ANY_INPUT, recording};
    if (!simulation_begin(&simulation, profile->compiled.image, profile->compiled.size, &plug, 1,
                          (sim_timing){.poll_us = poll_us, .limit = LIMIT_REPORTS},
                          (sim_observer){.context = &changes, .change = change_list_add})) {
        fprintf(stderr, "%s: it takes more memory than the simulated adapter has\n", path);
        return false;
    }
    bool good = simulation_run(&simulation) || limit_reached(&simulation, path);
    find_delays(of, profile, &plug, &changes);
    simulation_end(&simulation);
    change_list_free(&changes);
    return good;
}

bool measure_delays(const char *path, recording *recording, uint64_t poll_us, double **list,
                    size_t *count) {
    static profile profile;
    delays of = {.list = NULL};
    uint64_t later_us = poll_us / MOMENTS;
    bool good = true;
    if (!profile_open(&profile, path))
        return false;
    for (unsigned moment = 0; moment < MOMENTS && good; moment++) {
        good = play_through(&profile, path, recording, poll_us, &of);
        for (size_t i = 0; i < recording->report_count; i++)
            recording->reports[i].time_us += later_us;
    }
    for (size_t i = 0; i < recording->report_count && good; i++)
        recording->reports[i].time_us -= MOMENTS * later_us;
    profile_close(&profile);
    if (!good)
        free(of.list);
    if (good && of.count > 0)
        qsort(of.list, of.count, sizeof *of.list, by_length);
    *list = of.list;
    *count = of.count;
    return good;
}
