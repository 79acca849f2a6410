/* Content on its way: announced, written in order, looked over, committed. Nothing changes before,
 * and where it stops half-way it can go on. */
#include "link/parts.h"
#include "yonder/image/program.h"

#define NOTHING UINT32_MAX

/* Bytes that came, if what is announced is what is being written; else NOTHING. */
static uint32_t so_far(const yt_link *link) {
    return link->stage_slot > 0 ? yt_store_staged(yt_link_store(link), link->stage_slot - 1u)
                                : NOTHING;
}

static bool is_of(const yt_link *link, const yt_link_turn *turn) {
    return link->stage_session == turn->session - link->sessions;
}

/* Another session is in the middle of it. */
static bool is_busy(const yt_link *link, const yt_link_turn *turn) {
    return so_far(link) != NOTHING && !is_of(link, turn) &&
           turn->now_us - link->stage_us < YT_LINK_SILENT_US;
}

static yt_result busy(const yt_link *link, const yt_link_turn *turn, yt_message *message) {
    uint64_t until_us = link->stage_us + YT_LINK_SILENT_US;
    yt_link_clear(message);
    message->wait_ms = (uint32_t)((until_us - turn->now_us) / 1000 + 1);
    return YT_RESULT_BUSY;
}

static yt_result tell_offset(yt_message *message, uint32_t offset, yt_result result) {
    yt_link_clear(message);
    message->offset = offset;
    return result;
}

static void make_room(yt_link *link, uint32_t bytes) {
    yt_store *store = yt_link_store(link);
    if (!link->makes_room)
        link->ready_before = store->keep_ready;
    link->makes_room = true;
    if (store->keep_ready < bytes)
        yt_store_keep_ready(store, bytes);
}

void yt_link_room_made(yt_link *link) {
    if (link->makes_room)
        yt_store_keep_ready(yt_link_store(link), link->ready_before);
    link->makes_room = false;
}

/* What is announced is what was announced before, and some of it is there. */
static bool goes_on(const yt_link *link, const yt_message *message) {
    return so_far(link) != NOTHING && link->stage_slot == message->slot &&
           link->stage_bytes[YT_SLOT_PROGRAM] == message->size &&
           link->stage_bytes[YT_SLOT_TEXT] == (uint32_t)message->value &&
           link->stage_checksum == message->checksum;
}

/* `size`: of the program. `value`: of the text behind it. `checksum`: of both. */
yt_result yt_link_stage(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    yt_store *store = yt_link_store(link);
    uint32_t size = message->size, text = (uint32_t)message->value;
    if (message->value < 0 || size > YT_STORE_FLASH_BYTES)
        return yt_link_failed(message, YT_STORE_FULL);
    if (is_busy(link, turn))
        return busy(link, turn, message);
    yt_result result = yt_link_look_at(link, message);
    if (result == YT_RESULT_DONE && !goes_on(link, message))
        result = yt_link_rate(link, turn, message);
    if (result != YT_RESULT_DONE)
        return result;
    link->stage_session = (uint8_t)(turn->session - link->sessions);
    link->stage_us = turn->now_us;
    if (goes_on(link, message))
        return tell_offset(message, so_far(link), YT_RESULT_DONE);
    if (!turn->may_erase && !yt_store_ready(store, size + text)) {
        make_room(link, size + text);
        return YT_RESULT_LATER;
    }
    yt_link_room_made(link);
    link->stage_slot = 0;
    yt_status status = yt_store_begin(store, message->slot - 1, size, text);
    if (status != YT_OK)
        return yt_link_failed(message, status);
    yt_link_count(link, turn->now_us);
    link->stage_slot = (uint8_t)message->slot;
    link->stage_bytes[YT_SLOT_PROGRAM] = size;
    link->stage_bytes[YT_SLOT_TEXT] = text;
    link->stage_checksum = message->checksum;
    link->stage_so_far = 0;
    return tell_offset(message, 0, YT_RESULT_DONE);
}

/* Bytes that came already are not looked at again. */
yt_result yt_link_write(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    uint32_t have = so_far(link), offset = message->offset, size = message->chunk_bytes;
    if (is_busy(link, turn))
        return busy(link, turn, message);
    if (have == NOTHING || !is_of(link, turn))
        return yt_link_failed(message, YT_ARGUMENT);
    if (offset > have)
        return tell_offset(message, have, YT_RESULT_ORDER);
    link->stage_us = turn->now_us;
    uint32_t known = have - offset < size ? have - offset : size, fresh = size - known;
    yt_status status = yt_store_piece(yt_link_store(link), message->chunk + known, fresh);
    if (status != YT_OK) {
        if (status != YT_ARGUMENT)
            link->stage_slot = 0;
        return yt_link_failed(message, status);
    }
    link->stage_so_far = yt_checksum(link->stage_so_far, message->chunk + known, fresh);
    return tell_offset(message, have + fresh, YT_RESULT_DONE);
}

/* A program that could not run is refused before it takes the place of one that does, where the
 * flash is mapped; else when it is loaded. */
static yt_status look_over(const yt_link *link) {
    yt_program program;
    const void *image = yt_store_staged_program(yt_link_store(link));
    if (link->stage_so_far != link->stage_checksum)
        return YT_PROGRAM_CHECKSUM;
    return image ? yt_program_check(&program, image, link->stage_bytes[YT_SLOT_PROGRAM]) : YT_OK;
}

/* `name`: of the slot from then on; none: that which it has. */
yt_result yt_link_commit(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    uint32_t have = so_far(link);
    char name[YT_MESSAGE_NAME + 1];
    if (is_busy(link, turn))
        return busy(link, turn, message);
    if (have == NOTHING || !is_of(link, turn) || link->stage_slot != message->slot ||
        !yt_link_name(message, name))
        return yt_link_failed(message, YT_ARGUMENT);
    if (have != link->stage_bytes[YT_SLOT_PROGRAM] + link->stage_bytes[YT_SLOT_TEXT])
        return tell_offset(message, have, YT_RESULT_ORDER);
    yt_result result = yt_link_look_at(link, message);
    if (result == YT_RESULT_DONE)
        result = yt_link_may_write(link, turn);
    if (result != YT_RESULT_DONE)
        return result;
    link->stage_slot = 0;
    yt_status status = look_over(link);
    if (status == YT_OK)
        status = yt_store_commit(yt_link_store(link), message->name_bytes ? name : NULL);
    yt_store_give_up(yt_link_store(link));
    return yt_link_changed(link, message, status);
}

yt_result yt_link_give_up(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    if (is_busy(link, turn))
        return busy(link, turn, message);
    if (so_far(link) != NOTHING)
        yt_store_give_up(yt_link_store(link));
    link->stage_slot = 0;
    yt_link_clear(message);
    return YT_RESULT_DONE;
}
