/* What is asked of slots. What is written comes in pieces and counts when it is committed; each
 * change names the generation that the host saw. */
#include "inlining.h"
#include "link/parts.h"
#include "link/text.h"

/* ---- what is there ---- */

bool yt_link_is_slot(const yt_link *link, uint32_t slot) {
    return slot >= 1 && slot <= yt_link_store(link)->slots;
}

unsigned yt_link_place(const yt_message *message) {
    if (message->kind == YT_LINK_OF_SETTINGS)
        return YT_STORE_SETTINGS;
    return message->slot >= 1 && message->slot <= YT_STORE_CALIBRATIONS
               ? (unsigned)message->slot - 1
               : YT_STORE_SETTINGS + 1;
}

/* 0: nothing is in it that says so. */
static YT_NEVER_INLINE uint32_t generation_of(const yt_link *link, uint32_t slot) {
    yt_slot info;
    return yt_store_slot(yt_link_store(link), slot - 1, &info) == YT_OK ? info.generation : 0;
}

static uint32_t generation_at(const yt_link *link, unsigned place) {
    yt_kept kept;
    return yt_store_kept(yt_link_store(link), place, &kept) == YT_OK ? kept.generation : 0;
}

yt_result yt_link_look_at(const yt_link *link, yt_message *message) {
    bool is_record = message->kind > YT_LINK_OF_KEPT;
    unsigned place = yt_link_place(message);
    if (is_record ? place > YT_STORE_SETTINGS : !yt_link_is_slot(link, message->slot))
        return yt_link_failed(message, YT_SLOT);
    uint32_t generation =
        is_record ? generation_at(link, place) : generation_of(link, message->slot);
    if (generation == message->generation)
        return YT_RESULT_DONE;
    yt_link_clear(message);
    message->generation = generation;
    return YT_RESULT_CHANGED;
}

bool yt_link_is_name(const char *name, size_t size) {
    for (size_t i = 0; i < size; i++) {
        uint8_t byte = (uint8_t)name[i], next = (uint8_t)name[i + 1];
        if (byte < 0x20 || byte == 0x7f || (byte == 0xc2 && next < 0xa0))
            return false;
    }
    return yt_is_utf8((const uint8_t *)name, size);
}

const char *yt_link_name(yt_message *message) {
    message->name[message->name_bytes] = 0;
    return yt_link_is_name(message->name, message->name_bytes) ? message->name : NULL;
}

/* ---- changes ---- */

yt_result yt_link_rate(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    uint64_t until_us = link->hour_us + YT_LINK_HOUR_US;
    if (until_us <= turn->now_us)
        link->changes = 0;
    if (link->changes < YT_LINK_CHANGES)
        return YT_RESULT_DONE;
    yt_link_clear(message);
    message->wait_ms = (uint32_t)((until_us - turn->now_us) / 1000);
    return YT_RESULT_SLOW;
}

void yt_link_count(yt_link *link, uint64_t now_us) {
    if (link->changes++ == 0)
        link->hour_us = now_us;
}

yt_result yt_link_may_write(const yt_link *link, const yt_link_turn *turn) {
    return yt_store_ready(yt_link_store(link), 0) || (turn->may_erase && link->has_cleared)
               ? YT_RESULT_DONE
               : YT_RESULT_LATER;
}

yt_result yt_link_changed(const yt_link *link, yt_message *message, yt_status status) {
    bool is_record = message->kind > YT_LINK_OF_KEPT;
    unsigned place = yt_link_place(message);
    uint32_t slot = message->slot;
    if (status != YT_OK)
        return yt_link_failed(message, status);
    yt_link_clear(message);
    message->generation = is_record ? generation_at(link, place) : generation_of(link, slot);
    return YT_RESULT_DONE;
}

yt_result yt_link_before(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    yt_result result = yt_link_look_at(link, message);
    if (result == YT_RESULT_DONE)
        result = yt_link_rate(link, turn, message);
    return result == YT_RESULT_DONE ? yt_link_may_write(link, turn) : result;
}

yt_result yt_link_look_at_both(const yt_link *link, yt_message *message) {
    if (!yt_link_is_slot(link, message->slot) || !yt_link_is_slot(link, message->index))
        return yt_link_failed(message, YT_SLOT);
    uint32_t generation = generation_of(link, message->index);
    if (generation == (uint32_t)message->value)
        return yt_link_look_at(link, message);
    yt_link_clear(message);
    message->value = (int32_t)generation;
    return YT_RESULT_CHANGED;
}

yt_result yt_link_after(yt_link *link, const yt_link_turn *turn, yt_message *message,
                        yt_status status) {
    if (status == YT_OK)
        yt_link_count(link, turn->now_us);
    return yt_link_changed(link, message, status);
}

yt_result yt_link_rename(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    const char *name = yt_link_name(message);
    if (!name)
        return yt_link_failed(message, YT_ARGUMENT);
    yt_result result = yt_link_before(link, turn, message);
    if (result != YT_RESULT_DONE)
        return result;
    yt_status status = yt_store_rename(yt_link_store(link), message->slot - 1, name);
    return yt_link_after(link, turn, message, status);
}

/* A slot, a calibration or all settings. */
yt_result yt_link_erase(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    yt_store *store = yt_link_store(link);
    uint32_t kind = message->kind, slot = message->slot;
    if (kind > YT_LINK_OF_CALIBRATION)
        return YT_RESULT_UNKNOWN;
    if (kind == YT_LINK_OF_SETTINGS && yt_link_is_busy(link, turn, message))
        return YT_RESULT_BUSY; /* it writes content */
    yt_result result = yt_link_before(link, turn, message);
    if (result != YT_RESULT_DONE)
        return result;
    yt_status status = kind == YT_LINK_OF_SETTINGS ? yt_adapter_reset_settings(link->parts->adapter)
                       : kind == YT_LINK_OF_CALIBRATION ? yt_store_forget(store, slot - 1)
                                                        : yt_store_erase(store, slot - 1);
    if (kind == YT_LINK_OF_CALIBRATION && status == YT_OK)
        yt_link_calibrate_all(link);
    return yt_link_after(link, turn, message, status);
}

yt_result yt_link_swap(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    message->kind = YT_LINK_NO_KIND;
    yt_result result = yt_link_look_at_both(link, message);
    if (result == YT_RESULT_DONE)
        result = yt_link_before(link, turn, message);
    if (result != YT_RESULT_DONE)
        return result;
    yt_status status = yt_store_swap(yt_link_store(link), message->slot - 1, message->index - 1);
    return yt_link_after(link, turn, message, status);
}

#define COPY_BYTES 128u /* at a time */

static YT_NEVER_INLINE yt_result begin_copy(yt_link *link, const yt_link_turn *turn,
                                            yt_message *message) {
    yt_store *store = yt_link_store(link);
    yt_slot info;
    yt_status status = yt_store_slot(store, message->slot - 1, &info);
    if (status != YT_OK)
        return yt_link_failed(message, status);
    yt_result result = yt_link_room_for(link, turn, info.bytes[0] + info.bytes[1]);
    if (result != YT_RESULT_DONE)
        return result;
    yt_link_drop(link); /* what the session was writing: the store writes one thing at a time */
    status = yt_store_copy_begin(store, message->slot - 1, message->index - 1);
    if (status != YT_OK)
        return yt_link_failed(message, status);
    yt_link_count(link, turn->now_us);
    return YT_RESULT_DONE;
}

/* It takes as long as its content is: a part each time. */
yt_result yt_link_copy(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    yt_store *store = yt_link_store(link);
    uint32_t from = message->slot - 1, to = message->index - 1;
    message->kind = YT_LINK_NO_KIND;
    yt_result result = yt_link_look_at_both(link, message);
    if (result != YT_RESULT_DONE)
        return result;
    if (yt_link_is_busy(link, turn, message))
        return YT_RESULT_BUSY;
    if (from == to)
        return yt_link_changed(link, message, YT_OK);
    if (link->progress == 0) {
        result = yt_link_rate(link, turn, message);
        if (result == YT_RESULT_DONE)
            result = begin_copy(link, turn, message);
        if (result != YT_RESULT_DONE)
            return result;
    }
    yt_status status = yt_store_copy_go_on(store, from, COPY_BYTES);
    yt_link_go_on(link, turn);
    if (status == YT_OK)
        return YT_RESULT_LATER;
    message->slot = to + 1;
    return yt_link_changed(link, message, status == YT_END ? YT_OK : status);
}

/* What is to be kept of the slot before is kept first; which slot is active is kept a second later.
 */
yt_result yt_link_activate(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    message->kind = YT_LINK_NO_KIND;
    yt_result result = yt_link_before(link, turn, message);
    if (result != YT_RESULT_DONE)
        return result;
    yt_status status = yt_adapter_go(link->parts->adapter, message->slot - 1, turn->now_us);
    return yt_link_after(link, turn, message, status);
}
