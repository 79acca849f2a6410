/* Lights and motors of devices: what the sheet drives of them. */
#include <string.h>

#include "in/device.h"
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

static void set_target(yt_attached *device, yt_target *target, yt_q16 value) {
    uint32_t raw = raw_of(target, value);
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
                set_target(device, &targets[k], value);
    }
}

void yt_targets_fill(yt_engine *engine, yt_attached *device) {
    yt_target *targets = yt_attached_targets(device);
    for (unsigned k = 0; k < device->targets; k++) {
        targets[k].raw = raw_of(&targets[k], 0);
        set_target(device, &targets[k], target_value(engine, targets[k].target));
    }
}

static void drive_motors(yt_engine *engine, yt_attached *device, bool full) {
    yt_target *targets = yt_attached_targets(device);
    for (unsigned k = 0; k < device->targets; k++)
        if (targets[k].is_motor)
            set_target(device, &targets[k],
                       full ? YT_ONE : target_value(engine, targets[k].target));
}

void yt_device_pulse(yt_engine *engine, unsigned number, uint64_t now_us, uint32_t for_us) {
    yt_attached *device = yt_attached_at(engine, number);
    if (!device)
        return;
    device->pulse_until_us = for_us ? yt_engine_time(engine, now_us) + for_us : 0;
    engine->pulses = true;
    drive_motors(engine, device, for_us != 0);
}

uint32_t yt_targets_end_pulses(yt_engine *engine) {
    uint64_t due_us = YT_NEVER;
    for (unsigned i = 0; engine->pulses && i < YT_DEVICES; i++) {
        yt_attached *device = yt_attached_at(engine, i);
        if (!device || device->pulse_until_us == 0)
            continue;
        if (device->pulse_until_us <= engine->now_us) {
            device->pulse_until_us = 0;
            drive_motors(engine, device, false);
        } else if (device->pulse_until_us < due_us) {
            due_us = device->pulse_until_us;
        }
    }
    engine->pulses = due_us != YT_NEVER;
    uint64_t left_us = due_us - engine->now_us;
    return left_us < YT_NO_WAIT ? (uint32_t)left_us : engine->pulses ? YT_NO_WAIT - 1 : YT_NO_WAIT;
}

static yt_target *first_changed(yt_attached *device) {
    yt_target *targets = yt_attached_targets(device);
    for (unsigned k = 0; k < device->targets; k++)
        if (targets[k].changed)
            return &targets[k];
    return NULL;
}

yt_status yt_device_report(yt_engine *engine, unsigned number, uint8_t *bytes, size_t room,
                           yt_device_output *output) {
    yt_attached *device = yt_attached_at(engine, number);
    const yt_target *first = device && device->lights_changed ? first_changed(device) : NULL;
    output->length = 0;
    if (!first)
        return device ? YT_OK : YT_ARGUMENT;
    size_t head = first->at.report_id ? 1 : 0, length = head + first->bytes;
    *output = (yt_device_output){length, (yt_hid_direction)first->direction, head != 0};
    if (room < length)
        return YT_ROOM;
    memset(bytes, 0, length);
    if (head)
        bytes[0] = first->at.report_id;
    yt_target *targets = yt_attached_targets(device);
    for (unsigned k = 0; k < device->targets; k++) {
        if (targets[k].at.report_id != first->at.report_id ||
            targets[k].direction != first->direction)
            continue;
        yt_hid_set(bytes + head, length - head, targets[k].at.bit, targets[k].at.bits,
                   targets[k].raw);
        targets[k].changed = false;
    }
    device->lights_changed = first_changed(device) != NULL;
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

uint32_t yt_targets_end_pulses(yt_engine *engine) {
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
