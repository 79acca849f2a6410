/* A program is loaded: what it needs of the memory, and how it begins. */
#include <string.h>

#include "engine/parts.h"
#include "image/layout.h"
#include "image/check.h"

yt_status yt_engine_init_sized(yt_engine *engine, size_t engine_bytes, void *memory, size_t size,
                               const yt_port *port) {
    if ((uintptr_t)memory % 8 || port->version != YT_PORT_VERSION || engine_bytes != sizeof *engine)
        return YT_ARGUMENT;
    memset(engine, 0, sizeof *engine);
    engine->port = port;
    engine->memory = (uint8_t *)memory;
    engine->size = size & ~(size_t)7; /* so that what is in use can always be rounded up */
    memset(engine->motor_percent, 100, sizeof engine->motor_percent);
    yt_queue_begin(&engine->queue, NULL, 0);
    return YT_OK;
}

void *yt_engine_reserve(yt_engine *engine, size_t bytes) {
    if (engine->size - engine->used < bytes)
        return NULL;
    void *taken = engine->memory + engine->used;
    memset(taken, 0, bytes);
    engine->used += bytes;
    return taken;
}

static void make_sendings(yt_engine *engine, const yt_program *program) {
    for (unsigned i = 0; i < program->header->report_count; i++) {
        const yt_program_report *report = yt_report_at(program, i);
        engine->sendings[i] = NULL;
        if (report->direction != YT_HID_INPUT)
            continue;
        engine->sendings[i] =
            (yt_sending *)yt_engine_reserve(engine, yt_rounded_up(yt_sending_bytes(report)));
        yt_sending_begin(engine->sendings[i], program, report,
                         &engine->endpoints[report->interface]);
    }
    engine->report_count = (uint8_t)program->header->report_count;
}

/* Report descriptors, and where they go. */
static uint32_t layout_of(const yt_program *program) {
    uint32_t layout = 0;
    for (unsigned i = 0; i < program->header->interface_count; i++) {
        const yt_program_interface *interface = yt_interface_at(program, i);
        layout = yt_checksum(layout, &interface->connector, 1);
        layout = yt_checksum(layout, yt_byte_at(program, interface->descriptor_offset),
                             interface->descriptor_bytes);
    }
    return layout ? layout : 1;
}

/* The longest report to the host, in either protocol, with its ID. */
static uint8_t longest_of(const yt_program *program, const yt_program_interface *interface) {
    unsigned longest = interface->boot ? YT_BOOT_KEYBOARD_BYTES + 1 : 0;
    for (unsigned i = 0; i < interface->report_count; i++) {
        const yt_program_report *report = yt_report_at(program, interface->first_report + i);
        unsigned bytes = report->bytes + (report->id ? 1u : 0u);
        if (report->direction == YT_HID_INPUT && bytes > longest)
            longest = bytes;
    }
    return (uint8_t)longest;
}

/* They stand first in the memory, so where the last program had the same, what their hosts have
 * asked for is still there, and stays. */
static void make_interfaces(yt_engine *engine, const yt_program *program, uint32_t layout) {
    unsigned count = program->header->interface_count;
    size_t bytes = count * sizeof *engine->endpoints;
    bool stays = engine->layout == layout && engine->interface_count == count;
    engine->endpoints = (yt_endpoint *)engine->memory;
    engine->used = yt_rounded_up(bytes);
    if (!stays)
        memset(engine->endpoints, 0, bytes);
    for (unsigned i = 0; i < count; i++) {
        engine->endpoints[i].interface = yt_interface_at(program, i);
        engine->endpoints[i].next = 0;
        engine->endpoints[i].bytes = longest_of(program, yt_interface_at(program, i));
    }
    engine->interface_count = (uint8_t)count;
}

/* Takes what yt_engine_bytes says. */
static void make_parts(yt_engine *engine, const yt_program *program, uint32_t layout) {
    memset(engine->device_at, 0, sizeof engine->device_at);
    engine->calibrated = NULL;
    memset(&engine->counts, 0, sizeof engine->counts);
    engine->action_count = 0;
    make_interfaces(engine, program, layout);
    engine->evaluator =
        (yt_evaluator *)yt_engine_reserve(engine, yt_rounded_up(sizeof *engine->evaluator));
    yt_evaluator_begin(engine->evaluator, program,
                       yt_engine_reserve(engine, yt_evaluator_bytes(program)));
    uint32_t queue = yt_port_queue_bytes(engine->port);
    yt_queue_begin(&engine->queue, (uint8_t *)yt_engine_reserve(engine, yt_rounded_up(queue)),
                   queue);
    make_sendings(engine, program);
}

/* A host that knows these interfaces already is told what is on now. */
static void note_layout(yt_engine *engine, uint32_t layout) {
    uint32_t before = engine->layout;
    engine->layout = layout;
    for (unsigned i = 0; before == layout && i < engine->interface_count; i++)
        yt_endpoint_refresh(engine, &engine->endpoints[i]);
    if (before != 0 && before != layout && engine->port->restart)
        engine->port->restart(engine->port->context, layout);
}

/* A firmware whose programs were all checked when it was built may leave that out
 * (YT_WITHOUT_CHECK): then only their headers are looked at. */
static yt_status look_at(yt_program *program, const void *image, size_t size) {
#ifdef YT_WITHOUT_CHECK
    yt_status status = yt_program_open(program, image, size);
#else
    yt_status status = yt_program_check(program, image, size);
#endif
#ifdef YT_WITHOUT_LIGHTS
    unsigned lights = program->header->relay_count + program->header->filled_count;
    for (unsigned i = 0; status == YT_OK && i < program->header->target_count; i++)
        lights += yt_target_at(program, i)->from_host != YT_FOR_ADAPTER;
    if (status == YT_OK && lights > 0)
        status = YT_PROGRAM_PART;
#endif
    return status;
}

/* Until it is sure that the program can run, the one before goes on. */
yt_status yt_engine_load(yt_engine *engine, const void *image, size_t size) {
    yt_program program;
    yt_status status = look_at(&program, image, size);
    if (status != YT_OK)
        return status;
    if (program.header->abilities & engine->port->refuses)
        return YT_REFUSED;
    if (program.header->interface_count > YT_INTERFACES ||
        program.header->report_count > YT_REPORTS)
        return YT_PROGRAM_OUTPUT;
    if (yt_engine_bytes(&program, engine->port, sizeof(void *)) > engine->size)
        return YT_MEMORY;
    uint32_t layout = layout_of(&program);
    make_parts(engine, &program, layout);
    yt_engine_settle_cancel(engine, UINT32_MAX); /* what is on when a program begins is no press */
    note_layout(engine, layout);
    return YT_OK;
}

uint32_t yt_engine_layout(const yt_engine *engine) {
    return engine->evaluator ? engine->layout : 0;
}

const yt_program *yt_engine_program(const yt_engine *engine) {
    return engine->evaluator ? &engine->evaluator->program : NULL;
}

size_t yt_engine_used(const yt_engine *engine) {
    return engine->used;
}
