/* Checks interfaces, reports, what the profile calls outputs, and roots. */
#include "image/check.h"

static bool blob_holds(const yt_program *program, unsigned offset, unsigned bytes) {
    return offset + bytes <= program->header->blob_bytes;
}

/* The reports of an interface stand together; with IDs or, where it has but one, without. */
static yt_status check_report(const yt_program *program, unsigned interface, unsigned index) {
    const yt_program_report *report = yt_report_at(program, index);
    const yt_program_interface *of = yt_interface_at(program, interface);
    if (report->interface != interface || report->direction > YT_HID_FEATURE ||
        report->bytes == 0 || report->bytes > YT_REPORT_BYTES ||
        (report->boot && !(of->boot & report->boot)) || report->boot > YT_BOOT_MOUSE ||
        report->switch_count > report->root_count ||
        report->root_count - report->switch_count > YT_REPORT_ANALOG)
        return YT_PROGRAM_OUTPUT;
    if (report->direction == YT_HID_INPUT ? !blob_holds(program, report->rest_offset, report->bytes)
                                          : report->rest_offset || report->root_count)
        return YT_PROGRAM_OUTPUT;
    for (unsigned i = of->first_report; i < index; i++) {
        const yt_program_report *other = yt_report_at(program, i);
        if ((other->id == 0) != (report->id == 0) ||
            (other->id == report->id && other->direction == report->direction))
            return YT_PROGRAM_OUTPUT;
    }
    return YT_OK;
}

yt_status yt_check_interface(yt_checking *checking, unsigned i) {
    const yt_program *program = &checking->program;
    const yt_program_interface *interface = yt_interface_at(program, i);
    if (i > 254 || interface->boot > YT_BOOT_BOTH || interface->connector == 0 ||
        interface->radio > 1 || (interface->boot == YT_BOOT_BOTH && !interface->radio) ||
        interface->reserved[0] || interface->reserved[1] || interface->descriptor_bytes == 0 ||
        interface->first_report != checking->report || interface->report_count == 0 ||
        !blob_holds(program, interface->descriptor_offset, interface->descriptor_bytes))
        return YT_PROGRAM_OUTPUT;
    unsigned next = checking->report + (unsigned)interface->report_count;
    if (next > program->header->report_count || next > 254)
        return YT_PROGRAM_OUTPUT;
    for (unsigned k = checking->report; k < next; k++) {
        yt_status status = check_report(program, i, k);
        if (status != YT_OK)
            return status;
    }
    checking->report = (uint16_t)next;
    return YT_OK;
}

yt_status yt_check_output(yt_checking *checking, unsigned i) {
    const yt_program *program = &checking->program;
    const yt_program_output *output = yt_output_at(program, i);
    if (output->interface >= program->header->interface_count)
        return YT_PROGRAM_OUTPUT;
    return yt_text_holds(program, output->name_offset, output->name_bytes) ? YT_OK
                                                                           : YT_PROGRAM_TEXT;
}

/* The telling of a root, and the type of what it is told. */
static uint8_t telling_of(unsigned kind) {
    static const uint8_t tellings[] = {YT_TELLS_HAT, YT_TELLS_AXIS, YT_TELLS_LEVEL,
                                       YT_TELLS_MOTION};
    return kind < YT_ROOT_HAT ? YT_TELLS_SWITCH : tellings[kind - YT_ROOT_HAT];
}

static char type_of_root(unsigned kind) {
    return kind < YT_ROOT_AXIS ? 's' : kind == YT_ROOT_MOTION ? 'p' : 'n';
}

static bool is_array(const yt_program_root *root) {
    return root->kind == YT_ROOT_IN_ARRAY || root->kind == YT_ROOT_KEY_IN_ARRAY;
}

static bool fits_report(const yt_program_root *root, const yt_program_report *report) {
    unsigned elements = is_array(root) ? root->elements : 1u;
    return elements > 0 && root->at.bits >= 1 && root->at.bits <= 32 &&
           root->at.report_id == report->id &&
           root->at.bit + (uint32_t)root->at.bits * elements <= 8u * report->bytes;
}

/* A hat's directions stand together, each once, in one place. */
static bool is_hat(const yt_program *program, const yt_program_report *report, unsigned k) {
    const yt_program_root *root = yt_root_at(program, report->first_root + k);
    if ((root->part != 1 && root->part != 2 && root->part != 4 && root->part != 8) ||
        (root->elements != 0 && root->elements != 4))
        return false;
    if (root->lead == k)
        return true;
    if (k == 0)
        return false;
    const yt_program_root *before = yt_root_at(program, report->first_root + k - 1);
    return before->kind == YT_ROOT_HAT && before->lead == root->lead && before->part < root->part &&
           before->at.bit == root->at.bit && before->at.bits == root->at.bits &&
           before->number == root->number && before->elements == root->elements;
}

/* Motion goes both ways, and rests at 0. */
static bool tells_motion(const yt_program_range *range) {
    return range->minimum <= 0 && range->maximum >= 0 && range->minimum >= -INT32_MAX;
}

/* What only some kinds of roots have is 0 in the others. */
static bool has_only_its_own(const yt_program_root *root) {
    bool is_motion = root->kind == YT_ROOT_MOTION;
    return (is_motion || (root->multiplier == 0 && root->boot_byte == 0)) &&
           (is_array(root) || root->kind == YT_ROOT_HAT || root->elements == 0) &&
           (root->kind == YT_ROOT_HAT || root->part == 0 ||
            (root->part == 1 &&
             (root->kind == YT_ROOT_KEY || root->kind == YT_ROOT_KEY_IN_ARRAY))) &&
           (root->kind >= YT_ROOT_AXIS ? root->number == 0 : root->range == 0);
}

/* A button that is on has a number that its bits can hold. */
static bool is_button(const yt_program_root *root) {
    return root->number != 0 && (root->at.bits >= 16 || root->number >> root->at.bits == 0);
}

/* The k-th root of a report: where it stands, and its kind. */
static bool is_root(const yt_program *program, const yt_program_report *report, unsigned k) {
    const yt_program_root *root = yt_root_at(program, report->first_root + k);
    if (root->multiplier > 31 || !fits_report(root, report) ||
        root->boot_byte >= YT_BOOT_MOUSE_BYTES || !has_only_its_own(root) ||
        (root->kind < YT_ROOT_AXIS) != (k < report->switch_count))
        return false;
    if (root->kind == YT_ROOT_HAT)
        return is_hat(program, report, k);
    if (root->lead != k || (root->kind == YT_ROOT_BUTTON && !is_button(root)))
        return false;
    if (root->kind < YT_ROOT_AXIS)
        return true;
    return root->range < program->header->range_count &&
           (root->kind != YT_ROOT_MOTION || tells_motion(yt_range_at(program, root->range)));
}

/* A root and its step name each other, and the step gives what the root is told. */
static yt_status check_teller(const yt_program *program, const yt_program_root *root,
                              unsigned report, unsigned index, char type) {
    if (root->step >= program->header->step_count)
        return YT_PROGRAM_ROOT;
    const yt_program_step *step = yt_step_at(program, root->step);
    if (step->report != report || step->number != index)
        return YT_PROGRAM_ROOT;
    return yt_type_fits(type, step->type) ? YT_OK : YT_PROGRAM_TYPE;
}

yt_status yt_check_report_roots(yt_checking *checking, unsigned index) {
    const yt_program *program = &checking->program;
    const yt_program_report *report = yt_report_at(program, index);
    if (report->direction != YT_HID_INPUT)
        return YT_OK;
    if (report->first_root != checking->root ||
        checking->root + report->root_count > program->header->root_count)
        return YT_PROGRAM_OUTPUT;
    for (unsigned k = 0; k < report->root_count; k++) {
        const yt_program_root *root = yt_root_at(program, report->first_root + k);
        unsigned kind = root->kind;
        yt_status status = check_teller(program, root, index, k, type_of_root(kind));
        if (kind >= YT_ROOT_KIND_COUNT || !is_root(program, report, k))
            return YT_PROGRAM_ROOT;
        if (status != YT_OK)
            return status;
        checking->has_keys |=
            kind == YT_ROOT_MODIFIER || kind == YT_ROOT_KEY || kind == YT_ROOT_KEY_IN_ARRAY;
        /* Switches are told in the order of the roots, on which the list of changes depends. */
        if (telling_of(kind) != yt_step_at(program, root->step)->tells ||
            (k > 0 && k < report->switch_count &&
             root->step <= yt_root_at(program, report->first_root + k - 1)->step))
            return YT_PROGRAM_ROOT;
    }
    checking->root = (uint16_t)(checking->root + report->root_count);
    return YT_OK;
}

/* Behind the roots of the reports come those of targets, one for each. */
yt_status yt_check_target_root(yt_checking *checking, unsigned target) {
    const yt_program *program = &checking->program;
    unsigned index = checking->root + target;
    if (index >= program->header->root_count || target > UINT8_MAX)
        return YT_PROGRAM_ROOT;
    const yt_program_root *root = yt_root_at(program, index);
    bool is_switch = yt_target_at(program, target)->kind == YT_SWITCH;
    if (root->at.bit || root->at.bits || root->at.report_id || root->number || root->range ||
        root->kind || root->lead || root->part || root->elements || root->boot_byte ||
        root->multiplier)
        return YT_PROGRAM_ROOT;
    yt_status status = check_teller(program, root, YT_NO_REPORT, target, is_switch ? 's' : 'n');
    bool tells = status != YT_OK || yt_step_at(program, root->step)->tells == YT_TELLS_TARGET;
    return tells ? status : YT_PROGRAM_ROOT;
}
