#include "compiler/copy.h"

#include <string.h>

/* What a cell drives: one or two controls of an output, or a light or motor of a device. */
typedef struct target {
    value_type type;
    unsigned count;
    output_control controls[2];
    bool is_device;
    unsigned input;
    control_meaning device; /* of the light or motor */
} target;

/* Which cell drives what, to find a control that is driven twice. */
typedef struct claim {
    unsigned report; /* of a device: 256 and its input */
    unsigned bit, number, part;
    const part *key;
} claim;

struct sheet {
    scope *scope;
    claim *claims;
    unsigned count, room;
};

static bool find_control(const profile_output *output, const char *name, output_control *control) {
    control_name meaning;
    return control_named(output->kind, name, strlen(name), &meaning) &&
           output_control_find(output, &meaning, control) && !control->from_host;
}

static bool find_pair(const sheet *sheet, const profile_output *output, const char *name,
                      target *target) {
    pool *pool = sheet->scope->pool;
    if (strlen(name) > NAME_BYTES ||
        !find_control(output, pool_print(pool, "%s.x", name), &target->controls[0]) ||
        !find_control(output, pool_print(pool, "%s.y", name), &target->controls[1]))
        return false;
    target->type = target->controls[0].kind == YT_MOTION ? VALUE_MOTION_PAIR : VALUE_STICK;
    target->count = 2;
    return target->controls[0].kind == YT_MOTION || target->controls[0].kind == YT_AXIS;
}

/* The names of an output's own controls: those of its kind that its reports have. */
static size_t output_names(const sheet *sheet, const profile_output *output, const char **names,
                           size_t most) {
    const char *all[1024];
    size_t count = 0, known = control_names(output->kind, all, 1024);
    output_control control;
    static const char *const pairs[] = {"left_stick", "right_stick", "motion"};
    target target;
    for (size_t i = 0; i < 3 && count < most; i++)
        if (find_pair(sheet, output, pairs[i], &target))
            names[count++] = pairs[i];
    for (size_t i = 0; i < known && count < most; i++)
        if (find_control(output, all[i], &control))
            names[count++] = all[i];
    return count;
}

static bool unknown_target(const sheet *sheet, const part *key, const profile_output *output,
                           const char *name) {
    const char *names[512];
    size_t count = output_names(sheet, output, names, 512);
    const char *near = nearest_name(name, strlen(name), names, count);
    output_control control;
    control_name meaning;
    if (*name == 0)
        messages_add(sheet->scope->messages, key->place,
                     "%s is an output; say which control of it, as in %s.%s", output->name,
                     output->name, count ? names[0] : "");
    else if (control_named(output->kind, name, strlen(name), &meaning) &&
             output_control_find(output, &meaning, &control))
        messages_add(sheet->scope->messages, key->place,
                     "%s is what the host sends; it can be read in a formula, but has no cell",
                     key->text);
    else if (near)
        messages_add(sheet->scope->messages, key->place,
                     "%s (a %s) has no control \"%.40s\"; did you mean \"%s.%s\"?", output->name,
                     output->kind->name, name, output->name, near);
    else
        messages_add(sheet->scope->messages, key->place,
                     "%s (a %s) has no control \"%.40s\"; it has, for example, %s.%s", output->name,
                     output->kind->name, name, output->name, count ? names[0] : "");
    return false;
}

static bool find_output_target(const sheet *sheet, const part *key, const profile_output *output,
                               const char *name, target *target) {
    if (output->field_count == 0)
        return false; /* an error was told of it */
    if (!find_control(output, name, &target->controls[0]))
        return find_pair(sheet, output, name, target) || unknown_target(sheet, key, output, name);
    target->type = value_type_of(target->controls[0].kind);
    target->count = 1;
    return true;
}

/* A light or a motor: one that is described, or one by its usage. */
bool is_drivable(const profile_input *input, const char *name, control_meaning *meaning) {
    if (*name == 0 || !input_control_find(input, name, strlen(name), true, meaning))
        return false;
    bool is_light = meaning->name.page == PAGE_LIGHT;
    bool is_motor = meaning->name.page >= 0xff00 && meaning->name.kind == YT_LEVEL;
    return (meaning->has_place || is_light || is_motor) && !meaning->name.part;
}

static bool find_device_target(const sheet *sheet, const part *key, unsigned number,
                               const char *name, target *target) {
    const profile_input *input = &sheet->scope->inputs[number];
    size_t length = strlen(name);
    control_meaning *meaning = &target->device;
    target->is_device = true;
    target->input = number;
    target->count = 1;
    if (is_drivable(input, name, meaning)) {
        target->type = value_type_of(meaning->name.kind);
        return true;
    }
    control_meaning read;
    if (length == 0)
        messages_add(sheet->scope->messages, key->place,
                     "%s is an input; a cell's name is a control of an output, or a light or motor "
                     "of an input",
                     input->name);
    else if (!input->is_broken && input_control_find(input, name, length, false, &read))
        messages_add(sheet->scope->messages, key->place,
                     "%s is read from a device; only its lights and motors can be driven",
                     key->text);
    else
        lower_unknown_control(sheet->scope, key->place, input, name, length, true);
    return false;
}

static bool find_target(sheet *sheet, const part *key, target *target) {
    const scope *scope = sheet->scope;
    const char *dot = strchr(key->text, '.');
    size_t length = dot ? (size_t)(dot - key->text) : key->bytes;
    const char *name = dot ? dot + 1 : "";
    for (unsigned i = 0; i < scope->output_count; i++)
        if (strlen(scope->outputs[i].name) == length &&
            memcmp(scope->outputs[i].name, key->text, length) == 0)
            return find_output_target(sheet, key, &scope->outputs[i], name, target);
    for (unsigned i = 0; i < scope->input_count; i++)
        if (strlen(scope->inputs[i].name) == length &&
            memcmp(scope->inputs[i].name, key->text, length) == 0)
            return find_device_target(sheet, key, i, name, target);
    place place = key->place;
    place.width = (int)(length < 60 ? length : 60);
    lower_unknown_name(sheet->scope, place, key->text, length, false);
    return false;
}

static claim claim_of(const target *target, unsigned k, const part *key) {
    const output_control *control = &target->controls[k];
    const control_meaning *device = &target->device;
    if (!target->is_device)
        return (claim){control->report, control->root.bit,
                       control->root.kind < YT_ROOT_AXIS ? control->root.number : 0,
                       control->root.kind == YT_ROOT_HAT ? control->root.part : 0, key};
    bool here = device->has_place && (device->place.flags & YT_PLACE_HERE);
    return (claim){256 + target->input, here ? device->place.bit : device->name.usage,
                   here ? device->place.report_id + 0x10000u : device->name.page,
                   device->name.occurrence, key};
}

static const claim *find_claim(const sheet *sheet, const claim *new) {
    for (unsigned i = 0; i < sheet->count; i++) {
        const claim *old = &sheet->claims[i];
        if (old->report == new->report && old->bit == new->bit && old->number == new->number &&
            old->part == new->part)
            return old;
    }
    return NULL;
}

static void add_claim(sheet *sheet, claim new) {
    if (sheet->count == sheet->room) {
        sheet->room = sheet->room ? 2 * sheet->room : 64;
        claim *larger = pool_take(sheet->scope->pool, sheet->room * sizeof *larger);
        if (sheet->count)
            memcpy(larger, sheet->claims, sheet->count * sizeof *larger);
        sheet->claims = larger;
    }
    sheet->claims[sheet->count++] = new;
}

/* A stick and one of its axes are the same control too. */
static bool claim_target(sheet *sheet, const part *key, const target *target) {
    for (unsigned k = 0; k < target->count; k++) {
        claim new = claim_of(target, k, key);
        const claim *old = find_claim(sheet, &new);
        if (old) {
            messages_add(sheet->scope->messages, key->place,
                         "%s is driven twice; the other cell is \"%s\" in line %d", key->text,
                         old->key->text, old->key->place.line);
            return false;
        }
        add_claim(sheet, new);
    }
    return true;
}

static void add_roots(sheet *sheet, const target *target, value value) {
    build *build = sheet->scope->build;
    if (target->is_device) {
        build_add_target(build, input_control_record(build, target->input, &target->device),
                         value.node);
        return;
    }
    for (unsigned k = 0; k < target->count; k++) {
        yt_program_root root = target->controls[k].root;
        if (root.kind >= YT_ROOT_AXIS)
            root.number = (uint16_t)build_range(build, target->controls[k].range);
        build_add_root(build, root, k ? value.second : value.node);
    }
}

static void add_cell(sheet *sheet, const part *key, const part *cell, const target *target) {
    scope *scope = sheet->scope;
    const term *term = formula_parse(scope->pool, scope->messages, cell);
    if (!term)
        return;
    value value = lower_cell(scope, cell, term, target->type, key->text);
    if (value.type != VALUE_NOTHING)
        add_roots(sheet, target, value);
}

static void read_cell(sheet *sheet, const part *key) {
    scope *scope = sheet->scope;
    target target = {0};
    const part *cell = key->next;
    if (!find_target(sheet, key, &target) || !claim_target(sheet, key, &target))
        return;
    if (!check_kind(scope->messages, cell, PART_TEXT, "a cell is a formula, not a map or a list"))
        return;
    if (strcmp(cell->text, "none") == 0)
        return;
    add_cell(sheet, key, cell, &target);
}

void sheet_copy(sheet *sheet, const part *copy, const char *control, const char *formula) {
    scope *scope = sheet->scope;
    part *key = pool_take(scope->pool, sizeof *key), *cell = pool_take(scope->pool, sizeof *cell);
    target target = {0};
    *key = *cell = *copy;
    key->text = control;
    key->bytes = strlen(control);
    cell->text = formula;
    cell->bytes = strlen(formula);
    if (!find_target(sheet, key, &target))
        return;
    claim new = claim_of(&target, 0, key);
    if (find_claim(sheet, &new))
        return;
    add_claim(sheet, new);
    add_cell(sheet, key, cell, &target);
}

void read_sheet(scope *scope, const part *top) {
    const part *cells = find_value(top, "sheet"), *copies = find_value(top, "copy");
    sheet sheet = {.scope = scope};
    if (!cells && !copies) {
        messages_add(scope->messages, top->place,
                     "a profile needs a sheet: with a line for each output control that is driven, "
                     "as in: pad.south: keys.space");
        return;
    }
    if (cells && !check_kind(scope->messages, cells, PART_MAP,
                             "the sheet holds a line for each cell, as in: pad.south: keys.space"))
        return;
    for (const part *key = cells ? cells->first : NULL; key; key = key->next->next)
        read_cell(&sheet, key);
    if (copies)
        read_copies(&sheet, scope, copies);
}
