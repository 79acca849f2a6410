#include "tool/assign/hands.h"

#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "tool/assign/listening.h"

#define CLEAR_US   400000  /* so long what is moved stays where it is, until it counts */
#define HELD_US    1500000 /* the same of a switch: until then, another one may be pressed with it */
#define MOVED      0.35    /* of the whole way */
#define MOTION     150.0   /* counts that are as much as the whole way */
#define STEP_US    4000    /* of recordings */
#define ASKED_US   40000   /* an adapter is asked that often */
#define NOTED_US   1000    /* the same while all is noted */
#define TURNED     90.0    /* degrees that are as much as the whole way */
#define STILL_TURN 10.0    /* degrees a second: a gyro that turns no faster is still */

/* How a control moved since it is listened. */
typedef struct hands_trace {
    double from, most; /* the farthest from there, as it was then */
    double now;
    uint64_t since_us, still_us; /* when it began to move; when it moved last */
    int direction;               /* of a hat: the one that it went to; -1: none */
    double turned;               /* of a gyro: degrees since then */
    bool is_known;
} hands_trace;

static hands_trace *trace_of(const hands *hands, unsigned device, unsigned control) {
    return &hands->traces[device * PANEL_CONTROLS + control];
}

static double value_of(const panel_control *control) {
    if (control->meaning.kind == YT_MOTION)
        return (double)control->sum / MOTION;
    if (control->meaning.is_hat)
        return raw_direction(&control->meaning, control->value) >= 0;
    return raw_value(&control->meaning, control->value);
}

/* How far a gyro has turned, by how fast it turns. */
static double turned(const hands *hands, hands_trace *trace, double rate) {
    trace->turned += rate * (double)hands->passed_us / 1000000;
    return trace->turned / TURNED;
}

static uint64_t now_of(const hands *hands) {
    return hands->adapter ? hands->time_us : hands->watching.now_us;
}

/* Something has a value now. `is_still`: it does not move. True: it is farther than it ever was. */
static bool follow_one(const hands *hands, hands_trace *trace, double value, bool is_still,
                       bool anew) {
    uint64_t now_us = now_of(hands);
    if (!trace->is_known || anew) {
        *trace = (hands_trace){.from = anew ? value : 0, /* a key that is new was up */
                               .is_known = true,
                               .direction = -1};
        trace->most = trace->now = trace->from;
    }
    if (!is_still)
        trace->still_us = now_us;
    if (fabs(value - trace->from) >= MOVED && trace->since_us == 0)
        trace->since_us = now_us ? now_us : 1;
    bool is_farther = fabs(value - trace->from) > fabs(trace->most - trace->from);
    if (is_farther)
        trace->most = value;
    trace->now = value;
    return is_farther;
}

/* Whether a rate is that of a gyro that is listened to. */
static bool is_heard(const hands *hands, const char *unit) {
    return hands->hears_turning && unit && strcmp(unit, "deg/s") == 0;
}

static void follow(hands *hands, bool anew) {
    const watching *watching = &hands->watching;
    for (unsigned i = 0; i < watching->device_count; i++)
        for (unsigned k = 0; k < watching->devices[i].panel.count; k++) {
            const panel_control *control = &watching->devices[i].panel.controls[k];
            hands_trace *trace = trace_of(hands, i, k);
            double value = value_of(control);
            bool is_rate = control->meaning.kind == YT_RATE;
            bool is_still = is_rate ? fabs(value) <= STILL_TURN : value == trace->now;
            if (is_rate && !is_heard(hands, control->meaning.unit))
                continue;
            if (anew)
                trace->turned = 0;
            if (is_rate)
                value = turned(hands, trace, value);
            if (follow_one(hands, trace, value, is_still, anew) && control->meaning.is_hat)
                trace->direction = raw_direction(&control->meaning, control->value);
        }
}

/* How far it moved, as a share of its way; 0: not enough, or it is not clear yet. */
static double moved_by(const hands *hands, uint8_t kind, bool is_switch, const hands_trace *trace) {
    uint64_t now_us = now_of(hands);
    double effect = fabs(trace->most - trace->from);
    bool is_back = kind != YT_MOTION && fabs(trace->now - trace->from) < MOVED / 2;
    bool is_still = now_us >= trace->still_us + (is_switch ? HELD_US : CLEAR_US);
    if (trace->since_us == 0 || !(is_back || is_still))
        return 0;
    return effect > 2 ? 2 : effect;
}

/* ---- an adapter ---- */

/* The control of an input by the name that an adapter's profile has for it, where this profile has
 * it, too. */
static bool adapter_meaning(const hands *hands, size_t i, yt_control_meaning *meaning) {
    const named_value *shown = &hands->adapter->shown[i];
    size_t front = strcspn(shown->name, ".");
    if (shown->is_output || shown->name[front] != '.')
        return false;
    for (unsigned k = 0; k < hands->compiled->input_count; k++) {
        const yt_profile_input *input = &hands->compiled->inputs[k];
        const char *name = shown->name + front + 1;
        if (strncmp(input->name, shown->name, front) == 0 && input->name[front] == 0)
            return input_control_find(input, name, strlen(name), false, meaning);
    }
    return false;
}

static double adapter_number(const hands *hands, size_t i) {
    double value = (double)adapter_value(hands->adapter, i) / YT_ONE;
    return hands->adapter->shown[i].kind == YT_SWITCH ? value != 0 : value;
}

static void follow_adapter(hands *hands, bool anew) {
    for (size_t i = 0; i < hands->adapter->count; i++) {
        yt_control_meaning meaning;
        hands_trace *trace = &hands->traces[i];
        bool is_rate = hands->adapter->shown[i].kind == YT_RATE;
        double value = adapter_number(hands, i);
        bool is_still = is_rate ? fabs(value) <= STILL_TURN : value == trace->now;
        if (!adapter_meaning(hands, i, &meaning) || (is_rate && !is_heard(hands, meaning.unit)))
            continue;
        if (anew)
            trace->turned = 0;
        if (is_rate)
            value = turned(hands, trace, value);
        follow_one(hands, trace, value, is_still, anew);
    }
}

/* Asks the adapter, where it was not asked a moment ago. */
static void advance_adapter(hands *hands, uint64_t by_us) {
    hands->time_us += by_us;
    if (hands->is_gone || hands->time_us < hands->asked_us + ASKED_US)
        return;
    hands->passed_us = hands->time_us - hands->asked_us;
    hands->asked_us = hands->time_us;
    listening listening;
    begin_listening(&listening);
    hands->is_gone = !adapter_values_read(hands->adapter);
    bool is_other = !hands->is_gone && hands->adapter->other_runs;
    if (is_other) {
        holder *holder = hands->adapter->holder;
        adapter_values_end(hands->adapter);
        hands->is_gone =
            !adapter_values_begin(hands->adapter, holder) || !adapter_values_read(hands->adapter);
        memset(hands->traces, 0, ADAPTER_SHOWN * sizeof *hands->traces);
    }
    end_listening(&listening, hands->said, sizeof hands->said);
    if (!hands->is_gone)
        follow_adapter(hands, is_other);
}

static bool adapter_moved(const hands *hands, hands_move *move) {
    double most = 0;
    for (size_t i = 0; i < hands->adapter->count; i++) {
        const named_value *shown = &hands->adapter->shown[i];
        const hands_trace *trace = &hands->traces[i];
        yt_control_meaning meaning;
        double by = moved_by(hands, shown->kind, shown->kind == YT_SWITCH, trace);
        bool is_more = by > most || (by == most && trace->since_us > move->since_us);
        if (by <= 0 || !is_more || !adapter_meaning(hands, i, &meaning))
            continue;
        most = by;
        *move = (hands_move){.kind = (yt_kind)shown->kind,
                             .from = trace->from,
                             .to = trace->most,
                             .since_us = trace->since_us};
        snprintf(move->name, sizeof move->name, "%s", shown->name);
    }
    return most > 0;
}

static unsigned adapter_held(const hands *hands, const hands_move *but, char names[][HANDS_NAME],
                             unsigned most) {
    unsigned count = 0;
    for (size_t i = 0; i < hands->adapter->count && count < most; i++) {
        const named_value *shown = &hands->adapter->shown[i];
        const hands_trace *trace = &hands->traces[i];
        yt_control_meaning meaning;
        bool was_on = trace->from != 0 || (trace->since_us && trace->since_us < but->since_us);
        if (shown->kind == YT_SWITCH && was_on && adapter_meaning(hands, i, &meaning) &&
            strcmp(shown->name, but->name) != 0)
            snprintf(names[count++], HANDS_NAME, "%s", shown->name);
    }
    return count;
}

static bool adapter_pressed(const hands *hands, unsigned *control, char *text, size_t size) {
    for (; *control < hands->adapter->count; (*control)++) {
        const named_value *shown = &hands->adapter->shown[*control];
        double value = adapter_number(hands, *control);
        if (shown->is_output || shown->kind == YT_RATE || fabs(value) <= 0.02)
            continue;
        if (shown->kind == YT_SWITCH)
            snprintf(text, size, "%s", shown->name);
        else
            snprintf(text, size, "%s %.0f%%", shown->name, 100 * value);
        return true;
    }
    return false;
}

/* The value of that name, with something behind it. */
static bool adapter_named(const hands *hands, bool is_output, const char *name, const char *end,
                          double *value, uint8_t *kind) {
    size_t length = strlen(name);
    for (size_t i = 0; i < hands->adapter->count; i++) {
        const named_value *shown = &hands->adapter->shown[i];
        if (shown->is_output != is_output || strncmp(shown->name, name, length) != 0 ||
            strcmp(shown->name + length, end) != 0)
            continue;
        *value = adapter_number(hands, i);
        *kind = shown->kind;
        return true;
    }
    return false;
}

static bool adapter_output(const hands *hands, const char *name, char *text, size_t size,
                           bool *is_on) {
    double value, along;
    uint8_t kind;
    *is_on = false;
    if (adapter_named(hands, true, name, ".x", &value, &kind) &&
        adapter_named(hands, true, name, ".y", &along, &kind)) {
        *is_on = fabs(value) > 0.005 || fabs(along) > 0.005;
        snprintf(text, size, "%.0f%% %.0f%%", 100 * value, 100 * along);
        return true;
    }
    if (!adapter_named(hands, true, name, "", &value, &kind))
        return false;
    *is_on = fabs(value) > 0.005;
    if (kind == YT_SWITCH)
        snprintf(text, size, "%s", *is_on ? "on" : "");
    else
        snprintf(text, size, "%.0f%%", 100 * value);
    return true;
}

/* ---- begun and ended ---- */

static void take_traces(hands *hands) {
    hands->traces = calloc(WATCH_DEVICES * PANEL_CONTROLS, sizeof *hands->traces);
    if (!hands->traces)
        abort();
}

bool hands_begin_adapter(hands *hands, const yt_compiled *compiled, holder *holder) {
    hands->compiled = compiled;
    hands->adapter = calloc(1, sizeof *hands->adapter);
    if (!hands->adapter)
        abort();
    take_traces(hands);
    if (!adapter_values_begin(hands->adapter, holder) || !adapter_values_read(hands->adapter)) {
        hands_end(hands);
        return false;
    }
    follow_adapter(hands, true);
    return true;
}

bool hands_begin(hands *hands, const yt_compiled *compiled) {
    hands->watching.options = &hands->options;
    hands->watching.compiled = compiled;
    take_traces(hands);
    if (!watching_begin(&hands->watching))
        return false;
    follow(hands, true);
    return true;
}

void hands_end(hands *hands) {
    if (hands->adapter)
        adapter_values_end(hands->adapter);
    else
        watching_end(&hands->watching);
    free(hands->adapter);
    free(hands->traces);
    hands->adapter = NULL;
    hands->traces = NULL;
}

bool hands_take(hands *hands, const yt_compiled *compiled) {
    hands->compiled = compiled;
    return hands->adapter || watching_take(&hands->watching, compiled);
}

void hands_advance(hands *hands, uint64_t by_us) {
    if (hands->adapter) {
        advance_adapter(hands, by_us);
        return;
    }
    uint64_t until_us = hands->time_us + by_us;
    while (hands->time_us < until_us) {
        uint64_t left_us = until_us - hands->time_us;
        uint64_t step_us = hands->each_step ? NOTED_US : STEP_US;
        hands->passed_us = left_us < step_us ? left_us : step_us;
        hands->time_us += hands->passed_us;
        watching_advance(&hands->watching, hands->time_us);
        follow(hands, false);
        if (hands->each_step)
            hands->each_step(hands->context);
    }
}

/* The name of a device's control as the profile has it; false: no input has it. */
static bool full_name(const hands *hands, unsigned device, const panel_control *control,
                      int direction, char *text) {
    static const char *const directions[] = {"up", "right", "down", "left"};
    const watching *watching = &hands->watching;
    const watched *at = &watching->devices[device];
    if (at->number >= YT_DEVICES)
        return false;
    uint32_t inputs = yt_engine_inputs_of(&watching->engine, at->number);
    for (unsigned i = 0; i < watching->compiled->input_count; i++) {
        const yt_profile_input *input = &watching->compiled->inputs[i];
        yt_control_meaning meaning;
        char name[HANDS_NAME];
        if (!(inputs >> i & 1))
            continue;
        snprintf(name, sizeof name, control->meaning.is_hat ? "%s.%s" : "%s", control->name,
                 directions[direction < 0 ? 0 : direction / 2 % 4]);
        if (!input_control_find(input, name, strlen(name), false, &meaning))
            continue;
        snprintf(text, HANDS_NAME, "%s.%s", input->name, name);
        return true;
    }
    return false;
}

bool hands_name(const hands *hands, unsigned device, unsigned control, char *text) {
    const panel_control *at = &hands->watching.devices[device].panel.controls[control];
    bool is_there = full_name(hands, device, at, 0, text);
    if (is_there && at->meaning.is_hat)
        *strrchr(text, '.') = 0;
    return is_there;
}

bool hands_has_more(const hands *hands) {
    return hands->adapter ? !hands->is_gone
                          : hands->watching.device_count > 0 && !hands->watching.ended;
}

bool hands_are_live(const hands *hands) {
    return hands->adapter || watching_is_live(&hands->watching);
}

unsigned hands_devices(const hands *hands) {
    return hands->adapter ? 1 : hands->watching.device_count;
}

void hands_listen(hands *hands, bool turning) {
    hands->hears_turning = turning;
    hands->passed_us = 0;
    if (hands->adapter)
        follow_adapter(hands, true);
    else
        follow(hands, true);
}

bool hands_moved(const hands *hands, hands_move *move) {
    *move = (hands_move){.since_us = 0};
    if (hands->adapter)
        return adapter_moved(hands, move);
    const watching *watching = &hands->watching;
    double most = 0;
    for (unsigned i = 0; i < watching->device_count; i++)
        for (unsigned k = 0; k < watching->devices[i].panel.count; k++) {
            const panel_control *control = &watching->devices[i].panel.controls[k];
            const hands_trace *trace = trace_of(hands, i, k);
            double by = moved_by(hands, control->meaning.kind, control->is_switch, trace);
            hands_move found = {.kind = control->meaning.is_hat ? YT_SWITCH
                                        : control->is_switch    ? YT_SWITCH
                                                                : (yt_kind)control->meaning.kind,
                                .from = trace->from,
                                .to = trace->most,
                                .since_us = trace->since_us};
            bool is_more = by > most || (by == most && found.since_us > move->since_us);
            if (by > 0 && is_more && full_name(hands, i, control, trace->direction, found.name)) {
                most = by;
                *move = found;
            }
        }
    return most > 0;
}

unsigned hands_held(const hands *hands, const hands_move *but, char names[][HANDS_NAME],
                    unsigned most) {
    if (hands->adapter)
        return adapter_held(hands, but, names, most);
    const watching *watching = &hands->watching;
    unsigned count = 0;
    for (unsigned i = 0; i < watching->device_count; i++)
        for (unsigned k = 0; k < watching->devices[i].panel.count && count < most; k++) {
            const panel_control *control = &watching->devices[i].panel.controls[k];
            const hands_trace *trace = trace_of(hands, i, k);
            bool was_on = trace->from != 0 || (trace->since_us && trace->since_us < but->since_us);
            if (control->is_switch && was_on && full_name(hands, i, control, -1, names[count]) &&
                strcmp(names[count], but->name) != 0)
                count++;
        }
    return count;
}

bool hands_pressed(const hands *hands, unsigned device, unsigned *control, char *text,
                   size_t size) {
    if (hands->adapter)
        return adapter_pressed(hands, control, text, size);
    const panel *panel = &hands->watching.devices[device].panel;
    for (; *control < panel->count; (*control)++) {
        const panel_control *at = &panel->controls[*control];
        double value = at->meaning.kind == YT_MOTION ? at->per_second : value_of(at);
        char name[HANDS_NAME];
        bool is_on = at->is_switch || at->meaning.is_hat ? value != 0
                     : at->meaning.kind == YT_RATE       ? false
                                                         : fabs(value) > 0.02;
        if (!is_on || !full_name(hands, device, at, raw_direction(&at->meaning, at->value), name))
            continue;
        if (at->is_switch || at->meaning.is_hat)
            snprintf(text, size, "%s", name);
        else
            snprintf(text, size, at->meaning.kind == YT_MOTION ? "%s %.0f /s" : "%s %.0f%%", name,
                     at->meaning.kind == YT_MOTION ? value : 100 * value);
        return true;
    }
    return false;
}

bool hands_input(const hands *hands, const char *name, double *value) {
    size_t length = strlen(name);
    uint8_t kind;
    if (hands->adapter)
        return adapter_named(hands, false, name, "", value, &kind) ||
               adapter_named(hands, false, name, ".x", value, &kind);
    for (unsigned i = 0; i < hands->watching.device_count; i++)
        for (unsigned k = 0; k < hands->watching.devices[i].panel.count; k++) {
            const panel_control *at = &hands->watching.devices[i].panel.controls[k];
            char full[HANDS_NAME];
            if (at->meaning.is_hat || !full_name(hands, i, at, -1, full) ||
                strncmp(full, name, length) != 0 ||
                (full[length] != 0 && strcmp(full + length, ".x") != 0))
                continue;
            *value = value_of(at);
            return true;
        }
    return false;
}

static const panel_control *output_named(const hands *hands, const char *name, const char *end) {
    const panel *panel = &hands->watching.hosts_panel;
    size_t length = strlen(name);
    for (unsigned i = 0; i < panel->count; i++)
        if (strncmp(panel->controls[i].name, name, length) == 0 &&
            strcmp(panel->controls[i].name + length, end) == 0)
            return &panel->controls[i];
    return NULL;
}

bool hands_output(const hands *hands, const char *name, char *text, size_t size, bool *is_on) {
    if (hands->adapter)
        return adapter_output(hands, name, text, size, is_on);
    const panel_control *control = output_named(hands, name, "");
    const panel_control *x = output_named(hands, name, ".x"), *y = output_named(hands, name, ".y");
    *is_on = false;
    if (!control && x && y && x->meaning.kind == YT_AXIS) {
        double across = raw_value(&x->meaning, x->value), along = raw_value(&y->meaning, y->value);
        *is_on = fabs(across) > 0.005 || fabs(along) > 0.005;
        snprintf(text, size, "%.0f%% %.0f%%", 100 * across, 100 * along);
        return true;
    }
    if (!control)
        return false;
    if (control->is_switch) {
        *is_on = control->value != 0;
        snprintf(text, size, "%s", *is_on ? "on" : "");
        return true;
    }
    if (control->meaning.kind == YT_MOTION) {
        *is_on = control->per_second > 0.5 || control->per_second < -0.5;
        snprintf(text, size, "%.0f /s", control->per_second);
        return true;
    }
    if (control->meaning.is_hat)
        return false;
    double value = raw_value(&control->meaning, control->value);
    *is_on = fabs(value) > 0.005;
    snprintf(text, size, "%.0f%%", 100 * value);
    return true;
}
