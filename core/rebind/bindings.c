/* The table of what may be rebound, behind a program. */
#include "image/code.h"
#include "image/layout.h"
#include "yonder/rebind.h"

_Static_assert(sizeof(yt_bindings_header) == 20, "bindings");
_Static_assert(sizeof(yt_binding_cell) == 12, "cell");
_Static_assert(sizeof(yt_binding_choice) == 8, "choice");

static bool is_text(const yt_bindings *bindings, unsigned offset, unsigned bytes) {
    return offset + bytes <= bindings->header->text_bytes;
}

/* The LOAD of a cell. */
static const yt_instruction *load_of(const yt_program *program, const yt_binding_cell *cell) {
    return yt_code_at(program, yt_step_at(program, cell->step)->code);
}

static bool is_kind(unsigned kind) {
    return kind <= YT_AXIS || kind == YT_BINDING_STICK || kind == YT_BINDING_STICK_Y;
}

/* A stick's y follows its x, and nothing else. */
static bool is_in_order(unsigned kind, unsigned before) {
    return (kind == YT_BINDING_STICK_Y) == (before == YT_BINDING_STICK);
}

static unsigned kind_before(const yt_bindings *bindings, bool is_cell, unsigned at) {
    return at == 0   ? YT_SWITCH
           : is_cell ? bindings->cells[at - 1].kind
                     : bindings->choices[at - 1].kind;
}

static yt_status check_cell(const yt_bindings *bindings, unsigned number) {
    const yt_program *program = bindings->program;
    const yt_binding_cell *cell = &bindings->cells[number];
    if (!is_text(bindings, cell->name_offset, cell->name_bytes))
        return YT_PROGRAM_TEXT;
    if (!is_kind(cell->kind) || !is_in_order(cell->kind, kind_before(bindings, true, number)) ||
        cell->usual >= program->header->value_count || cell->reserved ||
        cell->step >= program->header->step_count || load_of(program, cell)->code != YT_CODE_LOAD ||
        yt_code_at(program, yt_step_at(program, cell->step)->code + 1u)->code != YT_CODE_END)
        return YT_PROGRAM_STEP;
    return YT_OK;
}

static yt_status check_choice(const yt_bindings *bindings, unsigned number) {
    const yt_program *program = bindings->program;
    const yt_binding_choice *choice = &bindings->choices[number];
    if (!is_text(bindings, choice->name_offset, choice->name_bytes))
        return YT_PROGRAM_TEXT;
    bool is_good =
        choice->value < program->header->value_count &&
        (number == YT_BINDING_NONE
             ? choice->control == YT_NO_CONTROL &&
                   choice->value < program->header->constant_count &&
                   *yt_constant_at(program, choice->value) == 0 && choice->kind == YT_SWITCH
             : choice->value >= program->header->constant_count && is_kind(choice->kind) &&
                   is_in_order(choice->kind, kind_before(bindings, false, number)) &&
                   choice->control < program->header->control_count);
    return is_good ? YT_OK : YT_PROGRAM_ORDER;
}

static yt_status check_all(const yt_bindings *bindings) {
    yt_status status = YT_OK;
    for (unsigned i = 0; i < bindings->header->cell_count && status == YT_OK; i++)
        status = check_cell(bindings, i);
    for (unsigned i = 0; i < bindings->header->choice_count && status == YT_OK; i++)
        status = check_choice(bindings, i);
    unsigned cells = bindings->header->cell_count, choices = bindings->header->choice_count;
    bool is_cut = kind_before(bindings, true, cells) == YT_BINDING_STICK ||
                  kind_before(bindings, false, choices) == YT_BINDING_STICK;
    return status == YT_OK && is_cut ? YT_PROGRAM_ORDER : status;
}

yt_status yt_bindings_open(yt_bindings *bindings, const yt_program *program, size_t size) {
    size_t at = (program->header->total_bytes + 3u) & ~(size_t)3;
    const uint8_t *image = (const uint8_t *)program->header + at;
    const yt_bindings_header *header = (const yt_bindings_header *)image;
    if (size < at || size - at < sizeof *header || header->magic != YT_BINDINGS_MAGIC)
        return YT_NO_MATCH;
    size_t cells = header->cell_count * sizeof(yt_binding_cell);
    size_t choices = header->choice_count * sizeof(yt_binding_choice);
    if (header->bytes > size - at || header->choice_count == 0 ||
        header->cell_count > YT_BINDING_CELLS || header->choice_count > YT_BINDING_CHOICES ||
        header->reserved ||
        header->bytes != ((sizeof *header + cells + choices + header->text_bytes + 3) & ~(size_t)3))
        return YT_PROGRAM_SIZE;
    if (yt_checksum(0, image + 12, header->bytes - 12) != header->checksum)
        return YT_PROGRAM_CHECKSUM;
    *bindings =
        (yt_bindings){.program = program,
                      .header = header,
                      .cells = (const yt_binding_cell *)(image + sizeof *header),
                      .choices = (const yt_binding_choice *)(image + sizeof *header + cells),
                      .text = (const char *)image + sizeof *header + cells + choices};
    return check_all(bindings);
}

unsigned yt_binding_value(const yt_bindings *bindings, unsigned cell) {
    return load_of(bindings->program, &bindings->cells[cell])->operand;
}

unsigned yt_binding_of(const yt_bindings *bindings, unsigned cell) {
    unsigned value = yt_binding_value(bindings, cell);
    for (unsigned i = 0; i < bindings->header->choice_count; i++)
        if (bindings->choices[i].value == value &&
            (i == YT_BINDING_NONE || bindings->choices[i].kind == bindings->cells[cell].kind))
            return i;
    return YT_BINDING_USUAL;
}

/* Whether a step is looked at when a value changes. */
static bool is_marked(const yt_program *program, unsigned value, unsigned step) {
    const yt_program_users *users = yt_users_at(program, value - program->header->constant_count);
    for (unsigned i = 0; i < users->count; i++) {
        const yt_program_mark *mark = yt_mark_at(program, (size_t)users->first + i);
        if (mark->word == step / 32 && (mark->bits >> step % 32 & 1))
            return true;
    }
    return false;
}

bool yt_binding_fits(const yt_bindings *bindings, unsigned cell, unsigned choice) {
    const yt_program *program = bindings->program;
    if (cell >= bindings->header->cell_count)
        return false;
    const yt_binding_cell *at = &bindings->cells[cell];
    if (at->kind == YT_BINDING_STICK_Y)
        return false;
    if (choice == YT_BINDING_USUAL || choice == YT_BINDING_NONE)
        return true;
    if (choice >= bindings->header->choice_count || bindings->choices[choice].kind != at->kind)
        return false;
    for (unsigned k = 0; k < (at->kind == YT_BINDING_STICK ? 2u : 1u); k++)
        if (!is_marked(program, bindings->choices[choice + k].value, at[k].step))
            return false;
    return true;
}
