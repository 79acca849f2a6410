#include <argp.h>
#include <inttypes.h>
#include <string.h>

#include "compiler/status_text.h"
#include "tool/fields.h"
#include "tool/tool.h"

static void print_field(FILE *file, const named_field *named) {
    static const char *const directions[] = {"in", "out", "feature"};
    const yt_hid_field *field = &named->field;
    char controls[140], place[64], range[64], unit[64] = "";
    bool several = strcmp(named->first, named->last) != 0;
    snprintf(controls, sizeof controls, "%s%s%s", named->first, several ? " to " : "",
             several ? named->last : "");
    unsigned end = field->bit + (unsigned)field->bits * field->count - 1;
    if (field->report_id)
        snprintf(place, sizeof place, "report %u, bits %u-%u", field->report_id, field->bit, end);
    else
        snprintf(place, sizeof place, "bits %u-%u", field->bit, end);
    snprintf(range, sizeof range, "%" PRId64 " to %" PRId64, field->minimum, field->maximum);
    if (*field_unit(field))
        snprintf(unit, sizeof unit, " (%" PRId32 " to %" PRId32 " %s)", field->physical_minimum,
                 field->physical_maximum, field_unit(field));
    fprintf(file, "  %-32s  %-8s  %-7s  %-15s  %u x %u bits at %s%s\n", controls, named->type,
            directions[field->direction], range, field->count, field->bits, place, unit);
}

static const char *bus_name(unsigned bus) {
    return bus == YT_BUS_USB         ? "USB"
           : bus == YT_BUS_BLUETOOTH ? "Bluetooth"
           : bus == YT_BUS_BOARD     ? "board"
                                     : "bus";
}

static bool guesses(const field_list *list) {
    for (unsigned i = 0; i < list->count; i++)
        if (strcmp(list->fields[i].kind->name, "gamepad") == 0 &&
            list->fields[i].field.usage_page == PAGE_BUTTON)
            return true;
    return false;
}

void print_device(FILE *file, const recorded_device *device, size_t reports) {
    static field_list list;
    field_list_read(&list, device->descriptor, device->descriptor_size, NULL);
    fprintf(file, "%s (%s %04x:%04x), %zu reports", device->name, bus_name(device->bus),
            device->vendor, device->product, reports);
    if (device->boot_reports)
        fprintf(file, " (and %u in boot protocol, left out)", device->boot_reports);
    fprintf(file, "\n  %-32s  %-8s  %-7s  %-15s  %s\n", "control", "type", "way", "raw range",
            "place");
    for (unsigned i = 0; i < list.count; i++)
        print_field(file, &list.fields[i]);
    if (list.status != YT_OK)
        fprintf(file, "  broken at byte %zu of %zu: %s\n", list.offset, device->descriptor_size,
                status_text(list.status));
    else if (guesses(&list))
        fprintf(file, "  Which button is south, east and so on is a guess, by the order of buttons;"
                      "\n  `yonder describe --learn` asks and writes a description.\n");
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
