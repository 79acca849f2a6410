#include "tool/assign/noting.h"

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
    if (used + size + 3 > NOTING_BYTES)
        return false;
    snprintf(text + used, NOTING_BYTES - used, "%s}\n", whole);
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

static void expect(noting *noting) {
    static const char *const words[] = {"pressed", "released", "value"};
    const panel *panel = &noting->hands->watching.hosts_panel;
    static line line;
    memset(&line, 0, sizeof line);
    for (unsigned i = 0; i < panel->count; i++) {
        const panel_control *control = &panel->controls[i];
        double was = noting->outputs[i], is = noting->now[i];
        if (control->meaning.kind == YT_MOTION || fabs(is - was) < CAME)
            continue;
        if (control->meaning.is_hat)
            add_hat(&line, control->name, (int)was, (int)is);
        else if (control->is_switch)
            add(&line, is != 0 ? LIST_ON : LIST_OFF, "%s", control->name);
        else
            add(&line, LIST_VALUE, "%s: %.1f%%", control->name, 100 * is);
        noting->outputs[i] = is;
    }
    if (!write_line(noting->came, noting->last_us - noting->begin_us, &line, words))
        noting->is_full = true;
}

static void look_at_outputs(noting *noting) {
    const panel *panel = &noting->hands->watching.hosts_panel;
    for (unsigned i = 0; i < panel->count; i++)
        noting->now[i] = output_of(&panel->controls[i]);
}

/* ---- what is done ---- */

static void add_input(noting *noting, line *line, unsigned device, unsigned control,
                      uint64_t now_us) {
    const panel_control *at = &noting->hands->watching.devices[device].panel.controls[control];
    unsigned place = device * PANEL_CONTROLS + control;
    bool is_switch = at->is_switch || at->meaning.is_hat;
    char name[HANDS_NAME];
    double value = at->meaning.is_hat ? raw_direction(&at->meaning, at->value)
                                      : raw_value(&at->meaning, at->value);
    if (at->meaning.kind == YT_RATE)
        return;
    if (at->meaning.kind == YT_MOTION) {
        noting->has_motion |= noting->events > 0 && (double)at->sum != noting->latest[place];
        noting->latest[place] = (double)at->sum;
        return;
    }
    if (value != noting->latest[place])
        noting->still[place] = now_us;
    noting->latest[place] = value;
    double was = noting->inputs[place];
    if (is_switch ? value == was
                  : fabs(value - was) < MOVED || now_us < noting->still[place] + REST_US)
        return;
    if (at->meaning.is_hat) {
        if (hands_name(noting->hands, device, control, name))
            add_hat(line, name, (int)was, (int)value);
    } else if (hands_name(noting->hands, device, control, name)) {
        if (is_switch)
            add(line, value != 0 ? LIST_ON : LIST_OFF, "%s", name);
        else
            add(line, LIST_VALUE, "%s: %.1f%%", name, 100 * value);
    }
    noting->inputs[place] = value;
}

static void each_step(void *context) {
    static const char *const words[] = {"press", "release", "set"};
    noting *noting = context;
    const watching *watching = &noting->hands->watching;
    static line line;
    memset(&line, 0, sizeof line);
    for (unsigned i = 0; i < watching->device_count; i++)
        for (unsigned k = 0; k < watching->devices[i].panel.count; k++)
            add_input(noting, &line, i, k, watching->now_us);
    bool is_event = *line.lists[LIST_ON] || *line.lists[LIST_OFF] || *line.lists[LIST_VALUE];
    if (!is_event) {
        noting->last_us = watching->now_us;
        look_at_outputs(noting);
        return;
    }
    if (noting->events == NOTING_EVENTS) {
        noting->is_full = true;
        return;
    }
    if (noting->events++ == 0)
        noting->begin_us = watching->now_us;
    else if (noting->last_us > noting->event_us)
        expect(noting);
    noting->event_us = watching->now_us;
    if (!write_line(noting->did, watching->now_us - noting->begin_us, &line, words))
        noting->is_full = true;
}

/* ---- all of it ---- */

void noting_begin(noting *noting, hands *hands) {
    const watching *watching = &hands->watching;
    size_t count = WATCH_DEVICES * PANEL_CONTROLS;
    memset(noting, 0, sizeof *noting);
    noting->hands = hands;
    noting->inputs = calloc(count, sizeof(double));
    noting->latest = calloc(count, sizeof(double));
    noting->still = calloc(count, sizeof(uint64_t));
    if (!noting->inputs || !noting->latest || !noting->still)
        abort();
    for (unsigned i = 0; i < watching->device_count; i++)
        for (unsigned k = 0; k < watching->devices[i].panel.count; k++) {
            const panel_control *at = &watching->devices[i].panel.controls[k];
            unsigned place = i * PANEL_CONTROLS + k;
            noting->latest[place] = at->meaning.kind == YT_MOTION ? (double)at->sum
                                    : at->meaning.is_hat ? raw_direction(&at->meaning, at->value)
                                                         : raw_value(&at->meaning, at->value);
            noting->inputs[place] = at->meaning.is_hat || at->is_switch ? noting->latest[place] : 0;
        }
    look_at_outputs(noting);
    for (unsigned i = 0; i < watching->hosts_panel.count; i++)
        if (watching->hosts_panel.controls[i].meaning.is_hat)
            noting->outputs[i] = -1;
    noting->last_us = watching->now_us;
    hands->each_step = each_step;
    hands->context = noting;
}

void noting_drop(noting *noting) {
    if (!noting->hands)
        return;
    noting->hands->each_step = NULL;
    free(noting->inputs);
    free(noting->latest);
    free(noting->still);
    noting->hands = NULL;
}

bool noting_end(noting *noting, char *text) {
    if (noting->last_us > noting->event_us && noting->events > 0)
        expect(noting);
    noting_drop(noting);
    sprintf(text, "do:\n%sexpect:\n%s", noting->did, noting->came);
    return *noting->did && *noting->came;
}
