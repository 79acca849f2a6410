/* How much memory a program and its devices need, before there is any engine. */
#include "engine/parts.h"
#include "image/layout.h"
#include "in/search.h"

#define ARRAY_BYTES 32 /* a longer array of keys than a device of the usual make has */
#define FIELD_BYTES 5  /* that 32 bits can reach into */
#define REPORTS     4

/* A structure with so many pointers, on a processor whose pointers have so many bytes. */
static size_t size_on(size_t size, unsigned pointers, unsigned pointer_bytes) {
    return yt_rounded_up(size - pointers * (sizeof(void *) - pointer_bytes));
}

_Static_assert(sizeof(yt_endpoint) == sizeof(void *) + 24, "it has one pointer");
_Static_assert(sizeof(void *) < 8 || (offsetof(yt_evaluator, program) % 8 == 0 &&
                                      sizeof(yt_evaluator) ==
                                          offsetof(yt_evaluator, program) + sizeof(yt_program) + 8),
               "no room is left between what is no pointer");
_Static_assert(sizeof(yt_program) % sizeof(void *) == 0 &&
                   offsetof(yt_sending, change_count) == 6 * sizeof(void *),
               "their pointers can be counted");

#define PROGRAM_POINTERS   ((unsigned)(sizeof(yt_program) / sizeof(void *)))
#define EVALUATOR_POINTERS (8 + PROGRAM_POINTERS)

size_t yt_engine_bytes(const yt_program *program, const yt_port *port, unsigned pointer_bytes) {
    const yt_program_header *header = program->header;
    size_t bytes = yt_rounded_up(header->interface_count * (24u + pointer_bytes)) +
                   size_on(sizeof(yt_evaluator), EVALUATOR_POINTERS, pointer_bytes) +
                   yt_evaluator_bytes(program) + yt_rounded_up(yt_port_queue_bytes(port));
    for (unsigned i = 0; i < header->report_count; i++)
        if (yt_report_at(program, i)->direction == YT_HID_INPUT)
            bytes += size_on(yt_sending_bytes(yt_report_at(program, i)), 6, pointer_bytes);
    return bytes;
}

size_t yt_engine_spare_bytes(const yt_program *program) {
    unsigned controls = program->header->control_count, targets = program->header->target_count;
    return (controls + targets) * sizeof(yt_sought) + controls * sizeof(yt_found) +
           sizeof(yt_scale) + YT_PROGRAM_INPUTS + 8;
}

/* What a device is made up of, as far as its program tells. */
typedef struct parts {
    const yt_program *program;
    uint32_t inputs;
    unsigned controls, scales, groups, kept;
    bool keys; /* switches that may stand in an array */
} parts;

static const yt_program_control *its_own(const parts *parts, unsigned index) {
    const yt_program_control *control = yt_control_at(parts->program, index);
    return !control->from_host && (parts->inputs >> control->input & 1) ? control : NULL;
}

static bool is_bit(const yt_program_control *control) {
    return control && control->kind == YT_SWITCH && control->part == 0;
}

/* Whether another switch in front of it is in the same byte, where the first usage's bit is
 * `first`. */
static bool shares_byte(const parts *parts, unsigned index, unsigned first) {
    const yt_program_control *control = yt_control_at(parts->program, index);
    for (unsigned i = 0; i < index; i++) {
        const yt_program_control *other = its_own(parts, i);
        if (is_bit(other) && other->page == control->page && other->input == control->input &&
            (other->usage + first) / 8 == (control->usage + first) / 8)
            return true;
    }
    return false;
}

/* The bytes that its switches are in, at most: their field may begin at any bit. */
static unsigned bytes_of_bits(const parts *parts) {
    unsigned most = 0;
    for (unsigned first = 0; first < 8; first++) {
        unsigned count = 0;
        for (unsigned i = 0; i < parts->program->header->control_count; i++)
            count += is_bit(its_own(parts, i)) && !shares_byte(parts, i, first);
        most = count > most ? count : most;
    }
    return most;
}

static void count_control(parts *parts, const yt_program_control *control) {
    parts->controls++;
    if (is_bit(control)) {
        parts->keys = true;
        return;
    }
    bool turns =
        control->kind == YT_MOTION && control->place != YT_NO_PLACE &&
        (yt_place_at(parts->program, control->place)->flags & (YT_PLACE_MIDDLE | YT_PLACE_WRAPS));
    parts->groups++;
    if (control->kind != YT_MOTION || turns)
        parts->kept += FIELD_BYTES;
    if ((control->kind != YT_MOTION && control->kind != YT_SWITCH) || turns)
        parts->scales++;
}

size_t yt_engine_device_bytes(const yt_program *program, uint32_t inputs) {
    parts parts = {.program = program, .inputs = inputs};
    for (unsigned i = 0; i < program->header->control_count; i++)
        if (its_own(&parts, i))
            count_control(&parts, its_own(&parts, i));
    unsigned bits = bytes_of_bits(&parts), targets = 0;
    for (unsigned i = 0; i < program->header->target_count; i++)
        targets +=
            !yt_target_at(program, i)->from_host && (inputs >> yt_target_at(program, i)->input & 1);
    unsigned filled = 0;
    for (unsigned i = 0; i < program->header->filled_count; i++)
        filled += yt_filled_at(program, i)->report == YT_NO_REPORT &&
                  (inputs >> yt_filled_at(program, i)->input & 1);
    size_t groups = parts.groups + (size_t)bits;
    size_t kept = parts.kept + (size_t)bits + (parts.keys ? ARRAY_BYTES : 0);
    return yt_rounded_up(sizeof(yt_attached) + parts.scales * sizeof(yt_scale) +
                         targets * sizeof(yt_target) + filled * sizeof(yt_filled) +
                         parts.controls * sizeof(yt_binding) + 2 + groups * sizeof(yt_bytes_group) +
                         REPORTS * sizeof(yt_bound_report) + kept);
}
