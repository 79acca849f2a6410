/* What is asked of slots. What is written comes in pieces and counts when it is committed; each
 * change names the generation that the host saw. */
#include <string.h>

#include "inlining.h"
#include "link/parts.h"

/* ---- what a slot is ---- */

static bool is_slot(const yt_link *link, uint32_t slot) {
    return slot >= 1 && slot <= yt_link_store(link)->slots;
}

/* 0: nothing is in it that says so. */
static YT_NEVER_INLINE uint32_t generation_of(const yt_link *link, uint32_t slot) {
    yt_slot info;
    return yt_store_slot(yt_link_store(link), slot - 1, &info) == YT_OK ? info.generation : 0;
}

/* Whether there is such a slot, and it is as the host saw it. */
yt_result yt_link_look_at(const yt_link *link, yt_message *message) {
    if (!is_slot(link, message->slot))
        return yt_link_failed(message, YT_SLOT);
    uint32_t generation = generation_of(link, message->slot);
    if (generation == message->generation)
        return YT_RESULT_DONE;
    yt_link_clear(message);
    message->generation = generation;
    return YT_RESULT_CHANGED;
}

/* A name ends on a terminal: no control characters. */
bool yt_link_is_name(const yt_message *message) {
    for (unsigned i = 0; i < message->name_bytes; i++) {
        uint8_t byte = (uint8_t)message->name[i], next = (uint8_t)message->name[i + 1u];
        bool is_last = i + 1u == message->name_bytes;
        if (byte < 0x20 || byte == 0x7f || (byte == 0xc2 && !is_last && next < 0xa0))
            return false;
    }
    return true;
}

static YT_NEVER_INLINE yt_status tell_part(const yt_link *link, yt_message *message,
                                           yt_slot_part part) {
    yt_slot info;
    uint32_t slot = message->slot, kind = message->kind;
    yt_status status = yt_store_slot(yt_link_store(link), slot - 1, &info);
    if (status != YT_OK)
        return status;
    yt_link_clear(message);
    message->slot = slot;
    message->kind = kind;
    message->size = info.bytes[part];
    message->checksum = info.checksum[part];
    message->generation = info.generation;
    message->name_bytes = info.name_bytes;
    memcpy(message->name, info.name, info.name_bytes);
    return YT_OK;
}

yt_result yt_link_tell_slot(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    (void)turn;
    yt_slot_part part = message->kind == YT_LINK_OF_TEXT ? YT_SLOT_TEXT : YT_SLOT_PROGRAM;
    if (message->kind > YT_LINK_OF_TEXT)
        return YT_RESULT_UNKNOWN;
    yt_status status = is_slot(link, message->slot) ? tell_part(link, message, part) : YT_SLOT;
    return status == YT_OK ? YT_RESULT_DONE : yt_link_failed(message, status);
}

/* As many bytes as are wanted, fit, and are there. */
yt_result yt_link_read(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    uint32_t offset = message->offset, wanted = message->size, slot = message->slot;
    yt_slot_part part = message->kind == YT_LINK_OF_TEXT ? YT_SLOT_TEXT : YT_SLOT_PROGRAM;
    if (message->kind != YT_LINK_OF_TEXT && message->kind != YT_LINK_OF_PROGRAM)
        return YT_RESULT_UNKNOWN;
    yt_result result = yt_link_look_at(link, message);
    if (result != YT_RESULT_DONE)
        return result;
    yt_status status = tell_part(link, message, part);
    uint32_t all = message->size, most = yt_link_chunk(turn->session->way);
    if (status == YT_OK && offset > all)
        status = YT_ARGUMENT;
    if (status != YT_OK)
        return yt_link_failed(message, status);
    yt_link_clear(message);
    uint32_t size = wanted < all - offset ? wanted : all - offset;
    message->offset = offset;
    message->chunk_bytes = (uint8_t)(size < most ? size : most);
    status = yt_store_read(yt_link_store(link), slot - 1, part, offset, message->chunk,
                           message->chunk_bytes);
    return status == YT_OK ? YT_RESULT_DONE : yt_link_failed(message, status);
}

/* ---- changes ---- */

/* Whether a change may be made now: it is within what an hour allows, and needs no erase that may
 * not be. */
static yt_result may_change(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    bool is_over = link->hour_us + YT_LINK_HOUR_US <= turn->now_us;
    if (link->changes > 0 && is_over)
        link->changes = 0;
    if (link->changes >= YT_LINK_CHANGES) {
        yt_link_clear(message);
        message->wait_ms = (uint32_t)((link->hour_us + YT_LINK_HOUR_US - turn->now_us) / 1000);
        return YT_RESULT_SLOW;
    }
    return turn->may_erase || yt_store_ready(yt_link_store(link), 0) ? YT_RESULT_DONE
                                                                     : YT_RESULT_LATER;
}

/* What became of a change of a slot. */
yt_result yt_link_changed(yt_link *link, const yt_link_turn *turn, yt_message *message,
                          yt_status status) {
    uint32_t slot = message->slot;
    if (status != YT_OK)
        return yt_link_failed(message, status);
    if (link->changes++ == 0)
        link->hour_us = turn->now_us;
    yt_link_clear(message);
    message->generation = generation_of(link, slot);
    return YT_RESULT_DONE;
}

yt_result yt_link_before_change(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    yt_result result = yt_link_look_at(link, message);
    return result == YT_RESULT_DONE ? may_change(link, turn, message) : result;
}

static void name_of(const yt_message *message, char name[YT_MESSAGE_NAME + 1]) {
    memcpy(name, message->name, message->name_bytes);
    name[message->name_bytes] = 0;
}

yt_result yt_link_rename(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    char name[YT_MESSAGE_NAME + 1];
    if (!yt_link_is_name(message))
        return yt_link_failed(message, YT_ARGUMENT);
    yt_result result = yt_link_before_change(link, turn, message);
    if (result != YT_RESULT_DONE)
        return result;
    name_of(message, name);
    return yt_link_changed(link, turn, message,
                           yt_store_rename(yt_link_store(link), message->slot - 1, name));
}

yt_result yt_link_erase(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    yt_result result = yt_link_before_change(link, turn, message);
    if (result != YT_RESULT_DONE)
        return result;
    return yt_link_changed(link, turn, message,
                           yt_store_erase(yt_link_store(link), message->slot - 1));
}

/* `index`: the other slot. */
yt_result yt_link_swap(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    if (!is_slot(link, message->index))
        return yt_link_failed(message, YT_SLOT);
    yt_result result = yt_link_before_change(link, turn, message);
    if (result != YT_RESULT_DONE)
        return result;
    return yt_link_changed(
        link, turn, message,
        yt_store_swap(yt_link_store(link), message->slot - 1, message->index - 1));
}

/* `index`: the slot that it is copied to. It takes as long as its content is. */
yt_result yt_link_copy(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    if (!is_slot(link, message->index))
        return yt_link_failed(message, YT_SLOT);
    yt_result result = yt_link_before_change(link, turn, message);
    if (result != YT_RESULT_DONE)
        return result;
    if (!turn->may_erase)
        return YT_RESULT_LATER;
    yt_status status = yt_store_copy(yt_link_store(link), message->slot - 1, message->index - 1);
    message->slot = message->index;
    return yt_link_changed(link, turn, message, status);
}

yt_result yt_link_activate(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    if (!is_slot(link, message->slot))
        return yt_link_failed(message, YT_SLOT);
    yt_status status = yt_adapter_go(link->parts->adapter, message->slot - 1, turn->now_us);
    yt_link_clear(message);
    return status == YT_OK ? YT_RESULT_DONE : yt_link_failed(message, status);
}
