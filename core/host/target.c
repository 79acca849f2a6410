/* Lights and motors of devices: what the sheet drives of them, and what is relayed to them. */
#include <string.h>

#include "engine/parts.h"
#include "signal/fixed.h"

static uint32_t raw_of(const yt_target *target, yt_q16 value) {
    value = yt_q16_clamp(value, 0, YT_ONE);
    int32_t number = yt_scale_number(value, target->minimum, target->minimum, target->maximum);
    return (uint32_t)number & (UINT32_MAX >> (32 - target->bits));
}

static void set_target(yt_attached *device, yt_target *target, yt_q16 value) {
    uint32_t raw = raw_of(target, value);
    if (raw == target->raw)
        return;
    target->raw = raw;
    target->changed = device->owes = true;
}

yt_q16 yt_engine_target_value(const yt_engine *engine, unsigned target) {
    const yt_program *program = &engine->evaluator->program;
    unsigned first = (unsigned)(program->header->root_count - program->header->target_count);
    return engine->evaluator->values[program->roots[first + target].node];
}

void yt_engine_tell_target(yt_engine *engine, unsigned target, yt_q16 value) {
    for (unsigned i = 0; i < YT_DEVICES; i++) {
        yt_attached *device = yt_attached_at(engine, i);
        yt_target *targets = device ? yt_attached_targets(device) : NULL;
        for (unsigned k = 0; device && k < device->targets; k++)
            if (targets[k].target == target &&
                !(targets[k].is_motor && device->pulse_until_us != 0))
                set_target(device, &targets[k], value);
    }
}

void yt_engine_fill_targets(yt_engine *engine, yt_attached *device) {
    yt_target *targets = yt_attached_targets(device);
    for (unsigned k = 0; k < device->targets; k++) {
        targets[k].raw = raw_of(&targets[k], 0);
        set_target(device, &targets[k], yt_engine_target_value(engine, targets[k].target));
    }
}

static void drive_motors(yt_engine *engine, yt_attached *device, bool full) {
    yt_target *targets = yt_attached_targets(device);
    for (unsigned k = 0; k < device->targets; k++)
        if (targets[k].is_motor)
            set_target(device, &targets[k],
                       full ? YT_ONE : yt_engine_target_value(engine, targets[k].target));
}

void yt_device_pulse(yt_engine *engine, unsigned number, uint64_t now_us, uint32_t for_us) {
    yt_attached *device = yt_attached_at(engine, number);
    if (!device)
        return;
    device->pulse_until_us = for_us ? yt_engine_time(engine, now_us) + for_us : 0;
    engine->pulses = true;
    drive_motors(engine, device, for_us != 0);
}

uint64_t yt_engine_end_pulses(yt_engine *engine, uint64_t now_us) {
    uint64_t due_us = YT_NEVER;
    if (!engine->pulses)
        return YT_NEVER;
    for (unsigned i = 0; i < YT_DEVICES; i++) {
        yt_attached *device = yt_attached_at(engine, i);
        if (!device || device->pulse_until_us == 0)
            continue;
        if (device->pulse_until_us <= now_us) {
            device->pulse_until_us = 0;
            drive_motors(engine, device, false);
        } else if (device->pulse_until_us < due_us) {
            due_us = device->pulse_until_us;
        }
    }
    engine->pulses = due_us != YT_NEVER;
    return due_us;
}

static yt_target *first_changed(yt_attached *device) {
    yt_target *targets = yt_attached_targets(device);
    for (unsigned k = 0; k < device->targets; k++)
        if (targets[k].changed)
            return &targets[k];
    return NULL;
}

size_t yt_device_report(yt_engine *engine, unsigned number, uint8_t *bytes, size_t size,
                        yt_hid_direction *direction) {
    yt_attached *device = yt_attached_at(engine, number);
    const yt_target *first = device && device->owes ? first_changed(device) : NULL;
    if (!first)
        return 0;
    size_t head = first->report_id ? 1 : 0;
    if (size < head + first->bytes)
        return 0;
    memset(bytes, 0, head + first->bytes);
    *direction = (yt_hid_direction)first->direction;
    if (head)
        bytes[0] = first->report_id;
    yt_target *targets = yt_attached_targets(device);
    size_t length = head + first->bytes;
    for (unsigned k = 0; k < device->targets; k++) {
        if (targets[k].report_id != first->report_id || targets[k].direction != first->direction)
            continue;
        yt_hid_set(bytes + head, length - head, targets[k].bit, targets[k].bits, targets[k].raw);
        targets[k].changed = false;
    }
    device->owes = first_changed(device) != NULL;
    return length;
}

yt_status yt_interface_relay(const yt_engine *engine, unsigned interface,
                             yt_hid_direction direction, uint8_t id, unsigned *number,
                             uint8_t *device_id) {
    if (!engine->evaluator)
        return YT_NO_MATCH;
    const yt_program *program = &engine->evaluator->program;
    for (unsigned i = 0; i < program->header->relay_count; i++) {
        const yt_program_relay *relay = &program->relays[i];
        if (relay->interface != interface || relay->direction != direction || relay->id != id)
            continue;
        *device_id = relay->device_id;
        for (*number = 0; *number < YT_DEVICES; ++*number)
            if (yt_engine_inputs_of(engine, *number) >> relay->input & 1)
                return YT_OK;
        return YT_UNREADABLE;
    }
    return YT_NO_MATCH;
}
