#include <argp.h>
#include <inttypes.h>
#include <string.h>

#include "compiler/status_text.h"
#include "tool/tool.h"

static const char *usage_page_name(uint16_t page) {
    static const struct {
        uint16_t page;
        const char *name;
    } pages[] = {{0x01, "desktop"}, {0x02, "simulation"}, {0x06, "device"},   {0x07, "keyboard"},
                 {0x08, "light"},   {0x09, "button"},     {0x0c, "consumer"}, {0x0d, "digitizer"}};
    for (size_t i = 0; i < sizeof pages / sizeof pages[0]; i++)
        if (pages[i].page == page)
            return pages[i].name;
    return page >= 0xff00 ? "vendor" : "page";
}

static void usage_name(const yt_hid_field *field, uint16_t usage, char *text, size_t size) {
    bool relative = (field->flags & YT_HID_RELATIVE) && (field->flags & YT_HID_VARIABLE);
    const char *name = input_control_name(field->usage_page, usage, relative);
    if (name)
        snprintf(text, size, "%s", name);
    else
        snprintf(text, size, "%s:0x%02x", usage_page_name(field->usage_page), usage);
}

/* The ends of a field's range of usages, without those that have no name where some have one. */
static void named_ends(const yt_hid_field *field, uint16_t *first, uint16_t *last) {
    bool relative = (field->flags & YT_HID_RELATIVE) && (field->flags & YT_HID_VARIABLE);
    *first = field->usage_first;
    *last = field->usage_last;
    while (*first < *last && !input_control_name(field->usage_page, *first, relative))
        ++*first;
    while (*last > *first && !input_control_name(field->usage_page, *last, relative))
        --*last;
    if (!input_control_name(field->usage_page, *first, relative)) {
        *first = field->usage_first;
        *last = field->usage_last;
    }
}

static const char *kind_of(const yt_hid_field *field) {
    if (!(field->flags & YT_HID_VARIABLE))
        return "switches";
    if (field->flags & YT_HID_RELATIVE)
        return "motion";
    if (field->minimum == 0 && field->maximum == 1)
        return "switch";
    if (field->usage_page == 0x01 && field->usage_first == 0x39)
        return "hat";
    return "axis";
}

static void print_field(FILE *file, const yt_hid_field *field) {
    static const char *const directions[] = {"in", "out", "feature"};
    char first[64], last[64], controls[140], place[48], range[64];
    uint16_t from, to;
    named_ends(field, &from, &to);
    usage_name(field, from, first, sizeof first);
    usage_name(field, to, last, sizeof last);
    bool several = from != to;
    snprintf(controls, sizeof controls, "%s%s%s", first, several ? " to " : "",
             several ? last : "");
    unsigned end = field->bit + (unsigned)field->bits * field->count - 1;
    if (field->report_id)
        snprintf(place, sizeof place, "report %u, bits %u-%u", field->report_id, field->bit, end);
    else
        snprintf(place, sizeof place, "bits %u-%u", field->bit, end);
    snprintf(range, sizeof range, "%" PRId64 " to %" PRId64, field->minimum, field->maximum);
    fprintf(file, "  %-32s  %-8s  %-7s  %-15s  %u x %u bits at %s\n", controls, kind_of(field),
            directions[field->direction], range, field->count, field->bits, place);
}

void print_device(FILE *file, const recorded_device *device, size_t reports) {
    yt_hid_reader reader;
    yt_hid_field field;
    yt_status status;
    fprintf(file, "%s (USB %04x:%04x), %zu reports", device->name, device->vendor, device->product,
            reports);
    if (device->boot_reports)
        fprintf(file, " (and %u in boot protocol, left out)", device->boot_reports);
    fprintf(file, "\n  %-32s  %-8s  %-7s  %-15s  %s\n", "control", "type", "way", "raw range",
            "place");
    yt_hid_open(&reader, device->descriptor, device->descriptor_size);
    while ((status = yt_hid_next(&reader, &field)) == YT_OK)
        if (!(field.flags & YT_HID_CONSTANT))
            print_field(file, &field);
    if (status != YT_END)
        fprintf(file, "  broken at byte %zu of %zu: %s\n", yt_hid_error_offset(&reader),
                device->descriptor_size, status_text(status));
}

static size_t count_reports(const recording *recording, unsigned device) {
    size_t count = 0;
    for (size_t i = 0; i < recording->report_count; i++)
        count += recording->reports[i].device == device;
    return count;
}

static int describe(const char *path) {
    recording recording;
    int status = 0;
    if (!recording_read(&recording, path)) {
        fprintf(stderr, "%s\n", recording.error);
        return 1;
    }
    for (unsigned i = 0; i < recording.device_count; i++) {
        const recorded_device *device = &recording.devices[i];
        sim_host host;
        size_t offset;
        yt_status good =
            sim_host_enumerate(&host, device->descriptor, device->descriptor_size, &offset);
        print_device(stdout, device, count_reports(&recording, i));
        putchar('\n');
        if (good == YT_OK)
            continue;
        fprintf(stderr, "%s: %s: byte %zu of the report descriptor: %s\n", path, device->name,
                offset, status_text(good));
        status = 1;
    }
    recording_free(&recording);
    return status;
}

static error_t parse(int key, char *argument, struct argp_state *state) {
    int *status = state->input;
    if (key == ARGP_KEY_NO_ARGS)
        argp_error(state, "say which recording");
    if (key != ARGP_KEY_ARG)
        return ARGP_ERR_UNKNOWN;
    if (describe(argument) != 0)
        *status = 1;
    return 0;
}

int command_describe(int count, char **arguments) {
    static const struct argp argp = {
        .parser = parse,
        .args_doc = "RECORDING...",
        .doc = "Shows the devices of a recording and their controls, by the names that a profile "
               "uses.\vA recording is a USB capture (usbmon pcap) or a HID recording text."};
    int status = 0;
    argp_parse(&argp, count, arguments, 0, NULL, &status);
    return status;
}
