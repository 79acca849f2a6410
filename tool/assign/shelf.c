#include "tool/assign/shelf.h"

#include <stdlib.h>
#include <string.h>

#include "tool/assign/listening.h"
#include "tool/rewriting.h"

static bool fail(const shelf *shelf, unsigned slot, yt_status status) {
    return slot_fail(&shelf->holder, slot, status);
}

bool shelf_open(shelf *shelf) {
    shelf->is_open = shelf->is_open || holder_open(&shelf->holder, shelf->options, false);
    return shelf->is_open;
}

void shelf_close(shelf *shelf) {
    if (shelf->is_open)
        holder_close(&shelf->holder);
    shelf->is_open = false;
}

bool shelf_look(shelf *shelf, profile *profile) {
    slot_content content = {.path = shelf->holder.path};
    slot_content_of(&content, profile, true);
    yt_status status = YT_OK;
    unsigned slot = 0;
    for (; slot < shelf->holder.slots && slot < SHELF_SLOTS; slot++) {
        yt_slot info;
        status = holder_slot(&shelf->holder, slot, &info);
        content.slot = slot;
        if (status != YT_OK && status != YT_SLOT_EMPTY)
            break;
        shelf->states[slot] = status == YT_SLOT_EMPTY                ? SHELF_EMPTY
                              : slot_holds(&shelf->holder, &content) ? SHELF_SAME
                                                                     : SHELF_OTHER;
        snprintf(shelf->names[slot], sizeof shelf->names[0], "%s",
                 status == YT_OK ? info.name : "");
        status = YT_OK;
    }
    slot_content_free(&content);
    shelf->active = holder_active(&shelf->holder);
    return status == YT_OK || fail(shelf, slot, status);
}

bool shelf_put(shelf *shelf, profile *profile, unsigned slot) {
    slot_content content = {.path = shelf->holder.path, .slot = slot};
    slot_content_of(&content, profile, true);
    const holder_content whole = {.name = content.name,
                                  .program = content.bytes,
                                  .program_bytes = content.program_bytes,
                                  .text = content.bytes + content.program_bytes,
                                  .text_bytes = content.text_bytes};
    yt_status status = holder_write(&shelf->holder, slot, &whole);
    slot_content_free(&content);
    if (status != YT_OK)
        return fail(shelf, slot, status);
    return holder_save(&shelf->holder) && shelf_look(shelf, profile);
}

/* The profile's text with all that its inputs have among what may be rebound, in the place of what
 * it says of that itself; to be freed. */
static char *heard_text(const profile *before) {
    const yt_compiled *compiled = &before->compiled;
    rewriting rewriting;
    char *text = NULL;
    size_t size = 0;
    FILE *file = open_memstream(&text, &size);
    if (!file)
        abort();
    const char *path = before->messages.sources[0].file;
    bool is_open = rewriting_begin_with(&rewriting, path, before->source);
    const yt_part *key = is_open ? rewriting.top->first : NULL, *last = NULL;
    while (key && strcmp(key->text, "rebind") != 0) {
        last = key;
        key = key->next->next;
    }
    if (key && rewriting_take_out(&rewriting, last, key))
        rewriting_apply(&rewriting);
    fprintf(file, "%s\nrebind:\n", is_open ? rewriting.profile.source : before->source);
    for (unsigned i = 0; i < compiled->output_count; i++) {
        fprintf(file, "  %s: [", compiled->outputs[i].name);
        for (unsigned k = 0; k < compiled->input_count; k++)
            fprintf(file, k ? ", %s" : "%s", compiled->inputs[k].name);
        fputs("]\n", file);
    }
    if (is_open)
        rewriting_abandon(&rewriting);
    fclose(file);
    return text;
}

/* An adapter tells of what its program may be rebound to. Where all is too much, the profile is put
 * there as it is. */
static bool put_heard(shelf *shelf, profile *before, unsigned slot) {
    profile heard;
    listening listening;
    char said[10];
    begin_listening(&listening);
    char *text = heard_text(before);
    bool good = profile_compile(&heard, before->messages.sources[0].file, text);
    end_listening(&listening, said, sizeof said);
    free(text);
    if (!good)
        return shelf_put(shelf, before, slot);
    bool is_put = shelf_put(shelf, &heard, slot);
    profile_close(&heard);
    return is_put || shelf_put(shelf, before, slot);
}

bool shelf_try(shelf *shelf, profile *profile) {
    unsigned slot = 0;
    if (shelf->tries)
        return put_heard(shelf, profile, shelf->tried);
    if (!shelf_look(shelf, profile))
        return false;
    while (slot < shelf->holder.slots && slot < SHELF_SLOTS && shelf->states[slot] != SHELF_EMPTY)
        slot++;
    if (slot == shelf->holder.slots || slot == SHELF_SLOTS)
        return refuse(shelf->holder.path,
                      "to try it takes a slot that is empty, and there is none");
    shelf->before = shelf->active;
    shelf->tried = slot;
    if (!put_heard(shelf, profile, slot))
        return false;
    shelf->tries = true;
    yt_status status = holder_activate(&shelf->holder, slot);
    if (status != YT_OK) {
        fail(shelf, slot, status);
        shelf_take_back(shelf);
        return false;
    }
    shelf->active = slot;
    return holder_save(&shelf->holder);
}

bool shelf_take_back(shelf *shelf) {
    if (!shelf->tries)
        return true;
    yt_status status = shelf->before < shelf->holder.slots
                           ? holder_activate(&shelf->holder, shelf->before)
                           : YT_OK;
    if (status == YT_SLOT_EMPTY)
        status = YT_OK; /* nothing started before */
    if (status == YT_OK)
        status = holder_erase(&shelf->holder, shelf->tried);
    if (status != YT_OK)
        return fail(shelf, shelf->tried, status);
    shelf->tries = false;
    shelf->states[shelf->tried] = SHELF_EMPTY;
    shelf->active = shelf->before;
    return holder_save(&shelf->holder);
}
