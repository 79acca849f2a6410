#include "compiler/compile.h"

#include <ctype.h>
#include <stdlib.h>
#include <string.h>

#define NAME_BYTES 60

typedef struct compiling {
    scope scope;
    build build;
    messages *messages;
    pool *pool;
    const char *name;
    part **cells; /* the key of each output control's cell, to find a control driven twice */
} compiling;

static const char *const top_keys[] = {"yonder", "name", "inputs", "outputs", "sheet"};
static const char *const later_keys[] = {"parameters", "named",  "copy",
                                         "layers",     "macros", "tests"};

static bool is_among(const char *text, const char *const *list, size_t count) {
    for (size_t i = 0; i < count; i++)
        if (strcmp(text, list[i]) == 0)
            return true;
    return false;
}

static void unknown_key(messages *messages, const part *key, const char *const *known,
                        size_t count) {
    const char *near = nearest_name(key->text, key->bytes, known, count);
    char list[128] = "";
    for (size_t i = 0; i < count; i++) {
        strcat(list, i ? ", " : "");
        strcat(list, known[i]);
    }
    if (near)
        messages_add(messages, key->place, "there is no key \"%.40s\" here; did you mean \"%s\"?",
                     key->text, near);
    else
        messages_add(messages, key->place, "there is no key \"%.40s\" here; there are: %s",
                     key->text, list);
}

/* The value of a key in a map; NULL if it is not there. */
static part *find(const part *map, const char *name) {
    for (part *key = map->first; key; key = key->next->next)
        if (strcmp(key->text, name) == 0)
            return key->next;
    return NULL;
}

static bool check_kind(messages *messages, const part *part, part_kind kind, const char *what) {
    if (part->kind == kind)
        return true;
    messages_add(messages, part->place, "%s", what);
    return false;
}

static void check_top(const compiling *compiling, const part *top) {
    size_t known = sizeof top_keys / sizeof top_keys[0];
    size_t later = sizeof later_keys / sizeof later_keys[0];
    for (const part *key = top->first; key; key = key->next->next) {
        if (is_among(key->text, top_keys, known))
            continue;
        if (is_among(key->text, later_keys, later))
            messages_add(compiling->messages, key->place,
                         "\"%s\" is not known to this version of yonder yet", key->text);
        else
            unknown_key(compiling->messages, key, top_keys, known);
    }
    const part *version = find(top, "yonder");
    if (!version)
        messages_add(compiling->messages, top->place, "a profile begins with the line: yonder: 1");
    else if (version->kind != PART_TEXT || strcmp(version->text, "1") != 0)
        messages_add(compiling->messages, version->place,
                     "this version of yonder reads profiles of version 1; write: yonder: 1");
}

static bool is_good_name(const char *name, size_t bytes) {
    static const char *const taken[] = {"and", "or", "not", "none", "below", "adapter"};
    if (bytes == 0 || bytes > NAME_BYTES || !(islower((unsigned char)name[0]) || name[0] == '_'))
        return false;
    for (size_t i = 0; i < bytes; i++)
        if (!islower((unsigned char)name[i]) && !isdigit((unsigned char)name[i]) && name[i] != '_')
            return false;
    return !is_among(name, taken, sizeof taken / sizeof taken[0]);
}

/* Inputs and outputs share their names, as formulas know them by nothing else. */
static bool check_name(const compiling *compiling, const part *key) {
    if (!is_good_name(key->text, key->bytes)) {
        messages_add(compiling->messages, key->place,
                     "\"%.40s\" cannot be a name; names are a to z, 0 to 9 and _, begin with a "
                     "letter, and are not a word of the language",
                     key->text);
        return false;
    }
    for (unsigned i = 0; i < compiling->scope.input_count; i++)
        if (strcmp(compiling->scope.inputs[i].name, key->text) == 0) {
            messages_add(compiling->messages, key->place, "\"%s\" is the name of an input already",
                         key->text);
            return false;
        }
    return true;
}

static const input_kind *read_input_kind(const compiling *compiling, const part *part) {
    const input_kind *kind = part->kind == PART_TEXT ? input_kind_named(part->text) : NULL;
    if (kind)
        return kind;
    const char *names[16];
    for (size_t i = 0; i < input_kind_count; i++)
        names[i] = input_kinds[i].name;
    const char *near = part->kind == PART_TEXT
                           ? nearest_name(part->text, part->bytes, names, input_kind_count)
                           : NULL;
    if (near)
        messages_add(compiling->messages, part->place,
                     "there is no kind of input \"%.40s\"; did you mean \"%s\"?", part->text, near);
    else
        messages_add(compiling->messages, part->place,
                     "an input is a kind of device: keyboard, mouse or tablet");
    return NULL;
}

static bool read_id(const compiling *compiling, const part *part, uint16_t *id) {
    char *end = NULL;
    unsigned long number = part->kind == PART_TEXT && isdigit((unsigned char)part->text[0])
                               ? strtoul(part->text, &end, 0)
                               : 0;
    if (end && *end == 0 && number > 0 && number <= UINT16_MAX) {
        *id = (uint16_t)number;
        return true;
    }
    messages_add(compiling->messages, part->place,
                 "a USB ID is a number from 1 to 0xffff, such as 0x1209");
    return false;
}

static const input_kind *read_input_map(const compiling *compiling, const part *map,
                                        yt_program_input *record) {
    static const char *const keys[] = {"kind", "vendor", "product"};
    const input_kind *kind = NULL;
    for (const part *key = map->first; key; key = key->next->next) {
        if (strcmp(key->text, "kind") == 0)
            kind = read_input_kind(compiling, key->next);
        else if (strcmp(key->text, "vendor") == 0)
            read_id(compiling, key->next, &record->vendor);
        else if (strcmp(key->text, "product") == 0)
            read_id(compiling, key->next, &record->product);
        else
            unknown_key(compiling->messages, key, keys, 3);
    }
    if (!find(map, "kind"))
        messages_add(compiling->messages, map->place,
                     "an input needs a kind, as in {kind: mouse, vendor: 0x1209}");
    return kind;
}

static void read_input(compiling *compiling, const part *key) {
    build *build = &compiling->build;
    scope *scope = &compiling->scope;
    yt_program_input record = {0};
    if (scope->input_count == PROFILE_INPUTS) {
        messages_add(compiling->messages, key->place, "a profile has at most %d inputs",
                     PROFILE_INPUTS);
        return;
    }
    const input_kind *kind = key->next->kind == PART_MAP
                                 ? read_input_map(compiling, key->next, &record)
                                 : read_input_kind(compiling, key->next);
    if (!check_name(compiling, key))
        return;
    if (!kind) /* so that its name is known, and only one error told */
        kind = &input_kinds[0];
    record.application_page = kind->application_page;
    record.application_usage = kind->application_usage;
    record.needs_page = kind->needs_page;
    record.needs_usage = kind->needs_usage;
    record.needs = kind->needs;
    build->inputs[build->input_count++] = record;
    scope->inputs[scope->input_count++] = (profile_input){key->text, kind};
}

static void read_output(compiling *compiling, const part *key) {
    build *build = &compiling->build;
    scope *scope = &compiling->scope;
    if (scope->output_count == PROFILE_OUTPUTS) {
        messages_add(compiling->messages, key->place, "a profile has at most %d outputs",
                     PROFILE_OUTPUTS);
        return;
    }
    const part *value = key->next;
    unsigned kind = value->kind == PART_TEXT ? output_kind_named(value->text) : 0;
    if (kind == 0)
        messages_add(compiling->messages, value->place, "an output is one of: gamepad, mouse");
    if (!check_name(compiling, key))
        return;
    kind = kind ? kind : YT_GAMEPAD;
    build->outputs[build->output_count++] = (yt_program_output){.kind = (uint8_t)kind};
    scope->outputs[scope->output_count++] = (profile_output){key->text, kind};
}

static void read_devices(compiling *compiling, const part *top) {
    const part *inputs = find(top, "inputs"), *outputs = find(top, "outputs");
    if (!inputs)
        messages_add(compiling->messages, top->place,
                     "a profile needs inputs: with a line for each, as in: keys: keyboard");
    else if (check_kind(compiling->messages, inputs, PART_MAP,
                        "inputs: holds a line for each input, as in: keys: keyboard"))
        for (const part *key = inputs->first; key; key = key->next->next)
            read_input(compiling, key);
    if (!outputs)
        messages_add(compiling->messages, top->place,
                     "a profile needs outputs: with a line for each, as in: pad: gamepad");
    else if (check_kind(compiling->messages, outputs, PART_MAP,
                        "outputs: holds a line for each output, as in: pad: gamepad"))
        for (const part *key = outputs->first; key; key = key->next->next)
            read_output(compiling, key);
}

static void read_name(compiling *compiling, const part *top) {
    const part *name = find(top, "name");
    compiling->name = "";
    if (!name || !check_kind(compiling->messages, name, PART_TEXT, "the name is a text"))
        return;
    if (name->bytes > NAME_BYTES)
        messages_add(compiling->messages, name->place, "the name is longer than %d bytes",
                     NAME_BYTES);
    compiling->name = name->text;
}

/* The cell's output controls: one, or two for a stick or a motion. */
typedef struct target {
    unsigned output;
    value_type type;
    unsigned controls[2];
    unsigned count;
} target;

static value_type type_of_kind(yt_kind kind) {
    static const value_type types[] = {VALUE_SWITCH, VALUE_LEVEL, VALUE_AXIS, VALUE_MOTION};
    return types[kind];
}

static bool find_pair(compiling *compiling, unsigned kind, const char *name, target *target) {
    int x = output_control_named(kind, pool_print(compiling->pool, "%s.x", name), strlen(name) + 2);
    int y = output_control_named(kind, pool_print(compiling->pool, "%s.y", name), strlen(name) + 2);
    if (x < 0 || y < 0)
        return false;
    yt_kind part = yt_output_layout_of(kind)->controls[x].kind;
    target->type = part == YT_MOTION ? VALUE_MOTION_PAIR : VALUE_STICK;
    target->controls[0] = (unsigned)x;
    target->controls[1] = (unsigned)y;
    target->count = 2;
    return true;
}

static bool unknown_target(compiling *compiling, const part *key, unsigned output,
                           const char *name) {
    const profile_output *at = &compiling->scope.outputs[output];
    const char *names[128];
    size_t count = 0;
    for (unsigned i = 0; i < yt_output_layout_of(at->kind)->control_count; i++)
        names[count++] = output_control_name(at->kind, i);
    if (at->kind == YT_GAMEPAD) {
        names[count++] = "left_stick";
        names[count++] = "right_stick";
    } else {
        names[count++] = "motion";
    }
    const char *near = nearest_name(name, strlen(name), names, count);
    if (near)
        messages_add(compiling->messages, key->place,
                     "%s (a %s) has no control \"%.40s\"; did you mean \"%s.%s\"?", at->name,
                     output_kind_name(at->kind), name, at->name, near);
    else
        messages_add(compiling->messages, key->place,
                     "%s (a %s) has no control \"%.40s\"; it has, for example, %s.%s", at->name,
                     output_kind_name(at->kind), name, at->name, names[0]);
    return false;
}

static bool find_target(compiling *compiling, const part *key, target *target) {
    const scope *scope = &compiling->scope;
    const char *dot = strchr(key->text, '.');
    size_t length = dot ? (size_t)(dot - key->text) : key->bytes;
    for (unsigned i = 0; i < scope->output_count; i++) {
        const profile_output *output = &scope->outputs[i];
        if (strlen(output->name) != length || memcmp(output->name, key->text, length) != 0)
            continue;
        target->output = i;
        if (!dot)
            return unknown_target(compiling, key, i, "");
        int control = output_control_named(output->kind, dot + 1, strlen(dot + 1));
        if (control < 0)
            return find_pair(compiling, output->kind, dot + 1, target) ||
                   unknown_target(compiling, key, i, dot + 1);
        target->type = type_of_kind(yt_output_layout_of(output->kind)->controls[control].kind);
        target->controls[0] = (unsigned)control;
        target->count = 1;
        return true;
    }
    for (unsigned i = 0; i < scope->input_count; i++)
        if (strlen(scope->inputs[i].name) == length &&
            memcmp(scope->inputs[i].name, key->text, length) == 0) {
            messages_add(compiling->messages, key->place,
                         "%s is an input; a cell's name is a control of an output",
                         scope->inputs[i].name);
            return false;
        }
    place place = key->place;
    place.width = (int)(length < 60 ? length : 60);
    lower_unknown_name(&compiling->scope, place, key->text, length);
    return false;
}

/* A stick and one of its axes are the same control too. */
static bool claim(compiling *compiling, const part *key, const target *target) {
    for (unsigned k = 0; k < target->count; k++) {
        part **cell = &compiling->cells[target->output * 256 + target->controls[k]];
        if (*cell) {
            messages_add(compiling->messages, key->place,
                         "%s is driven twice; the other cell is \"%s\" in line %d", key->text,
                         (*cell)->text, (*cell)->place.line);
            return false;
        }
        *cell = (part *)key;
    }
    return true;
}

static void read_cell(compiling *compiling, const part *key) {
    target target = {0};
    const part *cell = key->next;
    if (!find_target(compiling, key, &target) || !claim(compiling, key, &target))
        return;
    if (!check_kind(compiling->messages, cell, PART_TEXT,
                    "a cell is a formula, not a map or a list"))
        return;
    if (strcmp(cell->text, "none") == 0)
        return;
    const term *term = formula_parse(compiling->pool, compiling->messages, cell);
    if (!term)
        return;
    value value = lower_cell(&compiling->scope, cell, term, target.type, key->text);
    if (value.type == VALUE_NOTHING)
        return;
    build_add_root(&compiling->build, target.output, target.controls[0], value.node);
    if (target.count == 2)
        build_add_root(&compiling->build, target.output, target.controls[1], value.second);
}

static void read_sheet(compiling *compiling, const part *top) {
    const part *sheet = find(top, "sheet");
    if (!sheet) {
        messages_add(compiling->messages, top->place,
                     "a profile needs a sheet: with a line for each output control that is driven, "
                     "as in: pad.south: keys.space");
        return;
    }
    if (!check_kind(compiling->messages, sheet, PART_MAP,
                    "the sheet holds a line for each cell, as in: pad.south: keys.space"))
        return;
    for (const part *key = sheet->first; key; key = key->next->next)
        read_cell(compiling, key);
}

static void append_name(char *text, unsigned *bytes, const char *name, uint16_t *offset,
                        uint8_t *length) {
    *offset = (uint16_t)*bytes;
    *length = (uint8_t)strlen(name);
    memcpy(text + *bytes, name, *length);
    *bytes += *length;
}

static void collect_names(compiling *compiling) {
    build *build = &compiling->build;
    char *text = pool_take(compiling->pool, (2 + PROFILE_INPUTS + PROFILE_OUTPUTS) * NAME_BYTES);
    uint16_t start;
    uint8_t length;
    append_name(text, &build->text_bytes, compiling->name, &start, &length);
    build->name_bytes = length;
    for (unsigned i = 0; i < build->input_count; i++)
        append_name(text, &build->text_bytes, compiling->scope.inputs[i].name,
                    &build->inputs[i].name_offset, &build->inputs[i].name_bytes);
    for (unsigned i = 0; i < build->output_count; i++)
        append_name(text, &build->text_bytes, compiling->scope.outputs[i].name,
                    &build->outputs[i].name_offset, &build->outputs[i].name_bytes);
    build->text = text;
}

static const char **control_names(const compiling *compiling) {
    const build *build = &compiling->build;
    const char **names = pool_take(compiling->pool, (build->control_count + 1) * sizeof *names);
    for (unsigned i = 0; i < build->control_count; i++) {
        const yt_program_control *control = &build->controls[i];
        const char *name =
            input_control_name(control->page, control->usage, control->kind == YT_MOTION);
        names[i] = pool_print(compiling->pool, "%s.%s",
                              compiling->scope.inputs[control->input].name, name);
    }
    return names;
}

static bool make_image(compiling *compiling, compiled *compiled) {
    yt_program program;
    collect_names(compiling);
    compiled->image = build_image(&compiling->build, &compiled->size);
    if (!compiled->image) {
        messages_add(compiling->messages, (place){0, 0, 1},
                     "the program would be longer than %u bytes", YT_PROGRAM_BYTES);
        return false;
    }
    yt_status status = yt_program_check(&program, compiled->image, compiled->size);
    if (status != YT_OK)
        messages_add(compiling->messages, (place){0, 0, 1},
                     "the compiler made a program that its own check refuses (%d); please report "
                     "this profile",
                     status);
    return status == YT_OK;
}

static void read_profile(compiling *compiling, compiled *compiled) {
    messages *messages = compiling->messages;
    part *top = document_read(compiling->pool, messages);
    if (messages->count > 0)
        return;
    if (!top || top->kind != PART_MAP) {
        messages_add(messages, top ? top->place : (place){0, 0, 1},
                     "a profile is a list of keys, the first of them: yonder: 1");
        return;
    }
    check_top(compiling, top);
    read_name(compiling, top);
    read_devices(compiling, top);
    read_sheet(compiling, top);
    if (messages->count > 0 || !make_image(compiling, compiled))
        return;
    compiled->name = compiling->name;
    memcpy(compiled->inputs, compiling->scope.inputs, sizeof compiled->inputs);
    memcpy(compiled->outputs, compiling->scope.outputs, sizeof compiled->outputs);
    compiled->input_count = compiling->scope.input_count;
    compiled->output_count = compiling->scope.output_count;
    compiled->controls = control_names(compiling);
    compiled->control_count = compiling->build.control_count;
    compiled->node_count = compiling->build.node_count;
}

bool compile_profile(compiled *compiled, messages *messages) {
    memset(compiled, 0, sizeof *compiled);
    pool *pool = &compiled->pool;
    compiling *compiling = pool_take(pool, sizeof *compiling);
    compiling->messages = messages;
    compiling->pool = pool;
    compiling->build.pool = pool;
    compiling->build.inputs = pool_take(pool, PROFILE_INPUTS * sizeof(yt_program_input));
    compiling->build.outputs = pool_take(pool, PROFILE_OUTPUTS * sizeof(yt_program_output));
    compiling->cells = pool_take(pool, PROFILE_OUTPUTS * 256 * sizeof(part *));
    compiling->scope.pool = pool;
    compiling->scope.messages = messages;
    compiling->scope.build = &compiling->build;
    read_profile(compiling, compiled);
    if (messages->count > 0) {
        pool_free(pool);
        return false;
    }
    return true;
}
