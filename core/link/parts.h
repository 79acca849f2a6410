/* What the link's files share. */
#ifndef YONDER_LINK_PARTS_H
#define YONDER_LINK_PARTS_H

#include "yonder/link.h"

/* Of a handler: not yet, it is to be called again. */
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
    yt_link_activate;

yt_store *yt_link_store(const yt_link *link);

/* An answer without details. */
void yt_link_clear(yt_message *message);

/* It cannot be done, and why. */
yt_result yt_link_failed(yt_message *message, yt_status status);

/* Bytes of content that fit into a message by a way. */
uint32_t yt_link_chunk(yt_link_way way);

/* Of upload.c: no more room is made for what was announced. */
void yt_link_room_made(yt_link *link);

/* Of content.c: whether there is such a slot, and it is as the host saw it. */
yt_result yt_link_look_at(const yt_link *link, yt_message *message);
/* Whether an hour allows one more change; one was made. */
yt_result yt_link_rate(yt_link *link, const yt_link_turn *turn, yt_message *message);
void yt_link_count(yt_link *link, uint64_t now_us);
/* Whether the flash can be written now, as far as the firmware allows. */
yt_result yt_link_may_write(const yt_link *link, const yt_link_turn *turn);
/* What became of a change of a slot. */
yt_result yt_link_changed(const yt_link *link, yt_message *message, yt_status status);
/* The name in a message, with a 0 behind it; false: it may not be given. */
bool yt_link_name(const yt_message *message, char name[YT_MESSAGE_NAME + 1]);

bool yt_link_is_radio(yt_link_way way);
yt_link_access yt_link_access_of(const yt_link *link, const yt_link_session *session);

/* Whether a session may ask that now, by the table. */
yt_result yt_link_may(const yt_link *link, const yt_link_session *session, unsigned request);

#endif
