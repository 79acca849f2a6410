/* Sessions: who asks, in which order, and what was answered last. A request that comes twice is
 * done once: its answer stands there until the next one. */
#include "yonder/link.h"

#include <string.h>

#include "inlining.h"
#include "link/parts.h"

#define NOBODY YT_LINK_SESSIONS

void yt_link_init(yt_link *link, const yt_link_parts *parts) {
    memset(link, 0, sizeof *link);
    link->parts = parts;
    link->waiting = NOBODY;
    link->leave_us = YT_NEVER;
    memset(link->last, NOBODY, sizeof link->last);
    memset(link->room, YT_MESSAGE_BYTES, sizeof link->room);
    link->room[YT_LINK_CABLE] = link->room[YT_LINK_RADIO_REPORT] = YT_MESSAGE_REPORT;
}

yt_status yt_link_room(yt_link *link, yt_link_way way, size_t bytes) {
    if (way >= YT_LINK_WAYS || bytes < YT_MESSAGE_REPORT)
        return YT_ARGUMENT;
    link->room[way] = (uint8_t)(bytes < YT_MESSAGE_BYTES ? bytes : YT_MESSAGE_BYTES);
    return YT_OK;
}

bool yt_link_is_waiting(const yt_link *link) {
    return link->has_inbox;
}

yt_store *yt_link_store(const yt_link *link) {
    return link->parts->adapter->parts->store;
}

void yt_link_clear(yt_message *message) {
    uint32_t number = message->number, what = message->what;
    memset(message, 0, offsetof(yt_message, name));
    message->number = number;
    message->what = what;
}

yt_result yt_link_failed(yt_message *message, yt_status status) {
    yt_link_clear(message);
    message->value = (int32_t)status;
    return YT_RESULT_FAILED;
}

/* ---- waiting for a press ---- */

static void wait_for_press(yt_link *link, unsigned session, uint64_t now_us) {
    const yt_link_parts *parts = link->parts;
    bool was_waiting = link->waiting < NOBODY, is_waiting = session < NOBODY;
    uint32_t any = parts->random && is_waiting && !was_waiting ? parts->random(parts->context) : 0;
    link->waiting = (uint8_t)session;
    link->waiting_us = now_us;
    if (was_waiting == is_waiting)
        return;
    link->press_number = (uint16_t)(is_waiting ? 1000 + any % 9000 : 0);
    if (parts->wants_press)
        parts->wants_press(parts->context, link->press_number);
}

void yt_link_press(yt_link *link, uint64_t now_us) {
    if (link->waiting < NOBODY) {
        link->sessions[link->waiting].is_unlocked = true;
        link->sessions[link->waiting].changed_us = now_us;
    }
    link->changes = 0;
    wait_for_press(link, NOBODY, now_us);
}

/* ---- sessions ---- */

static void end_session(yt_link *link, unsigned session, uint64_t now_us) {
    if (link->waiting == session)
        wait_for_press(link, NOBODY, now_us);
    if (link->stage_session == session)
        yt_link_drop(link);
    if (link->calibration && link->calibration->session == session)
        link->calibration->is_on = false;
    for (unsigned i = 0; i < YT_LINK_WAYS; i++)
        if (link->last[i] == session)
            link->last[i] = NOBODY;
    memset(&link->sessions[session], 0, sizeof link->sessions[session]);
}

void yt_link_end(yt_link *link, yt_link_way way) {
    for (unsigned i = 0; i < YT_LINK_SESSIONS; i++)
        if (link->sessions[i].token != 0 && link->sessions[i].way == way)
            end_session(link, i, 0);
}

static unsigned session_of(const yt_link *link, yt_link_way way, uint32_t token) {
    unsigned i = 0;
    while (i < YT_LINK_SESSIONS &&
           (token == 0 || link->sessions[i].token != token || link->sessions[i].way != way))
        i++;
    return i;
}

/* The session that a hello began, or else a place for one: one that is free, or that said nothing
 * for long. */
static unsigned place_for(const yt_link *link, yt_link_way way, uint32_t nonce, uint64_t now_us) {
    unsigned most = link->parts->random ? YT_LINK_SESSIONS : 1, place = NOBODY;
    for (unsigned i = most; i-- > 0;) {
        const yt_link_session *session = &link->sessions[i];
        bool is_free = session->token == 0 || session->heard_us + YT_LINK_SILENT_US <= now_us;
        if (!is_free && session->way == way && session->nonce == nonce)
            return i;
        if (is_free && (place == NOBODY || session->heard_us <= link->sessions[place].heard_us))
            place = i;
    }
    return place;
}

static uint32_t new_token(yt_link *link) {
    const yt_link_parts *parts = link->parts;
    uint32_t token = parts->random ? parts->random(parts->context) : ++link->tokens;
    return token ? token : 1;
}

/* ---- answers ---- */

static void keep_answer(yt_link_session *session, const yt_message *message) {
    session->answer_bytes =
        (uint8_t)yt_message_write(message, session->answer, sizeof session->answer);
    session->is_new = true;
}

/* Who has no session knows it by the token, or the hello's checksum, that it gave. */
static void answer_stray(yt_link *link, yt_link_way way, yt_message *message, yt_result result,
                         uint32_t wait_ms) {
    uint32_t token = message->token, nonce = message->checksum;
    yt_link_clear(message);
    message->token = token;
    message->checksum = nonce;
    message->result = result;
    message->wait_ms = wait_ms;
    link->stray_bytes = (uint8_t)yt_message_write(message, link->stray, sizeof link->stray);
    link->stray_way = (uint8_t)way;
    link->last[way] = NOBODY;
}

size_t yt_link_answer(const yt_link *link, yt_link_way way, uint8_t *bytes, size_t room) {
    unsigned last = link->last[way];
    bool is_stray = last == NOBODY && link->stray_way == way;
    size_t size = last < NOBODY ? link->sessions[last].answer_bytes
                  : is_stray    ? link->stray_bytes
                                : 0;
    if (size > room)
        return 0;
    memcpy(bytes, last < NOBODY ? link->sessions[last].answer : link->stray, size);
    return size;
}

size_t yt_link_send(yt_link *link, yt_link_way way, uint8_t *bytes, size_t room) {
    for (unsigned i = 0; i < YT_LINK_SESSIONS; i++) {
        yt_link_session *session = &link->sessions[i];
        if (!session->is_new || session->way != way || session->answer_bytes > room)
            continue;
        session->is_new = false;
        memcpy(bytes, session->answer, session->answer_bytes);
        return session->answer_bytes;
    }
    size_t size = link->stray_way == way && link->stray_bytes <= room ? link->stray_bytes : 0;
    memcpy(bytes, link->stray, size);
    if (size > 0)
        link->stray_bytes = 0;
    return size;
}

/* ---- requests about the session itself ---- */

/* A hello that comes twice is one session, as long as nothing else was asked in it; later it is an
 * old one, which must not take the session back. */
static YT_NEVER_INLINE void hello(yt_link *link, yt_link_way way, yt_message *message,
                                  uint64_t now_us) {
    uint32_t nonce = message->checksum;
    unsigned place = place_for(link, way, nonce, now_us);
    if (place == NOBODY) {
        answer_stray(link, way, message, YT_RESULT_BUSY, YT_LINK_SILENT_US / 1000);
        return;
    }
    yt_link_session *session = &link->sessions[place];
    bool is_there = session->token != 0 && session->heard_us + YT_LINK_SILENT_US > now_us;
    if (is_there && session->number != message->number)
        return;
    if (!is_there)
        end_session(link, place, now_us);
    link->last[way] = (uint8_t)place;
    session->is_new = true;
    if (is_there)
        return;
    session->token = new_token(link);
    session->nonce = nonce;
    session->way = (uint8_t)way;
    session->number = message->number;
    session->heard_us = now_us;
    yt_link_clear(message);
    message->token = session->token;
    message->checksum = nonce;
    message->index = YT_LINK_VERSION;
    keep_answer(session, message);
}

static yt_result unlock(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    yt_link_session *session = turn->session;
    yt_link_clear(message);
    if (link->parts->adapter->lock == YT_LOCK_NOBODY)
        return YT_RESULT_NOT_HERE;
    if (session->is_unlocked)
        return YT_RESULT_DONE;
    if (link->waiting < NOBODY && &link->sessions[link->waiting] != session) {
        message->wait_ms = YT_LINK_PRESS_US / 1000;
        return YT_RESULT_BUSY;
    }
    if (link->waiting == NOBODY) /* to ask again makes the minute no longer */
        wait_for_press(link, (unsigned)(session - link->sessions), turn->now_us);
    message->value = link->press_number;
    return YT_RESULT_PRESS;
}

static yt_result lock(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    yt_link_clear(message);
    turn->session->is_unlocked = false;
    if (link->waiting < NOBODY && &link->sessions[link->waiting] == turn->session)
        wait_for_press(link, NOBODY, turn->now_us);
    return YT_RESULT_DONE;
}

/* ---- calibrating, where it is linked ---- */

static yt_result calibrate(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    return link->calls ? link->calls->calibrate(link, turn, message) : YT_RESULT_UNKNOWN;
}

static yt_result tell_progress(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    return link->calls ? link->calls->tell(link, turn, message) : YT_RESULT_UNKNOWN;
}

static yt_result end_calibrating(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    return link->calls ? link->calls->end(link, turn, message) : YT_RESULT_UNKNOWN;
}

void yt_link_report(yt_link *link, unsigned number, const uint8_t *bytes, size_t size,
                    uint64_t now_us) {
    if (link->calls)
        link->calls->report(link, number, bytes, size, now_us);
}

/* ---- a turn ---- */

static yt_link_handler *const handlers[YT_REQUEST_COUNT] = {
    [0] = NULL,
    [YT_REQUEST_HELLO] = NULL, /* begins a session, so is not of one */
    [YT_REQUEST_FACT] = yt_link_tell_fact,
    [YT_REQUEST_SLOT] = yt_link_tell_slot,
    [YT_REQUEST_READ] = yt_link_read,
    [YT_REQUEST_STAGE] = yt_link_stage,
    [YT_REQUEST_WRITE] = yt_link_write,
    [YT_REQUEST_COMMIT] = yt_link_commit,
    [YT_REQUEST_GIVE_UP] = yt_link_give_up,
    [YT_REQUEST_COPY] = yt_link_copy,
    [YT_REQUEST_RENAME] = yt_link_rename,
    [YT_REQUEST_ERASE] = yt_link_erase,
    [YT_REQUEST_SWAP] = yt_link_swap,
    [YT_REQUEST_ACTIVATE] = yt_link_activate,
    [YT_REQUEST_UNLOCK] = unlock,
    [YT_REQUEST_LOCK] = lock,
    [YT_REQUEST_SETTING] = yt_link_setting,
    [YT_REQUEST_SET] = yt_link_set,
    [YT_REQUEST_PARAMETER] = yt_link_parameter,
    [YT_REQUEST_TUNE] = yt_link_tune,
    [YT_REQUEST_KEEP] = yt_link_keep,
    [YT_REQUEST_VALUES] = yt_link_values,
    [YT_REQUEST_CALIBRATE] = calibrate,
    [YT_REQUEST_PROGRESS] = tell_progress,
    [YT_REQUEST_CALIBRATED] = end_calibrating,
    [YT_REQUEST_DIGEST] = yt_link_digest,
    [YT_REQUEST_RESTART] = yt_link_restart,
    [YT_REQUEST_BOOTLOADER] = yt_link_bootloader,
};

static void expire(yt_link *link, uint64_t now_us) {
    for (unsigned i = 0; i < YT_LINK_SESSIONS; i++) {
        yt_link_session *session = &link->sessions[i];
        if (session->is_unlocked && session->changed_us + YT_LINK_IDLE_US <= now_us)
            session->is_unlocked = false;
    }
    if (link->waiting < NOBODY && link->waiting_us + YT_LINK_PRESS_US <= now_us)
        wait_for_press(link, NOBODY, now_us);
}

/* What cannot be done for long is given up, so that others are heard. */
static bool is_too_late(yt_link *link, uint64_t now_us) {
    if (!link->is_late) {
        link->is_late = true;
        link->since_us = now_us;
    }
    return link->since_us + YT_LINK_LATER_US <= now_us;
}

void yt_link_go_on(yt_link *link, const yt_link_turn *turn) {
    link->progress++;
    link->since_us = turn->now_us;
}

/* Takes a message of a session. False: it is to be looked at again, as it stands. */
static bool serve(yt_link *link, unsigned place, yt_message *message, yt_link_turn *turn) {
    yt_link_session *session = &link->sessions[place];
    session->heard_us = turn->now_us;
    link->last[session->way] = (uint8_t)place;
    if (message->number == session->number) { /* it is answered already */
        session->is_new = true;
        return true;
    }
    if (message->number != session->number + 1)
        return true; /* an old one, or one in front of which others are missing: asked again */
    turn->session = session;
    yt_result result = yt_link_may(link, session, message->what);
    if (result == YT_RESULT_DONE && handlers[message->what] == NULL)
        result = YT_RESULT_UNKNOWN;
    if (result == YT_RESULT_DONE)
        result = handlers[message->what](link, turn, message);
    else
        yt_link_clear(message);
    if (result == YT_RESULT_LATER && !is_too_late(link, turn->now_us))
        return false;
    if (result == YT_RESULT_LATER) {
        if (message->what == YT_REQUEST_COPY && link->progress > 0)
            yt_store_give_up(yt_link_store(link));
        yt_link_room_made(link);
        yt_link_clear(message);
        message->wait_ms = YT_LINK_LATER_US / 1000;
        result = YT_RESULT_BUSY;
    }
    if (result == YT_RESULT_UNKNOWN)
        yt_link_clear(message);
    if (session->is_unlocked)
        session->changed_us = turn->now_us;
    session->number = message->number;
    message->result = result;
    keep_answer(session, message);
    return true;
}

static bool look(yt_link *link, yt_link_turn *turn) {
    yt_message *message = &link->inbox;
    yt_link_way way = (yt_link_way)link->inbox_way;
    if (message->what == YT_REQUEST_HELLO) {
        hello(link, way, message, turn->now_us);
        return true;
    }
    unsigned place = session_of(link, way, message->token);
    if (place < NOBODY)
        return serve(link, place, message, turn);
    answer_stray(link, way, message, YT_RESULT_SESSION, 0);
    return true;
}

void yt_link_take(yt_link *link, yt_link_way way, const uint8_t *bytes, size_t size) {
    bool is_event = link->parts->adapter->is_event;
    if (link->has_inbox || size == 0 || size > link->room[way] ||
        (yt_link_is_radio(way) && is_event))
        return;
    link->has_inbox = yt_message_read(&link->inbox, bytes, size);
    link->inbox_way = (uint8_t)way;
}

yt_status yt_link_work(yt_link *link, uint64_t now_us, unsigned units, bool may_erase) {
    yt_link_turn turn = {.now_us = now_us, .may_erase = may_erase};
    if (!link->is_begun)
        link->begun_us = now_us;
    link->is_begun = true;
    expire(link, now_us);
    if (link->leave_us <= now_us) {
        link->leave_us = YT_NEVER;
        link->parts->restart(link->parts->context, link->leaves_for_bootloader);
        return YT_OK;
    }
    if (link->has_inbox && look(link, &turn)) {
        link->has_inbox = link->has_cleared = false;
        link->is_late = false;
        link->progress = 0;
        return YT_OK;
    }
    yt_status status = yt_adapter_work(link->parts->adapter, now_us, units, may_erase);
    link->has_cleared = may_erase && status == YT_END;
    return status;
}
