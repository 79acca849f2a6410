#include "tool/assign/witness.h"

#include <math.h>
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>

#define REST_US 60000 /* a stick or a trigger that does not move for so long is noted */
#define MOVED   0.01  /* by so much */
#define CAME    0.006 /* what tests take for another value */
#define LINE    1500

/* A line that is put together: items of several kinds, of each a list. */
typedef struct line {
    char lists[3][LINE];
} line;

enum { LIST_ON, LIST_OFF, LIST_VALUE };

__attribute__((format(printf, 3, 4))) static void add(line *line, unsigned list, const char *format,
                                                      ...) {
    char *text = line->lists[list];
    size_t used = strlen(text);
    va_list arguments;
    used += (size_t)snprintf(text + used, LINE - used, "%s", used ? ", " : "");
    va_start(arguments, format);
    if (used < LINE)
        vsnprintf(text + used, LINE - used, format, arguments);
    va_end(arguments);
}

/* Writes it behind a text, as "- {at: 20 ms, press: [...], …}". Nothing where it is empty. */
static bool write_line(char *text, uint64_t at_us, const line *line, const char *const *words) {
    static const char *const open[] = {"[", "[", "{"}, *const close[] = {"]", "]", "}"};
    size_t used = strlen(text);
    char whole[3 * LINE + 100];
    size_t size = (size_t)snprintf(whole, sizeof whole, "  - {at: %llu ms",
                                   (unsigned long long)(at_us + 500) / 1000);
    bool is_any = false;
    for (unsigned i = 0; i < 3; i++)
        if (*line->lists[i]) {
            size += (size_t)snprintf(whole + size, sizeof whole - size, ", %s: %s%s%s", words[i],
                                     open[i], line->lists[i], close[i]);
            is_any = true;
        }
    if (!is_any)
        return true;
    if (used + size + 3 > WITNESS_BYTES)
        return false;
    snprintf(text + used, WITNESS_BYTES - used, "%s}\n", whole);
    return true;
}

/* ---- what comes out ---- */

static double output_of(const panel_control *control) {
    if (control->meaning.is_hat)
        return raw_direction(&control->meaning, control->value);
    return control->is_switch ? control->value != 0 : raw_value(&control->meaning, control->value);
}

/* A hat's four directions. */
static void add_hat(line *line, const char *name, int before, int now) {
    static const char *const sides[] = {"up", "right", "down", "left"};
    for (int i = 0; i < 4; i++) {
        bool was = before >= 0 && ((before + 9 - 2 * i) % 8 < 3);
        bool is = now >= 0 && ((now + 9 - 2 * i) % 8 < 3);
        if (was != is)
            add(line, is ? LIST_ON : LIST_OFF, "%s.%s", name, sides[i]);
    }
}

static void expect(witness *witness) {
    static const char *const words[] = {"pressed", "released", "value"};
    const panel *panel = &witness->hands->watching.hosts_panel;
    static line line;
    memset(&line, 0, sizeof line);
    for (unsigned i = 0; i < panel->count; i++) {
        const panel_control *control = &panel->controls[i];
        double was = witness->outputs[i], is = witness->now[i];
        if (control->meaning.kind == YT_MOTION || fabs(is - was) < CAME)
            continue;
        if (control->meaning.is_hat)
            add_hat(&line, control->name, (int)was, (int)is);
        else if (control->is_switch)
            add(&line, is != 0 ? LIST_ON : LIST_OFF, "%s", control->name);
        else
            add(&line, LIST_VALUE, "%s: %.1f%%", control->name, 100 * is);
        witness->outputs[i] = is;
    }
    if (!write_line(witness->came, witness->last_us - witness->begin_us, &line, words))
        witness->is_full = true;
}

static void look_at_outputs(witness *witness) {
    const panel *panel = &witness->hands->watching.hosts_panel;
    for (unsigned i = 0; i < panel->count; i++)
        witness->now[i] = output_of(&panel->controls[i]);
}

/* ---- what is done ---- */

static void add_input(witness *witness, line *line, unsigned device, unsigned control,
                      uint64_t now_us) {
    const panel_control *at = &witness->hands->watching.devices[device].panel.controls[control];
    unsigned place = device * PANEL_CONTROLS + control;
    bool is_switch = at->is_switch || at->meaning.is_hat;
    char name[HANDS_NAME];
    double value = at->meaning.is_hat ? raw_direction(&at->meaning, at->value)
                                      : raw_value(&at->meaning, at->value);
    if (at->meaning.kind == YT_RATE)
        return;
    if (at->meaning.kind == YT_MOTION) {
        witness->has_motion |= witness->events > 0 && (double)at->sum != witness->latest[place];
        witness->latest[place] = (double)at->sum;
        return;
    }
    if (at->changed_us == 0)
        return; /* nobody knows yet where it is */
    if (value != witness->latest[place])
        witness->still[place] = now_us;
    witness->latest[place] = value;
    double was = witness->inputs[place];
    if (is_switch ? value == was : fabs(value - was) < MOVED)
        return;
    if (!is_switch && now_us < witness->still[place] + REST_US) {
        witness->is_moving = true;
        return;
    }
    if (at->meaning.is_hat) {
        if (hands_name(witness->hands, device, control, name))
            add_hat(line, name, (int)was, (int)value);
    } else if (hands_name(witness->hands, device, control, name)) {
        if (is_switch)
            add(line, value != 0 ? LIST_ON : LIST_OFF, "%s", name);
        else
            add(line, LIST_VALUE, "%s: %.1f%%", name, 100 * value);
    }
    witness->inputs[place] = value;
}

static void each_step(void *context) {
    static const char *const words[] = {"press", "release", "set"};
    witness *witness = context;
    const watching *watching = &witness->hands->watching;
    static line line;
    memset(&line, 0, sizeof line);
    witness->is_moving = false;
    for (unsigned i = 0; i < watching->device_count; i++)
        for (unsigned k = 0; k < watching->devices[i].panel.count; k++)
            add_input(witness, &line, i, k, watching->now_us);
    bool is_event = *line.lists[LIST_ON] || *line.lists[LIST_OFF] || *line.lists[LIST_VALUE];
    if (!is_event && witness->is_moving)
        return; /* what comes out belongs to what is not noted yet */
    if (!is_event) {
        witness->last_us = watching->now_us;
        look_at_outputs(witness);
        return;
    }
    if (witness->events == WITNESS_EVENTS) {
        witness->is_full = true;
        return;
    }
    if (witness->events++ == 0)
        witness->begin_us = watching->now_us;
    else if (witness->last_us > witness->event_us)
        expect(witness);
    witness->event_us = watching->now_us;
    if (!write_line(witness->did, watching->now_us - witness->begin_us, &line, words))
        witness->is_full = true;
}

/* ---- all of it ---- */

void witness_begin(witness *witness, hands *hands) {
    const watching *watching = &hands->watching;
    size_t count = WATCH_DEVICES * PANEL_CONTROLS;
    memset(witness, 0, sizeof *witness);
    witness->hands = hands;
    witness->inputs = calloc(count, sizeof(double));
    witness->latest = calloc(count, sizeof(double));
    witness->still = calloc(count, sizeof(uint64_t));
    if (!witness->inputs || !witness->latest || !witness->still)
        abort();
    for (unsigned i = 0; i < watching->device_count; i++)
        for (unsigned k = 0; k < watching->devices[i].panel.count; k++) {
            const panel_control *at = &watching->devices[i].panel.controls[k];
            unsigned place = i * PANEL_CONTROLS + k;
            witness->latest[place] = at->meaning.kind == YT_MOTION ? (double)at->sum
                                     : at->meaning.is_hat ? raw_direction(&at->meaning, at->value)
                                                          : raw_value(&at->meaning, at->value);
            witness->inputs[place] =
                at->meaning.is_hat || at->is_switch ? witness->latest[place] : 0;
        }
    look_at_outputs(witness);
    for (unsigned i = 0; i < watching->hosts_panel.count; i++)
        if (watching->hosts_panel.controls[i].meaning.is_hat)
            witness->outputs[i] = -1;
    witness->last_us = watching->now_us;
    hands->each_step = each_step;
    hands->context = witness;
}

void witness_drop(witness *witness) {
    if (!witness->hands)
        return;
    witness->hands->each_step = NULL;
    free(witness->inputs);
    free(witness->latest);
    free(witness->still);
    witness->hands = NULL;
}

bool witness_end(witness *witness, char *text) {
    if (witness->last_us > witness->event_us && witness->events > 0)
        expect(witness);
    witness_drop(witness);
    sprintf(text, "do:\n%sexpect:\n%s", witness->did, witness->came);
    return *witness->did && *witness->came;
}
