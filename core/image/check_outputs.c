#include "image/check.h"

static bool blob_holds(const yt_program *program, unsigned offset, unsigned bytes) {
    return offset + bytes <= program->header->blob_bytes;
}

/* The reports of an interface stand together; with IDs or, where it has but one, without. */
static yt_status check_report(const yt_program *program, unsigned interface, unsigned number) {
    const yt_program_report *report = &program->reports[number];
    const yt_program_interface *of = &program->interfaces[interface];
    if (report->interface != interface || report->direction > YT_HID_FEATURE ||
        report->bytes == 0 || report->bytes > YT_REPORT_BYTES ||
        (report->boot && !(of->boot & report->boot)) || report->boot > YT_BOOT_MOUSE ||
        report->switch_count > report->root_count ||
        report->root_count - report->switch_count > YT_REPORT_ANALOG)
        return YT_PROGRAM_OUTPUT;
    if (report->direction == YT_HID_INPUT ? !blob_holds(program, report->rest_offset, report->bytes)
                                          : report->rest_offset || report->root_count)
        return YT_PROGRAM_OUTPUT;
    for (unsigned i = of->first_report; i < number; i++) {
        const yt_program_report *other = &program->reports[i];
        if ((other->id == 0) != (report->id == 0) ||
            (other->id == report->id && other->direction == report->direction))
            return YT_PROGRAM_OUTPUT;
    }
    return YT_OK;
}

static yt_status check_interface(const yt_program *program, unsigned i, uint32_t *next) {
    const yt_program_interface *interface = &program->interfaces[i];
    if (i > 254 || interface->boot > YT_BOOT_BOTH || interface->connector == 0 ||
        interface->radio > 1 || (interface->boot == YT_BOOT_BOTH && !interface->radio) ||
        interface->reserved[0] || interface->reserved[1] || interface->descriptor_bytes == 0 ||
        interface->first_report != *next || interface->report_count == 0 ||
        !blob_holds(program, interface->descriptor_offset, interface->descriptor_bytes))
        return YT_PROGRAM_OUTPUT;
    *next += interface->report_count;
    if (*next > program->header->report_count)
        return YT_PROGRAM_OUTPUT;
    for (unsigned k = interface->first_report; k < *next; k++) {
        yt_status status = check_report(program, i, k);
        if (status != YT_OK)
            return status;
    }
    return YT_OK;
}

yt_status yt_check_interfaces(const yt_program *program) {
    uint32_t next = 0;
    if (program->header->report_count > 254)
        return YT_PROGRAM_OUTPUT;
    for (unsigned i = 0; i < program->header->interface_count; i++) {
        yt_status status = check_interface(program, i, &next);
        if (status != YT_OK)
            return status;
    }
    for (unsigned i = 0; i < program->header->output_count; i++) {
        const yt_program_output *output = &program->outputs[i];
        if (output->interface >= program->header->interface_count)
            return YT_PROGRAM_OUTPUT;
        if (!yt_text_holds(program, output->name_offset, output->name_bytes))
            return YT_PROGRAM_TEXT;
    }
    return next == program->header->report_count ? YT_OK : YT_PROGRAM_OUTPUT;
}

static uint8_t type_of_root(unsigned kind) {
    return kind < YT_ROOT_AXIS      ? YT_TYPE_SWITCH
           : kind == YT_ROOT_MOTION ? YT_TYPE_PULSE
                                    : YT_TYPE_NUMBER;
}

static bool fits_report(const yt_program_root *root, const yt_program_report *report) {
    bool in_array = root->kind == YT_ROOT_IN_ARRAY || root->kind == YT_ROOT_KEY_IN_ARRAY;
    unsigned elements = in_array ? root->part : 1u;
    return elements > 0 && root->bits >= 1 && root->bits <= 32 &&
           root->bit + (uint32_t)root->bits * elements <= 8u * report->bytes;
}

/* A hat's directions stand together, each once, in one place. */
static bool is_hat(const yt_program *program, const yt_program_report *report, unsigned k) {
    const yt_program_root *roots = &program->roots[report->first_root];
    const yt_program_root *root = &roots[k];
    if (root->part != 1 && root->part != 2 && root->part != 4 && root->part != 8)
        return false;
    if (root->lead == k)
        return true;
    return k > 0 && roots[k - 1].kind == YT_ROOT_HAT && roots[k - 1].lead == root->lead &&
           roots[k - 1].part < root->part && roots[k - 1].bit == root->bit &&
           roots[k - 1].bits == root->bits && roots[k - 1].number == root->number;
}

/* Motion goes both ways, and rests at 0. */
static bool tells_motion(const yt_program_range *range) {
    return range->minimum <= 0 && range->maximum >= 0 && range->minimum >= -INT32_MAX;
}

/* The k-th root of a report: where it stands, and its kind. */
static bool is_root(const yt_program *program, const yt_program_report *report, unsigned k) {
    const yt_program_root *root = &program->roots[report->first_root + k];
    if (root->kind >= YT_ROOT_KIND_COUNT || root->multiplier > 31 || !fits_report(root, report) ||
        (root->kind < YT_ROOT_AXIS) != (k < report->switch_count))
        return false;
    if (root->kind == YT_ROOT_HAT)
        return is_hat(program, report, k);
    if (root->lead != k || (root->multiplier && root->kind != YT_ROOT_MOTION) ||
        (root->kind == YT_ROOT_MOTION && root->part >= YT_BOOT_MOUSE_BYTES))
        return false;
    if (root->kind < YT_ROOT_AXIS)
        return true;
    return root->number < program->header->range_count &&
           (root->kind != YT_ROOT_MOTION || tells_motion(&program->ranges[root->number]));
}

static bool is_device_root(const yt_program *program, const yt_program_root *root) {
    return root->number < program->header->target_count && root->bit == 0 && root->kind == 0 &&
           root->bits == 0 && root->lead == 0 && root->part == 0 && root->multiplier == 0;
}

static yt_status check_report_roots(const yt_program *program, unsigned number, uint32_t *next) {
    const yt_program_report *report = &program->reports[number];
    if (report->direction != YT_HID_INPUT)
        return YT_OK;
    if (report->first_root != *next || *next + report->root_count > program->header->root_count)
        return YT_PROGRAM_OUTPUT;
    for (unsigned k = 0; k < report->root_count; k++, ++*next) {
        const yt_program_root *root = &program->roots[*next];
        if (root->report != number || root->node >= program->header->node_count ||
            !is_root(program, report, k))
            return YT_PROGRAM_ROOT;
        if (!yt_type_fits('t', type_of_root(root->kind), program->nodes[root->node].type))
            return YT_PROGRAM_TYPE;
    }
    return YT_OK;
}

/* Behind the roots of the reports come those that drive targets of devices: each target once. */
static yt_status check_device_roots(const yt_program *program, uint32_t next) {
    for (unsigned target = 0; next < program->header->root_count; next++, target++) {
        const yt_program_root *root = &program->roots[next];
        if (root->report != YT_NO_REPORT || root->node >= program->header->node_count ||
            root->number != target || !is_device_root(program, root))
            return YT_PROGRAM_ROOT;
        uint8_t want = yt_type_of_kind(program->targets[target].kind);
        if (!yt_type_fits('t', want, program->nodes[root->node].type))
            return YT_PROGRAM_TYPE;
    }
    return YT_OK;
}

yt_status yt_check_roots(const yt_program *program) {
    uint32_t next = 0;
    for (unsigned i = 0; i < program->header->report_count; i++) {
        yt_status status = check_report_roots(program, i, &next);
        if (status != YT_OK)
            return status;
    }
    if (program->header->root_count - next != program->header->target_count)
        return YT_PROGRAM_ROOT;
    return check_device_roots(program, next);
}
