#include "tool/trial.h"

#include <inttypes.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/formulas/functions.h"
#include "yonder/inspect.h"

#define TRIAL_LINES 400 /* of the timeline; what is more is left out */

typedef enum column { COLUMN_DONE, COLUMN_OUT, COLUMN_EXPECTED } column;

/* A line of the timeline. */
typedef struct trial_line {
    int64_t time_us;
    column column;
    bool is_wrong;
    char text[200];
} trial_line;

/* One test at work: an engine, hosts that ask, and what they saw. */
typedef struct trial {
    const profile *profile;
    const yt_profile_test *test;
    yt_engine engine;
    yt_port port;
    uint64_t memory[SIM_MEMORY / 8];
    sim_host hosts[YT_INTERFACES];
    unsigned presses[YT_INTERFACES][HOST_CONTROLS];
    unsigned reporting;
    int64_t now_us;
    uint32_t unplugged; /* inputs, a bit each */
    yt_q16 *driven;     /* what lights and motors were driven with; as many as the program has */
    trial_line lines[TRIAL_LINES];
    unsigned line_count;
    unsigned wrong;
} trial;

static trial_line *add_line(trial *trial, column column) {
    static trial_line spare;
    trial_line *line =
        trial->line_count < TRIAL_LINES ? &trial->lines[trial->line_count++] : &spare;
    *line = (trial_line){.time_us = trial->now_us, .column = column};
    return line;
}

static bool begin(trial *trial, const profile *profile, const yt_profile_test *test) {
    const yt_compiled *compiled = &profile->compiled;
    const yt_program *program = &compiled->program;
    free(trial->driven);
    memset(trial, 0, sizeof *trial);
    trial->driven = calloc(program->header->target_count + 1u, sizeof *trial->driven);
    if (!trial->driven)
        abort();
    trial->profile = profile;
    trial->test = test;
    trial->port.version = YT_PORT_VERSION;
    if (yt_engine_init(&trial->engine, trial->memory, sizeof trial->memory, &trial->port) !=
            YT_OK ||
        yt_engine_load(&trial->engine, compiled->image, compiled->size) != YT_OK)
        return false;
    for (unsigned i = 0; i < program->header->interface_count; i++) {
        const yt_program_interface *interface = &program->interfaces[i];
        size_t offset;
        if (sim_host_enumerate(&trial->hosts[i], program->blob + interface->descriptor_offset,
                               interface->descriptor_bytes, &offset) != YT_OK)
            return false;
    }
    return true;
}

static void see_change(void *context, const host_control *control) {
    trial *trial = context;
    trial_line *line = add_line(trial, COLUMN_OUT);
    char value[64], name[160];
    yt_raw_meaning meaning;
    output_control_name(&trial->profile->compiled, trial->reporting, control, name, sizeof name,
                        &meaning);
    raw_text(&meaning, control->value, value, sizeof value);
    snprintf(line->text, sizeof line->text, "%.60s %.50s", name, value);
    size_t index = (size_t)(control - trial->hosts[trial->reporting].controls);
    if (host_control_is_switch(control) && control->value && index < HOST_CONTROLS)
        trial->presses[trial->reporting][index]++;
}

static void poll_hosts(trial *trial) {
    uint8_t report[YT_REPORT_BYTES + 1];
    for (unsigned i = 0; i < trial->engine.interface_count; i++) {
        size_t size;
        trial->reporting = i;
        if (yt_interface_report(&trial->engine, i, report, sizeof report, &size) != YT_OK ||
            size == 0 || !sim_host_report(&trial->hosts[i], report, size, see_change, trial))
            continue;
        yt_interface_taken(&trial->engine, i, (uint64_t)trial->now_us);
    }
}

static const yt_program *program_of(const trial *trial) {
    return &trial->profile->compiled.program;
}

/* What a light or a motor is driven with. */
static yt_q16 driven_with(const trial *trial, unsigned target) {
    return target == BUILD_NOWHERE ? 0 : yt_inspect_target(&trial->engine, target);
}

/* Notes what has changed of the lights and motors that something is expected of. */
static void see_devices(trial *trial) {
    const yt_profile_test *test = trial->test;
    for (unsigned i = 0; i < test->expected_count; i++) {
        const yt_test_expected *expected = &test->expected[i];
        if (!expected->is_device || expected->target == BUILD_NOWHERE)
            continue;
        yt_q16 value = driven_with(trial, expected->target);
        if (value == trial->driven[expected->target])
            continue;
        trial->driven[expected->target] = value;
        trial_line *line = add_line(trial, COLUMN_OUT);
        snprintf(line->text, sizeof line->text, "%.60s %.4g%%", expected->part->text,
                 value * 100.0 / YT_ONE);
    }
}

/* A value for a control of an input that is plugged in, or of what the host sends. */
static void set_control(trial *trial, const yt_test_act *act, unsigned node) {
    if (node == BUILD_NOWHERE)
        return;
    unsigned number = (unsigned)trial->profile->compiled.nodes[node].data;
    const yt_program_control *control = &program_of(trial)->controls[number];
    if (control->from_host || !(trial->unplugged >> control->input & 1))
        yt_inspect_set(&trial->engine, number, act->value);
}

/* As a device that leaves: all that it held is let go, and nothing fires because of it. */
static void unplug(trial *trial, unsigned input) {
    yt_inspect_let_go(&trial->engine, input, (uint64_t)trial->now_us);
    trial->unplugged |= 1u << input;
}

static void act(trial *trial, const yt_test_act *act) {
    static const char *const words[] = {"set", "move", "plug", "unplug", "set"};
    trial_line *line = add_line(trial, COLUMN_DONE);
    const char *word = words[act->kind];
    yt_status status = YT_OK;
    switch (act->kind) {
    case ACT_SET:
    case ACT_MOVE:
        set_control(trial, act, act->nodes[0]);
        set_control(trial, act, act->nodes[1]);
        break;
    case ACT_PLUG:
        trial->unplugged &= ~(1u << act->input);
        break;
    case ACT_UNPLUG:
        unplug(trial, act->input);
        break;
    default:
        status = yt_engine_set_parameter(&trial->engine, act->nodes[0], act->value);
    }
    (void)status; /* the value is within its range, or the profile would not compile */
    if (act->kind == ACT_MOVE)
        snprintf(line->text, sizeof line->text, "move %.60s %g", act->part->text,
                 act->value / (double)YT_ONE);
    else if (act->kind == ACT_SET && act->is_press)
        snprintf(line->text, sizeof line->text, "%s %.60s", act->value ? "press" : "release",
                 act->part->text);
    else if (act->kind == ACT_SET)
        snprintf(line->text, sizeof line->text, "set %.60s %.4g%%", act->part->text,
                 act->value * 100.0 / YT_ONE);
    else if (act->kind == ACT_PARAMETER)
        snprintf(line->text, sizeof line->text, "set %.60s %.30s", act->part->text,
                 act->part->next->text);
    else
        snprintf(line->text, sizeof line->text, "%s %.60s", word, act->part->text);
}

/* The control that the host has there. */
static const host_control *find_seen(const trial *trial, const yt_test_expected *expected) {
    const yt_profile_output *output = &trial->profile->compiled.outputs[expected->output];
    const sim_host *host = &trial->hosts[output->interface];
    uint8_t id = program_of(trial)->reports[expected->control.report].id;
    for (unsigned i = 0; i < host->control_count; i++) {
        const host_control *control = &host->controls[i];
        bool in_array = expected->control.root.kind == YT_ROOT_IN_ARRAY ||
                        expected->control.root.kind == YT_ROOT_KEY_IN_ARRAY;
        if (control->bit == expected->control.root.at.bit && control->report_id == id &&
            (!in_array || control->usage == expected->name.usage))
            return control;
    }
    return NULL;
}

/* Whether a hat's number shows a direction: 1 up, 2 right, 4 down, 8 left. */
static bool shows_part(int64_t position, int64_t minimum, unsigned part) {
    static const uint8_t directions[8] = {1, 3, 2, 6, 4, 12, 8, 9};
    int64_t at = position - minimum;
    return at >= 0 && at < 8 && (directions[at] & part);
}

/* From a raw number to what it means: -1 to 1, or 0 to 1. */
static double value_seen(const host_control *control, yt_kind kind) {
    double value = (double)control->value;
    if (kind == YT_LEVEL)
        return (value - (double)control->minimum) / (double)(control->maximum - control->minimum);
    double rest =
        control->minimum < 0 ? 0 : ((double)control->minimum + (double)control->maximum + 1) / 2;
    return value >= rest ? (value - rest) / ((double)control->maximum - rest)
                         : (value - rest) / (rest - (double)control->minimum);
}

/* Whether a number is as expected; what came stands in `came`. */
static bool is_near(const yt_test_expected *expected, double value, char *came, size_t size) {
    double wanted = expected->value / (double)YT_ONE;
    double tolerance = expected->tolerance / (double)YT_ONE + 1e-9;
    snprintf(came, size, "it is %.4g%%", value * 100);
    return value - wanted <= tolerance && wanted - value <= tolerance;
}

static bool is_as_pressed(const yt_test_expected *expected, bool is_on, char *came, size_t size) {
    snprintf(came, size, "it is %s", is_on ? "pressed" : "released");
    return is_on == (expected->kind == EXPECTED_PRESSED);
}

static bool device_holds(const trial *trial, const yt_test_expected *expected, char *came,
                         size_t size) {
    yt_q16 value = driven_with(trial, expected->target);
    return expected->kind == EXPECTED_VALUE ? is_near(expected, value / (double)YT_ONE, came, size)
                                            : is_as_pressed(expected, value != 0, came, size);
}

static bool holds(const trial *trial, const yt_test_expected *expected, char *came, size_t size) {
    if (expected->is_device)
        return device_holds(trial, expected, came, size);
    const host_control *seen = find_seen(trial, expected);
    const yt_profile_output *output = &trial->profile->compiled.outputs[expected->output];
    if (!seen) {
        snprintf(came, size, "the host has no such control");
        return false;
    }
    switch (expected->kind) {
    case EXPECTED_PRESSED:
    case EXPECTED_RELEASED:
        return is_as_pressed(expected,
                             expected->name.part
                                 ? shows_part(seen->value, seen->minimum, expected->name.part)
                                 : seen->value != 0,
                             came, size);
    case EXPECTED_VALUE:
        return is_near(expected, value_seen(seen, expected->control.kind), came, size);
    case EXPECTED_MOVED:
        snprintf(came, size, "it moved %" PRId64, seen->sum);
        return seen->sum == expected->value;
    default: {
        const sim_host *host = &trial->hosts[output->interface];
        unsigned presses = trial->presses[output->interface][seen - host->controls];
        snprintf(came, size, "it was pressed %u time%s", presses, presses == 1 ? "" : "s");
        return presses == (unsigned)expected->value;
    }
    }
}

static void expect(trial *trial, const yt_test_expected *expected) {
    static const char *const words[] = {"pressed", "released", "", "moved", "pressed"};
    char came[80];
    trial_line *line = add_line(trial, COLUMN_EXPECTED);
    line->is_wrong = !holds(trial, expected, came, sizeof came);
    trial->wrong += line->is_wrong;
    const char *name = expected->part->text;
    char what[90];
    if (expected->kind == EXPECTED_VALUE)
        snprintf(what, sizeof what, "%.40s %.4g%%", name, expected->value * 100.0 / YT_ONE);
    else if (expected->kind == EXPECTED_MOVED)
        snprintf(what, sizeof what, "%.40s moved %d", name, expected->value);
    else if (expected->kind == EXPECTED_PRESSES)
        snprintf(what, sizeof what, "%.40s pressed %d times", name, expected->value);
    else
        snprintf(what, sizeof what, "%.40s %s", name, words[expected->kind]);
    snprintf(line->text, sizeof line->text, "%s%s%s", what, line->is_wrong ? "; but " : "",
             line->is_wrong ? came : "");
}

/* The entries of `do:` that are due: what one of them does is seen together. */
static unsigned act_now(trial *trial, unsigned next) {
    const yt_profile_test *test = trial->test;
    while (next < test->act_count && test->acts[next].at_us <= trial->now_us) {
        unsigned entry = test->acts[next].entry;
        for (; next < test->act_count && test->acts[next].entry == entry; next++)
            act(trial, &test->acts[next]);
        yt_inspect_settle(&trial->engine, (uint64_t)trial->now_us);
    }
    return next;
}

static int64_t earlier(int64_t a, int64_t b) {
    return a < b ? a : b;
}

/* At one time, timers come first, then what is done, then the hosts ask, then it is looked at. */
static void run(trial *trial) {
    const yt_profile_test *test = trial->test;
    unsigned act = 0, expected = 0;
    int64_t next_poll_us = 0;
    while (expected < test->expected_count) {
        int64_t next_us = earlier(next_poll_us, test->expected[expected].at_us);
        if (act < test->act_count)
            next_us = earlier(next_us, test->acts[act].at_us);
        trial->now_us = next_us > trial->now_us ? next_us : trial->now_us;
        yt_engine_update(&trial->engine, (uint64_t)trial->now_us);
        act = act_now(trial, act);
        see_devices(trial);
        if (trial->now_us >= next_poll_us) {
            poll_hosts(trial);
            next_poll_us += test->poll_us;
        }
        for (; expected < test->expected_count && test->expected[expected].at_us <= trial->now_us &&
               (act == test->act_count || test->acts[act].at_us > trial->now_us);
             expected++)
            expect(trial, &test->expected[expected]);
    }
}

static void print_timeline(const trial *trial, FILE *file) {
    fprintf(file, "      %-10s  %-32s  %-32s  %s\n", "time", "what is done", "what came out",
            "what was expected");
    for (unsigned i = 0; i < trial->line_count; i++) {
        const trial_line *line = &trial->lines[i];
        char time[40];
        amount_text(YT_UNIT_TIME, line->time_us, time, sizeof time);
        fprintf(file, "    %c %-10s  %-32s  %-32s  %s\n", line->is_wrong ? '>' : ' ',
                line->time_us ? time : "0 ms", line->column == COLUMN_DONE ? line->text : "",
                line->column == COLUMN_OUT ? line->text : "",
                line->column == COLUMN_EXPECTED ? line->text : "");
    }
    if (trial->line_count == TRIAL_LINES)
        fprintf(file, "      and more, which is left out\n");
}

unsigned run_profile_tests(const profile *profile, FILE *file) {
    const yt_profile_tests *tests = &profile->compiled.tests;
    const char *path = profile->messages.sources[0].file;
    unsigned failed = 0;
    trial *trial = calloc(1, sizeof *trial);
    if (!trial)
        abort();
    for (unsigned i = 0; i < tests->count; i++) {
        const yt_profile_test *test = &tests->list[i];
        if (!begin(trial, profile, test)) {
            fprintf(file, "%s: the engine cannot run this profile\n", path);
            failed++;
            continue;
        }
        run(trial);
        if (trial->wrong == 0)
            continue;
        failed++;
        fprintf(file, "%s:%d:%d: the test \"%.80s\" fails\n", path, test->part->place.line,
                test->part->place.column, test->name);
        print_timeline(trial, file);
    }
    free(trial->driven);
    free(trial);
    return failed;
}
