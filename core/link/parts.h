/* What the link's files share. */
#ifndef YONDER_LINK_PARTS_H
#define YONDER_LINK_PARTS_H

#include "yonder/link.h"

/* Of a handler: not yet, it is to be called again, with the message as it was. */
#define YT_RESULT_LATER YT_RESULT_COUNT

/* What may be done at the moment. */
typedef struct yt_link_turn {
    yt_link_session *session;
    uint64_t now_us;
    bool may_erase;
} yt_link_turn;

/* Does what a message asks, and makes the answer of it. */
typedef yt_result yt_link_handler(yt_link *link, const yt_link_turn *turn, yt_message *message);

yt_link_handler yt_link_tell_fact, yt_link_tell_slot, yt_link_read, yt_link_stage, yt_link_write,
    yt_link_commit, yt_link_give_up, yt_link_copy, yt_link_rename, yt_link_erase, yt_link_swap,
    yt_link_activate, yt_link_setting, yt_link_set, yt_link_parameter, yt_link_tune, yt_link_keep,
    yt_link_values, yt_link_digest, yt_link_restart, yt_link_bootloader;

/* ---- kept_records.c ---- */

/* Devices take the calibrations that are kept now. */
void yt_link_calibrate_all(yt_link *link);
/* Whether a record of a kind may have so many bytes. */
yt_status yt_link_record_fits(const yt_link *link, uint32_t kind, uint32_t size);
/* The record that came becomes what is kept. */
yt_result yt_link_commit_record(yt_link *link, const yt_link_turn *turn, yt_message *message);
/* The same of the calibration in `record`. */
yt_result yt_link_keep_calibration(yt_link *link, const yt_link_turn *turn, yt_message *message,
                                   size_t bytes);

/* Of gauging.c, where it is linked. */
typedef struct yt_link_calibration_calls {
    yt_link_handler *calibrate, *tell, *end;
    void (*report)(yt_link *link, unsigned number, const uint8_t *bytes, size_t size,
                   uint64_t now_us);
} yt_link_calibration_calls;

yt_store *yt_link_store(const yt_link *link);

/* An answer without details. */
void yt_link_clear(yt_message *message);

/* It cannot be done, and why. */
yt_result yt_link_failed(yt_message *message, yt_status status);

/* Something was done of what is done in steps: its request has so long again. */
void yt_link_go_on(yt_link *link, const yt_link_turn *turn);

/* ---- upload.c ---- */

/* Whether another session is in the middle of writing; then `message` says so. */
bool yt_link_is_busy(const yt_link *link, const yt_link_turn *turn, yt_message *message);
/* What is being written is given up. */
void yt_link_drop(yt_link *link);
/* More room is made for what comes, where it needs some. */
yt_result yt_link_room_for(yt_link *link, const yt_link_turn *turn, uint32_t bytes);

/* Bytes of content that fit into a message by a way. */
uint32_t yt_link_chunk(const yt_link *link, yt_link_way way);

/* Of upload.c: no more room is made for what was announced. */
void yt_link_room_made(yt_link *link);

/* ---- content.c ---- */

bool yt_link_is_slot(const yt_link *link, uint32_t slot);
/* The place of a record in the store, by `kind` and `slot`; above YT_STORE_SETTINGS: none. */
unsigned yt_link_place(const yt_message *message);
/* Whether there is such a slot, or such a record, and it is as the host saw it. */
yt_result yt_link_look_at(const yt_link *link, yt_message *message);
/* Whether a change may be made now; what became of it. */
yt_result yt_link_before(yt_link *link, const yt_link_turn *turn, yt_message *message);
yt_result yt_link_after(yt_link *link, const yt_link_turn *turn, yt_message *message,
                        yt_status status);
/* The same of two slots: `index` is the other one, which the host saw as `value` says. */
yt_result yt_link_look_at_both(const yt_link *link, yt_message *message);
/* Whether an hour allows one more change; one was made. */
yt_result yt_link_rate(yt_link *link, const yt_link_turn *turn, yt_message *message);
void yt_link_count(yt_link *link, uint64_t now_us);
/* Whether the flash can be written now, as far as the firmware allows. */
yt_result yt_link_may_write(const yt_link *link, const yt_link_turn *turn);
/* What became of a change of a slot. */
yt_result yt_link_changed(const yt_link *link, yt_message *message, yt_status status);
/* The name in a message, with a 0 behind it; NULL: it may not be given. */
const char *yt_link_name(yt_message *message);

bool yt_link_is_radio(yt_link_way way);
yt_link_access yt_link_access_of(const yt_link *link, const yt_link_session *session);

/* Whether a session may ask that now, by the table. */
yt_result yt_link_may(const yt_link *link, const yt_link_session *session, unsigned request);

#endif
