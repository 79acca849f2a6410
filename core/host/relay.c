/* Reports of a host that another device answers: the core only says which, and the port carries
 * them, since an answer may take longer than a report. */
#include "in/device.h"
#include "image/layout.h"
#include "run/evaluate.h"

#ifndef YT_WITHOUT_LIGHTS

yt_status yt_interface_relay(const yt_engine *engine, unsigned interface,
                             yt_hid_direction direction, uint8_t id, unsigned *number,
                             uint8_t *device_id) {
    if (!engine->evaluator)
        return YT_NO_MATCH;
    const yt_program *program = &engine->evaluator->program;
    for (unsigned i = 0; i < program->header->relay_count; i++) {
        const yt_program_relay *relay = yt_relay_at(program, i);
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

#else /* no program that is loaded has any */

yt_status yt_interface_relay(const yt_engine *engine, unsigned interface,
                             yt_hid_direction direction, uint8_t id, unsigned *number,
                             uint8_t *device_id) {
    (void)engine, (void)interface, (void)direction, (void)id, (void)number, (void)device_id;
    return YT_NO_MATCH;
}

#endif
