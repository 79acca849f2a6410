/* The steps of calibrating, asked for by a host. */
#include "link/parts.h"

static bool is_of(const yt_link *link, const yt_link_turn *turn) {
    return link->calibration->is_on && link->calibration->session == turn->session - link->sessions;
}

/* Another session is in the middle of it. */
static bool is_taken(const yt_link *link, const yt_link_turn *turn) {
    const yt_link_calibration *at = link->calibration;
    const yt_link_session *session = &link->sessions[at->session];
    return at->is_on && !is_of(link, turn) && session->token != 0 &&
           session->heard_us + YT_LINK_SILENT_US > turn->now_us;
}

/* The numbers of its controls in the program, two bytes each, the lowest first. */
static void take_controls(const yt_message *message, uint16_t *controls) {
    for (unsigned i = 0; i < YT_CALIBRATION_CONTROLS; i++)
        controls[i] = 2 * i + 1 < message->chunk_bytes
                          ? (uint16_t)(message->chunk[2 * i] | message->chunk[2 * i + 1] << 8)
                          : UINT16_MAX;
}

static yt_status begin(yt_link *link, const yt_message *message, unsigned number) {
    const yt_link_parts *parts = link->parts;
    const yt_engine *engine = parts->adapter->parts->engine;
    yt_calibration_part part = {.kind = (uint8_t)message->value};
    uint16_t controls[YT_CALIBRATION_CONTROLS];
    const yt_device *device = number < YT_DEVICES && yt_engine_inputs_of(engine, number)
                                  ? parts->device(parts->context, number)
                                  : NULL;
    if (!device || message->value < 0 || message->value > UINT8_MAX)
        return YT_ARGUMENT;
    take_controls(message, controls);
    yt_calibration_part_of(&part, device);
    yt_status status = yt_calibration_find(&part, engine, number, controls);
    return status == YT_OK
               ? yt_calibrating_begin(&link->calibration->gathering, &part, message->size)
               : status;
}

/* `index`: the device, from 1. `value`: which kind of part. `size`: a gate's notches. */
static yt_result calibrate(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    yt_link_calibration *at = link->calibration;
    unsigned number = (unsigned)message->index - 1;
    if (is_taken(link, turn)) {
        yt_link_clear(message);
        message->wait_ms = YT_LINK_SILENT_US / 1000;
        return YT_RESULT_BUSY;
    }
    at->is_on = false;
    yt_status status = begin(link, message, number);
    if (status != YT_OK)
        return yt_link_failed(message, status);
    at->is_on = true;
    at->number = (uint8_t)number;
    at->session = (uint8_t)(turn->session - link->sessions);
    yt_link_clear(message);
    return YT_RESULT_DONE;
}

static void put(yt_message *message, int16_t value) {
    message->chunk[message->chunk_bytes++] = (uint8_t)value;
    message->chunk[message->chunk_bytes++] = (uint8_t)((uint16_t)value >> 8);
}

/* `index`: what is to be done. `value`: percent. `size`: the state. `checksum`: what is covered. */
static yt_result tell(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    yt_calibration_news news;
    if (!is_of(link, turn))
        return yt_link_failed(message, YT_ARGUMENT);
    yt_calibrating_tell(&link->calibration->gathering, &news);
    yt_link_clear(message);
    message->index = news.advice;
    message->value = news.percent;
    message->size = news.state;
    message->checksum = news.covered;
    for (unsigned i = 0; i < YT_CALIBRATION_CONTROLS; i++)
        put(message, news.at[i]);
    for (unsigned i = 0; i < YT_CALIBRATION_CONTROLS; i++)
        put(message, news.rest[i]);
    put(message, (int16_t)news.notches);
    put(message, news.notch_missing);
    return YT_RESULT_DONE;
}

/* What failed goes on being gathered. `generation`: of the calibration that it takes the place of.
 */
static yt_result end(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    yt_calibration *record = (yt_calibration *)link->parts->record;
    if (!is_of(link, turn))
        return yt_link_failed(message, YT_ARGUMENT);
    if (yt_link_is_busy(link, turn, message))
        return YT_RESULT_BUSY;
    yt_result result = yt_link_rate(link, turn, message);
    if (result != YT_RESULT_DONE)
        return result;
    yt_link_drop(link);
    yt_status status = yt_calibrating_end(&link->calibration->gathering, record);
    if (status != YT_OK)
        return yt_link_failed(message, status);
    result = yt_link_keep_calibration(link, turn, message, record->bytes);
    if (result == YT_RESULT_DONE) {
        link->calibration->is_on = false;
        yt_link_count(link, turn->now_us);
    }
    return result;
}

static void report(yt_link *link, unsigned number, const uint8_t *bytes, size_t size,
                   uint64_t now_us) {
    yt_link_calibration *at = link->calibration;
    if (at->is_on && at->number == number)
        yt_calibrating_report(&at->gathering, bytes, size, now_us);
}

yt_status yt_link_calibrates(yt_link *link, yt_link_calibration *room) {
    static const yt_link_calibration_calls calls = {calibrate, tell, end, report};
    const yt_link_parts *parts = link->parts;
    if (!parts->device || !parts->record || parts->record_room < sizeof(yt_calibration))
        return YT_ARGUMENT;
    room->is_on = false;
    link->calibration = room;
    link->calls = &calls;
    return YT_OK;
}
