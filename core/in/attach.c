/* A device arrives: which input it is, and where it keeps the controls of the program.
 *
 * Its block grows behind all that is in use, part after part; what is only needed meanwhile (what
 * is looked for, with the first place that was found for it) stands at the end of the memory. If
 * there is too little room, `used` goes back to where it was and nothing has happened:
 *
 *     | program, devices | head | scales | targets | bindings | groups | reports |   | list |
 *                        ^ used before                                      used ^   ^ size */
#include <string.h>

#include "image/fill.h"
#include "engine/parts.h"
#include "image/layout.h"
#include "in/device.h"
#include "in/search.h"

yt_attached *yt_attached_at(const yt_engine *engine, unsigned number) {
    if (number >= YT_DEVICES || engine->device_at[number] == 0)
        return NULL;
    return (yt_attached *)(engine->memory + engine->device_at[number]);
}

/* Whether the control stands in a hat of the device; it may be a button of its own instead. */
static bool is_hat(const yt_hid_field *field, const yt_program_control *control) {
    return control->part && field->bits > 1 && yt_hat_suits(field);
}

/* A description may say of motion that it is told around a middle, or by where a knob is. */
static unsigned reading_of_motion(const yt_program *program, const yt_program_control *control) {
    unsigned flags = 0;
    if (control->place != YT_NO_PLACE)
        flags = yt_place_at(program, control->place)->flags;
    return flags & YT_PLACE_MIDDLE  ? YT_READ_OFFSET
           : flags & YT_PLACE_WRAPS ? YT_READ_ANGLE
                                    : YT_READ_MOTION;
}

/* Whether the values of a control follow from a range. */
static bool is_scaled(const yt_program *program, const yt_hid_field *field,
                      const yt_program_control *control) {
    if (control->kind == YT_MOTION)
        return reading_of_motion(program, control) != YT_READ_MOTION;
    if (control->kind == YT_SWITCH)
        return (field->flags & YT_HID_VARIABLE) && field->bits > 1 && !is_hat(field, control) &&
               field->maximum - field->minimum > 1;
    if (control->kind == YT_LEVEL) /* keys that tell no depth are as switches */
        return (field->flags & YT_HID_VARIABLE) && field->maximum - field->minimum > 1;
    return control->kind == YT_AXIS || control->kind == YT_RATE;
}

/* What stands for it in an array is kept as the element's raw bits, up to 16 of them: longer
 * numbers are never seen. */
static void fill_array(yt_found *found, const yt_hid_field *field, unsigned usage) {
    bool is_keys = field->usage_page == PAGE_KEYBOARD && field->number_first == field->usage_first;
    int64_t number = field->number_first + usage - field->usage_first;
    found->reading = is_keys ? YT_READ_KEYS : YT_READ_ARRAY;
    found->elements = (uint8_t)(field->count < UINT8_MAX ? field->count : UINT8_MAX);
    uint32_t raw = (uint32_t)number & (UINT32_MAX >> (32 - field->bits));
    found->binding.as.number = raw < UINT16_MAX ? (uint16_t)raw : UINT16_MAX;
}

static void fill_hat(yt_found *found, const yt_hid_field *field, unsigned direction) {
    found->reading = YT_READ_HAT;
    found->binding.as.hat.direction = (uint8_t)direction;
    found->binding.as.hat.up = (uint8_t)field->minimum;
    if (field->maximum - field->minimum == 3)
        found->binding.flags |= YT_BINDING_FOUR;
}

/* A number, or one as a switch. */
static void fill_number(yt_found *found, const yt_hid_field *field, unsigned kind) {
    found->reading = YT_READ_NUMBER;
    if (field->flags & YT_HID_NULL_STATE)
        found->binding.flags |= YT_BINDING_NULL;
    if (kind == YT_SWITCH)
        found->binding.flags |= YT_BINDING_HALF;
    if (kind == YT_LEVEL)
        found->binding.flags |= YT_BINDING_LEVEL;
    if ((kind == YT_AXIS || kind == YT_LEVEL) && field->bits > 16)
        found->binding.flags |= YT_BINDING_WIDE;
}

static void fill_binding(yt_found *found, const yt_program *program, const yt_hid_field *field,
                         yt_sought sought, const yt_program_control *control, bool is_signed) {
    found->bits = (uint8_t)field->bits;
    found->binding.flags = is_signed ? YT_BINDING_SIGNED : 0;
    found->report_id = field->report_id;
    found->bit = field->bit;
    found->elements = 1;
    if (!(field->flags & YT_HID_VARIABLE)) {
        fill_array(found, field, sought.other ? control->other_usage : control->usage);
        return;
    }
    found->bit = (uint16_t)(field->bit + sought.at * field->bits);
    if (control->kind == YT_MOTION)
        found->reading = (uint8_t)reading_of_motion(program, control);
    else if (is_hat(field, control))
        fill_hat(found, field, control->part);
    else if (is_scaled(program, field, control))
        fill_number(found, field, control->kind);
    else
        found->reading = field->bits == 1 ? YT_READ_BITS : YT_READ_SWITCH;
    if (found->reading == YT_READ_BITS)
        found->binding.as.shift = found->bit & 7;
}

/* A description may say that it is the other way round: a switch is up while its bit is 1. A number
 * in an array, or a hat, has no other way round. */
static void turn_binding(yt_binding *binding, const yt_program *program) {
    const yt_program_control *control = yt_control_at(program, binding->control);
    if (control->place == YT_NO_PLACE ||
        !(yt_place_at(program, control->place)->flags & YT_PLACE_TURNED))
        return;
    binding->flags |= YT_BINDING_TURNED;
    binding->flags &= (uint8_t)~YT_BINDING_WIDE;
}

/* Begins the list of what is looked for: all that is of the device's inputs. */
static void begin_list(const yt_program *program, uint32_t inputs, yt_sought *list,
                       unsigned count) {
    for (unsigned i = 0; i < count; i++) {
        const yt_program_control *control = yt_sought_control(program, i);
        bool here = control->place != YT_NO_PLACE &&
                    (yt_place_at(program, control->place)->flags & YT_PLACE_HERE);
        bool is_its_own = !control->from_host && (inputs >> control->input & 1);
        list[i] = (yt_sought){.at = 0};
        list[i].field = !is_its_own ? YT_SOUGHT_NOT : here ? YT_SOUGHT_PLACE : YT_SOUGHT_STILL;
    }
}

/* The range that a control's place gives; NULL: it gives none. */
static YT_NEVER_INLINE const yt_program_range *given_range(const yt_program *program,
                                                           const yt_program_control *control) {
    if (control->place == YT_NO_PLACE)
        return NULL;
    const yt_program_place *place = yt_place_at(program, control->place);
    return place->flags & YT_PLACE_RANGE ? yt_range_at(program, place->range) : NULL;
}

static void make_scale(yt_scale *scale, const yt_program *program, const yt_hid_field *field,
                       const yt_program_control *control) {
    const yt_program_range *range = given_range(program, control);
    bool has_middle = control->kind == YT_AXIS || control->kind == YT_RATE;
    int64_t rest = range        ? range->rest
                   : has_middle ? yt_scale_rest(field->minimum, field->maximum)
                                : field->minimum;
    if (control->kind == YT_RATE && range)
        yt_scale_make_rate(scale, field->minimum, rest, field->maximum, range->unit_q24);
    else
        yt_scale_make(scale, field->minimum, rest, field->maximum);
}

/* What is looked for, while a block is made: a list at the end of the memory. */
typedef struct making {
    yt_engine *engine;
    search *looking;
    yt_attached *block;
    yt_sought *list;
    yt_sought here; /* where the one at hand stands: a key may stand in several places */
    unsigned count;
    unsigned controls; /* of them the first ones are controls */
} making;

/* Something that was found, in the field at hand, becomes a part of the block. */
typedef yt_status found_part(making *making, unsigned index);

/* Whether something of the list stands in the field at hand; `here` then says where. */
static YT_NEVER_INLINE bool is_here(making *making, unsigned index) {
    const yt_program *program = &making->engine->evaluator->program;
    making->here = making->list[index];
    if (making->here.field != making->looking->field_number &&
        !yt_search_is_key_again(making->looking, program, index, &making->here))
        return false;
    yt_search_give_range(making->looking, program, index);
    return true;
}

/* Calls `found` for all of the list that stands in the field at hand. A description may have given
 * the field another range for one of them, so its own is put back. */
static yt_status give_field(making *making, found_part *found) {
    yt_hid_field *field = &making->looking->field;
    int64_t minimum = field->minimum, maximum = field->maximum;
    unsigned number = making->looking->field_number;
    bool has_keys = yt_search_can_have_keys(making->looking);
    for (unsigned i = 0; i < making->count; i++) {
        unsigned at = making->list[i].field; /* most of the list is elsewhere, or nowhere */
        if (at > number || (at < number && !has_keys) || !is_here(making, i))
            continue;
        yt_status status = found(making, i);
        if (status != YT_OK)
            return status;
        field->minimum = minimum;
        field->maximum = maximum;
    }
    return YT_OK;
}

/* Calls `found` for all of the list, field by field. */
static yt_status give_fields(making *making, found_part *found) {
    making->looking->field_number = YT_SOUGHT_PLACE;
    yt_status status = give_field(making, found);
    yt_search_begin(making->looking);
    while (status == YT_OK && yt_search_next(making->looking) == YT_OK)
        status = give_field(making, found);
    return status;
}

_Static_assert(sizeof(yt_attached) % 8 == 0 && sizeof(yt_scale) % 8 == 0 &&
                   sizeof(yt_target) % 8 == 0 && sizeof(yt_filled) % 8 == 0 &&
                   sizeof(yt_found) % 8 == 0,
               "while they are made, a scale to compare with stands behind them");

/* The scale of the field at hand: one that the block has, as fields of one range share it, or a new
 * one behind them; -1: there is no room. */
static int find_scale(making *making, const yt_program_control *control) {
    yt_engine *engine = making->engine;
    yt_attached *block = making->block;
    const yt_scale *scales = yt_attached_scales(block);
    size_t used = engine->used;
    int number = 0;
    yt_scale *scale = (yt_scale *)yt_engine_reserve(engine, sizeof *scale);
    if (!scale)
        return -1;
    make_scale(scale, &engine->evaluator->program, &making->looking->field, control);
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
    const yt_program *program = &making->engine->evaluator->program;
    const yt_program_control *control = yt_sought_control(program, index);
    if (index >= making->controls || !is_scaled(program, &making->looking->field, control))
        return YT_OK;
    return find_scale(making, control) < 0 ? YT_MEMORY : YT_OK;
}

/* Whether a control's raw numbers are signed: as its place says, else as its field does. */
static bool is_signed(const yt_program *program, const yt_program_control *control,
                      const yt_hid_field *field) {
    if (control->place == YT_NO_PLACE)
        return field->minimum < 0;
    return field->minimum < 0 || (yt_place_at(program, control->place)->flags & YT_PLACE_SIGNED);
}

/* Of a key in several places each binding says so. The list has done its work for a control whose
 * first binding is made, and remembers which that was. */
static YT_NEVER_INLINE void note_place(making *making, unsigned index, yt_found *found) {
    yt_sought *sought = &making->list[index];
    if (making->here.field == sought->field) {
        sought->at = making->block->bindings;
        return;
    }
    found->binding.twice = true;
    found[(int)sought->at - making->block->bindings].binding.twice = true;
}

#define MOST_BINDINGS                                                                              \
    (UINT16_MAX / sizeof(yt_binding)) /* what stands behind them has a place yet */

static yt_status add_binding(making *making, unsigned index) {
    const yt_program *program = &making->engine->evaluator->program;
    const yt_hid_field *field = &making->looking->field;
    if (index >= making->controls)
        return YT_OK;
    yt_found *found = making->block->bindings < MOST_BINDINGS
                          ? (yt_found *)yt_engine_reserve(making->engine, sizeof *found)
                          : NULL;
    if (!found)
        return YT_MEMORY;
    const yt_program_control *control = yt_control_at(program, index);
    found->binding.control = (uint16_t)index;
    fill_binding(found, program, field, making->here, control, is_signed(program, control, field));
    note_place(making, index, found);
    if (found->reading == YT_READ_NUMBER || found->reading >= YT_READ_OFFSET) {
        int scale = find_scale(making, control);
        if (scale < 0)
            return YT_MEMORY;
        found->binding.as.scale = (uint8_t)scale;
    }
    turn_binding(&found->binding, program);
    if (making->looking->device->stays && yt_is_let_go(control->kind, found->reading)) {
        found->binding.flags |= YT_BINDING_MUTED; /* what is held is up until it is pressed anew */
        making->block->rare |= YT_RARE_MUTED;
    }
    making->block->bindings++;
    return YT_OK;
}

#ifndef YT_WITHOUT_LIGHTS

/* A light or a motor of the program that the device has. */
static yt_status add_target(making *making, unsigned index) {
    const yt_hid_field *field = &making->looking->field;
    if (index < making->controls || field->minimum < INT32_MIN || field->maximum > INT32_MAX ||
        making->block->targets == UINT8_MAX)
        return YT_OK;
    yt_target *target = (yt_target *)yt_engine_reserve(making->engine, sizeof *target);
    if (!target)
        return YT_MEMORY;
    target->target = (uint16_t)(index - making->controls);
    target->at.bit = (uint16_t)(field->bit + making->list[index].at * field->bits);
    target->at.bits = (uint8_t)field->bits;
    target->at.report_id = field->report_id;
    target->direction =
        making->list[index].field == YT_SOUGHT_PLACE ? YT_HID_OUTPUT : field->direction;
    target->is_motor =
        yt_sought_control(&making->engine->evaluator->program, index)->kind == YT_LEVEL;
    target->minimum = (int32_t)field->minimum;
    target->maximum = (int32_t)field->maximum;
    making->block->targets++;
    return YT_OK;
}

/* A report of the device that fills itself. */
static yt_status add_filled(making *making) {
    const yt_program *program = &making->engine->evaluator->program;
    for (unsigned i = 0; i < program->header->filled_count; i++) {
        const yt_program_filled *filled = yt_filled_at(program, i);
        if (filled->report != YT_NO_REPORT || !(making->block->inputs >> filled->input & 1))
            continue;
        yt_filled *at = (yt_filled *)yt_engine_reserve(making->engine, sizeof *at);
        if (!at)
            return YT_MEMORY;
        at->filled = (uint8_t)i;
        at->due_us = filled->on_arrival || filled->every_us ? making->engine->now_us : YT_NEVER;
        making->engine->pulses |= filled->every_us != 0;
        making->block->filled++;
    }
    return YT_OK;
}

/* How long a report to the device is: as its descriptor says, and what stands in it. */
static uint16_t bytes_of(making *making, unsigned direction, unsigned id) {
    const yt_program *program = &making->engine->evaluator->program;
    yt_attached *block = making->block;
    yt_target *targets = yt_attached_targets(block);
    unsigned bits =
        yt_hid_report_bits(&making->looking->reader, (yt_hid_direction)direction, (uint8_t)id);
    for (unsigned k = 0; k < block->targets; k++) {
        unsigned end = targets[k].at.bit + (unsigned)targets[k].at.bits;
        if (targets[k].at.report_id == id && targets[k].direction == direction && end > bits)
            bits = end;
    }
    for (unsigned k = 0; k < block->filled; k++) {
        const yt_program_filled *filled =
            yt_filled_at(program, yt_attached_filled(block)[k].filled);
        unsigned end = 8 * yt_filled_bytes(program, filled);
        if (filled->report_id == id && filled->direction == direction && end > bits)
            bits = end;
    }
    return (uint16_t)((bits + 7) / 8);
}

/* The descriptor was read to its end. */
static void measure_targets(making *making) {
    const yt_program *program = &making->engine->evaluator->program;
    yt_target *targets = yt_attached_targets(making->block);
    yt_filled *filled = yt_attached_filled(making->block);
    for (unsigned i = 0; i < making->block->targets; i++)
        targets[i].bytes = bytes_of(making, targets[i].direction, targets[i].at.report_id);
    for (unsigned i = 0; i < making->block->filled; i++) {
        const yt_program_filled *of = yt_filled_at(program, filled[i].filled);
        filled[i].bytes = bytes_of(making, of->direction, of->report_id);
    }
}

static yt_status make_targets(making *making) {
    yt_status status = give_fields(making, add_target);
    if (status == YT_OK)
        status = add_filled(making);
    if (status == YT_OK)
        measure_targets(making);
    return status;
}

#else

static yt_status make_targets(making *making) {
    (void)making;
    return YT_OK;
}

#endif

/* The parts stand behind one another, so each kind of them is made in a walk of its own. */
static yt_status make_parts(making *making) {
    yt_attached *block = making->block;
    yt_search_fields(making->looking, &making->engine->evaluator->program, making->list,
                     making->count);
    block->uses_ids = yt_hid_uses_ids(&making->looking->reader);
    yt_status status = give_fields(making, add_scale);
    if (status == YT_OK)
        status = make_targets(making);
    if (status != YT_OK)
        return status;
    status = give_fields(making, add_binding);
    return status == YT_OK ? yt_groups_make(making->engine, block, &making->looking->reader)
                           : status;
}

/* Tells each device whether another one is attached to its input. */
static void note_shared(yt_engine *engine) {
    for (unsigned i = 0; i < YT_DEVICES; i++) {
        yt_attached *device = yt_attached_at(engine, i);
        if (!device)
            continue;
        device->rare &= (uint8_t)~YT_RARE_SHARED;
        for (unsigned k = 0; k < YT_DEVICES; k++) {
            yt_attached *other = yt_attached_at(engine, k);
            if (other && k != i && (other->inputs & device->inputs))
                device->rare |= YT_RARE_SHARED;
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
                     .looking = search,
                     .count = header->control_count + (unsigned)header->target_count,
                     .controls = header->control_count};
    size_t size = engine->size, list_bytes = making.count * sizeof *making.list;
    making.block = (yt_attached *)yt_engine_reserve(engine, sizeof *making.block);
    if (!making.block || size - engine->used < list_bytes)
        return YT_MEMORY;
    making.block->inputs = inputs;
    engine->size = size - list_bytes;
    making.list = (yt_sought *)(engine->memory + engine->size);
    begin_list(&engine->evaluator->program, inputs, making.list, making.count);
    yt_status status = make_parts(&making);
    engine->size = size;
    engine->used = yt_rounded_up(engine->used);
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
#ifdef YT_WITHOUT_SHARED_INPUTS
    for (unsigned i = 0; i < YT_DEVICES; i++)
        if (yt_engine_inputs_of(engine, i) & inputs)
            return YT_TOO_MANY_DEVICES;
#endif
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
    yt_targets_fill(engine, block);
    *number = free;
    return YT_OK;
}

/* What was in use for a device is the caller's again. */
static void forget_calibrated(yt_engine *engine, unsigned number) {
    struct yt_calibrated **at = &engine->calibrated;
    while (*at)
        if ((*at)->number == number)
            *at = (*at)->next;
        else
            at = &(*at)->next;
}

void yt_attached_remove(yt_engine *engine, unsigned number) {
    forget_calibrated(engine, number);
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
