/* What a firmware asks of its slots. */
#include <string.h>

#include "image/layout.h"
#include "store/parts.h"

static yt_status slot_content(const yt_store *store, unsigned slot, yt_content *content) {
    return slot < store->slots ? yt_content_read(store, slot, content) : YT_SLOT;
}

static yt_status slot_entry(const yt_store *store, unsigned slot, yt_entry *entry) {
    return slot < store->slots ? yt_entry_read(store, slot, entry) : YT_SLOT;
}

/* ---- reading ---- */

yt_status yt_store_slot(const yt_store *store, unsigned slot, yt_slot *info) {
    yt_entry entry;
    yt_status status = slot_entry(store, slot, &entry);
    memset(info, 0, sizeof *info);
    if (status != YT_OK)
        return status;
    for (unsigned part = 0; part < YT_SLOT_PARTS; part++) {
        info->bytes[part] = entry.content.bytes[part];
        info->checksum[part] = entry.content.checksum[part];
    }
    info->generation = entry.content.generation;
    info->name_bytes = entry.name_bytes;
    info->kept_bytes = entry.kept_bytes;
    memcpy(info->name, entry.tail, entry.name_bytes);
    memcpy(info->kept, entry.tail + entry.name_bytes, entry.kept_bytes);
    return YT_OK;
}

yt_status yt_store_read(const yt_store *store, unsigned slot, yt_slot_part part, uint32_t offset,
                        void *bytes, size_t size) {
    yt_content content;
    yt_status status = slot_content(store, slot, &content);
    if (status != YT_OK)
        return status;
    if (part >= YT_SLOT_PARTS || offset > content.bytes[part] ||
        size > content.bytes[part] - offset)
        return YT_ARGUMENT;
    uint32_t at = yt_part_offset(&content, part) + offset;
    return yt_flash_read(store, at, bytes, size) ? YT_OK : YT_UNREADABLE;
}

yt_status yt_store_verify(const yt_store *store, unsigned slot) {
    yt_content content;
    yt_status status = slot_content(store, slot, &content);
    for (unsigned part = 0; part < YT_SLOT_PARTS && status == YT_OK; part++)
        status = yt_part_check(store, &content, part);
    return status;
}

void yt_store_unpin(yt_store *store, yt_pin *pin) {
    for (yt_pin **at = &store->pins; *at; at = &(*at)->next)
        if (*at == pin) {
            *at = pin->next;
            return;
        }
}

yt_status yt_store_find(yt_store *store, unsigned slot, yt_pin *pin, const void **program,
                        size_t *size) {
    const uint8_t *mapped = (const uint8_t *)store->port->flash.mapped;
    yt_content content;
    if (!mapped)
        return YT_PORT;
    yt_status status = slot_content(store, slot, &content);
    if (status == YT_OK && content.bytes[YT_SLOT_PROGRAM] == 0)
        status = YT_SLOT_EMPTY;
    if (status == YT_OK && yt_part_check(store, &content, YT_SLOT_PROGRAM) != YT_OK) {
        status = yt_part_mend(store, slot, YT_SLOT_PROGRAM);
        if (status == YT_OK)
            status = slot_content(store, slot, &content);
        if (status == YT_OK)
            status = yt_part_check(store, &content, YT_SLOT_PROGRAM);
    }
    if (status != YT_OK)
        return status;
    yt_store_unpin(store, pin);
    *pin = (yt_pin){store->pins, content.offset, content.bytes[YT_SLOT_PROGRAM]};
    store->pins = pin;
    *program = mapped + content.offset;
    *size = content.bytes[YT_SLOT_PROGRAM];
    return YT_OK;
}

unsigned yt_store_active(const yt_store *store) {
    yt_found_record found;
    bool is_told =
        yt_entry_find(store, YT_KEY_ACTIVE, &found) == YT_OK && found.record.value < store->slots;
    return is_told ? found.record.value : 0;
}

/* ---- changing ---- */

static unsigned length_of(const char *name) {
    unsigned length = 0;
    while (length <= YT_STORE_NAME && name[length])
        length++;
    return length;
}

/* The name in place of the one that the entry has; what it keeps stays behind it. */
static bool set_name(yt_entry *entry, const char *name) {
    unsigned length = length_of(name);
    if (length > YT_STORE_NAME)
        return false;
    memmove(entry->tail + length, entry->tail + entry->name_bytes, entry->kept_bytes);
    memcpy(entry->tail, name, length);
    entry->name_bytes = (uint8_t)length;
    return true;
}

static bool is_too_long(size_t program_bytes, size_t text_bytes) {
    const size_t most = YT_STORE_FLASH_BYTES / 2;
    return program_bytes > most || text_bytes > most;
}

yt_status yt_store_begin(yt_store *store, unsigned slot, size_t program_bytes, size_t text_bytes) {
    const uint32_t bytes[2] = {(uint32_t)program_bytes, (uint32_t)text_bytes};
    if (slot >= store->slots)
        return YT_SLOT;
    return is_too_long(program_bytes, text_bytes) ? YT_STORE_FULL
                                                  : yt_stage_begin(store, slot, bytes);
}

yt_status yt_store_piece(yt_store *store, const void *bytes, size_t size) {
    return size <= YT_STORE_FLASH_BYTES
               ? yt_stage_bytes(store, (const uint8_t *)bytes, (uint32_t)size)
               : YT_ARGUMENT;
}

/* What the slot keeps in place of what it kept. */
static void keep(yt_entry *entry, const void *kept, size_t size) {
    uint8_t *tail = entry->tail + entry->name_bytes;
    memset(tail, 0, sizeof entry->tail - entry->name_bytes);
    if (size > 0)
        memcpy(tail, kept, size);
    entry->kept_bytes = (uint8_t)size;
}

YT_NEVER_INLINE yt_status yt_store_commit_kept(yt_store *store, const char *name, const void *kept,
                                               size_t size) {
    yt_entry entry;
    unsigned slot = store->staging.key;
    if (!store->staging.is_on || store->staging.is_move || slot >= store->slots ||
        size > YT_STORE_KEPT)
        return YT_ARGUMENT;
    if (yt_entry_read(store, slot, &entry) != YT_OK)
        memset(&entry, 0, sizeof entry);
    keep(&entry, NULL, 0);
    if (name && !set_name(&entry, name))
        return YT_ARGUMENT;
    keep(&entry, kept, size);
    entry.content.generation = store->generation + 1;
    return yt_stage_end(store, &entry);
}

yt_status yt_store_commit(yt_store *store, const char *name) {
    return yt_store_commit_kept(store, name, NULL, 0);
}

uint32_t yt_store_staged(const yt_store *store, unsigned slot) {
    const yt_staging *staging = &store->staging;
    bool is_there = staging->is_on && !staging->is_move && staging->key == slot;
    return is_there && slot < store->slots ? staging->done : UINT32_MAX;
}

const void *yt_store_staged_program(const yt_store *store) {
    const yt_staging *staging = &store->staging;
    const uint8_t *mapped = (const uint8_t *)store->port->flash.mapped;
    uint32_t size = staging->bytes[YT_SLOT_PROGRAM], all = size + staging->bytes[YT_SLOT_TEXT];
    bool is_there = staging->is_on && !staging->is_move && size > 0 && staging->done == all;
    return mapped && is_there ? mapped + staging->offset : NULL;
}

void yt_store_give_up(yt_store *store) {
    store->staging.is_on = false;
}

yt_status yt_store_write(yt_store *store, unsigned slot, const char *name, const void *program,
                         size_t program_bytes, const void *text, size_t text_bytes) {
    const void *const parts[2] = {program, text};
    const uint32_t bytes[2] = {(uint32_t)program_bytes, (uint32_t)text_bytes};
    if (slot >= store->slots)
        return YT_SLOT;
    if (name && length_of(name) > YT_STORE_NAME)
        return YT_ARGUMENT;
    if (is_too_long(program_bytes, text_bytes))
        return YT_STORE_FULL;
    yt_status status = yt_stage_whole(store, slot, parts, bytes);
    if (status == YT_OK)
        status = yt_store_commit(store, name);
    yt_store_give_up(store);
    return status;
}

/* What is cleared away for a change may move what the slot holds: it is read then. */
static yt_status prepare(yt_store *store, unsigned slot) {
    yt_content content;
    yt_status status = slot_content(store, slot, &content);
    return status == YT_OK ? yt_make_ready(store, 0) : status;
}

/* The slot with another name or, where `kept` is not NULL, with other bytes that it keeps. */
static YT_NEVER_INLINE yt_status put_changed(yt_store *store, unsigned slot, const char *name,
                                             const void *kept, size_t size) {
    yt_entry entry;
    yt_status status = slot_entry(store, slot, &entry);
    if (status != YT_OK)
        return status;
    if (name && !set_name(&entry, name))
        return YT_ARGUMENT;
    if (!name)
        keep(&entry, kept, size);
    entry.content.generation = store->generation + 1;
    return yt_put_entry(store, slot, &entry);
}

yt_status yt_store_rename(yt_store *store, unsigned slot, const char *name) {
    yt_status status = prepare(store, slot);
    return status == YT_OK ? put_changed(store, slot, name, NULL, 0) : status;
}

yt_status yt_store_keep(yt_store *store, unsigned slot, const void *kept, size_t size) {
    if (size > YT_STORE_KEPT)
        return YT_ARGUMENT;
    yt_status status = prepare(store, slot);
    return status == YT_OK ? put_changed(store, slot, NULL, kept, size) : status;
}

/* What was staged becomes what a slot holds, with the name of another one and what that keeps. */
static YT_NEVER_INLINE yt_status end_copy(yt_store *store, unsigned from) {
    yt_entry entry;
    yt_status status = slot_entry(store, from, &entry);
    entry.content.generation = store->generation + 1;
    return status == YT_OK ? yt_stage_end(store, &entry) : status;
}

/* Some more of the content as it is; YT_END: all of it is there, and is still what was written. */
static YT_NEVER_INLINE yt_status copy_content(yt_store *store, unsigned from, uint32_t most) {
    yt_content content;
    const yt_staging *staging = &store->staging;
    yt_status status = slot_content(store, from, &content);
    uint32_t all = status == YT_OK ? yt_content_bytes(&content) : 0;
    if (status == YT_OK && all != staging->bytes[0] + staging->bytes[1])
        return YT_ARGUMENT; /* another content by now */
    for (uint32_t done = 0; status == YT_OK && staging->done < all && done < most;
         done += YT_PIECE) {
        uint8_t piece[YT_PIECE];
        uint32_t left = all - staging->done, size = left < YT_PIECE ? left : YT_PIECE;
        status = yt_flash_read(store, content.offset + staging->done, piece, size)
                     ? yt_store_piece(store, piece, size)
                     : YT_UNREADABLE;
    }
    if (status != YT_OK || staging->done < all)
        return status;
    for (unsigned part = 0; part < YT_SLOT_PARTS; part++)
        if (staging->checksum[part] != content.checksum[part])
            return YT_SLOT_DAMAGED;
    return YT_END;
}

static YT_NEVER_INLINE yt_status sizes_of(const yt_store *store, unsigned slot, uint32_t *bytes) {
    yt_content content;
    yt_status status = slot_content(store, slot, &content);
    if (status == YT_OK)
        memcpy(bytes, content.bytes, sizeof content.bytes);
    return status;
}

yt_status yt_store_copy_begin(yt_store *store, unsigned from, unsigned to) {
    uint32_t bytes[YT_SLOT_PARTS];
    yt_status status = to < store->slots ? sizes_of(store, from, bytes) : YT_SLOT;
    return status == YT_OK ? yt_stage_begin(store, to, bytes) : status;
}

/* What is copied is looked up anew each time: it may have been moved. */
yt_status yt_store_copy_go_on(yt_store *store, unsigned from, uint32_t bytes) {
    const yt_staging *staging = &store->staging;
    if (!staging->is_on || staging->is_move || staging->key >= store->slots)
        return YT_ARGUMENT;
    yt_status status = copy_content(store, from, bytes);
    if (status == YT_END) {
        status = end_copy(store, from);
        if (status == YT_OK)
            return YT_END;
    }
    if (status != YT_OK)
        yt_store_give_up(store);
    return status;
}

yt_status yt_store_copy(yt_store *store, unsigned from, unsigned to) {
    if (from == to && from < store->slots) {
        uint32_t bytes[YT_SLOT_PARTS];
        return sizes_of(store, from, bytes);
    }
    yt_status status = yt_store_copy_begin(store, from, to);
    while (status == YT_OK)
        status = yt_store_copy_go_on(store, from, YT_STORE_FLASH_BYTES);
    return status == YT_END ? YT_OK : status;
}

yt_status yt_store_swap(yt_store *store, unsigned one, unsigned other) {
    if (one >= store->slots || other >= store->slots)
        return YT_SLOT;
    yt_status status = yt_make_ready(store, 0);
    return status == YT_OK ? yt_append_value(store, YT_RECORD_SWAP, one, other) : status;
}

yt_status yt_store_erase(yt_store *store, unsigned slot) {
    return slot < store->slots ? yt_forget_key(store, slot) : YT_SLOT;
}

yt_status yt_store_activate(yt_store *store, unsigned slot) {
    if (slot >= store->slots)
        return YT_SLOT;
    if (yt_store_active(store) == slot && store->records[YT_KEY_ACTIVE])
        return YT_OK;
    yt_status status = yt_make_ready(store, 0);
    return status == YT_OK ? yt_append_value(store, YT_RECORD_NUMBER, YT_KEY_ACTIVE, slot) : status;
}
