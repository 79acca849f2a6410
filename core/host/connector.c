/* What a host does to an interface or a connector: protocol, idle time, reset, suspend.
 *
 * A reset makes an interface as it was at power-on; what is held then is told anew:
 *
 *     awake, reports --suspend--> asleep: motion is dropped, switches are kept, a press asks the
 *       ^                           |     port once to wake the host
 *       +------- resume, reset -----+ */
#include "out/sending.h"
#include "image/layout.h"
#include "run/evaluate.h"

#define IDLE_MOST                                                                                  \
    ((uint32_t)1 << 30) /* us; a host can ask for about a second (HID 1.11, 7.2.4)                 \
                         */

yt_endpoint *yt_endpoint_of(const yt_engine *engine, unsigned interface) {
    return interface < engine->interface_count ? &engine->endpoints[interface] : NULL;
}

/* In the boot protocol there are no IDs, but over Bluetooth 1 for a keyboard and 2 for a mouse. */
uint8_t yt_endpoint_report_id(const yt_endpoint *endpoint, const yt_program_report *report) {
    if (!(endpoint->rare & YT_ENDPOINT_BOOT))
        return report->id;
    return endpoint->interface->radio ? report->boot : 0;
}

bool yt_interface_uses_ids(const yt_engine *engine, unsigned interface) {
    const yt_endpoint *endpoint = yt_endpoint_of(engine, interface);
    if (!endpoint)
        return false;
    if (endpoint->rare & YT_ENDPOINT_BOOT)
        return endpoint->interface->radio;
    return yt_report_at(&engine->evaluator->program, endpoint->interface->first_report)->id != 0;
}

unsigned yt_connector_interface(const yt_engine *engine, unsigned connector, unsigned index) {
    for (unsigned i = 0; i < engine->interface_count; i++)
        if (engine->endpoints[i].interface->connector == connector && index-- == 0)
            return i;
    return YT_INTERFACES;
}

/* All interfaces of a connector have one host, which is asked once. */
void yt_endpoint_wake(yt_engine *engine, yt_endpoint *endpoint) {
    unsigned connector = endpoint->interface->connector;
    if (endpoint->asked_to_wake || engine->evaluator->leaving || !engine->port->wake)
        return;
    for (unsigned i = 0; i < engine->interface_count; i++)
        if (engine->endpoints[i].interface->connector == connector)
            engine->endpoints[i].asked_to_wake = true;
    engine->port->wake(engine->port->context, connector);
}

void yt_endpoint_refresh(yt_engine *engine, yt_endpoint *endpoint) {
    endpoint->armed = false;
    endpoint->ready = true;
    for (unsigned at = 0; at < endpoint->interface->report_count; at++) {
        yt_sending *sending = engine->sendings[endpoint->interface->first_report + at];
        if (sending)
            sending->fresh = true;
    }
}

void yt_endpoint_drop_motion(yt_engine *engine, const yt_endpoint *endpoint) {
    for (unsigned at = 0; at < endpoint->interface->report_count; at++) {
        yt_sending *sending = engine->sendings[endpoint->interface->first_report + at];
        if (sending)
            yt_sending_drop_motion(sending);
    }
}

static void set_rare(yt_endpoint *endpoint, unsigned mask, bool on) {
    endpoint->rare = (uint8_t)(on ? endpoint->rare | mask : endpoint->rare & ~mask);
}

yt_boot yt_interface_boot(const yt_engine *engine, unsigned interface) {
#ifdef YT_WITHOUT_BOOT
    (void)engine, (void)interface;
    return YT_NO_BOOT;
#else
    const yt_endpoint *endpoint = yt_endpoint_of(engine, interface);
    return endpoint ? (yt_boot)endpoint->interface->boot : YT_NO_BOOT;
#endif
}

yt_status yt_interface_set_boot(yt_engine *engine, unsigned interface, bool boot) {
    yt_endpoint *endpoint = yt_endpoint_of(engine, interface);
    if (yt_interface_boot(engine, interface) == YT_NO_BOOT)
        return YT_ARGUMENT;
    if (yt_interface_is_boot(engine, interface) != boot)
        yt_endpoint_refresh(engine, endpoint);
    set_rare(endpoint, YT_ENDPOINT_BOOT, boot);
    return YT_OK;
}

bool yt_interface_is_boot(const yt_engine *engine, unsigned interface) {
    const yt_endpoint *endpoint = yt_endpoint_of(engine, interface);
    return endpoint && (endpoint->rare & YT_ENDPOINT_BOOT);
}

void yt_interface_set_idle(yt_engine *engine, unsigned interface, uint32_t idle_us) {
    yt_endpoint *endpoint = yt_endpoint_of(engine, interface);
    if (!endpoint)
        return;
    endpoint->idle_us = idle_us < IDLE_MOST ? idle_us : IDLE_MOST;
    set_rare(endpoint, YT_ENDPOINT_IDLE, idle_us != 0);
    engine->idles |= idle_us != 0;
}

uint32_t yt_interface_idle(const yt_engine *engine, unsigned interface) {
    const yt_endpoint *endpoint = yt_endpoint_of(engine, interface);
    return endpoint ? endpoint->idle_us : 0;
}

void yt_connector_reset(yt_engine *engine, unsigned connector) {
    for (unsigned i = 0; i < engine->interface_count; i++) {
        yt_endpoint *endpoint = &engine->endpoints[i];
        if (endpoint->interface->connector != connector)
            continue;
        endpoint->rare = 0;
        endpoint->asked_to_wake = false;
        endpoint->idle_us = endpoint->features = 0;
        yt_endpoint_drop_motion(engine, endpoint);
        yt_endpoint_refresh(engine, endpoint);
    }
}

static bool all_suspended(const yt_engine *engine) {
    for (unsigned i = 0; i < engine->interface_count; i++)
        if (!(engine->endpoints[i].rare & YT_ENDPOINT_SUSPENDED))
            return false;
    return engine->interface_count > 0;
}

/* When nobody is there any more, what is held ends, and that does not wake anybody. */
void yt_connector_suspend(yt_engine *engine, unsigned connector, bool suspended) {
    bool slept = all_suspended(engine);
    for (unsigned i = 0; i < engine->interface_count; i++) {
        yt_endpoint *endpoint = &engine->endpoints[i];
        if (endpoint->interface->connector != connector)
            continue;
        if (suspended && !(endpoint->rare & YT_ENDPOINT_SUSPENDED))
            yt_endpoint_drop_motion(engine, endpoint);
        set_rare(endpoint, YT_ENDPOINT_SUSPENDED, suspended);
        endpoint->asked_to_wake = false;
    }
    if (!slept && all_suspended(engine))
        yt_engine_cancel(engine);
}
