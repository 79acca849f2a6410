#include "tool/inside.h"

#include <stdlib.h>
#include <string.h>

#include "compiler/building/graph.h"
#include "compiler/formulas/layers.h"
#include "compiler/profile/cells.h"
#include "yonder/inspect.h"

#define WAITING_MOST 8 /* changes of one control that are on their way; more are not timed */

/* When what is on its way began; of what is no switch only the first, as the last value counts. */
typedef struct inside_waiting {
    uint64_t since_us[WAITING_MOST];
    unsigned count;
} inside_waiting;

static void *need(size_t count, size_t size) {
    void *memory = calloc(count + 1, size);
    if (!memory) {
        perror("yonder");
        exit(1);
    }
    return memory;
}

static void *grow(void *list, size_t count, size_t *room, size_t size) {
    if (count < *room)
        return list;
    *room = *room ? 2 * *room : 256;
    list = realloc(list, *room * size);
    if (!list) {
        perror("yonder");
        exit(1);
    }
    return list;
}

/* Each macro once, as it stands among what its steps use. */
static const yt_macro_use *use_of(const inside *inside, unsigned macro) {
    const struct yt_cell_records *cells = inside->profile->compiled.scope->cells;
    unsigned seen = 0;
    for (unsigned i = 0; i < cells->use_count; i++)
        if ((i == 0 || cells->uses[i].sequence != cells->uses[i - 1].sequence) && seen++ == macro)
            return &cells->uses[i];
    return NULL;
}

void inside_begin(inside *inside, const profile *profile, const simulation *simulation) {
    const yt_compiled *compiled = &profile->compiled;
    unsigned roots = compiled->program.header->root_count;
    memset(inside, 0, sizeof *inside);
    inside->profile = profile;
    inside->simulation = simulation;
    inside->layer_count = inside->lane_count = compiled->scope->layers->count;
    while (use_of(inside, inside->lane_count - inside->layer_count))
        inside->lane_count++;
    inside->now = need(inside->lane_count, sizeof *inside->now);
    inside->told = need(roots, sizeof *inside->told);
    inside->waiting = need(roots, sizeof *inside->waiting);
    inside_settled(inside);
    for (unsigned i = 0; i < roots; i++)
        inside->waiting[i].count = 0; /* what all begin with is no change */
}

void inside_free(inside *inside) {
    free(inside->list);
    free(inside->now);
    free(inside->told);
    free(inside->waiting);
    free(inside->delays_us);
    memset(inside, 0, sizeof *inside);
}

const char *inside_lane_name(const inside *inside, unsigned lane) {
    if (lane < inside->layer_count)
        return inside->profile->compiled.scope->layers->all[lane].name;
    return use_of(inside, lane - inside->layer_count)->macro->text;
}

static int value_of(const inside *inside, unsigned lane) {
    const yt_compiled *compiled = &inside->profile->compiled;
    unsigned node = lane < inside->layer_count
                        ? compiled->scope->layers->all[lane].on
                        : use_of(inside, lane - inside->layer_count)->sequence;
    unsigned number = compiled->numbers[node];
    if (number == BUILD_NOWHERE)
        return 0;
    return graph_value(compiled->nodes, yt_inspect_values(&inside->simulation->engine), number) /
           YT_ONE;
}

static void note_lanes(inside *inside, uint64_t now_us) {
    for (unsigned i = 0; i < inside->lane_count; i++) {
        int value = value_of(inside, i);
        if (value == inside->now[i])
            continue;
        inside->now[i] = value;
        inside->list = grow(inside->list, inside->count, &inside->room, sizeof *inside->list);
        inside->list[inside->count++] = (inside_change){now_us, i, value};
    }
}

void inside_settled(inside *inside) {
    const yt_engine *engine = &inside->simulation->engine;
    const yt_program *program = &inside->profile->compiled.program;
    uint64_t now_us = engine->port_us;
    note_lanes(inside, now_us);
    for (unsigned i = 0; i < program->header->root_count; i++) {
        unsigned number = program->steps[program->roots[i].step].value;
        yt_q16 value = number == YT_NO_VALUE ? 0 : yt_inspect_value(engine, number);
        if (value == inside->told[i])
            continue;
        inside->told[i] = value;
        inside_waiting *waiting = &inside->waiting[i];
        unsigned most = program->roots[i].kind < YT_ROOT_AXIS ? WAITING_MOST : 1;
        if (waiting->count < most)
            waiting->since_us[waiting->count++] = now_us;
    }
}

/* The change that was on its way for longest is the one that got there. */
static void arrive(inside *inside, inside_waiting *waiting, uint64_t time_us) {
    if (waiting->count == 0 || time_us < waiting->since_us[0])
        return;
    inside->delays_us = grow(inside->delays_us, inside->delay_count, &inside->delay_room,
                             sizeof *inside->delays_us);
    inside->delays_us[inside->delay_count++] = time_us - waiting->since_us[0];
    waiting->count--;
    memmove(waiting->since_us, waiting->since_us + 1, waiting->count * sizeof *waiting->since_us);
}

/* Keys of an array stand in one place. */
static bool is_told_by(const yt_program_root *root, const host_control *control) {
    bool in_array = root->kind == YT_ROOT_IN_ARRAY || root->kind == YT_ROOT_KEY_IN_ARRAY;
    return root->at.bit == control->bit && (!in_array || root->number == control->usage);
}

void inside_seen(inside *inside, const sim_change *change) {
    const yt_program *program = &inside->profile->compiled.program;
    if (!change->is_output || change->is_feedback)
        return;
    for (unsigned i = 0; i < program->header->report_count; i++) {
        const yt_program_report *report = &program->reports[i];
        if (report->interface != change->number || report->id != change->control.report_id ||
            report->direction != YT_HID_INPUT)
            continue;
        for (unsigned k = report->first_root; k < report->first_root + (unsigned)report->root_count;
             k++)
            if (is_told_by(&program->roots[k], &change->control))
                arrive(inside, &inside->waiting[k], change->time_us);
    }
}

static int compare_times(const void *a, const void *b) {
    uint64_t one = *(const uint64_t *)a, other = *(const uint64_t *)b;
    return (one > other) - (one < other);
}

bool inside_delays(inside *inside, uint64_t *median_us, uint64_t *worst_us) {
    if (inside->delay_count == 0)
        return false;
    qsort(inside->delays_us, inside->delay_count, sizeof *inside->delays_us, compare_times);
    *median_us = inside->delays_us[inside->delay_count / 2];
    *worst_us = inside->delays_us[inside->delay_count - 1];
    return true;
}
