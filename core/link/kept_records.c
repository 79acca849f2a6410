/* Settings and calibrations that a host writes: gathered in memory, looked over, then kept. */
#include "inlining.h"
#include "link/parts.h"

#define CALIBRATIONS_MOST sizeof(yt_calibration)

/* Devices that are attached take the calibrations that are kept now. */
void yt_link_calibrate_all(yt_link *link) {
    const yt_link_parts *parts = link->parts;
    for (unsigned i = 0; i < YT_DEVICES && parts->device; i++) {
        const yt_device *device = yt_engine_inputs_of(parts->adapter->parts->engine, i)
                                      ? parts->device(parts->context, i)
                                      : NULL;
        if (device)
            yt_adapter_calibrate(parts->adapter, device, i);
    }
}

yt_status yt_link_record_fits(const yt_link *link, uint32_t kind, uint32_t size) {
    size_t most = kind == YT_LINK_OF_SETTINGS ? link->parts->adapter->parts->settings_room
                                              : CALIBRATIONS_MOST;
    return size > 0 && size <= most && size <= link->parts->record_room ? YT_OK : YT_ROOM;
}

/* Settings that this firmware does not know are kept; those that nothing could be made of are
 * refused, and so is a name that may not be given. */
static YT_NEVER_INLINE yt_status check_settings(const uint8_t *settings, size_t size) {
    char name[YT_SETTINGS_TEXT + 1];
    size_t length = 0;
    yt_status status = yt_settings_check(settings, size);
    if (status != YT_OK)
        return status;
    yt_settings_text(settings, size, YT_SETTING_NAME, name);
    while (name[length])
        length++;
    return yt_link_is_name(name, length) ? YT_OK : YT_ARGUMENT;
}

static yt_result keep_settings(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    yt_store *store = yt_link_store(link);
    yt_status status = check_settings((const uint8_t *)link->parts->record, link->record_bytes);
    yt_result result = yt_link_look_at(link, message);
    if (result != YT_RESULT_DONE)
        return result;
    if (status == YT_OK)
        result = yt_link_room_for(link, turn, link->record_bytes);
    if (result != YT_RESULT_DONE)
        return result;
    if (status == YT_OK)
        status = yt_store_set(store, link->parts->record, link->record_bytes);
    if (status == YT_OK)
        yt_adapter_read_settings(link->parts->adapter);
    return yt_link_changed(link, message, status);
}

/* A calibration goes where that of its part is: the place that the host names must be that one. */
yt_result yt_link_keep_calibration(yt_link *link, const yt_link_turn *turn, yt_message *message,
                                   size_t bytes) {
    yt_store *store = yt_link_store(link);
    const void *record = link->parts->record;
    yt_status status = yt_calibration_check(record, bytes);
    if (status != YT_OK)
        return yt_link_failed(message, status);
    uint32_t place = yt_store_place_for(store, record) + 1, slot = message->slot;
    message->kind = YT_LINK_OF_CALIBRATION;
    message->slot = place;
    if (place > YT_STORE_CALIBRATIONS)
        return yt_link_failed(message, YT_STORE_FULL);
    yt_result result = yt_link_look_at(link, message);
    if (result == YT_RESULT_DONE)
        result = yt_link_room_for(link, turn, (uint32_t)bytes);
    if (result == YT_RESULT_DONE) {
        status = yt_store_calibrate(store, record, bytes);
        if (status == YT_OK)
            yt_link_calibrate_all(link);
        result = yt_link_changed(link, message, status);
    }
    if (result == YT_RESULT_LATER)
        message->slot = slot;
    if (result == YT_RESULT_DONE || result == YT_RESULT_CHANGED)
        message->slot = place;
    return result;
}

yt_result yt_link_commit_record(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    return link->stage_kind == YT_LINK_OF_SETTINGS
               ? keep_settings(link, turn, message)
               : yt_link_keep_calibration(link, turn, message, link->record_bytes);
}
