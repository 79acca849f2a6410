#include "compiler/copy.h"

#include <string.h>

#include "compiler/naming.h"

/* One `OUTPUT: INPUT` line at work. */
typedef struct copying {
    sheet *sheet;
    scope *scope;
    const part *entry;
    const profile_input *input;
    const profile_output *output;
    unsigned cells; /* that it made, or that the sheet had */
} copying;

static void copy_back(copying *copying, const char *name, unsigned kind) {
    pool *pool = copying->scope->pool;
    control_meaning meaning;
    if (!is_drivable(copying->input, name, &meaning) || meaning.name.kind != kind)
        return;
    copying->cells++;
    sheet_copy(copying->sheet, copying->entry,
               pool_print(pool, "%s.%s", copying->input->name, name),
               pool_print(pool, "%s.%s", copying->output->name, name));
}

/* A control of the output, by its name: the input's of that name drives it, where it has one of the
 * same type; a light or a motor goes the other way. */
static void copy_name(copying *copying, const char *name) {
    pool *pool = copying->scope->pool;
    size_t length = strlen(name);
    control_name named;
    output_control control;
    control_meaning meaning;
    if (!control_named(copying->output->kind, name, length, &named) ||
        !output_control_find(copying->output, &named, &control))
        return;
    if (control.from_host) {
        copy_back(copying, name, control.kind);
        return;
    }
    if (!input_control_find(copying->input, name, length, false, &meaning) ||
        meaning.name.kind != control.kind)
        return;
    copying->cells++;
    sheet_copy(copying->sheet, copying->entry,
               pool_print(pool, "%s.%s", copying->output->name, name),
               pool_print(pool, "%s.%s", copying->input->name, name));
}

/* How often a usage stands in the output's fields before element `index` of field `number`. */
static unsigned occurrence_of(const profile_output *output, unsigned number, unsigned index) {
    const yt_hid_field *field = &output->fields[number].field;
    uint16_t usage = yt_hid_usage(field, index);
    unsigned before = 0;
    for (unsigned i = 0; i <= number; i++) {
        const yt_hid_field *other = &output->fields[i].field;
        unsigned count = i == number ? index : other->count;
        if (other->usage_page != field->usage_page || other->direction != field->direction ||
            ((other->flags ^ field->flags) & (YT_HID_VARIABLE | YT_HID_RELATIVE)))
            continue;
        for (unsigned k = 0; k < count; k++)
            before += yt_hid_usage(other, k) == usage;
    }
    return before;
}

static void copy_usage(copying *copying, const yt_hid_field *field, uint16_t usage,
                       unsigned occurrence) {
    static const char *const directions[] = {"up", "right", "down", "left"};
    pool *pool = copying->scope->pool;
    char name[USAGE_NAME_BYTES];
    field_place place = {.page = field->usage_page,
                         .usage = usage,
                         .occurrence = occurrence,
                         .is_relative = field->flags & YT_HID_RELATIVE};
    name_output_place(copying->output, &place, name, sizeof name);
    if (field->usage_page == PAGE_DESKTOP && usage == 0x39)
        for (unsigned i = 0; i < 4; i++)
            copy_name(copying, pool_print(pool, "%s.%s", name, directions[i]));
    else
        copy_name(copying, pool_print(pool, "%s", name));
}

/* The usages that a list of what is pressed can hold: those that have names, as all would be a
 * thousand. */
static void copy_list(copying *copying, const yt_hid_field *field) {
    char name[USAGE_NAME_BYTES];
    for (unsigned usage = field->usage_first; usage <= field->usage_last; usage++)
        if (control_name_of(copying->output->kind, field->usage_page, (uint16_t)usage, false, name))
            copy_usage(copying, field, (uint16_t)usage, 0);
}

static void copy_fields(copying *copying) {
    const profile_output *output = copying->output;
    for (unsigned i = 0; i < output->field_count; i++) {
        const yt_hid_field *field = &output->fields[i].field;
        if (field->flags & YT_HID_CONSTANT)
            continue;
        if (field->flags & YT_HID_VARIABLE)
            for (unsigned k = 0; k < field->count; k++)
                copy_usage(copying, field, yt_hid_usage(field, k), occurrence_of(output, i, k));
        else
            copy_list(copying, field);
    }
}

/* Says that there is no input or output of that name, and which one was meant. */
static void unknown(messages *messages, const part *name, const char *what,
                    const char *const *names, size_t count) {
    const char *near = nearest_name(name->text, name->bytes, names, count);
    messages_add(messages, name->place, "there is no %s \"%.60s\" to copy%s%s%s%s", what,
                 name->text, *what == 'o' ? " to" : " from", near ? "; did you mean \"" : "",
                 near ? near : "", near ? "\"?" : "");
}

static const profile_output *output_named(const scope *scope, const part *name) {
    const char *names[PROFILE_OUTPUTS];
    for (unsigned i = 0; i < scope->output_count; i++) {
        names[i] = scope->outputs[i].name;
        if (strcmp(names[i], name->text) == 0)
            return &scope->outputs[i];
    }
    unknown(scope->messages, name, "output", names, scope->output_count);
    return NULL;
}

static const profile_input *input_named(const scope *scope, const part *name) {
    const char *names[PROFILE_INPUTS];
    for (unsigned i = 0; i < scope->input_count; i++) {
        names[i] = scope->inputs[i].name;
        if (strcmp(names[i], name->text) == 0)
            return &scope->inputs[i];
    }
    unknown(scope->messages, name, "input", names, scope->input_count);
    return NULL;
}

static void read_copy(sheet *sheet, scope *scope, const part *key) {
    const part *from = key->next;
    messages *messages = scope->messages;
    if (!check_kind(messages, from, PART_TEXT, "a copy is OUTPUT: INPUT, as in: pad: hand"))
        return;
    copying copying = {sheet, scope, from, input_named(scope, from), output_named(scope, key), 0};
    if (!copying.output || !copying.input || copying.input->is_broken ||
        copying.output->field_count == 0)
        return;
    copy_fields(&copying);
    if (copying.cells == 0)
        messages_add(messages, from->place,
                     "nothing of %s (a %s) has the name of a control of %s (a %s)",
                     copying.input->name, copying.input->kind->name, copying.output->name,
                     copying.output->kind->name);
}

void read_copies(sheet *sheet, scope *scope, const part *copies) {
    if (!check_kind(scope->messages, copies, PART_MAP,
                    "copy: holds a line for each output, as in: pad: hand"))
        return;
    for (const part *key = copies->first; key; key = key->next->next)
        read_copy(sheet, scope, key);
}
