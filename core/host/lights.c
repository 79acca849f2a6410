/* Lights and motors of devices: what the sheet drives of them. */
#include <string.h>

#include "in/device.h"
#include "image/fill.h"
#include "image/layout.h"
#include "run/evaluate.h"
#include "host/endpoint.h"
#include "signal/fixed.h"

#ifndef YT_WITHOUT_LIGHTS

static uint32_t raw_of(const yt_target *target, yt_q16 value) {
    value = yt_q16_clamp(value, 0, YT_ONE);
    int32_t number = yt_scale_number(value, target->minimum, target->minimum, target->maximum);
    return (uint32_t)number & (UINT32_MAX >> (32 - target->at.bits));
}

#define PERCENT 41944u /* 2^22 / 100, rounded up */

/* A motor is as strong as the adapter's settings say. */
static yt_q16 weakened(const yt_engine *engine, yt_attached *device, const yt_target *target,
                       yt_q16 value) {
    unsigned motor = 0;
    if (!target->is_motor)
        return value;
    for (const yt_target *at = yt_attached_targets(device); at < target; at++)
        motor += at->is_motor;
    unsigned percent = engine->motor_percent[motor < YT_MOTORS ? motor : YT_MOTORS - 1];
    uint32_t share = percent * PERCENT >> 6; /* in 1 / 65536, without a division */
    return percent == 100 ? value
                          : (yt_q16)((uint32_t)yt_q16_clamp(value, 0, YT_ONE) / 2 * share >> 15);
}

static void set_target(const yt_engine *engine, yt_attached *device, yt_target *target,
                       yt_q16 value) {
    uint32_t raw = raw_of(target, weakened(engine, device, target, value));
    if (raw == target->raw)
        return;
    target->raw = raw;
    target->changed = device->lights_changed = true;
}

/* What a target is driven with. */
static yt_q16 target_value(const yt_engine *engine, unsigned target) {
    const yt_program *program = &engine->evaluator->program;
    unsigned first = (unsigned)(program->header->root_count - program->header->target_count);
    const yt_program_step *step = yt_step_at(program, yt_root_at(program, first + target)->step);
    return engine->evaluator->values[step->value];
}

void yt_tell_target(yt_engine *engine, unsigned target, yt_q16 value) {
    for (unsigned i = 0; i < YT_DEVICES; i++) {
        yt_attached *device = yt_attached_at(engine, i);
        yt_target *targets = device ? yt_attached_targets(device) : NULL;
        for (unsigned k = 0; device && k < device->targets; k++)
            if (targets[k].target == target &&
                !(targets[k].is_motor && device->pulse_until_us != 0))
                set_target(engine, device, &targets[k], value);
    }
}

void yt_targets_fill(yt_engine *engine, yt_attached *device) {
    yt_target *targets = yt_attached_targets(device);
    for (unsigned k = 0; k < device->targets; k++) {
        targets[k].raw = raw_of(&targets[k], 0);
        set_target(engine, device, &targets[k], target_value(engine, targets[k].target));
    }
}

static void drive_motors(yt_engine *engine, yt_attached *device, bool full) {
    yt_target *targets = yt_attached_targets(device);
    for (unsigned k = 0; k < device->targets; k++)
        if (targets[k].is_motor)
            set_target(engine, device, &targets[k],
                       full ? YT_ONE : target_value(engine, targets[k].target));
}

void yt_engine_motor(yt_engine *engine, unsigned motor, uint32_t percent) {
    if (motor >= YT_MOTORS || percent > 100)
        return;
    engine->motor_percent[motor] = (uint8_t)percent;
    for (unsigned i = 0; engine->evaluator && i < YT_DEVICES; i++) {
        yt_attached *device = yt_attached_at(engine, i);
        if (device)
            drive_motors(engine, device, device->pulse_until_us != 0);
    }
}

void yt_device_pulse(yt_engine *engine, unsigned number, uint64_t now_us, uint32_t for_us) {
    yt_attached *device = yt_attached_at(engine, number);
    if (!device)
        return;
    device->pulse_until_us = for_us ? yt_engine_time(engine, now_us) + for_us : 0;
    engine->pulses = true;
    drive_motors(engine, device, for_us != 0);
}

/* When the next report is due that the device is sent again and again. What is due now is taken as
 * soon as the update is over, and due again after that. */
static uint64_t next_filled(const yt_engine *engine, yt_attached *device) {
    const yt_filled *filled = yt_attached_filled(device);
    uint64_t next_us = YT_NEVER;
    for (unsigned k = 0; k < device->filled; k++) {
        uint64_t due_us = filled[k].due_us;
        uint32_t every_us = yt_filled_at(&engine->evaluator->program, filled[k].filled)->every_us;
        if (due_us <= engine->now_us)
            due_us = every_us ? engine->now_us + every_us : YT_NEVER;
        next_us = due_us < next_us ? due_us : next_us;
    }
    return next_us;
}

uint32_t yt_targets_next(yt_engine *engine) {
    uint64_t due_us = YT_NEVER;
    bool repeats = false;
    for (unsigned i = 0; engine->pulses && i < YT_DEVICES; i++) {
        yt_attached *device = yt_attached_at(engine, i);
        if (!device)
            continue;
        uint64_t filled_us = next_filled(engine, device);
        due_us = filled_us < due_us ? filled_us : due_us;
        repeats |= device->filled > 0;
        if (device->pulse_until_us == 0)
            continue;
        if (device->pulse_until_us <= engine->now_us) {
            device->pulse_until_us = 0;
            drive_motors(engine, device, false);
        } else if (device->pulse_until_us < due_us) {
            due_us = device->pulse_until_us;
        }
    }
    engine->pulses = repeats || due_us != YT_NEVER;
    if (due_us == YT_NEVER)
        return YT_NO_WAIT;
    uint64_t left_us = due_us - engine->now_us;
    return left_us < YT_NO_WAIT ? (uint32_t)left_us : YT_NO_WAIT - 1;
}

static yt_target *first_changed(yt_attached *device) {
    yt_target *targets = yt_attached_targets(device);
    for (unsigned k = 0; device->lights_changed && k < device->targets; k++)
        if (targets[k].changed)
            return &targets[k];
    return NULL;
}

/* A report for a device: which one, how long, and what fills itself in it, if anything does. */
typedef struct built {
    uint8_t direction, id;
    uint16_t bytes;
    yt_filled *filled;
} built;

/* What is due comes first, in the order of the description: a device may take nothing else before
 * it was greeted. */
static bool choose(const yt_engine *engine, yt_attached *device, built *built) {
    const yt_program *program = &engine->evaluator->program;
    const yt_target *target = first_changed(device);
    yt_filled *filled = yt_attached_filled(device), *chosen = NULL;
    for (unsigned k = 0; k < device->filled && !chosen; k++)
        if (filled[k].due_us <= engine->now_us)
            chosen = &filled[k];
    for (unsigned k = 0; k < device->filled && target && !chosen; k++) {
        const yt_program_filled *of = yt_filled_at(program, filled[k].filled);
        if (of->direction == target->direction && of->report_id == target->at.report_id)
            chosen = &filled[k];
    }
    *built = (struct built){.filled = chosen};
    if (chosen) {
        const yt_program_filled *of = yt_filled_at(program, chosen->filled);
        built->direction = of->direction;
        built->id = of->report_id;
        built->bytes = chosen->bytes;
    } else if (target) {
        built->direction = target->direction;
        built->id = target->at.report_id;
        built->bytes = target->bytes;
    }
    return chosen || target;
}

static void put_targets(yt_attached *device, const built *built, uint8_t *bytes) {
    yt_target *targets = yt_attached_targets(device);
    for (unsigned k = 0; k < device->targets; k++) {
        if (targets[k].at.report_id != built->id || targets[k].direction != built->direction)
            continue;
        yt_hid_set(bytes, built->bytes, targets[k].at.bit, targets[k].at.bits, targets[k].raw);
        targets[k].changed = false;
    }
    device->lights_changed = first_changed(device) != NULL;
}

yt_status yt_device_report(yt_engine *engine, unsigned number, uint8_t *bytes, size_t room,
                           yt_device_output *output) {
    yt_attached *device = yt_attached_at(engine, number);
    built built;
    output->length = 0;
    if (!device || !choose(engine, device, &built))
        return device ? YT_OK : YT_ARGUMENT;
    size_t head = built.id ? 1 : 0, length = head + built.bytes;
    *output = (yt_device_output){length, (yt_hid_direction)built.direction, head != 0};
    if (room < length)
        return YT_ROOM;
    memset(bytes, 0, length);
    if (head)
        bytes[0] = built.id;
    put_targets(device, &built, bytes + head);
    if (built.filled) {
        const yt_program *program = &engine->evaluator->program;
        const yt_program_filled *of = yt_filled_at(program, built.filled->filled);
        yt_fill_report(program, of, built.filled->built++, bytes + head, built.bytes);
        built.filled->due_us = of->every_us ? engine->now_us + of->every_us : YT_NEVER;
    }
    return YT_OK;
}

#else /* no program that is loaded has any */

void yt_tell_target(yt_engine *engine, unsigned target, yt_q16 value) {
    (void)engine, (void)target, (void)value;
}

void yt_targets_fill(yt_engine *engine, yt_attached *device) {
    (void)engine, (void)device;
}

void yt_device_pulse(yt_engine *engine, unsigned number, uint64_t now_us, uint32_t for_us) {
    (void)engine, (void)number, (void)now_us, (void)for_us;
}

void yt_engine_motor(yt_engine *engine, unsigned motor, uint32_t percent) {
    (void)engine, (void)motor, (void)percent;
}

uint32_t yt_targets_next(yt_engine *engine) {
    (void)engine;
    return YT_NO_WAIT;
}

yt_status yt_device_report(yt_engine *engine, unsigned number, uint8_t *bytes, size_t room,
                           yt_device_output *output) {
    (void)bytes, (void)room;
    output->length = 0;
    return yt_attached_at(engine, number) ? YT_OK : YT_ARGUMENT;
}

#endif
