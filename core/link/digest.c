/* SHA-256 of what is kept, by the firmware's function: so anybody who has the same can see that it
 * is the same. A part each time. */
#include "inlining.h"
#include "link/parts.h"

#define PIECE 96u /* at a time */

/* What a slot has in front of its content: how many bytes its program, its text, its name and what
 * it keeps have, then its name and what it keeps. */
static YT_NEVER_INLINE yt_status take_head(const yt_link *link, uint32_t slot, uint32_t *bytes) {
    const yt_link_parts *parts = link->parts;
    uint8_t sizes[10];
    yt_slot info;
    yt_status status = yt_store_slot(yt_link_store(link), slot - 1, &info);
    if (status != YT_OK)
        return status;
    for (unsigned i = 0; i < 8; i++)
        sizes[i] = (uint8_t)(info.bytes[i / 4] >> 8 * (i % 4));
    sizes[8] = info.name_bytes;
    sizes[9] = info.kept_bytes;
    parts->digest_begin(parts->context);
    parts->digest_take(parts->context, sizes, sizeof sizes);
    parts->digest_take(parts->context, info.name, info.name_bytes);
    parts->digest_take(parts->context, info.kept, info.kept_bytes);
    *bytes = info.bytes[0] + info.bytes[1];
    return YT_OK;
}

static yt_status begin(yt_link *link, const yt_message *message) {
    const yt_link_parts *parts = link->parts;
    yt_kept kept;
    if (message->kind == YT_LINK_NO_KIND)
        return yt_link_is_slot(link, message->slot)
                   ? take_head(link, message->slot, &link->step_bytes)
                   : YT_SLOT;
    yt_status status = yt_store_kept(yt_link_store(link), yt_link_place(message), &kept);
    link->step_bytes = kept.bytes;
    if (status == YT_OK)
        parts->digest_begin(parts->context);
    return status;
}

static YT_NEVER_INLINE yt_status read_slot(const yt_link *link, uint32_t slot, uint32_t offset,
                                           uint8_t *bytes, uint32_t *size) {
    yt_slot info;
    const yt_store *store = yt_link_store(link);
    yt_status status = yt_store_slot(store, slot - 1, &info);
    bool is_text = status == YT_OK && offset >= info.bytes[0];
    yt_slot_part part = is_text ? YT_SLOT_TEXT : YT_SLOT_PROGRAM;
    uint32_t at = is_text ? offset - info.bytes[0] : offset;
    if (status != YT_OK)
        return status;
    uint32_t left = at < info.bytes[part] ? info.bytes[part] - at : 0;
    *size = left < PIECE ? left : PIECE;
    return yt_store_read(store, slot - 1, part, at, bytes, *size);
}

/* The message's own content, of which a request has none, is where it is read to. YT_END: all of it
 * was taken. */
static yt_status take_piece(yt_link *link, yt_message *message) {
    const yt_link_parts *parts = link->parts;
    uint32_t done = link->progress - 1, left = link->step_bytes - done;
    uint32_t size = left < PIECE ? left : PIECE;
    if (left == 0)
        return YT_END;
    yt_status status = message->kind == YT_LINK_NO_KIND
                           ? read_slot(link, message->slot, done, message->chunk, &size)
                           : yt_store_kept_read(yt_link_store(link), yt_link_place(message), done,
                                                message->chunk, size);
    if (status == YT_OK && size == 0)
        status = YT_ARGUMENT;
    if (status != YT_OK)
        return status;
    parts->digest_take(parts->context, message->chunk, size);
    link->progress += size;
    return YT_OK;
}

_Static_assert(PIECE <= YT_MESSAGE_CHUNK, "it is read there");

/* `kind`: 0 all of a slot, or the settings or a calibration. What changes meanwhile is `changed`.
 */
yt_result yt_link_digest(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    const yt_link_parts *parts = link->parts;
    bool is_known = message->kind == YT_LINK_NO_KIND || message->kind > YT_LINK_OF_KEPT;
    if (!parts->digest_begin || !is_known || message->kind > YT_LINK_OF_CALIBRATION)
        return YT_RESULT_UNKNOWN;
    yt_result result = yt_link_look_at(link, message);
    if (result != YT_RESULT_DONE)
        return result;
    yt_status status = link->progress == 0 ? begin(link, message) : take_piece(link, message);
    if (status == YT_OK) {
        link->progress += link->progress == 0;
        link->since_us = turn->now_us;
        return YT_RESULT_LATER;
    }
    if (status != YT_END)
        return yt_link_failed(message, status);
    yt_link_clear(message);
    parts->digest_end(parts->context, message->chunk);
    message->chunk_bytes = 32;
    return YT_RESULT_DONE;
}
