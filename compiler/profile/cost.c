#include "compiler/profile/cost.h"
#include "compiler/formulas/calls.h"

#include <stdbool.h>
#include <string.h>

#include "compiler/messages/pool.h"
#include "image/code.h"
#include "image/functions.h"

#define COST_CORE(name, clock, cycles, ...) {name, clock, cycles, {__VA_ARGS__}},
#define COST_PRICE(term, instructions)      [COST_##term] = (instructions),
const yt_cost_core cost_cores[] = {
#include "compiler/profile/costs.def"
};
#undef COST_PRICE
#undef COST_CORE

#define COST_NAME(name, meaning)             #name,
#define YT_FUNCTION(group, index, NAME, ...) #NAME,
#define YT_UNCALLED(group, index, NAME, ...) #NAME,
const char *const cost_names[COST_COUNT] = {COST_TERMS(COST_NAME)
#include "yonder/image/functions.def"
};
#undef COST_NAME

const unsigned cost_core_count = sizeof cost_cores / sizeof cost_cores[0];

static bool is_of_keyboard(const yt_program_control *control) {
    return control->page == 0x07 && !control->from_host;
}

/* A key that is read as a level is one on a keyboard that tells how deep it is; on a keyboard that
 * tells keys in an array (`array`) it is a switch as well. */
static void count_reading(const yt_program_control *control, bool array, yt_cost_terms *terms) {
    bool is_key = is_of_keyboard(control) && (control->kind == YT_SWITCH || array);
    if (is_key)
        terms->count[COST_KEYBOARD] = 1;
    terms->count[is_key                       ? COST_KEY
                 : control->kind == YT_SWITCH ? COST_SWITCH
                 : control->kind == YT_MOTION ? COST_MOTION
                                              : COST_LEVEL]++;
}

static yt_cost_term term_of_function(unsigned function) {
    switch (function) {
#define YT_FUNCTION(group, index, NAME, ...)                                                       \
    case YT_DO_##NAME:                                                                             \
        return COST_##NAME;
#define YT_UNCALLED(group, index, NAME, ...)                                                       \
    case YT_DO_##NAME:                                                                             \
        return COST_##NAME;
#include "yonder/image/functions.def"
    default:
        return COST_STEP;
    }
}

/* What an instruction is counted as. */
static yt_cost_term term_of(const yt_instruction *at) {
    switch (at->code) {
    case YT_CODE_MULTIPLY:
        return COST_MULTIPLY;
    case YT_CODE_DIVIDE:
        return COST_DIVIDE;
    case YT_CODE_DRIVE:
        return COST_DRIVE;
    case YT_CODE_MORE:
        return COST_MORE;
    case YT_CODE_CALL:
        return term_of_function(at->operand);
    default:
        return COST_INSTRUCTION;
    }
}

/* How many numbers each stage of a shape takes. */
static const uint8_t stage_takes[] = {
#define YT_STAGE(number, NAME, name, takes, meaning) [number] = (takes),
#include "yonder/image/stages.def"
#undef YT_STAGE
};
enum {
#define YT_STAGE(number, NAME, name, takes, meaning) STAGE_##NAME = (number),
#include "yonder/image/stages.def"
#undef YT_STAGE
};

#define CURVE_PART 5 /* numbers, of which one is looked at to find the part */

/* The stages of a shape, the first of which is in the price of the function; of the parts of a
 * curve one is worked out. */
static void count_stages(const yt_instruction *call, yt_cost_terms *terms) {
    for (unsigned at = 3; at <= call->count;) {
        unsigned stage = (unsigned)call[at].operand << 8 | call[at].count;
        if (stage >= sizeof stage_takes || at + stage_takes[stage] > call->count)
            return;
        unsigned parts = stage == STAGE_CURVE ? call[at + 1].count : 0;
        terms->count[COST_INSTRUCTION] += 2 * parts;
        terms->count[COST_STAGE] += at > 3;
        at += 1u + stage_takes[stage] + CURVE_PART * parts;
    }
}

static void count_step(const yt_program *program, const yt_program_step *step,
                       yt_cost_terms *terms) {
    const yt_instruction *at = &program->code[step->code];
    terms->count[COST_STEP]++;
    if (at->code == YT_CODE_CALL && at->operand == YT_DO_SHAPE)
        count_stages(at, terms);
    for (; at->code != YT_CODE_END; at++)
        if (at->code != YT_CODE_HERE)
            terms->count[term_of(at)]++;
}

/* What is looked at in the passes of one update. */
typedef struct yt_search {
    const yt_program *program;
    yt_cost_terms *terms;
    bool *marked;  /* steps that are looked at in one pass */
    bool *changed; /* values that may be others in it */
    bool *reports; /* that have news */
} yt_search;

static void count_root(yt_search *search, const yt_program_step *step) {
    uint32_t *count = search->terms->count;
    if (step->tells == YT_TELLS_NOTHING)
        return;
    if (step->report == YT_NO_REPORT) {
        count[COST_TARGET]++;
        return;
    }
    const yt_program_report *report = &search->program->reports[step->report];
    const yt_program_root *root = &search->program->roots[report->first_root + step->number];
    search->reports[step->report] = true;
    switch (root->kind) {
    case YT_ROOT_HAT:
        count[COST_HAT]++;
        break;
    case YT_ROOT_IN_ARRAY:
    case YT_ROOT_KEY_IN_ARRAY:
        count[COST_ARRAY] += report->switch_count;
        count[COST_ARRAY_KEY]++;
        break;
    case YT_ROOT_KEY:
    case YT_ROOT_MODIFIER:
        count[COST_KEY_OUT]++;
        break;
    default:
        count[root->kind >= YT_ROOT_AXIS ? COST_AXIS : COST_BUTTON]++;
    }
}

static const yt_instruction *code_of(const yt_search *search, unsigned step) {
    return &search->program->code[search->program->steps[step].code];
}

/* Whether a step that is looked at may get another value: which layer a press belongs to does not
 * change with the layers, only with the press. */
static bool may_change(const yt_search *search, unsigned step) {
    const yt_instruction *at = code_of(search, step);
    return at->code != YT_CODE_OWNER || search->changed[at->operand];
}

static void mark_list(yt_search *search, unsigned first, unsigned count) {
    for (unsigned i = first; i < first + count; i++)
        for (unsigned bit = 0; bit < 32; bit++)
            if (search->program->marks[i].bits >> bit & 1)
                search->marked[search->program->marks[i].word * 32u + bit] = true;
}

static void count_wire(yt_search *search, const yt_program_wire *wire) {
    search->terms->count[COST_WIRE]++;
    if (wire->kind == YT_WIRE_SCALED)
        search->terms->count[COST_MULTIPLY]++;
    if (wire->kind < YT_WIRE_STICK_X)
        count_root(search, &search->program->steps[wire->step]);
}

/* A value changes: what uses it is looked at in this pass. */
static void change(yt_search *search, unsigned value) {
    const yt_program *program = search->program;
    const yt_program_users *users = &program->users[value - program->header->constant_count];
    search->changed[value] = true;
    mark_list(search, users->first, users->count);
    for (unsigned i = 0; i < users->wires; i++)
        count_wire(search, &program->wires[users->first_wire + i]);
}

static unsigned results_of(const yt_search *search, unsigned step) {
    const yt_instruction *at = code_of(search, step);
    return at->code == YT_CODE_CALL ? yt_function_of(YT_ANY_GROUP, at->operand)->results : 1;
}

/* Marks what compares the pulses of a pass, for one more; false: nothing does. */
static bool end_pulses(yt_search *search) {
    const yt_program_header *header = search->program->header;
    bool again = false;
    for (unsigned i = header->constant_count; i < header->value_count; i++) {
        const yt_program_users *users = &search->program->users[i - header->constant_count];
        if (search->changed[i])
            mark_list(search, users->first + (unsigned)users->count, users->seers);
        again |= search->changed[i] && users->seers;
        search->changed[i] = false;
    }
    return again;
}

/* One pass that begins at the steps that are marked: what follows from them. Marks the steps that
 * compare pulses for one more pass, as the end of a pulse is seen too; false if there are none. */
static bool count_pass(yt_search *search) {
    const yt_program *program = search->program;
    for (unsigned i = 0; i < program->header->step_count; i++) {
        const yt_program_step *step = &program->steps[i];
        if (!search->marked[i])
            continue;
        search->marked[i] = false;
        count_step(program, step, search->terms);
        count_root(search, step);
        for (unsigned k = 0; step->value != YT_NO_VALUE && k < results_of(search, i); k++)
            if (may_change(search, i))
                change(search, step->value + k);
    }
    return end_pulses(search);
}

/* A key that a keyboard may tell in an array; modifiers have bits of their own (HID 1.11, B.1). */
static bool is_array_key(const yt_program_control *control) {
    return is_of_keyboard(control) && (control->usage < 0xe0 || control->usage > 0xe7);
}

/* Marks what a report of an input's device changes: all of it; or, but for one key, all that can
 * not stand in an array of keys. */
static void read_input(yt_search *search, unsigned input, const unsigned *key) {
    const yt_program *program = search->program;
    for (unsigned i = 0; i < program->header->control_count; i++) {
        const yt_program_control *control = &program->controls[i];
        if (control->from_host || control->input != input ||
            (key && i != *key && is_array_key(control)))
            continue;
        count_reading(control, key != NULL, search->terms);
        change(search, yt_first_control(program) + i);
    }
}

/* Marks the functions whose timer may end before a report, or those that a press ends at once. */
static void end_timers(yt_search *search, bool at_once) {
    for (unsigned i = 0; i < search->program->header->timer_count; i++) {
        unsigned step = search->program->timers[i];
        bool is_next_press = code_of(search, step)->operand == YT_DO_NEXT_PRESS;
        if (is_next_press == at_once)
            search->marked[step] = true;
    }
}

static void count_filled(yt_search *search, const yt_program_filled *filled) {
    for (unsigned i = 0; i < filled->fill_count; i++) {
        const yt_program_fill *fill = &search->program->fills[filled->first_fill + i];
        search->terms->count[COST_FILL]++;
        if (fill->kind >= YT_FILL_SUM)
            search->terms->count[COST_FILL_BYTE] +=
                (unsigned)(fill->end - fill->first + fill->before_count);
    }
}

/* What fills itself: in reports to hosts that have news, and to devices where a light changes. */
static void count_fills(yt_search *search) {
    const yt_program *program = search->program;
    for (unsigned i = 0; i < program->header->filled_count; i++) {
        const yt_program_filled *filled = &program->filled[i];
        bool is_built = filled->report == YT_NO_REPORT ? search->terms->count[COST_TARGET] > 0
                                                       : search->reports[filled->report];
        if (is_built)
            count_filled(search, filled);
    }
}

static void count_reports(yt_search *search) {
    search->terms->count[COST_OUTPUT] = search->program->header->interface_count;
    for (unsigned i = 0; i < search->program->header->report_count; i++) {
        const yt_program_report *report = &search->program->reports[i];
        if (!search->reports[i])
            continue;
        search->terms->count[COST_REPORT]++;
        if (report->boot == YT_BOOT_KEYBOARD)
            search->terms->count[COST_BOOT] += report->switch_count;
    }
}

void cost_count_keys(const yt_program *program, unsigned input, const unsigned *key,
                     yt_cost_terms *terms) {
    size_t steps = program->header->step_count + 32u, values = program->header->value_count + 1u;
    yt_search search = {.program = program, .terms = terms};
    yt_pool pool = {0};
    memset(terms, 0, sizeof *terms);
    search.marked = pool_take(&pool, steps + values + program->header->report_count);
    search.changed = search.marked + steps;
    search.reports = search.changed + values;
    terms->count[COST_UPDATE] = 1;
    end_timers(&search, false);
    count_pass(&search);
    read_input(&search, input, key);
    if (count_pass(&search))
        count_pass(&search);
    memset(search.marked, 0, steps);
    end_timers(&search, true);
    count_pass(&search);
    count_reports(&search);
    count_fills(&search);
    pool_free(&pool);
}

void cost_count(const yt_program *program, unsigned input, yt_cost_terms *terms) {
    cost_count_keys(program, input, NULL, terms);
}

uint32_t cost_of(const yt_cost_core *core, const yt_cost_terms *terms) {
    uint64_t cost = 0;
    for (unsigned i = 0; i < COST_COUNT; i++)
        cost += (uint64_t)core->price[i] * terms->count[i];
    return cost > UINT32_MAX ? UINT32_MAX : (uint32_t)cost;
}

/* The step of a function's own; its last argument counts twice, in place of the | before it. */
static void add_call(yt_cost_terms *terms, unsigned number) {
    terms->count[COST_STEP]++;
    terms->count[term_of_function(number)]++;
    terms->count[COST_MORE] += (uint32_t)strlen(yt_function_of(YT_ANY_GROUP, number)->takes);
}

uint32_t cost_of_function(const yt_cost_core *core, const yt_listed_function *function) {
    yt_cost_terms terms = {{0}};
    if (function->number != FUNCTION_MADE)
        add_call(&terms, function->number);
    else
        terms.count[COST_INSTRUCTION] = function->nodes;
    if (function->make == make_whole_chord) { /* a chord, and two keys that are held back */
        add_call(&terms, YT_DO_CHORD);
        add_call(&terms, YT_DO_HELD_BACK);
        add_call(&terms, YT_DO_HELD_BACK);
    }
    return cost_of(core, &terms);
}

/* Puts a cost among the largest, which stand in order; the least of them goes. */
static void keep_largest(uint32_t *largest, uint32_t cost) {
    for (unsigned i = 0; i < COST_ARRAY_KEYS; i++)
        if (cost > largest[i]) {
            uint32_t less = largest[i];
            largest[i] = cost;
            cost = less;
        }
}

/* Takes what there is once in an update, however many keys change, out of the terms; it is counted
 * for all keys. */
static void leave_once(yt_cost_terms *terms, const yt_cost_terms *all) {
    static const yt_cost_term once[] = {COST_UPDATE, COST_KEYBOARD, COST_OUTPUT, COST_REPORT,
                                        COST_BOOT};
    for (size_t i = 0; i < sizeof once / sizeof once[0]; i++)
        terms->count[once[i]] = all->count[once[i]];
}

/* What keys cost together is no more than the sum of what each costs alone: what two of them both
 * make be looked at is looked at once. */
static uint32_t cost_with_array(const yt_cost_core *core, const yt_program *program, unsigned input,
                                const yt_cost_terms *all) {
    const unsigned none = UINT16_MAX;
    uint32_t largest[COST_ARRAY_KEYS] = {0};
    yt_cost_terms terms;
    cost_count_keys(program, input, &none, &terms);
    leave_once(&terms, all);
    uint32_t others = cost_of(core, &terms), cost = others;
    for (unsigned key = 0; key < program->header->control_count; key++) {
        if (program->controls[key].input != input || !is_array_key(&program->controls[key]))
            continue;
        cost_count_keys(program, input, &key, &terms);
        leave_once(&terms, all);
        keep_largest(largest, cost_of(core, &terms) - others);
    }
    for (unsigned i = 0; i < COST_ARRAY_KEYS; i++)
        cost += largest[i];
    return cost;
}

/* Where controls set parameters, what depends on those is looked at a second time in the update. */
static bool sets_parameters(const yt_program *program) {
    for (unsigned i = 0; i < program->header->target_count; i++)
        if (program->targets[i].from_host == YT_FOR_ADAPTER &&
            program->targets[i].page >= YT_ACTION_KINDS)
            return true;
    return false;
}

static uint32_t twice(uint32_t cost) {
    return cost > UINT32_MAX / 2 ? UINT32_MAX : 2 * cost;
}

yt_cost_bounds cost_bound(const yt_cost_core *core, const yt_program *program) {
    yt_cost_bounds bounds = {0, 0, 0};
    for (unsigned i = 0; i < program->header->input_count; i++) {
        yt_cost_terms terms;
        cost_count(program, i, &terms);
        uint32_t whole = cost_of(core, &terms), cost = cost_with_array(core, program, i, &terms);
        if (cost > whole)
            cost = whole;
        if (cost > bounds.most) {
            bounds.most = cost;
            bounds.input = i;
        }
        if (whole > bounds.all_keys)
            bounds.all_keys = whole;
    }
    if (sets_parameters(program)) {
        bounds.most = twice(bounds.most);
        bounds.all_keys = twice(bounds.all_keys);
    }
    return bounds;
}
