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

/* A name ends on a terminal: no control characters, of one byte or two. */
bool yt_link_name(const yt_message *message, char name[YT_MESSAGE_NAME + 1]) {
    memcpy(name, message->name, message->name_bytes);
    name[message->name_bytes] = 0;
    for (unsigned i = 0; i < message->name_bytes; i++) {
        uint8_t byte = (uint8_t)name[i], next = (uint8_t)name[i + 1u];
        if (byte < 0x20 || byte == 0x7f || (byte == 0xc2 && next < 0xa0))
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
    return turn->may_erase || yt_store_ready(yt_link_store(link), 0) ? YT_RESULT_DONE
                                                                     : YT_RESULT_LATER;
}

yt_result yt_link_changed(const yt_link *link, yt_message *message, yt_status status) {
    uint32_t slot = message->slot;
    if (status != YT_OK)
        return yt_link_failed(message, status);
    yt_link_clear(message);
    message->generation = generation_of(link, slot);
    return YT_RESULT_DONE;
}

/* Whether a slot may be changed now. */
static yt_result before(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    yt_result result = yt_link_look_at(link, message);
    if (result == YT_RESULT_DONE)
        result = yt_link_rate(link, turn, message);
    return result == YT_RESULT_DONE ? yt_link_may_write(link, turn) : result;
}

/* The same where another slot, `index`, is changed, which the host saw as `value` says. */
static yt_result before_both(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    if (!is_slot(link, message->slot) || !is_slot(link, message->index))
        return yt_link_failed(message, YT_SLOT);
    uint32_t generation = generation_of(link, message->index);
    if (generation == (uint32_t)message->value)
        return before(link, turn, message);
    yt_link_clear(message);
    message->value = (int32_t)generation;
    return YT_RESULT_CHANGED;
}

static yt_result after(yt_link *link, const yt_link_turn *turn, yt_message *message,
                       yt_status status) {
    if (status == YT_OK)
        yt_link_count(link, turn->now_us);
    return yt_link_changed(link, message, status);
}

yt_result yt_link_rename(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    char name[YT_MESSAGE_NAME + 1];
    if (!yt_link_name(message, name))
        return yt_link_failed(message, YT_ARGUMENT);
    yt_result result = before(link, turn, message);
    if (result != YT_RESULT_DONE)
        return result;
    yt_status status = yt_store_rename(yt_link_store(link), message->slot - 1, name);
    return after(link, turn, message, status);
}

yt_result yt_link_erase(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    yt_result result = before(link, turn, message);
    if (result != YT_RESULT_DONE)
        return result;
    return after(link, turn, message, yt_store_erase(yt_link_store(link), message->slot - 1));
}

yt_result yt_link_swap(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    yt_result result = before_both(link, turn, message);
    if (result != YT_RESULT_DONE)
        return result;
    yt_status status = yt_store_swap(yt_link_store(link), message->slot - 1, message->index - 1);
    return after(link, turn, message, status);
}

/* It takes as long as its content is, and may erase. */
yt_result yt_link_copy(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    yt_result result = before_both(link, turn, message);
    if (result != YT_RESULT_DONE || !turn->may_erase)
        return result == YT_RESULT_DONE ? YT_RESULT_LATER : result;
    yt_status status = yt_store_copy(yt_link_store(link), message->slot - 1, message->index - 1);
    message->slot = message->index;
    return after(link, turn, message, status);
}

/* What is to be kept of the slot before is kept first; which slot is active is kept a second later.
 */
yt_result yt_link_activate(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    if (!is_slot(link, message->slot))
        return yt_link_failed(message, YT_SLOT);
    yt_result result = yt_link_rate(link, turn, message);
    if (result == YT_RESULT_DONE)
        result = yt_link_may_write(link, turn);
    if (result != YT_RESULT_DONE)
        return result;
    yt_status status = yt_adapter_go(link->parts->adapter, message->slot - 1, turn->now_us);
    return after(link, turn, message, status);
}
