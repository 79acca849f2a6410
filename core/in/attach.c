/* A device arrives: which input it is, and where it keeps the controls of the program. */
#include <string.h>

#include "engine/parts.h"
#include "in/search.h"

yt_attached *yt_attached_at(const yt_engine *engine, unsigned number) {
    if (number >= YT_DEVICES || engine->device_at[number] == 0)
        return NULL;
    return (yt_attached *)(engine->memory + engine->device_at[number]);
}

/* The parts of a block stand behind its head: scales (aligned for int64_t), bindings, reports. */
yt_scale *yt_attached_scales(yt_attached *device) {
    return (yt_scale *)(device + 1);
}

yt_binding *yt_attached_bindings(yt_attached *device) {
    return (yt_binding *)(yt_attached_scales(device) + device->scales);
}

yt_bound_report *yt_attached_reports(yt_attached *device) {
    return (yt_bound_report *)(yt_attached_bindings(device) + device->bindings);
}

yt_target *yt_attached_targets(yt_attached *device) {
    return (yt_target *)(yt_attached_reports(device) + device->reports);
}

/* The blocks end where the memory in use ends; a block that grows is the last one. */
static void *grow(yt_engine *engine, size_t bytes) {
    if (engine->size - engine->used < bytes)
        return NULL;
    void *grown = engine->memory + engine->used;
    memset(grown, 0, bytes);
    engine->used += bytes;
    return grown;
}

/* Whether the control stands in a hat of the device; it may be a button of its own instead. */
static bool is_hat(const yt_hid_field *field, const yt_program_control *control) {
    return control->part && field->bits > 1 && yt_hat_suits(field);
}

/* Whether the values of a control follow from a range. */
static bool is_scaled(const yt_hid_field *field, const yt_program_control *control) {
    if (control->kind == YT_SWITCH)
        return (field->flags & YT_HID_VARIABLE) && field->bits > 1 && !is_hat(field, control) &&
               field->maximum - field->minimum > 1;
    if (control->kind == YT_LEVEL) /* keys that tell no depth are as switches */
        return (field->flags & YT_HID_VARIABLE) && field->maximum - field->minimum > 1;
    return control->kind == YT_AXIS || control->kind == YT_RATE;
}

static void fill_binding(yt_binding *binding, const yt_hid_field *field, yt_sought sought,
                         const yt_program_control *control, bool is_signed) {
    binding->bits = (uint8_t)field->bits;
    binding->value = field->report_id << 8;
    binding->bit = field->bit;
    binding->flags = is_signed ? YT_BINDING_SIGNED : 0;
    if (!(field->flags & YT_HID_VARIABLE)) {
        binding->flags |= YT_BINDING_ARRAY;
        if (field->usage_page == PAGE_KEYBOARD && field->number_first == field->usage_first)
            binding->flags |= YT_BINDING_KEYS;
        binding->more = (uint8_t)(field->count < UINT8_MAX ? field->count : UINT8_MAX);
        unsigned usage = sought.other ? control->other_usage : control->usage;
        binding->number = (uint32_t)(field->number_first + usage - field->usage_first);
        return;
    }
    binding->bit = (uint16_t)(field->bit + sought.at * field->bits);
    if (field->flags & YT_HID_NULL_STATE)
        binding->flags |= YT_BINDING_NULL;
    if (control->kind == YT_MOTION)
        binding->flags |= YT_BINDING_MOTION;
    if (is_hat(field, control)) {
        binding->flags |= YT_BINDING_HAT;
        binding->more = (uint8_t)(control->part | field->minimum << 4);
        if (field->maximum - field->minimum == 3)
            binding->flags |= YT_BINDING_FOUR;
        binding->number = UINT32_MAX; /* so that the first report counts */
    }
    if (is_scaled(field, control))
        binding->flags |= control->kind == YT_SWITCH  ? YT_BINDING_SCALED | YT_BINDING_HALF
                          : control->kind == YT_LEVEL ? YT_BINDING_SCALED | YT_BINDING_LEVEL
                                                      : YT_BINDING_SCALED;
    if ((control->kind == YT_AXIS || control->kind == YT_LEVEL) && binding->bits > 16)
        binding->flags |= YT_BINDING_WIDE;
}

static bool is_turned(const yt_program *program, unsigned number) {
    const yt_program_control *control = &program->controls[number];
    return control->place != YT_NO_PLACE &&
           (program->places[control->place].flags & YT_PLACE_TURNED);
}

/* What a description says of a control beside its place. A switch that is turned round is up while
 * its bit is 1. */
static void turn_binding(yt_binding *binding, const yt_program *program) {
    if (!is_turned(program, binding->control))
        return;
    binding->flags |= YT_BINDING_TURNED;
    binding->flags &= (uint16_t)~YT_BINDING_WIDE;
    if (!(binding->flags & (YT_BINDING_SCALED | YT_BINDING_MOTION | YT_BINDING_ARRAY)))
        binding->number = UINT32_MAX >> (32 - binding->bits);
}

/* A device that was there before: what is held is up until it is pressed anew. Its first report is
 * looked at even where it says that all is up. */
static void mute_binding(yt_binding *binding, const yt_program *program) {
    if (program->controls[binding->control].kind != YT_SWITCH)
        return;
    if (binding->flags & YT_BINDING_ARRAY)
        binding->value |= YT_MUTED_VALUE;
    else
        binding->flags |= YT_BINDING_MUTED;
    if (!(binding->flags & YT_BINDING_ARRAY))
        binding->number ^= 1;
}

/* Begins the list of what is looked for: all that is of the device's inputs. */
static void begin_list(const yt_program *program, uint32_t inputs, yt_sought *list,
                       unsigned count) {
    for (unsigned i = 0; i < count; i++) {
        const yt_program_control *control = yt_sought_control(program, i);
        bool here = control->place != YT_NO_PLACE &&
                    (program->places[control->place].flags & YT_PLACE_HERE);
        bool is_its_own = !control->from_host && (inputs >> control->input & 1);
        list[i] = (yt_sought){.field = !is_its_own ? YT_SOUGHT_NOT
                                       : here      ? YT_SOUGHT_PLACE
                                                   : YT_SOUGHT_STILL};
    }
}

static void make_scale(yt_scale *scale, const yt_program *program, const yt_hid_field *field,
                       const yt_program_control *control) {
    int64_t rest = control->kind == YT_AXIS || control->kind == YT_RATE
                       ? yt_scale_rest(field->minimum, field->maximum)
                       : field->minimum;
    if (control->place != YT_NO_PLACE && (program->places[control->place].flags & YT_PLACE_RANGE))
        rest = program->ranges[program->places[control->place].range].rest;
    if (control->kind == YT_RATE && control->place != YT_NO_PLACE)
        yt_scale_make_rate(scale, field->minimum, rest, field->maximum,
                           program->ranges[program->places[control->place].range].unit_q24);
    else
        yt_scale_make(scale, field->minimum, rest, field->maximum);
}

/* What is looked for, while a block is made: a list at the end of the memory. */
typedef struct making {
    yt_engine *engine;
    search *search;
    yt_attached *block;
    yt_sought *list;
    unsigned count;
    unsigned controls; /* of them the first ones are controls */
} making;

/* Something that was found, in the field at hand, becomes a part of the block. */
typedef yt_status found_part(making *making, unsigned index);

/* Calls `found` for all of the list that stands in the field at hand. A description may have given
 * the field another range for one of them, so its own is put back. */
static yt_status give_field(making *making, found_part *found) {
    yt_hid_field *field = &making->search->field;
    int64_t minimum = field->minimum, maximum = field->maximum;
    yt_status status = YT_OK;
    for (unsigned i = 0; i < making->count && status == YT_OK; i++) {
        if (!yt_search_is_at_hand(making->search, &making->engine->evaluator->program, making->list,
                                  i))
            continue;
        status = found(making, i);
        field->minimum = minimum;
        field->maximum = maximum;
    }
    return status;
}

/* Calls `found` for all of the list, field by field. */
static yt_status give_fields(making *making, found_part *found) {
    making->search->field_number = YT_SOUGHT_PLACE;
    yt_status status = give_field(making, found);
    yt_search_begin(making->search);
    while (status == YT_OK && yt_search_next(making->search) == YT_OK)
        status = give_field(making, found);
    return status;
}

_Static_assert(sizeof(yt_binding) % _Alignof(yt_scale) == 0,
               "while bindings are made, a scale to compare with stands behind them");

/* The scale of the field at hand: one that the block has, as fields of one range share it, or a new
 * one behind them; -1: there is no room. */
static int find_scale(making *making, const yt_program_control *control) {
    yt_engine *engine = making->engine;
    yt_attached *block = making->block;
    const yt_scale *scales = yt_attached_scales(block);
    size_t used = engine->used;
    int number = 0;
    yt_scale *scale = grow(engine, sizeof *scale);
    if (!scale)
        return -1;
    make_scale(scale, &engine->evaluator->program, &making->search->field, control);
    while (number < block->scales && !yt_scale_equals(&scales[number], scale))
        number++;
    if (number < block->scales) {
        engine->used = used;
        return number;
    }
    if (block->scales == UINT8_MAX)
        return -1;
    block->scales++;
    return number;
}

static yt_status add_scale(making *making, unsigned index) {
    const yt_program_control *control =
        yt_sought_control(&making->engine->evaluator->program, index);
    if (index >= making->controls || !is_scaled(&making->search->field, control))
        return YT_OK;
    return find_scale(making, control) < 0 ? YT_MEMORY : YT_OK;
}

/* An axis rests until its device says otherwise, and so does its last raw number. */
static yt_status bind_scale(making *making, yt_binding *binding) {
    const yt_program *program = &making->engine->evaluator->program;
    int number = find_scale(making, &program->controls[binding->control]);
    if (number < 0)
        return YT_MEMORY;
    const yt_scale *scale = &yt_attached_scales(making->block)[number];
    binding->more = (uint8_t)number;
    bool at_top = binding->flags & YT_BINDING_LEVEL && is_turned(program, binding->control);
    binding->number = (uint32_t)(at_top ? scale->maximum : scale->rest);
    if (binding->bits < 32)
        binding->number &= ((uint32_t)1 << binding->bits) - 1;
    return YT_OK;
}

/* Whether a control's raw numbers are signed: as its place says, else as its field does. */
static bool is_signed(const yt_program *program, const yt_program_control *control,
                      const yt_hid_field *field) {
    if (control->place == YT_NO_PLACE)
        return field->minimum < 0;
    return field->minimum < 0 || (program->places[control->place].flags & YT_PLACE_SIGNED);
}

static yt_status add_binding(making *making, unsigned index) {
    const yt_program *program = &making->engine->evaluator->program;
    const yt_hid_field *field = &making->search->field;
    yt_status status = YT_OK;
    if (index >= making->controls)
        return YT_OK;
    yt_binding *binding = grow(making->engine, sizeof *binding);
    if (!binding)
        return YT_MEMORY;
    const yt_program_control *control = &program->controls[index];
    binding->control = (uint16_t)index;
    fill_binding(binding, field, making->list[index], control, is_signed(program, control, field));
    if (binding->flags & YT_BINDING_SCALED)
        status = bind_scale(making, binding);
    turn_binding(binding, program);
    if (making->search->device->stays)
        mute_binding(binding, program);
    making->block->bindings++;
    return status;
}

static bool comes_before(const yt_binding *a, const yt_binding *b) {
    if (a->value >> 8 != b->value >> 8)
        return a->value >> 8 < b->value >> 8;
    if (a->bit != b->bit)
        return a->bit < b->bit;
    return a->number < b->number;
}

/* By report, then by place; those of one array stand together, by number. They come in that order
 * but for a few, and where a description says otherwise: steps that become smaller keep the work
 * small whatever it says. */
static void sort_bindings(yt_attached *block) {
    yt_binding *bindings = yt_attached_bindings(block);
    for (unsigned step = block->bindings; step > 0;) {
        step = (step >> 1) - (step >> 5); /* no division, which a Cortex-M0 has not */
        for (unsigned i = step; i < block->bindings && step > 0; i++) {
            yt_binding moved = bindings[i];
            unsigned at = i;
            for (; at >= step && comes_before(&moved, &bindings[at - step]); at -= step)
                bindings[at] = bindings[at - step];
            bindings[at] = moved;
        }
    }
}

static yt_status make_reports(yt_engine *engine, yt_attached *block, const yt_hid_reader *reader) {
    yt_binding *bindings = yt_attached_bindings(block);
    yt_bound_report *report = NULL;
    for (unsigned i = 0; i < block->bindings; i++) {
        uint8_t id = (uint8_t)(bindings[i].value >> 8);
        bindings[i].value &= 0xff;
        if (!report || report->id != id) {
            report = block->reports < UINT8_MAX ? grow(engine, sizeof *report) : NULL;
            if (!report)
                return YT_MEMORY;
            block->reports++;
            report->id = id;
            report->first = (uint16_t)i;
            unsigned bits = yt_hid_report_bits(reader, YT_HID_INPUT, id);
            report->bytes = (uint16_t)((bits + 7) / 8);
        }
        unsigned end =
            (bindings[i].bit + bindings[i].bits + 7u) / 8; /* if a place is farther out */
        if (end > report->bytes)
            report->bytes = (uint16_t)end;
        block->uses_ids |= id != 0;
        report->count++;
    }
    return YT_OK;
}

/* A light or a motor of the program that the device has. */
static yt_status add_target(making *making, unsigned index) {
    const yt_hid_field *field = &making->search->field;
    if (index < making->controls || field->minimum < INT32_MIN || field->maximum > INT32_MAX ||
        making->block->targets == UINT8_MAX)
        return YT_OK;
    yt_target *target = grow(making->engine, sizeof *target);
    if (!target)
        return YT_MEMORY;
    target->target = (uint16_t)(index - making->controls);
    target->bit = (uint16_t)(field->bit + making->list[index].at * field->bits);
    target->bits = (uint8_t)field->bits;
    target->report_id = field->report_id;
    target->direction =
        making->list[index].field == YT_SOUGHT_PLACE ? YT_HID_OUTPUT : field->direction;
    target->is_motor =
        yt_sought_control(&making->engine->evaluator->program, index)->kind == YT_LEVEL;
    target->minimum = (int32_t)field->minimum;
    target->maximum = (int32_t)field->maximum;
    making->block->targets++;
    return YT_OK;
}

/* How long the reports are that the targets stand in; the descriptor was read to its end. */
static void measure_targets(yt_attached *block, const yt_hid_reader *reader) {
    yt_target *targets = yt_attached_targets(block);
    for (unsigned i = 0; i < block->targets; i++) {
        yt_target *target = &targets[i];
        unsigned bits = yt_hid_report_bits(reader, target->direction, target->report_id);
        for (unsigned k = 0; k < block->targets; k++) {
            unsigned end = targets[k].bit + (unsigned)targets[k].bits;
            if (targets[k].report_id == target->report_id && end > bits)
                bits = end;
        }
        target->bytes = (uint16_t)((bits + 7) / 8);
    }
}

/* The parts stand behind one another, so each kind of them is made in a walk of its own. */
static yt_status make_parts(making *making) {
    const yt_hid_reader *reader = &making->search->reader;
    yt_attached *block = making->block;
    yt_search_fields(making->search, &making->engine->evaluator->program, making->list,
                     making->count);
    block->uses_ids = yt_hid_uses_ids(reader);
    yt_status status = give_fields(making, add_scale);
    if (status == YT_OK)
        status = give_fields(making, add_binding);
    if (status != YT_OK)
        return status;
    sort_bindings(block);
    status = make_reports(making->engine, block, reader);
    if (status == YT_OK)
        status = give_fields(making, add_target);
    measure_targets(block, reader);
    return status;
}

/* Tells each device whether another one is attached to its input. */
static void note_shared(yt_engine *engine) {
    for (unsigned i = 0; i < YT_DEVICES; i++) {
        yt_attached *device = yt_attached_at(engine, i);
        if (!device)
            continue;
        device->shares_input = false;
        for (unsigned k = 0; k < YT_DEVICES; k++) {
            yt_attached *other = yt_attached_at(engine, k);
            if (other && k != i && (other->inputs & device->inputs))
                device->shares_input = true;
        }
    }
}

static unsigned free_number(const yt_engine *engine) {
    unsigned number = 0;
    while (number < YT_DEVICES && engine->device_at[number] != 0)
        number++;
    return number;
}

/* The block of a device that fits `inputs`, behind all that is in use; the list of what is looked
 * for is at the end of the memory meanwhile. */
static yt_status make_block(yt_engine *engine, search *search, uint32_t inputs) {
    const yt_program_header *header = engine->evaluator->program.header;
    making making = {.engine = engine,
                     .search = search,
                     .count = header->control_count + (unsigned)header->target_count,
                     .controls = header->control_count};
    size_t size = engine->size, list_bytes = making.count * sizeof *making.list;
    making.block = grow(engine, sizeof *making.block);
    if (!making.block || (size & ~(size_t)1) - engine->used < list_bytes)
        return YT_MEMORY;
    making.block->inputs = inputs;
    engine->size = (size & ~(size_t)1) - list_bytes;
    making.list = (yt_sought *)(engine->memory + engine->size);
    begin_list(&engine->evaluator->program, inputs, making.list, making.count);
    yt_status status = make_parts(&making);
    engine->size = size;
    if (status == YT_OK && !grow(engine, (8 - engine->used % 8) % 8))
        status = YT_MEMORY;
    return status;
}

yt_status yt_engine_attach(yt_engine *engine, const yt_device *device, unsigned *number) {
    search search = {.device = device};
    size_t used = engine->used;
    uint32_t inputs;
    if (!engine->evaluator)
        return YT_NO_MATCH;
    if (device->descriptor_size > YT_HID_BYTES)
        return YT_HID_LONG;
    if (engine->size - used < YT_PROGRAM_INPUTS) /* what is free holds the points meanwhile */
        return YT_MEMORY;
    yt_status status =
        yt_search_inputs(&search, &engine->evaluator->program, engine->memory + used, &inputs);
    if (status != YT_OK)
        return status;
    if (inputs == 0)
        return YT_NO_MATCH;
    unsigned free = free_number(engine);
    if (free == YT_DEVICES)
        return YT_TOO_MANY_DEVICES;
    status = make_block(engine, &search, inputs);
    if (status != YT_OK) {
        engine->used = used;
        return status;
    }
    yt_attached *block = (yt_attached *)(engine->memory + used);
    block->bytes = (uint32_t)(engine->used - used);
    engine->device_at[free] = (uint32_t)used;
    note_shared(engine);
    yt_engine_fill_targets(engine, block);
    *number = free;
    return YT_OK;
}

void yt_attached_remove(yt_engine *engine, unsigned number) {
    uint32_t at = engine->device_at[number], bytes = yt_attached_at(engine, number)->bytes;
    engine->device_at[number] = 0;
    memmove(engine->memory + at, engine->memory + at + bytes, engine->used - at - bytes);
    engine->used -= bytes;
    for (unsigned i = 0; i < YT_DEVICES; i++)
        if (engine->device_at[i] > at)
            engine->device_at[i] -= bytes;
    note_shared(engine);
}

uint32_t yt_engine_inputs_of(const yt_engine *engine, unsigned number) {
    const yt_attached *device = yt_attached_at(engine, number);
    return device ? device->inputs : 0;
}
