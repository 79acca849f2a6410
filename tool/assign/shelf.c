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

/* The profile's text with all that its inputs have among what may be rebound, at the outputs of a
 * set, a bit each; what it says of that itself is left out. To be freed. */
static char *heard_text(const rewriting *plain, unsigned outputs) {
    const yt_compiled *compiled = &plain->profile.compiled;
    char *text = NULL;
    size_t size = 0;
    FILE *file = open_memstream(&text, &size);
    if (!file)
        abort();
    fprintf(file, "%s\nrebind:\n", plain->profile.source);
    for (unsigned i = 0; i < compiled->output_count; i++) {
        if (!(outputs >> i & 1))
            continue;
        fprintf(file, "  %s: [", compiled->outputs[i].name);
        for (unsigned k = 0; k < compiled->input_count; k++)
            fprintf(file, k ? ", %s" : "%s", compiled->inputs[k].name);
        fputs("]\n", file);
    }
    fclose(file);
    return text;
}

static bool compile_heard(profile *heard, const rewriting *plain, unsigned outputs) {
    char *text = heard_text(plain, outputs);
    bool good = profile_compile(heard, plain->path, text);
    free(text);
    return good;
}

/* Without what a profile says of it itself; false: said. */
static bool take_rebind_out(rewriting *plain) {
    const yt_part *key = plain->top->first, *last = NULL;
    while (key && strcmp(key->text, "rebind") != 0) {
        last = key;
        key = key->next->next;
    }
    return !key || (rewriting_take_out(plain, last, key) && rewriting_apply(plain));
}

/* An adapter tells of what its program may be rebound to: at each output that has a cell for it,
 * all that its inputs have. False: nothing may be, or it is too much. */
static bool make_heard(profile *heard, const profile *before) {
    rewriting plain;
    listening listening;
    unsigned outputs = 0;
    char said[10];
    begin_listening(&listening);
    bool is_open = rewriting_begin_with(&plain, before->messages.sources[0].file, before->source);
    bool is_plain = is_open && take_rebind_out(&plain);
    for (unsigned i = 0; is_plain && i < before->compiled.output_count; i++)
        if (compile_heard(heard, &plain, outputs | 1u << i)) {
            profile_close(heard);
            outputs |= 1u << i;
        }
    bool good = outputs && compile_heard(heard, &plain, outputs);
    if (is_open)
        rewriting_abandon(&plain);
    end_listening(&listening, said, sizeof said);
    return good;
}

/* Where that does not fit, the profile is put there as it is. */
static bool put_heard(shelf *shelf, profile *before, unsigned slot) {
    profile heard;
    if (!make_heard(&heard, before))
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
