/* Content on its way: announced, written in order, looked over, committed. Nothing changes before,
 * and where it stops half-way it can go on. */
#include <string.h>

#include "link/parts.h"
#include "yonder/image/program.h"

#define NOTHING       UINT32_MAX
#define CHECK_ENTRIES 4u /* of a program, at a time */

static bool is_record(const yt_link *link) {
    return link->stage_kind > YT_LINK_OF_KEPT;
}

/* Bytes that came, if what is announced is what is being written; else NOTHING. */
static uint32_t so_far(const yt_link *link) {
    if (link->stage_kind == YT_LINK_NO_KIND)
        return NOTHING;
    if (is_record(link))
        return link->record_so_far;
    uint32_t staged = yt_store_staged(yt_link_store(link), link->stage_slot - 1u);
    return staged == NOTHING ? NOTHING : staged + link->kept_so_far;
}

/* Of a slot, without what is kept with it. */
static uint32_t content_bytes(const yt_link *link) {
    return link->stage_bytes[YT_SLOT_PROGRAM] + link->stage_bytes[YT_SLOT_TEXT];
}

static uint32_t all_bytes(const yt_link *link) {
    return is_record(link) ? link->record_bytes : content_bytes(link) + link->stage_kept;
}

static bool is_of(const yt_link *link, const yt_link_turn *turn) {
    return link->stage_session == turn->session - link->sessions;
}

bool yt_link_is_busy(const yt_link *link, const yt_link_turn *turn, yt_message *message) {
    uint64_t until_us = link->stage_us + YT_LINK_SILENT_US;
    if (so_far(link) == NOTHING || is_of(link, turn) || turn->now_us >= until_us)
        return false;
    yt_link_clear(message);
    message->wait_ms = (uint32_t)((until_us - turn->now_us) / 1000 + 1);
    return true;
}

void yt_link_drop(yt_link *link) {
    if (link->stage_kind != YT_LINK_NO_KIND && !is_record(link) && so_far(link) != NOTHING)
        yt_store_give_up(yt_link_store(link));
    link->stage_kind = YT_LINK_NO_KIND;
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

/* Waits while the store clears away, a sector at a time. Where it can do no more, it is tried all
 * the same: a flash that is nearly full is never ready. */
yt_result yt_link_room_for(yt_link *link, const yt_link_turn *turn, uint32_t bytes) {
    if (!yt_store_ready(yt_link_store(link), bytes) && !(turn->may_erase && link->has_cleared)) {
        make_room(link, bytes);
        return YT_RESULT_LATER;
    }
    yt_link_room_made(link);
    return YT_RESULT_DONE;
}

/* ---- announced ---- */

/* What is announced is what was announced before, and some of it is there. */
static bool goes_on(const yt_link *link, const yt_message *message) {
    if (so_far(link) == NOTHING || link->stage_slot != message->slot ||
        link->stage_checksum != message->checksum)
        return false;
    if (is_record(link))
        return link->stage_kind == message->kind && link->record_bytes == message->size;
    return message->kind <= YT_LINK_OF_KEPT &&
           link->stage_bytes[YT_SLOT_PROGRAM] == message->size &&
           link->stage_bytes[YT_SLOT_TEXT] == (uint32_t)message->value &&
           link->stage_kept == message->index;
}

static yt_status begin_record(yt_link *link, const yt_message *message) {
    yt_status status = yt_link_record_fits(link, message->kind, message->size);
    if (status != YT_OK)
        return status;
    yt_link_drop(link);
    link->record_bytes = message->size;
    link->record_so_far = 0;
    link->stage_kind = (uint8_t)message->kind;
    return YT_OK;
}

static yt_status begin_slot(yt_link *link, const yt_message *message) {
    uint32_t text = (uint32_t)message->value;
    link->stage_kind = YT_LINK_NO_KIND;
    yt_status status = yt_store_begin(yt_link_store(link), message->slot - 1, message->size, text);
    if (status != YT_OK)
        return status;
    link->stage_bytes[YT_SLOT_PROGRAM] = message->size;
    link->stage_bytes[YT_SLOT_TEXT] = text;
    link->stage_kept = (uint8_t)message->index;
    link->kept_so_far = 0;
    link->stage_kind = YT_LINK_OF_PROGRAM;
    return YT_OK;
}

/* `size`: of the program, or of a record. `value`: of the text behind it. `index`: of what is kept,
 * behind that. `checksum`: of all. */
yt_result yt_link_stage(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    bool slot = message->kind <= YT_LINK_OF_KEPT;
    uint32_t size = message->size, text = (uint32_t)message->value;
    yt_result result = YT_RESULT_DONE;
    if (message->kind > YT_LINK_OF_CALIBRATION)
        return YT_RESULT_UNKNOWN;
    if (slot &&
        (message->value < 0 || size > YT_STORE_FLASH_BYTES || message->index > YT_STORE_KEPT))
        return yt_link_failed(message, message->index > YT_STORE_KEPT ? YT_ROOM : YT_STORE_FULL);
    if (yt_link_is_busy(link, turn, message))
        return YT_RESULT_BUSY;
    if (slot) /* a calibration tells its place at the end */
        result = yt_link_look_at(link, message);
    if (result == YT_RESULT_DONE && !goes_on(link, message))
        result = yt_link_rate(link, turn, message);
    if (result != YT_RESULT_DONE)
        return result;
    link->stage_session = (uint8_t)(turn->session - link->sessions);
    link->stage_us = turn->now_us;
    if (goes_on(link, message))
        return tell_offset(message, so_far(link), YT_RESULT_DONE);
    if (slot)
        result = yt_link_room_for(link, turn, size + text);
    if (result != YT_RESULT_DONE)
        return result;
    yt_status status = slot ? begin_slot(link, message) : begin_record(link, message);
    if (status != YT_OK)
        return yt_link_failed(message, status);
    yt_link_count(link, turn->now_us);
    link->stage_slot = (uint8_t)message->slot;
    link->stage_checksum = message->checksum;
    link->stage_so_far = 0;
    return tell_offset(message, 0, YT_RESULT_DONE);
}

/* ---- written ---- */

/* What is kept with a slot comes behind its content. */
static yt_status take_slot_bytes(yt_link *link, const uint8_t *bytes, uint32_t size, uint32_t at) {
    uint32_t all = content_bytes(link), left = at < all ? all - at : 0;
    uint32_t content = size < left ? size : left, kept = size - content;
    if (kept > (uint32_t)link->stage_kept - link->kept_so_far)
        return YT_ARGUMENT;
    yt_status status = content > 0 ? yt_store_piece(yt_link_store(link), bytes, content) : YT_OK;
    if (status != YT_OK)
        return status;
    memcpy(link->kept + link->kept_so_far, bytes + content, kept);
    link->kept_so_far = (uint8_t)(link->kept_so_far + kept);
    return YT_OK;
}

static yt_status take_bytes(yt_link *link, const uint8_t *bytes, uint32_t size, uint32_t at) {
    if (!is_record(link))
        return take_slot_bytes(link, bytes, size, at);
    if (size > link->record_bytes - link->record_so_far)
        return YT_ARGUMENT;
    memcpy((uint8_t *)link->parts->record + at, bytes, size);
    link->record_so_far += size;
    return YT_OK;
}

/* Bytes that came already are not looked at again. */
yt_result yt_link_write(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    uint32_t have = so_far(link), offset = message->offset, size = message->chunk_bytes;
    if (yt_link_is_busy(link, turn, message))
        return YT_RESULT_BUSY;
    if (have == NOTHING || !is_of(link, turn))
        return yt_link_failed(message, YT_ARGUMENT);
    if (offset > have)
        return tell_offset(message, have, YT_RESULT_ORDER);
    link->stage_us = turn->now_us;
    uint32_t known = have - offset < size ? have - offset : size, fresh = size - known;
    yt_status status = take_bytes(link, message->chunk + known, fresh, have);
    if (status != YT_OK) {
        if (status != YT_ARGUMENT)
            link->stage_kind = YT_LINK_NO_KIND;
        return yt_link_failed(message, status);
    }
    link->stage_so_far = yt_checksum(link->stage_so_far, message->chunk + known, fresh);
    return tell_offset(message, have + fresh, YT_RESULT_DONE);
}

/* ---- committed ---- */

/* A program that could not run is refused before it takes the place of one that does, where the
 * flash is mapped; else when it is loaded. YT_END: it is not looked over yet. */
static yt_status look_over(yt_link *link) {
    const void *image = yt_store_staged_program(yt_link_store(link));
    bool done = false;
    if (!image)
        return YT_OK;
    yt_status status =
        link->progress == 0
            ? yt_checking_begin(&link->checking, image, link->stage_bytes[YT_SLOT_PROGRAM])
            : yt_checking_go_on(&link->checking, CHECK_ENTRIES, &done);
    return status == YT_OK && !done ? YT_END : status;
}

static yt_result commit_slot(yt_link *link, const yt_link_turn *turn, yt_message *message,
                             const char *name) {
    yt_store *store = yt_link_store(link);
    yt_result result = yt_link_look_at(link, message);
    if (result != YT_RESULT_DONE)
        return result;
    yt_status status = link->progress == NOTHING ? YT_OK : look_over(link);
    if (status == YT_END) {
        yt_link_go_on(link, turn);
        return YT_RESULT_LATER;
    }
    link->progress = NOTHING; /* all of it was looked over */
    if (status == YT_OK)
        result = yt_link_may_write(link, turn);
    if (result != YT_RESULT_DONE)
        return result;
    if (status == YT_OK)
        status = yt_store_commit_kept(store, name, link->kept, link->stage_kept);
    yt_link_drop(link);
    return yt_link_changed(link, message, status);
}

/* `name`: of the slot from then on; none: that which it has. */
yt_result yt_link_commit(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    uint32_t have = so_far(link);
    const char *name = yt_link_name(message);
    if (yt_link_is_busy(link, turn, message))
        return YT_RESULT_BUSY;
    if (have == NOTHING || !is_of(link, turn) || link->stage_slot != message->slot ||
        is_record(link) != (message->kind > YT_LINK_OF_KEPT) || !name)
        return yt_link_failed(message, YT_ARGUMENT);
    if (have != all_bytes(link))
        return tell_offset(message, have, YT_RESULT_ORDER);
    if (link->stage_so_far != link->stage_checksum) {
        yt_link_drop(link);
        return yt_link_failed(message, YT_PROGRAM_CHECKSUM);
    }
    link->stage_us = turn->now_us;
    if (!is_record(link))
        return commit_slot(link, turn, message, message->name_bytes ? name : NULL);
    message->kind = link->stage_kind;
    yt_result result = yt_link_commit_record(link, turn, message);
    if (result == YT_RESULT_DONE || result == YT_RESULT_FAILED)
        link->stage_kind = YT_LINK_NO_KIND;
    return result;
}

/* What the session has under way. */
yt_result yt_link_give_up(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    yt_link_calibration *calibration = link->calibration;
    if (yt_link_is_busy(link, turn, message))
        return YT_RESULT_BUSY;
    yt_link_drop(link);
    if (calibration && calibration->session == turn->session - link->sessions)
        calibration->is_on = false;
    yt_link_clear(message);
    return YT_RESULT_DONE;
}
