#include "tool/holder.h"

#include <stdlib.h>
#include <string.h>

#include "compiler/messages/status_text.h"
#include "tool/tool.h"
#include "yonder/settings.h"

enum { OPTION_AT = 290, OPTION_NO_PRESS };

static error_t parse(int key, char *argument, struct argp_state *state) {
    holder_options *options = state->input;
    switch (key) {
    case ARGP_KEY_INIT:
        state->child_inputs[0] = &options->flash;
        return 0;
    case OPTION_AT:
        options->at = argument;
        return 0;
    case OPTION_NO_PRESS:
        options->no_press = true;
        return 0;
    case ARGP_KEY_END:
        if (options->at && options->flash.path)
            argp_error(state, "--at is an adapter, --flash a file: say one of them");
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

static const struct argp_option known[] = {
    {"at", OPTION_AT, "PATH", 0,
     "the adapter that is there: a hidraw node, a serial port, or where yonder sim serves one; the "
     "only one that is plugged in if neither this nor --flash is given",
     0},
    {"no-press", OPTION_NO_PRESS, 0, 0,
     "where it is locked, say so, and do not wait until somebody presses what it has for it", 0},
    {0}};

static const struct argp_child children[] = {{&flash_argp, 0, 0, 0}, {0}};
const struct argp holder_argp = {.options = known, .parser = parse, .children = children};

_Static_assert(YT_STORE_NAME == 32 && YT_SETTINGS_TEXT == 32, "one rule for both");
const char name_rule[] = "a name has at most 32 bytes of UTF-8, and no control characters";

bool may_be_named(const char *name) {
    size_t size = strlen(name);
    return size <= YT_STORE_NAME && yt_link_is_name(name, size);
}

bool holder_open(holder *holder, const holder_options *options, bool makes) {
    memset(holder, 0, sizeof *holder);
    holder->is_linked = !options->flash.path;
    holder->file = &holder->own;
    holder->own.flash.file = -1;
    holder->path = options->flash.path;
    if (!holder->is_linked) {
        bool good = flash_file_open(&holder->own, &options->flash, makes);
        holder->slots = holder->file->slots;
        return good;
    }
    if (!linked_open(&holder->linked, options->at))
        return false;
    holder->linked.is_silent = options->no_press;
    holder->path = holder->linked.way.path;
    holder->slots = linked_fact(&holder->linked, yonder_link_Fact_FACT_SLOTS);
    if (holder->slots > 0 && holder->slots <= YT_STORE_SLOTS)
        return true;
    if (!holder_has_said(holder))
        refuse(holder->path, "it does not say how many slots it has: 1 to 64 are possible");
    linked_close(&holder->linked);
    return false;
}

void holder_of_file(holder *holder, flash_file *file) {
    memset(holder, 0, sizeof *holder);
    holder->file = file;
    holder->path = file->options->path;
    holder->slots = file->slots;
}

void holder_close(holder *holder) {
    if (holder->is_linked)
        linked_close(&holder->linked);
    else
        flash_file_close(&holder->own);
}

bool holder_save(holder *holder) {
    return holder->is_linked || flash_file_save(holder->file);
}

bool holder_has_said(const holder *holder) {
    return holder->is_linked && holder->linked.has_failed;
}

bool holder_fail(const holder *holder, const char *what, yt_status status) {
    if (holder_has_said(holder))
        return false;
    bool is_changed =
        holder->is_linked && linked_result(&holder->linked) == yonder_link_Result_RESULT_CHANGED;
    fprintf(stderr, "%s: %s%s%s\n", holder->path, what, *what ? ": " : "",
            is_changed ? "somebody else changed it meanwhile: look again" : status_text(status));
    return false;
}

/* ---- of an adapter ---- */

static uint32_t generation_of(holder *holder, yonder_link_Kind kind, unsigned slot) {
    return linked_about(&holder->linked, kind, slot) == YT_OK ? holder->linked.answer.generation
                                                              : 0;
}

static yt_status ask_of_slot(holder *holder, yonder_link_What what, unsigned slot,
                             const char *name) {
    link_message ask = {.what = what, .slot = slot + 1};
    ask.generation = generation_of(holder, yonder_link_Kind_KIND_PROGRAM, slot + 1);
    if (name)
        snprintf(ask.name, sizeof ask.name, "%s", name);
    return holder->linked.has_failed ? YT_END : linked_ask(&holder->linked, ask);
}

static yt_status ask_of_two(holder *holder, yonder_link_What what, unsigned one, unsigned other) {
    link_message ask = {.what = what, .slot = one + 1, .index = other + 1};
    ask.generation = generation_of(holder, yonder_link_Kind_KIND_PROGRAM, one + 1);
    ask.value = (int32_t)generation_of(holder, yonder_link_Kind_KIND_PROGRAM, other + 1);
    return holder->linked.has_failed ? YT_END : linked_ask(&holder->linked, ask);
}

static yt_status linked_slot_info(holder *holder, unsigned slot, yt_slot *info) {
    static const yonder_link_Kind kinds[] = {yonder_link_Kind_KIND_PROGRAM,
                                             yonder_link_Kind_KIND_TEXT};
    const link_message *answer = &holder->linked.answer;
    memset(info, 0, sizeof *info);
    for (unsigned part = 0; part < YT_SLOT_PARTS; part++) {
        yt_status status = linked_about(&holder->linked, kinds[part], slot + 1);
        if (status != YT_OK)
            return status;
        info->bytes[part] = answer->size;
        info->checksum[part] = answer->checksum;
    }
    info->generation = answer->generation;
    snprintf(info->name, sizeof info->name, "%s", answer->name);
    info->name_bytes = (uint8_t)strlen(info->name);
    yt_status status = linked_about(&holder->linked, yonder_link_Kind_KIND_KEPT, slot + 1);
    info->kept_bytes = (uint8_t)(status == YT_OK ? answer->size : 0);
    return status;
}

static yonder_link_Kind kind_of(unsigned place) {
    return place == YT_STORE_SETTINGS ? yonder_link_Kind_KIND_SETTINGS
                                      : yonder_link_Kind_KIND_CALIBRATION;
}

static unsigned slot_of(unsigned place) {
    return place == YT_STORE_SETTINGS ? 0 : place + 1;
}

static yt_status linked_record(holder *holder, unsigned place, uint8_t *bytes, size_t room,
                               size_t *size) {
    uint8_t *read;
    yt_status status =
        linked_read(&holder->linked, kind_of(place), slot_of(place), &read, size, NULL);
    if (status == YT_OK && *size > room)
        status = YT_ROOM;
    if (status == YT_OK)
        memcpy(bytes, read, *size);
    free(read);
    return status;
}

/* A calibration takes the place of the one of its part, whose generation the adapter tells. */
static yt_status linked_keep(holder *holder, unsigned place, const uint8_t *bytes, size_t size) {
    uint32_t generation = generation_of(holder, kind_of(place), slot_of(place));
    if (holder->linked.has_failed)
        return YT_END;
    yt_status status =
        linked_write_record(&holder->linked, kind_of(place), bytes, size, generation);
    if (place != YT_STORE_SETTINGS &&
        linked_result(&holder->linked) == yonder_link_Result_RESULT_CHANGED)
        status = linked_ask(&holder->linked,
                            (link_message){.what = yonder_link_What_WHAT_COMMIT,
                                           .kind = yonder_link_Kind_KIND_CALIBRATION,
                                           .generation = holder->linked.answer.generation});
    return status;
}

static yt_status linked_content(holder *holder, unsigned slot, const holder_content *content) {
    const linked_slot of = {.slot = slot + 1,
                            .generation =
                                generation_of(holder, yonder_link_Kind_KIND_PROGRAM, slot + 1),
                            .name = content->name,
                            .program = content->program,
                            .program_bytes = content->program_bytes,
                            .text = content->text,
                            .text_bytes = content->text_bytes,
                            .kept = content->kept,
                            .kept_bytes = content->kept_bytes};
    return holder->linked.has_failed ? YT_END : linked_write(&holder->linked, &of);
}

/* ---- of either ---- */

yt_status holder_slot(holder *holder, unsigned slot, yt_slot *info) {
    return holder->is_linked ? linked_slot_info(holder, slot, info)
                             : yt_store_slot(&holder->file->store, slot, info);
}

static yt_status read_file(const yt_store *store, unsigned slot, yt_slot_part part, uint8_t **bytes,
                           size_t *size) {
    yt_slot info;
    yt_status status = yt_store_slot(store, slot, &info);
    if (status == YT_OK)
        status = yt_store_verify(store, slot);
    if (status != YT_OK)
        return status;
    *size = info.bytes[part];
    *bytes = malloc(*size + 1);
    if (!*bytes)
        abort();
    (*bytes)[*size] = 0;
    return yt_store_read(store, slot, part, 0, *bytes, *size);
}

yt_status holder_read(holder *holder, unsigned slot, yt_slot_part part, uint8_t **bytes,
                      size_t *size) {
    yonder_link_Kind kind =
        part == YT_SLOT_TEXT ? yonder_link_Kind_KIND_TEXT : yonder_link_Kind_KIND_PROGRAM;
    *bytes = NULL;
    *size = 0;
    return holder->is_linked ? linked_read(&holder->linked, kind, slot + 1, bytes, size, NULL)
                             : read_file(&holder->file->store, slot, part, bytes, size);
}

yt_status holder_kept(holder *holder, unsigned slot, uint8_t kept[YT_STORE_KEPT], size_t *size) {
    yt_slot info;
    uint8_t *bytes;
    if (!holder->is_linked) {
        yt_status status = yt_store_slot(&holder->file->store, slot, &info);
        *size = info.kept_bytes;
        memcpy(kept, info.kept, info.kept_bytes);
        return status;
    }
    yt_status status =
        linked_read(&holder->linked, yonder_link_Kind_KIND_KEPT, slot + 1, &bytes, size, NULL);
    if (status == YT_OK && *size > YT_STORE_KEPT)
        status = YT_ROOM;
    if (status == YT_OK)
        memcpy(kept, bytes, *size);
    free(bytes);
    return status;
}

yt_status holder_write(holder *holder, unsigned slot, const holder_content *content) {
    if (holder->is_linked)
        return linked_content(holder, slot, content);
    yt_store *store = &holder->file->store;
    yt_status status = yt_store_write(store, slot, content->name, content->program,
                                      content->program_bytes, content->text, content->text_bytes);
    return status == YT_OK && content->kept_bytes > 0
               ? yt_store_keep(store, slot, content->kept, content->kept_bytes)
               : status;
}

yt_status holder_copy(holder *holder, unsigned from, unsigned to) {
    return holder->is_linked ? ask_of_two(holder, yonder_link_What_WHAT_COPY, from, to)
                             : yt_store_copy(&holder->file->store, from, to);
}

yt_status holder_swap(holder *holder, unsigned one, unsigned other) {
    return holder->is_linked ? ask_of_two(holder, yonder_link_What_WHAT_SWAP, one, other)
                             : yt_store_swap(&holder->file->store, one, other);
}

yt_status holder_rename(holder *holder, unsigned slot, const char *name) {
    return holder->is_linked ? ask_of_slot(holder, yonder_link_What_WHAT_RENAME, slot, name)
                             : yt_store_rename(&holder->file->store, slot, name);
}

yt_status holder_erase(holder *holder, unsigned slot) {
    return holder->is_linked ? ask_of_slot(holder, yonder_link_What_WHAT_ERASE, slot, NULL)
                             : yt_store_erase(&holder->file->store, slot);
}

yt_status holder_activate(holder *holder, unsigned slot) {
    return holder->is_linked ? ask_of_slot(holder, yonder_link_What_WHAT_ACTIVATE, slot, NULL)
                             : yt_store_activate(&holder->file->store, slot);
}

unsigned holder_active(holder *holder) {
    if (!holder->is_linked)
        return yt_store_active(&holder->file->store);
    unsigned slot = linked_fact(&holder->linked, yonder_link_Fact_FACT_ACTIVE);
    return slot > 0 ? slot - 1 : 0;
}

yt_status holder_record(holder *holder, unsigned place, uint8_t *bytes, size_t room, size_t *size) {
    const yt_store *store = &holder->file->store;
    if (holder->is_linked)
        return linked_record(holder, place, bytes, room, size);
    return place == YT_STORE_SETTINGS ? yt_store_settings(store, bytes, room, size)
                                      : yt_store_calibration(store, place, bytes, room, size);
}

yt_status holder_keep(holder *holder, unsigned place, const uint8_t *bytes, size_t size) {
    yt_store *store = &holder->file->store;
    if (holder->is_linked)
        return linked_keep(holder, place, bytes, size);
    return place == YT_STORE_SETTINGS ? yt_store_set(store, bytes, size)
                                      : yt_store_calibrate(store, bytes, size);
}

yt_status holder_forget(holder *holder, unsigned place) {
    if (!holder->is_linked && place == YT_STORE_SETTINGS) {
        uint8_t usual[4];
        size_t size;
        yt_settings_clear(usual, &size);
        return yt_store_set(&holder->file->store, usual, size);
    }
    if (!holder->is_linked)
        return yt_store_forget(&holder->file->store, place);
    link_message ask = {.what = yonder_link_What_WHAT_ERASE,
                        .kind = kind_of(place),
                        .slot = slot_of(place),
                        .generation = generation_of(holder, kind_of(place), slot_of(place))};
    return holder->linked.has_failed ? YT_END : linked_ask(&holder->linked, ask);
}
