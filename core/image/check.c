/* Checks a program, table by table: every length, index, order, type and list. What is looked into
 * is checked before; the first error wins. */
#include "image/check.h"

#include <stddef.h>

#include "yonder/groups.h"

#define KEYBOARD_PAGE 0x07 /* HID Usage Tables 1.5, 10 */

static yt_status check_header(const yt_program_header *header, size_t size) {
    if (header->magic != YT_PROGRAM_MAGIC)
        return YT_PROGRAM_FOREIGN;
    if (header->version < YT_PROGRAM_VERSION)
        return YT_PROGRAM_OLDER;
    if (header->version != YT_PROGRAM_VERSION || header->header_bytes != sizeof *header)
        return YT_PROGRAM_NEWER;
    if (header->total_bytes > size || header->total_bytes > YT_PROGRAM_BYTES ||
        header->total_bytes < sizeof *header)
        return YT_PROGRAM_SIZE;
    return YT_OK;
}

yt_status yt_checking_begin(yt_checking *checking, const void *image, size_t size) {
    const yt_program_header *header = (const yt_program_header *)image;
    if ((uintptr_t)image % 4)
        return YT_PROGRAM_ALIGNMENT;
    if (size < sizeof *header)
        return YT_PROGRAM_SIZE;
    yt_status status = check_header(header, size);
    *checking = (yt_checking){.entry = 0};
    if (status == YT_OK)
        checking->table_bytes = (uint32_t)yt_program_lay_out(&checking->program, header);
    return status;
}

#define SUM_FROM  16u /* the first byte that is summed */
#define SUM_BYTES 64u

static yt_status check_sum(yt_checking *checking, unsigned i) {
    const yt_program_header *header = checking->program.header;
    uint32_t at = SUM_FROM + i * SUM_BYTES, end = at + SUM_BYTES;
    if (end > header->total_bytes)
        end = header->total_bytes;
    checking->checksum = yt_checksum_between(checking->checksum, (const uint8_t *)header, at, end);
    bool is_last = end == header->total_bytes;
    return is_last && checking->checksum != header->checksum ? YT_PROGRAM_CHECKSUM : YT_OK;
}

/* What the header says beside lengths. */
static yt_status check_lengths(yt_checking *checking, unsigned i) {
    const yt_program_header *header = checking->program.header;
    unsigned constants = header->constant_count, parameters = header->parameter_count;
    (void)i;
    if (header->reserved)
        return YT_PROGRAM_SIZE;
    if (checking->table_bytes != header->total_bytes ||
        header->value_count < constants + parameters + header->control_count ||
        header->value_count > UINT16_MAX - YT_TEMPORARIES ||
        header->name_bytes > header->text_bytes ||
        header->control_count + (uint32_t)header->target_count > YT_PROGRAM_CONTROLS)
        return YT_PROGRAM_SIZE;
    checking->value = (uint16_t)yt_first_step_value(&checking->program);
    return yt_groups_missing(header, header->total_bytes) ? YT_PROGRAM_GROUP : YT_OK;
}

#ifdef YT_WITHOUT_CHECK /* the one who made the program has checked it */

yt_status yt_program_open(yt_program *program, const void *image, size_t size) {
    yt_checking checking;
    yt_status status = yt_checking_begin(&checking, image, size);
    if (status != YT_OK)
        return status;
    status = check_lengths(&checking, 0);
    *program = checking.program;
    return status;
}

#endif

static yt_status check_input(yt_checking *checking, unsigned i) {
    const yt_program *program = &checking->program;
    const yt_program_input *input = yt_input_at(program, i);
    unsigned needs = YT_NEEDS_USAGE | YT_NEEDS_RELATIVE | YT_NEEDS_DESCRIPTOR;
    if (!yt_text_holds(program, input->name_offset, input->name_bytes) ||
        !yt_text_holds(program, input->device_name_offset, input->device_name_bytes) ||
        !yt_text_holds(program, input->serial_offset, input->serial_bytes))
        return YT_PROGRAM_TEXT;
    return i >= YT_PROGRAM_INPUTS || input->needs > needs || input->reserved ? YT_PROGRAM_INPUT
                                                                             : YT_OK;
}

static yt_status check_place(yt_checking *checking, unsigned i) {
    const yt_program *program = &checking->program;
    const yt_program_place *place = yt_place_at(program, i);
    bool has_range = place->flags & YT_PLACE_RANGE, is_here = place->flags & YT_PLACE_HERE;
    unsigned turning = place->flags & (YT_PLACE_MIDDLE | YT_PLACE_WRAPS);
    if (place->flags > 127 || place->reserved ||
        (turning && (!has_range || !(place->flags & YT_PLACE_MOTION))) ||
        turning == (YT_PLACE_MIDDLE | YT_PLACE_WRAPS) ||
        (is_here && (place->at.bits < 1 || place->at.bits > 32)) ||
        (has_range && place->range >= program->header->range_count) ||
        (is_here && !has_range && !(place->flags & YT_PLACE_MOTION)) ||
        (!has_range && place->range) ||
        (!is_here && (place->at.bit || place->at.bits || place->at.report_id)) ||
        place->at.bit >= YT_HID_REPORT_BITS)
        return YT_PROGRAM_CONTROL;
    return YT_OK;
}

static yt_status check_range(yt_checking *checking, unsigned i) {
    const yt_program *program = &checking->program;
    const yt_program_range *range = yt_range_at(program, i);
    return range->minimum <= range->rest && range->rest <= range->maximum ? YT_OK
                                                                          : YT_PROGRAM_CONTROL;
}

static yt_status check_pin(yt_checking *checking, unsigned i) {
    const yt_program *program = &checking->program;
    const yt_program_pin *pin = yt_pin_at(program, i);
    static const uint8_t bits[YT_PIN_KIND_COUNT] = {1, 8, 32, 16, 8};
    bool is_encoder = pin->kind == YT_PIN_ENCODER;
    if (pin->kind >= YT_PIN_KIND_COUNT || pin->input >= program->header->input_count ||
        pin->flags > YT_PIN_ACTIVE_HIGH || pin->reserved[0] || pin->reserved[1] ||
        pin->bit + bits[pin->kind] > 8u * YT_BOARD_BYTES || i >= YT_BOARD_PINS ||
        (pin->bit % 8 && pin->kind != YT_PIN_SWITCH))
        return YT_PROGRAM_BOARD;
    if (is_encoder && pin->steps != 1 && pin->steps != 2 && pin->steps != 4)
        return YT_PROGRAM_BOARD;
    return pin->kind == YT_PIN_ANALOG && pin->steps == 0 ? YT_PROGRAM_BOARD : YT_OK;
}

static yt_status check_relay(yt_checking *checking, unsigned i) {
    const yt_program *program = &checking->program;
    const yt_program_relay *relay = yt_relay_at(program, i);
    bool is_good = relay->interface < program->header->interface_count &&
                   relay->input < program->header->input_count &&
                   (relay->direction == YT_HID_OUTPUT || relay->direction == YT_HID_FEATURE) &&
                   !relay->reserved[0] && !relay->reserved[1] && !relay->reserved[2];
    return is_good ? YT_OK : YT_PROGRAM_RELAY;
}

static yt_status check_fill(yt_checking *checking, unsigned i) {
    const yt_program_fill *fill = yt_fill_at(&checking->program, i);
    bool is_sum = fill->kind >= YT_FILL_SUM;
    unsigned flags = fill->kind == YT_FILL_CRC   ? YT_FILL_REFLECTED | YT_FILL_BIG_ENDIAN
                     : fill->kind == YT_FILL_SUM ? YT_FILL_NEGATED | YT_FILL_BIG_ENDIAN
                     : is_sum                    ? YT_FILL_BIG_ENDIAN
                                                 : 0;
    bool is_good = fill->kind < YT_FILL_KIND_COUNT && (fill->flags & ~flags) == 0 &&
                   fill->at.bits >= 1 && fill->at.bits <= 32 &&
                   fill->at.bit + fill->at.bits <= 8u * YT_REPORT_BYTES && !fill->at.report_id &&
                   !fill->reserved[0] && !fill->reserved[1] && !fill->reserved[2] &&
                   fill->before_count <= YT_FILL_BEFORE && fill->end <= YT_REPORT_BYTES &&
                   fill->first <= fill->end;
    if (is_sum)
        is_good = is_good && fill->at.bit % 8 == 0 &&
                  (fill->at.bits == 8 || fill->at.bits == 16 || fill->at.bits == 32);
    return is_good ? YT_OK : YT_PROGRAM_FILL;
}

static yt_status check_filled(yt_checking *checking, unsigned i) {
    const yt_program *program = &checking->program;
    const yt_program_filled *filled = yt_filled_at(program, i);
    unsigned bytes = YT_REPORT_BYTES;
    bool is_good =
        filled->first_fill + filled->fill_count <= program->header->fill_count && i < UINT8_MAX;
    if (filled->report != YT_NO_REPORT) {
        if (filled->report >= program->header->report_count)
            return YT_PROGRAM_FILL;
        const yt_program_report *report = yt_report_at(program, filled->report);
        is_good = is_good && report->direction == YT_HID_INPUT &&
                  filled->direction == YT_HID_INPUT && !filled->every_us && !filled->on_arrival &&
                  !filled->report_id && !filled->input;
        bytes = report->bytes;
    } else {
        is_good = is_good && filled->input < program->header->input_count &&
                  (filled->direction == YT_HID_OUTPUT || filled->direction == YT_HID_FEATURE) &&
                  filled->on_arrival <= 1 && filled->every_us <= YT_FILLED_MOST_US;
    }
    for (unsigned k = 0; is_good && k < filled->fill_count; k++) {
        const yt_program_fill *fill = yt_fill_at(program, filled->first_fill + k);
        is_good = fill->at.bit + fill->at.bits <= 8 * bytes && fill->end <= bytes;
    }
    return is_good ? YT_OK : YT_PROGRAM_FILL;
}

static bool is_part(unsigned part) {
    return part == 0 || part == 1 || part == 2 || part == 4 || part == 8;
}

/* Where a control stands: what one count of a rate is stands in a range, so its place has one. */
static bool is_placed(const yt_program *program, const yt_program_control *control) {
    if (control->place == YT_NO_PLACE)
        return true;
    return control->place < program->header->place_count &&
           (control->kind != YT_RATE ||
            (yt_place_at(program, control->place)->flags & YT_PLACE_RANGE) != 0);
}

/* What controls and targets have in common. */
static bool is_control(const yt_program *program, const yt_program_control *control) {
    return control->kind < YT_KIND_COUNT && is_part(control->part) &&
           (control->stick == 0 || control->kind == YT_AXIS) &&
           (control->part == 0 || control->kind == YT_SWITCH) && control->from_host <= 1 &&
           is_placed(program, control);
}

/* What the host sends stands at a place of a report of ours, so that it always fits in there. */
static bool is_from_host(const yt_program *program, const yt_program_control *control) {
    if (control->input >= program->header->report_count || control->place == YT_NO_PLACE)
        return false;
    const yt_program_report *report = yt_report_at(program, control->input);
    const yt_program_place *place = yt_place_at(program, control->place);
    unsigned needed = YT_PLACE_HERE | YT_PLACE_RANGE;
    return report->direction != YT_HID_INPUT && control->kind != YT_MOTION &&
           (place->flags & needed) == needed &&
           (unsigned)place->at.bit + place->at.bits <= 8u * report->bytes &&
           place->at.report_id == report->id;
}

static yt_status check_control(yt_checking *checking, unsigned i) {
    const yt_program *program = &checking->program;
    const yt_program_control *control = yt_control_at(program, i);
    if (!is_control(program, control))
        return YT_PROGRAM_CONTROL;
    if (control->page != KEYBOARD_PAGE && !control->from_host)
        checking->reads_others = true;
    if (control->from_host ? !is_from_host(program, control)
                           : control->input >= program->header->input_count)
        return YT_PROGRAM_CONTROL;
    return YT_OK;
}

static yt_status check_parameter(yt_checking *checking, unsigned i) {
    const yt_program *program = &checking->program;
    const yt_program_parameter *parameter = yt_parameter_at(program, i);
    bool is_good = parameter->unit < YT_UNIT_COUNT && parameter->step >= 0 &&
                   parameter->minimum <= parameter->value &&
                   parameter->value <= parameter->maximum &&
                   yt_text_holds(program, parameter->name_offset, parameter->name_bytes);
    return is_good ? YT_OK : YT_PROGRAM_PARAMETER;
}

/* What the kind of an action asks of its number, and of what its step gives. */
static bool is_action(const yt_program *program, const yt_program_control *target) {
    static const uint8_t most[] = {
#define YT_ACTION(NAME, name, most, kind, pulses, meaning) most,
#include "yonder/actions.def"
    };
    bool puts = target->page == YT_ACTION_PUT;
    if (target->input || target->other_if || target->occurrence || target->part || target->stick ||
        target->place != YT_NO_PLACE || (!puts && (target->other_page || target->other_usage)))
        return false;
    if (target->page < YT_ACTION_KINDS)
        return target->kind == (target->page == YT_ACTION_LIGHT ? YT_LEVEL : YT_SWITCH) &&
               (target->usage > 0) == (most[target->page] > 0) &&
               target->usage <= most[target->page];
    return target->page >= YT_ACTION_UP && target->page <= YT_ACTION_FOLLOW &&
           target->kind == (target->page == YT_ACTION_FOLLOW ? YT_AXIS : YT_SWITCH) &&
           target->usage < program->header->parameter_count;
}

static yt_status check_target(yt_checking *checking, unsigned i) {
    const yt_program *program = &checking->program;
    const yt_program_control *target = yt_target_at(program, i);
    if (target->from_host == YT_FOR_ADAPTER && target->page < YT_ACTION_KINDS)
        checking->abilities |= YT_CAN_ADAPTER;
    if (target->from_host == YT_FOR_ADAPTER)
        return is_action(program, target) ? YT_OK : YT_PROGRAM_CONTROL;
    if (!is_control(program, target) || target->input >= program->header->input_count ||
        target->from_host || target->kind == YT_MOTION || target->part)
        return YT_PROGRAM_CONTROL;
    return YT_OK;
}

/* Keys count as typed by something else than a keyboard where the program reads anything else. */
uint16_t yt_checking_abilities(const yt_checking *checking) {
    bool types = checking->has_keys && checking->reads_others;
    return (uint16_t)(checking->abilities | (types ? YT_CAN_TYPING : 0));
}

/* All that was listed was taken. */
static yt_status check_end(yt_checking *checking, unsigned i) {
    const yt_program_header *header = checking->program.header;
    (void)i;
    if (checking->report != header->report_count)
        return YT_PROGRAM_OUTPUT;
    if (checking->code != header->instruction_count || checking->value != header->value_count)
        return YT_PROGRAM_STEP;
    if (checking->state != header->state_words || checking->timer != header->timer_count)
        return YT_PROGRAM_STATE;
    if (checking->mark != header->mark_count || checking->wire != header->wire_count)
        return YT_PROGRAM_USERS;
    if (checking->root + header->target_count != header->root_count)
        return YT_PROGRAM_ROOT;
    return yt_checking_abilities(checking) == header->abilities ? YT_OK : YT_PROGRAM_ABILITY;
}

/* A table, and where the header says how many entries it has; 0: it is of another length. */
typedef struct table {
    yt_check_entry *check;
    size_t count_at;
} table;

#define COUNT(field) offsetof(yt_program_header, field)

static const table tables[] = {{check_sum, 0},
                               {check_lengths, 0},
                               {check_input, COUNT(input_count)},
                               {check_range, COUNT(range_count)},
                               {check_place, COUNT(place_count)},
                               {check_target, COUNT(target_count)},
                               {yt_check_interface, COUNT(interface_count)},
                               {yt_check_output, COUNT(output_count)},
                               {check_pin, COUNT(pin_count)},
                               {check_relay, COUNT(relay_count)},
                               {check_fill, COUNT(fill_count)},
                               {check_filled, COUNT(filled_count)},
                               {check_control, COUNT(control_count)},
                               {check_parameter, COUNT(parameter_count)},
                               {yt_check_value, COUNT(value_count)},
                               {yt_check_users, 0},
                               {yt_check_step, COUNT(step_count)},
                               {yt_check_wires, 0},
                               {yt_check_report_roots, COUNT(report_count)},
                               {yt_check_target_root, COUNT(target_count)},
                               {check_end, 0}};

static unsigned entries_of(const yt_checking *checking) {
    const yt_program_header *header = checking->program.header;
    const table *table = &tables[checking->table];
    if (table->count_at)
        return *(const uint16_t *)((const uint8_t *)header + table->count_at);
    if (table->check == check_sum)
        return (header->total_bytes - SUM_FROM + SUM_BYTES - 1) / SUM_BYTES;
    if (table->check == yt_check_users || table->check == yt_check_wires)
        return (unsigned)(header->value_count - header->constant_count);
    return 1;
}

yt_status yt_checking_go_on(yt_checking *checking, unsigned entries, bool *done) {
    const unsigned count = sizeof tables / sizeof tables[0];
    for (; entries > 0 && checking->table < count; entries--) {
        if (checking->entry == entries_of(checking)) {
            checking->table++;
            checking->entry = 0;
            continue;
        }
        yt_status status = tables[checking->table].check(checking, checking->entry);
        if (status != YT_OK)
            return status;
        checking->entry++;
    }
    *done = checking->table == count;
    return YT_OK;
}

yt_status yt_program_check(yt_program *program, const void *image, size_t size) {
    yt_checking checking;
    bool done = false;
    yt_status status = yt_checking_begin(&checking, image, size);
    if (status == YT_OK)
        status = yt_checking_go_on(&checking, UINT16_MAX * 64u, &done);
    if (status == YT_OK)
        *program = checking.program;
    return status;
}
