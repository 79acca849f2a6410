#include "compiler/profile/rebinds.h"

#include <string.h>

#include "compiler/building/operations.h"
#include "compiler/formulas/naming.h"
#include "compiler/reading/keys.h"
#include "yonder/rebind.h"

/* ---- the lines ---- */

static void add_name(yt_scope *scope, yt_rebind_line *line, const char *name) {
    line->names =
        pool_grow(scope->pool, line->names, line->count, &line->room, sizeof *line->names);
    line->names[line->count++] = (yt_rebind_name){name, line->entry_count - 1};
}

static bool is_choice_kind(unsigned kind) {
    return kind == YT_SWITCH || kind == YT_LEVEL || kind == YT_AXIS;
}

static void add_named(yt_scope *scope, yt_rebind_line *line, const yt_profile_input *input,
                      const char *name) {
    yt_control_meaning meaning;
    if (input_control_find(input, name, strlen(name), false, &meaning) &&
        is_choice_kind(meaning.name.kind))
        add_name(scope, line, pool_print(scope->pool, "%s.%s", input->name, name));
}

/* All controls of an input that are known: those of its description, and what its kind has. A
 * description of what is just some device has all of it. */
static void add_all(yt_scope *scope, yt_rebind_line *line, const yt_profile_input *input) {
    static const char *const directions[] = {"up", "right", "down", "left"};
    const yt_description *description = input->description;
    const char *names[512];
    for (unsigned i = 0; description && i < description->control_count; i++) {
        const yt_described_control *control = &description->controls[i];
        for (unsigned k = 0; control->is_hat && k < 4; k++)
            add_named(scope, line, input,
                      pool_print(scope->pool, "%s.%s", control->name, directions[k]));
        if (!control->is_target && !control->is_hat)
            add_named(scope, line, input, control->name);
    }
    bool is_whole = description && input->kind == device_kind_named("device");
    size_t count = is_whole ? 0 : control_names(input->kind, names, 512);
    for (size_t i = 0; i < count; i++)
        if (control_is_usual(input->kind, names[i]))
            add_named(scope, line, input, names[i]);
}

static const yt_profile_input *input_of(yt_scope *scope, const char *name, size_t length) {
    for (unsigned i = 0; i < scope->devices->input_count; i++)
        if (is_name(scope->devices->inputs[i].name, name, length))
            return &scope->devices->inputs[i];
    return NULL;
}

static bool is_output(yt_scope *scope, const char *name, size_t length) {
    for (unsigned i = 0; i < scope->devices->output_count; i++)
        if (is_name(scope->devices->outputs[i].name, name, length))
            return true;
    return false;
}

/* A control of an input, or both directions of a stick. */
static void add_control(yt_scope *scope, yt_rebind_line *line, const yt_profile_input *input,
                        const yt_part *part, const char *control) {
    yt_control_meaning meaning;
    const char *across = pool_print(scope->pool, "%s.x", control);
    const char *along = pool_print(scope->pool, "%s.y", control);
    bool is_pair = input_control_find(input, across, strlen(across), false, &meaning) &&
                   input_control_find(input, along, strlen(along), false, &meaning);
    if (is_pair && meaning.name.kind == YT_AXIS) {
        add_named(scope, line, input, across);
        add_named(scope, line, input, along);
    } else if (!is_pair && !input_control_find(input, control, strlen(control), false, &meaning)) {
        unknown_control(scope, part->place, input, control, strlen(control), false);
    } else if (is_choice_kind(meaning.name.kind)) {
        add_name(scope, line, part->text);
    } else {
        messages_add(scope->messages, part->place,
                     "%.60s is no switch, level, axis or stick: nothing else can be chosen on the "
                     "adapter",
                     part->text);
    }
}

/* An input, or one of its controls. */
static void read_one(yt_scope *scope, yt_rebind_line *line, const yt_part *part) {
    yt_messages *messages = scope->messages;
    if (!check_kind(messages, part, PART_TEXT,
                    "what may drive it is an input, or a control of one, as in: [desk, keys.a]"))
        return;
    size_t front = strcspn(part->text, ".");
    const yt_profile_input *input = input_of(scope, part->text, front);
    if (!input && is_output(scope, part->text, front))
        messages_add(messages, part->place,
                     "%.*s is an output; what may drive it is an input, or a control of one",
                     (int)front, part->text);
    else if (!input)
        unknown_name(scope, part->place, part->text, front, false);
    if (!input)
        return;
    line->entries = pool_grow(scope->pool, line->entries, line->entry_count, &line->entry_room,
                              sizeof *line->entries);
    line->entries[line->entry_count++] = (yt_rebind_entry){.part = part};
    unsigned before = line->count;
    if (part->text[front])
        add_control(scope, line, input, part, part->text + front + 1);
    else
        add_all(scope, line, input);
    if (!part->text[front] && line->count == before)
        messages_add(messages, part->place,
                     "of %.60s no control is known that can be chosen on the adapter; name those "
                     "that are wanted, or describe the device",
                     part->text);
}

static void read_line(yt_scope *scope, const yt_part *key) {
    struct yt_rebinds *rebinds = scope->rebinds;
    unsigned output = 0;
    while (output < scope->devices->output_count &&
           strcmp(scope->devices->outputs[output].name, key->text) != 0)
        output++;
    if (output == scope->devices->output_count) {
        unknown_name(scope, key->place, key->text, key->bytes, false);
        return;
    }
    yt_rebind_line *line = &rebinds->lines[rebinds->line_count++];
    *line = (yt_rebind_line){.key = key, .output = output};
    const yt_part *value = key->next;
    if (value->kind != PART_LIST)
        read_one(scope, line, value);
    else if (!value->first)
        messages_add(scope->messages, value->place,
                     "what may drive %.60s? An empty list is nothing", key->text);
    for (const yt_part *at = value->kind == PART_LIST ? value->first : NULL; at; at = at->next)
        read_one(scope, line, at);
}

void read_rebinds(yt_scope *scope, const yt_part *map) {
    static const char form[] = "rebind: says for each output what may drive it on the adapter, as "
                               "in: {pad: [desk]}";
    if (!check_kind(scope->messages, map, PART_MAP, form))
        return;
    if (!map->first)
        messages_add(scope->messages, map->place, form);
    for (const yt_part *key = map->first; key; key = key->next->next)
        read_line(scope, key);
}

/* ---- choices ---- */

static yt_formula_type type_of_kind(unsigned kind) {
    return kind == YT_SWITCH ? VALUE_SWITCH : kind == YT_LEVEL ? VALUE_LEVEL : VALUE_AXIS;
}

/* A control by its name, as a cell of the sheet would have it. False: it is of another kind. */
static bool lower_choice(yt_scope *scope, const yt_part *place, const char *name, unsigned kind,
                         yt_rebind_choice *choice) {
    yt_control_meaning meaning;
    size_t front = strcspn(name, ".");
    const yt_profile_input *input = input_of(scope, name, front);
    if (!input_control_find(input, name + front + 1, strlen(name + front + 1), false, &meaning) ||
        meaning.name.kind != kind)
        return false;
    yt_part *part = pool_take(scope->pool, sizeof *part);
    *part = *place;
    part->kind = PART_TEXT;
    part->first = part->next = NULL;
    part->text = name;
    part->bytes = strlen(name);
    yt_cell cell = {.part = part, .wanted = type_of_kind(kind), .what = name};
    cell.no_below = "`below` is no control";
    const yt_term *term = formula_parse(scope->pool, scope->messages, part);
    unsigned terms = scope->terms->count; /* nobody wrote this one: there is nothing to explain */
    yt_value value = term ? lower_cell(scope, &cell, term) : (yt_value){.type = VALUE_NOTHING};
    scope->terms->count = terms;
    if (value.type != type_of_kind(kind) || !value.is_control)
        return false;
    *choice = (yt_rebind_choice){name, value.node, value.control, (uint8_t)kind};
    return true;
}

/* The place of a choice in the table; one that is there already, or a new one. */
static bool add_choice(yt_scope *scope, yt_rebind_choice choice, unsigned *node) {
    struct yt_rebinds *rebinds = scope->rebinds;
    *node = choice.node;
    for (unsigned i = 0; i < rebinds->choice_count; i++)
        if (rebinds->choices[i].node == choice.node && rebinds->choices[i].kind == choice.kind)
            return true;
    if (rebinds->choice_count == REBIND_CHOICES)
        return false;
    rebinds->choices[rebinds->choice_count++] = choice;
    return true;
}

static const char *stick_of(yt_scope *scope, const char *name) {
    size_t length = strlen(name);
    return length > 2 && strcmp(name + length - 2, ".x") == 0
               ? pool_print(scope->pool, "%.*s", (int)length - 2, name)
               : NULL;
}

/* Of a stick both directions, one behind the other; false: it is no stick. */
static bool lower_stick(yt_scope *scope, const yt_part *place, const char *name,
                        yt_rebind_choice pair[2]) {
    const char *stick = stick_of(scope, name);
    if (!stick || !lower_choice(scope, place, name, YT_AXIS, &pair[0]))
        return false;
    const char *along = pool_print(scope->pool, "%s.y", stick);
    if (!lower_choice(scope, place, along, YT_AXIS, &pair[1]))
        return false;
    pair[0].name = pair[1].name = stick;
    pair[0].kind = YT_BINDING_STICK;
    pair[1].kind = YT_BINDING_STICK_Y;
    return true;
}

/* Behind what the cell is as it was written; a control may have several names. */
static bool is_there(const unsigned *nodes, unsigned count, unsigned node) {
    for (unsigned i = 1; i < count; i++)
        if (nodes[i] == node)
            return true;
    return false;
}

static bool say_too_many(yt_scope *scope, const yt_rebind_line *line, unsigned most,
                         const char *what) {
    messages_add(scope->messages, line->key->place,
                 "more than %u %s; name those that are wanted, as in: [keys.a, keys.b]", most,
                 what);
    return false;
}

/* The nodes of all choices of a line that are of a kind, into `nodes` from `count` on. False: there
 * are more than can be told, which is said. */
static bool collect(yt_scope *scope, yt_rebind_line *line, unsigned kind, unsigned *nodes,
                    unsigned *count) {
    for (unsigned i = 0; i < line->count; i++) {
        const char *name = line->names[i].name;
        yt_rebind_choice pair[2];
        bool is_pair = kind == YT_BINDING_STICK || kind == YT_BINDING_STICK_Y;
        unsigned side = kind == YT_BINDING_STICK_Y, node, other;
        if (is_pair ? !lower_stick(scope, line->key, name, pair)
                    : !lower_choice(scope, line->key, name, kind, &pair[0]))
            continue;
        line->entries[line->names[i].entry].is_offered = true;
        if (!add_choice(scope, pair[0], &node) || (is_pair && !add_choice(scope, pair[1], &other)))
            return say_too_many(scope, line, REBIND_CHOICES, "controls to choose from in all");
        nodes[*count] = is_pair && side ? other : node;
        *count += !is_there(nodes, *count, nodes[*count]);
        if (*count > BUILD_ARGUMENTS)
            return say_too_many(scope, line, BUILD_ARGUMENTS - 2,
                                "controls to choose from for a cell");
    }
    return true;
}

/* ---- cells ---- */

static unsigned kind_of_target(const yt_cell_target *target, unsigned k) {
    return target->type == VALUE_SWITCH  ? YT_SWITCH
           : target->type == VALUE_LEVEL ? YT_LEVEL
           : target->type == VALUE_AXIS  ? YT_AXIS
           : target->type == VALUE_STICK ? (k ? YT_BINDING_STICK_Y : YT_BINDING_STICK)
                                         : YT_KIND_COUNT;
}

bool is_rebound(const yt_scope *scope, const yt_profile_output *output) {
    for (unsigned i = 0; i < scope->rebinds->line_count; i++)
        if (&scope->devices->outputs[scope->rebinds->lines[i].output] == output)
            return true;
    return false;
}

/* Which line of `rebind:` a cell is of; NULL: of none. */
static yt_rebind_line *line_of(yt_scope *scope, const yt_part *key, const yt_cell_target *target) {
    struct yt_rebinds *rebinds = scope->rebinds;
    size_t front = strcspn(key->text, ".");
    if (target->is_device || target->is_action || kind_of_target(target, 0) == YT_KIND_COUNT ||
        scope->messages->count > 0)
        return NULL;
    for (unsigned i = 0; i < rebinds->line_count; i++)
        if (is_name(scope->devices->outputs[rebinds->lines[i].output].name, key->text, front))
            return &rebinds->lines[i];
    return NULL;
}

bool rebind_cell(yt_scope *scope, const yt_part *key, const yt_cell_target *target, unsigned k,
                 bool drives, unsigned *node) {
    struct yt_rebinds *rebinds = scope->rebinds;
    unsigned kind = kind_of_target(target, k), count = 1;
    yt_rebind_line *line = line_of(scope, key, target);
    unsigned arguments[BUILD_ARGUMENTS + 1];
    if (!line)
        return false;
    unsigned type = kind == YT_SWITCH ? YT_TYPE_SWITCH : YT_TYPE_NUMBER;
    rebinds->nothing = build_constant(scope->build, 0);
    arguments[0] = drives ? *node : rebinds->nothing;
    arguments[count++] = rebinds->nothing;
    if (!collect(scope, line, kind, arguments, &count))
        return false;
    if (rebinds->cell_count == REBIND_CELLS)
        return say_too_many(scope, line, REBIND_CELLS, "cells that can be rebound");
    const yt_profile_output *output = &scope->devices->outputs[line->output];
    *node = build_socket(scope->build, type, arguments, count);
    line->cells++;
    rebinds->cells[rebinds->cell_count++] =
        (yt_rebind_cell){.name = key->text,
                         .node = arguments[0],
                         .socket = *node,
                         .kind = (uint8_t)kind,
                         .number = (uint16_t)output_button(output, &target->controls[k])};
    return true;
}

void check_rebinds(yt_scope *scope) {
    struct yt_rebinds *rebinds = scope->rebinds;
    for (unsigned i = 0; i < rebinds->line_count && scope->messages->count == 0; i++) {
        const yt_rebind_line *line = &rebinds->lines[i];
        if (line->cells == 0)
            messages_add(scope->messages, line->key->place,
                         "no cell of %.60s can be rebound: the sheet has none for one of its "
                         "switches (without modifiers), levels, axes or sticks; `none` is enough",
                         line->key->text);
        for (unsigned k = 0; k < line->entry_count && line->cells > 0; k++)
            if (!line->entries[k].is_offered)
                messages_warn(scope->messages, line->entries[k].part->place,
                              "no cell of %.60s is of a kind that %.60s can drive, so it is not "
                              "offered on the adapter",
                              line->key->text, line->entries[k].part->text);
    }
}

/* ---- the table ---- */

static size_t text_bytes(const struct yt_rebinds *rebinds) {
    size_t bytes = 0;
    for (unsigned i = 0; i < rebinds->cell_count; i++)
        bytes += strlen(rebinds->cells[i].name);
    for (unsigned i = 0; i < rebinds->choice_count; i++)
        bytes += strlen(rebinds->choices[i].name);
    return bytes;
}

static void put_name(uint8_t *text, unsigned *at, const char *name, uint16_t *offset,
                     uint8_t *bytes) {
    *offset = (uint16_t)*at;
    *bytes = (uint8_t)strlen(name);
    memcpy(text + *at, name, *bytes);
    *at += *bytes;
}

static uint16_t value_of(const yt_build *build, unsigned node) {
    return build->nodes[build->numbers[node]].value;
}

const uint8_t *rebinds_append(const yt_scope *scope, const uint8_t *image, size_t *size) {
    const struct yt_rebinds *rebinds = scope->rebinds;
    const yt_build *build = scope->build;
    if (rebinds->cell_count == 0)
        return image;
    if (text_bytes(rebinds) > UINT16_MAX) {
        messages_add(scope->messages, rebinds->lines[0].key->place,
                     "the names of what can be rebound and chosen take %zu bytes, and %u at most "
                     "fit; take shorter names, or name fewer controls",
                     text_bytes(rebinds), UINT16_MAX);
        return image;
    }
    yt_bindings_header header = {.magic = YT_BINDINGS_MAGIC,
                                 .cell_count = (uint16_t)rebinds->cell_count,
                                 .choice_count = (uint16_t)(rebinds->choice_count + 1),
                                 .text_bytes = (uint16_t)text_bytes(rebinds)};
    size_t begin = (*size + 3) & ~(size_t)3, cells = header.cell_count * sizeof(yt_binding_cell);
    size_t choices = header.choice_count * sizeof(yt_binding_choice);
    header.bytes =
        (uint32_t)((sizeof header + cells + choices + header.text_bytes + 3) & ~(size_t)3);
    uint8_t *all = pool_take(scope->pool, begin + header.bytes), *table = all + begin;
    uint8_t *text = table + sizeof header + cells + choices;
    yt_binding_cell *cell = (yt_binding_cell *)(table + sizeof header);
    yt_binding_choice *choice = (yt_binding_choice *)(table + sizeof header + cells);
    unsigned at = 0;
    memcpy(all, image, *size);
    for (unsigned i = 0; i < rebinds->cell_count; i++, cell++) {
        const yt_rebind_cell *from = &rebinds->cells[i];
        int32_t socket = build->nodes[build->numbers[from->socket]].data;
        *cell = (yt_binding_cell){.step = (uint16_t)build->socket_steps[socket],
                                  .usual = value_of(build, from->node),
                                  .kind = from->kind,
                                  .number = from->number};
        put_name(text, &at, from->name, &cell->name_offset, &cell->name_bytes);
    }
    *choice++ =
        (yt_binding_choice){.value = value_of(build, rebinds->nothing), .control = YT_NO_CONTROL};
    for (unsigned i = 0; i < rebinds->choice_count; i++, choice++) {
        const yt_rebind_choice *from = &rebinds->choices[i];
        unsigned control = (unsigned)build->nodes[build->numbers[from->control]].data;
        *choice = (yt_binding_choice){
            .value = value_of(build, from->node), .control = (uint16_t)control, .kind = from->kind};
        put_name(text, &at, from->name, &choice->name_offset, &choice->name_bytes);
    }
    header.checksum = 0;
    memcpy(table, &header, sizeof header);
    header.checksum = yt_checksum(0, table + 12, header.bytes - 12);
    memcpy(table, &header, sizeof header);
    *size = begin + header.bytes;
    return all;
}
