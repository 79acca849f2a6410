/* Reports to a host: which is ready, built, taken; and what a host gets that asked for reports with
 * nothing new. */
#include "out/sending.h"

/* The next report of an interface that has something for the host, taking turns; -1: none has. */
static int next_ready(const yt_engine *engine, const yt_endpoint *endpoint) {
    yt_sending *const *sendings = &engine->sendings[endpoint->interface->first_report];
    unsigned count = endpoint->interface->report_count, at = endpoint->next, left = count;
    do {
        if (sendings[at] && yt_sending_is_ready(sendings[at]))
            return (int)at;
        at = at + 1 < count ? at + 1 : 0;
    } while (--left > 0);
    return -1;
}

/* A host may have taken a report at a time that the engine has not come to yet. */
static uint32_t later(uint32_t a, uint32_t b) {
    return (int32_t)(a - b) > 0 ? a : b;
}

/* A report with its ID in front; `again`: as it stands, with nothing new. */
static size_t put_report(yt_engine *engine, yt_endpoint *endpoint, unsigned at, bool again,
                         uint8_t *bytes, uint32_t now_us) {
    endpoint->built = (uint8_t)at;
    endpoint->repeats = again;
    yt_sending *sending = engine->sendings[endpoint->interface->first_report + at];
    uint8_t id = yt_endpoint_report_id(endpoint, sending->report);
    uint8_t *body = id ? bytes + 1 : bytes;
    bool boot = endpoint->rare & YT_ENDPOINT_BOOT;
    size_t length = again ? yt_sending_state(engine, sending, boot, body)
                          : yt_sending_report(engine, sending, body, now_us);
    if (length == 0 || id == 0)
        return length;
    *bytes = id;
    return length + 1;
}

/* What is new, of the reports in turn. */
static size_t put_news(yt_engine *engine, yt_endpoint *endpoint, uint8_t *bytes, uint32_t now_us) {
    size_t length = 0;
    int at;
    while ((at = next_ready(engine, endpoint)) >= 0 && length == 0) {
        length = put_report(engine, endpoint, (unsigned)at, false, bytes, now_us);
        endpoint->next =
            (uint8_t)((unsigned)at + 1 < endpoint->interface->report_count ? at + 1 : 0);
    }
    endpoint->ready = at >= 0;
    return length;
}

/* The first report to the host is the one that is repeated where there is nothing new. */
static size_t put_again(yt_engine *engine, yt_endpoint *endpoint, uint8_t *bytes, uint32_t now_us) {
    if (!(endpoint->rare & YT_ENDPOINT_IDLE) || now_us - endpoint->taken_us < endpoint->idle_us)
        return 0;
    for (unsigned at = 0; at < endpoint->interface->report_count; at++)
        if (engine->sendings[endpoint->interface->first_report + at])
            return put_report(engine, endpoint, at, true, bytes, now_us);
    return 0;
}

uint32_t yt_endpoints_idle_in(const yt_engine *engine) {
    uint32_t least = YT_NO_WAIT, now_us = (uint32_t)engine->now_us;
    for (unsigned i = 0; engine->idles && i < engine->interface_count; i++) {
        const yt_endpoint *endpoint = &engine->endpoints[i];
        uint32_t gone = later(now_us, endpoint->taken_us) - endpoint->taken_us;
        if (!(endpoint->rare & YT_ENDPOINT_IDLE) || endpoint->armed ||
            (endpoint->rare & YT_ENDPOINT_SUSPENDED) || gone >= endpoint->idle_us)
            continue;
        uint32_t left = endpoint->idle_us - gone;
        least = left < least ? left : least;
    }
    return least;
}

yt_status yt_interface_report(yt_engine *engine, unsigned interface, uint8_t *bytes, size_t room,
                              size_t *length) {
    *length = 0;
    if (interface >= engine->interface_count)
        return YT_ARGUMENT;
    yt_endpoint *endpoint = &engine->endpoints[interface];
    if (room < endpoint->bytes) {
        *length = endpoint->bytes;
        return YT_ROOM;
    }
    if (endpoint->armed || (!endpoint->ready && !endpoint->rare) ||
        (endpoint->rare & YT_ENDPOINT_SUSPENDED))
        return YT_OK;
    uint32_t now_us = later((uint32_t)engine->now_us, endpoint->taken_us);
    if (endpoint->ready)
        *length = put_news(engine, endpoint, bytes, now_us);
    if (*length == 0 && endpoint->rare)
        *length = put_again(engine, endpoint, bytes, now_us);
    if (*length > 0) {
        endpoint->armed = true;
        endpoint->armed_us = now_us;
    }
    return YT_OK;
}

size_t yt_interface_bytes(const yt_engine *engine, unsigned interface) {
    return interface < engine->interface_count ? engine->endpoints[interface].bytes : 0;
}

void yt_interface_taken(yt_engine *engine, unsigned interface, uint64_t now_us) {
    yt_endpoint *endpoint = yt_endpoint_of(engine, interface);
    if (!endpoint || !endpoint->armed)
        return;
    now_us = yt_engine_time(engine, now_us);
    uint32_t left_us = (uint32_t)now_us - endpoint->armed_us;
    if ((int32_t)left_us > 0 && left_us > yt_endpoint_wait_us(engine))
        yt_endpoint_drop_motion(engine, endpoint);
    endpoint->armed = false;
    endpoint->taken_us = (uint32_t)now_us;
}

yt_status yt_interface_take_back(yt_engine *engine, unsigned interface, const uint8_t *bytes,
                                 size_t size) {
    yt_endpoint *endpoint = yt_endpoint_of(engine, interface);
    if (!endpoint || !endpoint->armed)
        return YT_ARGUMENT;
    yt_sending *sending = engine->sendings[endpoint->interface->first_report + endpoint->built];
    unsigned head = yt_endpoint_report_id(endpoint, sending->report) ? 1 : 0;
    bool boot = endpoint->rare & YT_ENDPOINT_BOOT;
    if (size < head + (boot ? YT_BOOT_MOUSE_BYTES : (size_t)sending->report->bytes))
        return YT_ARGUMENT;
    if (!endpoint->repeats && !yt_sending_take_back(engine, sending, bytes + head))
        return YT_FULL;
    endpoint->armed = false;
    endpoint->ready = true;
    endpoint->next = endpoint->built; /* it is its turn still */
    return YT_OK;
}
