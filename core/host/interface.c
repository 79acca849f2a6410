/* What the host sees of the engine: reports to it, reports from it, and what it may ask for. */
#include <string.h>

#include "engine/parts.h"

static yt_endpoint *endpoint_at(const yt_engine *engine, unsigned interface) {
    return interface < engine->interface_count ? &engine->endpoints[interface] : NULL;
}

/* The next report of an interface that has something for the host, taking turns; -1: none has. */
static int next_ready(const yt_engine *engine, const yt_endpoint *endpoint) {
    unsigned count = endpoint->interface->report_count;
    unsigned at = endpoint->next;
    for (unsigned left = count; left > 0; left--) {
        const yt_sending *sending = engine->sendings[endpoint->interface->first_report + at];
        if (sending && yt_sending_is_ready(sending))
            return (int)at;
        at = at + 1 < count ? at + 1 : 0;
    }
    return -1;
}

/* In the boot protocol there are no IDs, but over Bluetooth 1 for a keyboard and 2 for a mouse. */
static uint8_t id_of(const yt_endpoint *endpoint, const yt_program_report *report) {
    if (!endpoint->boot)
        return report->id;
    return endpoint->interface->radio ? report->boot : 0;
}

/* A report with its ID in front. */
static size_t put_report(yt_engine *engine, yt_endpoint *endpoint, unsigned at, bool again,
                         uint8_t *bytes, uint64_t now_us) {
    yt_sending *sending = engine->sendings[endpoint->interface->first_report + at];
    uint8_t id = id_of(endpoint, sending->report);
    uint8_t *body = id ? bytes + 1 : bytes;
    size_t length =
        again ? yt_sending_state(sending, endpoint, body)
              : yt_sending_report(sending, endpoint, body, now_us, yt_port_wait_us(engine->port));
    if (length > 0 && id)
        *bytes = id;
    return length > 0 && id ? length + 1 : length;
}

static uint64_t idle_due(const yt_endpoint *endpoint) {
    if (endpoint->idle_us == 0 || endpoint->armed || endpoint->suspended)
        return YT_NEVER;
    return endpoint->taken_us + endpoint->idle_us;
}

uint64_t yt_engine_idle_due(const yt_engine *engine) {
    uint64_t due_us = YT_NEVER;
    for (unsigned i = 0; engine->idles && i < engine->interface_count; i++) {
        uint64_t idle_us = idle_due(&engine->endpoints[i]);
        due_us = idle_us > engine->now_us && idle_us < due_us ? idle_us : due_us;
    }
    return due_us;
}

/* The first report to the host: the one that is repeated where there is nothing new. */
static int first_to_host(const yt_engine *engine, const yt_endpoint *endpoint) {
    for (unsigned at = 0; at < endpoint->interface->report_count; at++)
        if (engine->sendings[endpoint->interface->first_report + at])
            return (int)at;
    return -1;
}

size_t yt_interface_report(yt_engine *engine, unsigned interface, uint8_t *bytes, size_t size) {
    yt_endpoint *endpoint = endpoint_at(engine, interface);
    int at;
    size_t length = 0;
    if (!endpoint || endpoint->armed || endpoint->suspended || size < YT_REPORT_BYTES + 1)
        return 0;
    uint64_t now_us = engine->now_us > endpoint->taken_us ? engine->now_us : endpoint->taken_us;
    while (length == 0 && (at = next_ready(engine, endpoint)) >= 0) {
        length = put_report(engine, endpoint, (unsigned)at, false, bytes, now_us);
        endpoint->next =
            (uint8_t)((unsigned)at + 1 < endpoint->interface->report_count ? at + 1 : 0);
    }
    if (length == 0 && now_us >= idle_due(endpoint) && (at = first_to_host(engine, endpoint)) >= 0)
        length = put_report(engine, endpoint, (unsigned)at, true, bytes, now_us);
    if (length > 0) {
        endpoint->armed = true;
        endpoint->armed_us = now_us;
    }
    return length;
}

static void drop_motion(yt_engine *engine, const yt_endpoint *endpoint) {
    for (unsigned at = 0; at < endpoint->interface->report_count; at++) {
        yt_sending *sending = engine->sendings[endpoint->interface->first_report + at];
        if (sending)
            yt_sending_drop_motion(sending);
    }
}

void yt_interface_taken(yt_engine *engine, unsigned interface, uint64_t now_us) {
    yt_endpoint *endpoint = endpoint_at(engine, interface);
    if (!endpoint || !endpoint->armed)
        return;
    now_us = yt_engine_time(engine, now_us);
    if (now_us > endpoint->armed_us && now_us - endpoint->armed_us > yt_port_wait_us(engine->port))
        drop_motion(engine, endpoint);
    endpoint->armed = false;
    endpoint->taken_us = now_us;
}

static size_t put_state(const yt_sending *sending, const yt_endpoint *endpoint, uint8_t *bytes) {
    uint8_t id = id_of(endpoint, sending->report);
    if (id)
        *bytes++ = id;
    size_t length = yt_sending_state(sending, endpoint, bytes);
    return length > 0 && id ? length + 1 : length;
}

/* The host gets back what it set: the first bits of its feature report, the others 0. */
static size_t put_features(const yt_program_report *report, const yt_endpoint *endpoint,
                           uint8_t *bytes) {
    size_t head = report->id ? 1 : 0;
    memset(bytes, 0, head + report->bytes);
    bytes[0] = report->id;
    yt_hid_set(bytes + head, report->bytes, 0, 32, endpoint->features);
    return head + report->bytes;
}

size_t yt_interface_state(const yt_engine *engine, unsigned interface, yt_hid_direction direction,
                          uint8_t id, uint8_t *bytes, size_t size) {
    const yt_endpoint *endpoint = endpoint_at(engine, interface);
    if (!endpoint || size < YT_REPORT_BYTES + 1)
        return 0;
    unsigned first = endpoint->interface->first_report;
    for (unsigned i = first; i < first + endpoint->interface->report_count; i++) {
        const yt_program_report *report = &engine->evaluator->program.reports[i];
        bool is_it = direction == YT_HID_INPUT ? id_of(endpoint, report) == id : report->id == id;
        if (report->direction != direction || !is_it)
            continue;
        if (direction == YT_HID_INPUT)
            return put_state(engine->sendings[i], endpoint, bytes);
        return direction == YT_HID_FEATURE ? put_features(report, endpoint, bytes) : 0;
    }
    return 0;
}

/* The value of a control that the host sends. */
static yt_q16 sent_value(const yt_program *program, const yt_program_control *control,
                         const uint8_t *bytes, size_t size) {
    const yt_program_place *place = &program->places[control->place];
    uint32_t raw = yt_hid_get(bytes, size, place->bit, place->bits);
    if (control->kind == YT_SWITCH)
        return raw ? YT_ONE : 0;
    int64_t number = yt_hid_number(raw, place->bits, place->flags & YT_PLACE_SIGNED);
    yt_scale scale;
    const yt_program_range *range = &program->ranges[place->range];
    yt_scale_make(&scale, range->minimum, range->rest, range->maximum);
    return yt_scale_value(&scale, number);
}

static void take_sent(yt_engine *engine, unsigned report, const uint8_t *bytes, size_t size) {
    const yt_program *program = &engine->evaluator->program;
    for (unsigned i = 0; i < program->header->control_count; i++) {
        const yt_program_control *control = &program->controls[i];
        if (control->from_host && control->input == report)
            yt_evaluator_set(engine->evaluator, i, sent_value(program, control, bytes, size));
    }
}

yt_status yt_interface_receive(yt_engine *engine, unsigned interface, yt_hid_direction direction,
                               const uint8_t *bytes, size_t size, uint64_t now_us) {
    yt_endpoint *endpoint = endpoint_at(engine, interface);
    if (!endpoint)
        return YT_ARGUMENT;
    unsigned first = endpoint->interface->first_report;
    for (unsigned i = first; i < first + endpoint->interface->report_count; i++) {
        const yt_program_report *report = &engine->evaluator->program.reports[i];
        bool has_id = endpoint->boot ? id_of(endpoint, report) : report->id;
        if (report->direction != direction ||
            (has_id && size > 0 && bytes[0] != id_of(endpoint, report)))
            continue;
        if (size < report->bytes + (has_id ? 1u : 0u))
            return YT_REPORT_SHORT;
        yt_engine_update(engine, now_us);
        if (direction == YT_HID_FEATURE)
            endpoint->features = yt_hid_get(bytes + has_id, report->bytes, 0, 32);
        take_sent(engine, i, has_id ? bytes + 1 : bytes, report->bytes);
        yt_engine_settle(engine, engine->now_us);
        return YT_OK;
    }
    return YT_ARGUMENT;
}

void yt_engine_refresh(yt_engine *engine, yt_endpoint *endpoint) {
    endpoint->armed = false;
    for (unsigned at = 0; at < endpoint->interface->report_count; at++) {
        yt_sending *sending = engine->sendings[endpoint->interface->first_report + at];
        if (sending)
            sending->fresh = true;
    }
}

yt_status yt_interface_set_boot(yt_engine *engine, unsigned interface, bool boot) {
    yt_endpoint *endpoint = endpoint_at(engine, interface);
    if (!endpoint || endpoint->interface->boot == YT_NO_BOOT)
        return YT_ARGUMENT;
    if (endpoint->boot != boot)
        yt_engine_refresh(engine, endpoint);
    endpoint->boot = boot;
    return YT_OK;
}

bool yt_interface_is_boot(const yt_engine *engine, unsigned interface) {
    const yt_endpoint *endpoint = endpoint_at(engine, interface);
    return endpoint && endpoint->boot;
}

void yt_interface_set_idle(yt_engine *engine, unsigned interface, uint32_t idle_us) {
    yt_endpoint *endpoint = endpoint_at(engine, interface);
    if (endpoint)
        endpoint->idle_us = idle_us;
    engine->idles |= idle_us != 0;
}

uint32_t yt_interface_idle(const yt_engine *engine, unsigned interface) {
    const yt_endpoint *endpoint = endpoint_at(engine, interface);
    return endpoint ? endpoint->idle_us : 0;
}

void yt_connector_reset(yt_engine *engine, unsigned connector) {
    for (unsigned i = 0; i < engine->interface_count; i++) {
        yt_endpoint *endpoint = &engine->endpoints[i];
        if (endpoint->interface->connector != connector)
            continue;
        endpoint->boot = endpoint->suspended = endpoint->asked_to_wake = false;
        endpoint->idle_us = endpoint->features = 0;
        drop_motion(engine, endpoint);
        yt_engine_refresh(engine, endpoint);
    }
}

static bool all_suspended(const yt_engine *engine) {
    for (unsigned i = 0; i < engine->interface_count; i++)
        if (!engine->endpoints[i].suspended)
            return false;
    return engine->interface_count > 0;
}

/* Nobody is there: what is held ends, and that does not wake anybody. */
static void cancel_asleep(yt_engine *engine) {
    for (unsigned i = 0; i < engine->interface_count; i++)
        engine->endpoints[i].asked_to_wake = true;
    yt_engine_cancel(engine);
    for (unsigned i = 0; i < engine->interface_count; i++)
        engine->endpoints[i].asked_to_wake = false;
}

void yt_connector_suspend(yt_engine *engine, unsigned connector, bool suspended) {
    bool slept = all_suspended(engine);
    for (unsigned i = 0; i < engine->interface_count; i++) {
        yt_endpoint *endpoint = &engine->endpoints[i];
        if (endpoint->interface->connector != connector)
            continue;
        if (suspended && !endpoint->suspended)
            drop_motion(engine, endpoint);
        endpoint->suspended = suspended;
        endpoint->asked_to_wake = false;
    }
    if (!slept && all_suspended(engine))
        cancel_asleep(engine);
}
