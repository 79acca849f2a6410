#include "compiler/profile/copy.h"

#include <string.h>

#include "compiler/formulas/layers.h"
#include "compiler/formulas/naming.h"
#include "compiler/profile/rebinds.h"
#include "compiler/profile/targets.h"
#include "compiler/reading/keys.h"

/* One line of `copy:` at work: an output, and the inputs that go through to it. */
typedef struct yt_copying {
    yt_sheet *sheet;
    yt_scope *scope;
    const yt_part *entry;
    const yt_profile_input *inputs[PROFILE_INPUTS];
    bool gave[PROFILE_INPUTS]; /* it has a control of that name */
    unsigned count;
    const yt_profile_output *output;
    int layer;
    bool found; /* an input has the control that is looked for, be it copied or not */
    yt_copy_record *record;
} yt_copying;

/* What the host sends, to a light or a motor of an input. */
static void copy_back(yt_copying *copying, unsigned index, const char *name, unsigned kind) {
    yt_pool *pool = copying->scope->pool;
    const yt_profile_input *input = copying->inputs[index];
    yt_control_meaning meaning;
    if (!is_drivable(input, name, &meaning) || meaning.name.kind != kind)
        return;
    copying->gave[index] = true;
    sheet_copy(copying->sheet, copying->entry, copying->layer,
               pool_print(pool, "%s.%s", input->name, name),
               pool_print(pool, "%s.%s", copying->output->name, name));
}

/* Whether an input has a control of that name and kind that goes through; a layer's condition does
 * not. */
static bool goes_through(yt_copying *copying, unsigned index, const char *name, unsigned kind) {
    yt_scope *scope = copying->scope;
    const yt_profile_input *input = copying->inputs[index];
    yt_control_meaning meaning;
    if (!input_control_find(input, name, strlen(name), false, &meaning) ||
        (meaning.name.kind != kind && !(kind == YT_LEVEL && may_tell_depth(&meaning))))
        return false;
    copying->gave[index] = copying->found = true;
    yt_program_control record =
        input_control_record(scope->build, (unsigned)(input - scope->devices->inputs), &meaning);
    return !is_layer_condition(scope, &record);
}

/* Several inputs combine as several devices at one input do. */
static const char *joined(yt_pool *pool, const char *all, const char *one, unsigned kind) {
    static const char *const patterns[] = {"%s or %s", "max(%s, %s)", "farther(%s, %s)", "%s + %s"};
    const char *pattern = patterns[kind < YT_RATE ? kind : YT_MOTION];
    if (!all)
        return one;
    const char *comma = strstr(pattern, "%s");
    const char *behind = strstr(comma + 2, "%s");
    return pool_print(pool, "%.*s%s%.*s%s%s", (int)(comma - pattern), pattern, all,
                      (int)(behind - comma - 2), comma + 2, one, behind + 2);
}

/* The formula that copies a control, of all inputs that have it; NULL: none has. With `whole_stick`
 * the name ends in .x, and it is the whole stick's formula, where all have both directions. */
static const char *copied(yt_copying *copying, const char *name, unsigned kind, bool whole_stick) {
    yt_pool *pool = copying->scope->pool;
    size_t length = strlen(name) - (whole_stick ? 2 : 0);
    const char *formula = NULL;
    for (unsigned i = 0; i < copying->count; i++) {
        if (!goes_through(copying, i, name, kind))
            continue;
        const char *across = pool_print(pool, "%.*s.y", (int)length, name);
        if (whole_stick && !goes_through(copying, i, across, kind))
            return NULL;
        formula =
            joined(pool, formula,
                   pool_print(pool, "%s.%.*s", copying->inputs[i]->name, (int)length, name), kind);
    }
    return formula;
}

static bool ends_with(const char *name, const char *end) {
    size_t length = strlen(name), tail = strlen(end);
    return length > tail && strcmp(name + length - tail, end) == 0;
}

/* Several sticks go through as pairs, as far as no cell has a direction of it; so does one that may
 * be rebound, as a whole. */
static bool copy_stick(yt_copying *copying, const char *name, unsigned kind) {
    yt_pool *pool = copying->scope->pool;
    const char *formula = copied(copying, name, kind, true);
    const char *stick =
        pool_print(pool, "%s.%.*s", copying->output->name, (int)strlen(name) - 2, name);
    bool is_pair = formula && (strchr(formula, '(') || is_rebound(copying->scope, copying->output));
    if (!is_pair || sheet_drives(copying->sheet, copying->layer, stick))
        return false;
    sheet_copy(copying->sheet, copying->entry, copying->layer, stick, formula);
    return true;
}

/* A control of the output, by its name: the inputs' of that name drive it, where they have one of
 * the same type; a light or a motor goes the other way. */
static void copy_name(void *context, const char *name) {
    yt_copying *copying = context;
    yt_pool *pool = copying->scope->pool;
    yt_control_name named;
    yt_output_control control;
    if (!control_named(copying->output->kind, name, strlen(name), &named) ||
        !output_control_find(copying->output, &named, &control))
        return;
    if (control.from_host) {
        for (unsigned i = 0; i < copying->count; i++)
            copy_back(copying, i, name, control.kind);
        return;
    }
    copying->found = false;
    if (control.kind == YT_AXIS && ends_with(name, ".x") && copy_stick(copying, name, control.kind))
        return;
    const char *formula = copied(copying, name, control.kind, false);
    const char *full = pool_print(pool, "%s.%s", copying->output->name, name);
    yt_copy_record *record = copying->record;
    if (formula)
        sheet_copy(copying->sheet, copying->entry, copying->layer, full, formula);
    else if (!copying->found && record->lack_count < COPY_NAMES &&
             !sheet_drives(copying->sheet, copying->layer, full))
        record->lacks[record->lack_count++] = name;
}

/* Whether the output has a control of that name and type. */
static bool has_place(const yt_copying *copying, const char *name, unsigned kind) {
    yt_control_name named;
    yt_output_control control;
    return control_named(copying->output->kind, name, strlen(name), &named) &&
           output_control_find(copying->output, &named, &control) && !control.from_host &&
           (control.kind == kind || (control.kind == YT_LEVEL && kind == YT_SWITCH));
}

static void note_stay(yt_copying *copying, const yt_profile_input *input, const char *name) {
    yt_copy_record *record = copying->record;
    if (record->stay_count < COPY_NAMES)
        record->stays[record->stay_count++] =
            pool_print(copying->scope->pool, "%s.%s", input->name, name);
}

/* What an input is known to have, and the output has not. */
static void note_stays(yt_copying *copying, const yt_profile_input *input) {
    const yt_description *description = input->description;
    for (unsigned i = 0; description && i < description->control_count; i++) {
        const yt_described_control *control = &description->controls[i];
        const char *name = control->is_hat
                               ? pool_print(copying->scope->pool, "%s.up", control->name)
                               : control->name;
        if (!control->is_target && !has_place(copying, name, control->meaning.name.kind))
            note_stay(copying, input, control->name);
    }
}

/* Says that there is no input or output of that name, and which one was meant. */
static void unknown(yt_messages *messages, const yt_part *name, const char *what,
                    const char *const *names, size_t count) {
    const char *near = nearest_name(name->text, name->bytes, names, count);
    messages_add(messages, name->place, "there is no %s \"%.60s\" to copy%s%s%s%s", what,
                 name->text, *what == 'o' ? " to" : " from", near ? "; did you mean \"" : "",
                 near ? near : "", near ? "\"?" : "");
}

static const yt_profile_output *output_named(const yt_scope *scope, const yt_part *name) {
    const char *names[PROFILE_OUTPUTS];
    for (unsigned i = 0; i < scope->devices->output_count; i++) {
        names[i] = scope->devices->outputs[i].name;
        if (strcmp(names[i], name->text) == 0)
            return &scope->devices->outputs[i];
    }
    unknown(scope->messages, name, "output", names, scope->devices->output_count);
    return NULL;
}

static const yt_profile_input *input_named(const yt_scope *scope, const yt_part *name) {
    const char *names[PROFILE_INPUTS];
    for (unsigned i = 0; i < scope->devices->input_count; i++) {
        names[i] = scope->devices->inputs[i].name;
        if (strcmp(names[i], name->text) == 0)
            return &scope->devices->inputs[i];
    }
    unknown(scope->messages, name, "input", names, scope->devices->input_count);
    return NULL;
}

/* One of the inputs that are copied. */
static bool read_from(yt_copying *copying, const yt_part *from) {
    yt_messages *messages = copying->scope->messages;
    if (!check_kind(messages, from, PART_TEXT,
                    "a copy is OUTPUT: INPUT or OUTPUT: [INPUT, INPUT], as in: pad: hand"))
        return false;
    const yt_profile_input *input = input_named(copying->scope, from);
    for (unsigned i = 0; input && i < copying->count; i++)
        if (copying->inputs[i] == input) {
            messages_add(messages, from->place, "%s is copied here twice", from->text);
            return false;
        }
    if (input)
        copying->inputs[copying->count++] = input;
    return input && !input->is_broken;
}

static yt_copy_record *new_record(yt_scope *scope, int layer, const char *output) {
    struct yt_copy_records *records = scope->copies;
    records->all =
        pool_grow(scope->pool, records->all, records->count, &records->room, sizeof *records->all);
    yt_copy_record *record = &records->all[records->count++];
    *record = (yt_copy_record){.layer = layer, .output = output};
    return record;
}

static void read_copy(yt_sheet *sheet, yt_scope *scope, const yt_part *key, int layer) {
    const yt_part *from = key->next;
    yt_copying copying = {.sheet = sheet,
                          .scope = scope,
                          .entry = from,
                          .output = output_named(scope, key),
                          .layer = layer};
    bool good = copying.output && copying.output->field_count > 0;
    if (from->kind == PART_LIST)
        for (const yt_part *one = from->first; one; one = one->next)
            good = read_from(&copying, one) && good;
    else
        good = read_from(&copying, from) && good;
    if (!good)
        return;
    copying.record = new_record(scope, layer, copying.output->name);
    each_output_name(scope->pool, copying.output, copy_name, &copying);
    for (unsigned i = 0; i < copying.count; i++)
        note_stays(&copying, copying.inputs[i]);
    for (unsigned i = 0; i < copying.count; i++)
        if (!copying.gave[i])
            messages_add(scope->messages, from->place,
                         "nothing of %s (a %s) has the name of a control of %s (a %s)",
                         copying.inputs[i]->name, copying.inputs[i]->kind->name,
                         copying.output->name, copying.output->kind->name);
}

void read_copies(yt_sheet *sheet, yt_scope *scope, const yt_part *copies, int layer) {
    if (!check_kind(scope->messages, copies, PART_MAP,
                    "copy: holds a line for each output, as in: pad: hand"))
        return;
    for (const yt_part *key = copies->first; key; key = key->next->next)
        read_copy(sheet, scope, key, layer);
}
