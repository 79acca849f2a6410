#include "tool/rebound.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/messages/plain.h"
#include "tool/rewriting.h"
#include "yonder/rebind.h"

/* The cells of a program that are not as they were written; 0: none, or it has no such table. */
static unsigned open_rebound(const slot_content *content, yt_program *program,
                             yt_bindings *bindings) {
    unsigned count = 0;
    if (content->program_bytes == 0 || content->text_bytes == 0 ||
        yt_program_check(program, content->bytes, content->program_bytes) != YT_OK ||
        yt_bindings_open(bindings, program, content->program_bytes) != YT_OK)
        return 0;
    for (unsigned i = 0; i < bindings->header->cell_count; i++)
        count += yt_binding_value(bindings, i) != bindings->cells[i].usual;
    return count;
}

/* A name as the sheet has them; of a table that somebody made, it may be anything. */
static bool is_tame(const char *name) {
    return name[strspn(name, "abcdefghijklmnopqrstuvwxyz0123456789_.")] == 0;
}

static bool put_cell(rewriting *rewriting, const yt_bindings *bindings, unsigned cell) {
    const yt_binding_cell *at = &bindings->cells[cell];
    unsigned choice = yt_binding_of(bindings, cell);
    const yt_binding_choice *by = &bindings->choices[choice];
    char name[256], formula[256] = "none";
    snprintf(name, sizeof name, "%.*s", at->name_bytes, bindings->text + at->name_offset);
    if (choice != YT_BINDING_NONE)
        snprintf(formula, sizeof formula, "%.*s", by->name_bytes, bindings->text + by->name_offset);
    bool are_tame = is_tame(name) && is_tame(formula);
    if (are_tame && !rewriting_set(rewriting, "sheet", name, formula))
        return false;
    plain_line(name);
    plain_line(formula);
    if (!are_tame) {
        fprintf(stderr, "\"%s: %s\" is no cell and control by the names that profiles have\n", name,
                formula);
        return false;
    }
    fprintf(stderr, "    %s: %s\n", name, formula);
    return true;
}

static bool put_cells(rewriting *rewriting, const yt_bindings *bindings) {
    bool good = true;
    for (unsigned i = 0; i < bindings->header->cell_count && good; i++)
        if (bindings->cells[i].kind != YT_BINDING_STICK_Y &&
            yt_binding_value(bindings, i) != bindings->cells[i].usual)
            good = put_cell(rewriting, bindings, i) &&
                   (rewriting->count < REWRITING_EDITS || rewriting_apply(rewriting));
    return good && rewriting_apply(rewriting);
}

/* The text behind the program, its profile being another. */
static void take_text(slot_content *content, profile *profile) {
    size_t size;
    const uint8_t *both = profile_with_text(profile, &size);
    size_t text = size - profile->compiled.size;
    content->bytes = realloc(content->bytes, content->program_bytes + text + 1);
    if (!content->bytes)
        abort();
    memcpy(content->bytes + content->program_bytes, both + profile->compiled.size, text);
    content->bytes[content->program_bytes + text] = 0;
    content->text_bytes = text;
}

void rebound_put_into_text(slot_content *content) {
    yt_program program;
    yt_bindings bindings;
    rewriting rewriting;
    char folder[] = "/tmp/yonder.XXXXXX", path[300];
    unsigned count = open_rebound(content, &program, &bindings);
    yt_kept_file files[KEPT_FILES];
    if (count == 0 ||
        kept_text_read(content->bytes, content->program_bytes + content->text_bytes, files) <= 0)
        return;
    fprintf(stderr, "slot %u: rebound on the adapter; what goes into its sheet:\n",
            content->slot + 1);
    if (!mkdtemp(folder)) {
        refuse(folder, strerror(errno));
        return;
    }
    snprintf(path, sizeof path, "%s/%.*s", folder, (int)files[0].name_bytes, files[0].name);
    if (slot_text_write(content, folder, false, false) && rewriting_begin(&rewriting, path)) {
        if (put_cells(&rewriting, &bindings))
            take_text(content, &rewriting.profile);
        else
            fprintf(stderr, "slot %u: its text stays as it was\n", content->slot + 1);
        rewriting_abandon(&rewriting);
    }
    folder_remove(folder);
}
