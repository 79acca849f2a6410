/* What the adapter tells of what is kept, and gives of it. */
#include <string.h>

#include "inlining.h"
#include "link/parts.h"

/* Of a slot; kept.bytes: of the part that `kind` names. */
static YT_NEVER_INLINE yt_status tell_slot(const yt_link *link, uint32_t slot, yt_kept *kept,
                                           yt_message *message) {
    yt_slot info;
    uint32_t kind = message->kind;
    yt_slot_part part = kind == YT_LINK_OF_TEXT ? YT_SLOT_TEXT : YT_SLOT_PROGRAM;
    if (!yt_link_is_slot(link, slot))
        return YT_SLOT;
    yt_status status = yt_store_slot(yt_link_store(link), slot - 1, &info);
    if (status != YT_OK)
        return status;
    bool is_kept = kind == YT_LINK_OF_KEPT;
    *kept = (yt_kept){is_kept ? info.kept_bytes : info.bytes[part],
                      is_kept ? yt_checksum(0, info.kept, info.kept_bytes) : info.checksum[part],
                      info.generation};
    yt_link_clear(message);
    message->name_bytes = info.name_bytes;
    memcpy(message->name, info.name, info.name_bytes);
    return YT_OK;
}

/* What a slot, the settings or a calibration say of themselves; `message` has only a name then. */
static yt_status tell(const yt_link *link, yt_message *message, yt_kept *kept) {
    if (message->kind <= YT_LINK_OF_KEPT)
        return tell_slot(link, message->slot, kept, message);
    yt_status status = yt_store_kept(yt_link_store(link), yt_link_place(message), kept);
    yt_link_clear(message);
    return status;
}

yt_result yt_link_tell_slot(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    (void)turn;
    uint32_t slot = message->slot, kind = message->kind;
    yt_kept kept;
    if (kind > YT_LINK_OF_CALIBRATION)
        return YT_RESULT_UNKNOWN;
    yt_status status = tell(link, message, &kept);
    if (status != YT_OK)
        return yt_link_failed(message, status);
    message->slot = slot;
    message->kind = kind;
    message->size = kept.bytes;
    message->checksum = kept.checksum;
    message->generation = kept.generation;
    return YT_RESULT_DONE;
}

static YT_NEVER_INLINE yt_status read_kept(const yt_store *store, uint32_t slot, uint32_t offset,
                                           void *bytes, size_t size) {
    yt_slot info;
    yt_status status = yt_store_slot(store, slot - 1, &info);
    if (status == YT_OK)
        memcpy(bytes, info.kept + offset, size);
    return status;
}

static yt_status read_at(const yt_link *link, uint32_t kind, uint32_t slot, unsigned place,
                         yt_message *message) {
    const yt_store *store = yt_link_store(link);
    uint32_t offset = message->offset;
    size_t size = message->chunk_bytes;
    if (kind == YT_LINK_OF_KEPT)
        return read_kept(store, slot, offset, message->chunk, size);
    if (kind > YT_LINK_OF_KEPT)
        return yt_store_kept_read(store, place, offset, message->chunk, size);
    yt_slot_part part = kind == YT_LINK_OF_TEXT ? YT_SLOT_TEXT : YT_SLOT_PROGRAM;
    return yt_store_read(store, slot - 1, part, offset, message->chunk, size);
}

/* As many bytes as are wanted, fit, and are there. */
yt_result yt_link_read(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    uint32_t offset = message->offset, wanted = message->size, slot = message->slot,
             kind = message->kind;
    unsigned place = yt_link_place(message);
    yt_kept kept;
    if (kind == YT_LINK_NO_KIND || kind > YT_LINK_OF_CALIBRATION)
        return YT_RESULT_UNKNOWN;
    yt_result result = yt_link_look_at(link, message);
    if (result != YT_RESULT_DONE)
        return result;
    yt_status status = tell(link, message, &kept);
    if (status == YT_OK && offset > kept.bytes)
        status = YT_ARGUMENT;
    if (status != YT_OK)
        return yt_link_failed(message, status);
    yt_link_clear(message);
    uint32_t most = yt_link_chunk(link, (yt_link_way)turn->session->way),
             left = kept.bytes - offset;
    uint32_t size = wanted < left ? wanted : left;
    message->offset = offset;
    message->chunk_bytes = (uint8_t)(size < most ? size : most);
    status = read_at(link, kind, slot, place, message);
    return status == YT_OK ? YT_RESULT_DONE : yt_link_failed(message, status);
}
