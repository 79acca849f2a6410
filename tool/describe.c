#include <argp.h>
#include <inttypes.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/messages/status_text.h"
#include "tool/describe_json.h"
#include "tool/fields.h"
#include "tool/json_text.h"
#include "tool/options.h"
#include "tool/source.h"

typedef struct options {
    const char *paths[64];
    unsigned count;
    const char *description;
    bool raw;
    bool writes;
    bool numbers;
    bool learns;
    json_t *json; /* a list of devices; NULL: for people */
} options;

static void print_field(FILE *file, const field_list *list, unsigned number) {
    static const char *const directions[] = {"in", "out", "feature"};
    const yt_hid_field *field = &list->device.fields[number];
    const named_field *named = &list->named[number];
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
    for (unsigned i = 0; i < list->device.count; i++)
        if (strcmp(list->named[i].kind->name, "gamepad") == 0 &&
            list->device.fields[i].usage_page == PAGE_BUTTON)
            return true;
    return false;
}

/* Where a control stands: on a board by its pins, else in a report. */
static void write_place(const yt_description *description, const yt_described_control *control,
                        char *text, size_t size) {
    const yt_program_place *place = &control->meaning.place;
    snprintf(text, size, "by its usage");
    if (!control->meaning.has_place || !(place->flags & YT_PLACE_HERE))
        return;
    for (unsigned i = 0; i < description->pin_count; i++) {
        const yt_program_pin *pin = &description->pins[i];
        if (strcmp(description->pin_names[i], control->name) != 0)
            continue;
        if (pin->kind == YT_PIN_ENCODER)
            snprintf(text, size, "pins %u and %u, %u steps a detent", pin->pin, pin->other,
                     pin->steps);
        else if (pin->kind == YT_PIN_ANALOG)
            snprintf(text, size, "ADC %u, %u samples", pin->pin, pin->steps);
        else if (pin->kind == YT_PIN_SENSOR)
            snprintf(text, size, "sensor %u", pin->pin);
        else if (pin->kind == YT_PIN_OUT)
            snprintf(text, size, "pin %u", pin->pin);
        else
            snprintf(text, size, "pin %u, on while %s, debounce %g ms", pin->pin,
                     pin->flags & YT_PIN_ACTIVE_HIGH ? "high" : "low", pin->debounce_us / 1000.0);
        return;
    }
    unsigned end = place->at.bit + place->at.bits - 1u;
    if (place->at.report_id)
        snprintf(text, size, "report %u, bits %u-%u", place->at.report_id, place->at.bit, end);
    else
        snprintf(text, size, "bits %u-%u", place->at.bit, end);
}

/* Whether a control that is described by its usage is there; NULL: the device is not known. */
static bool is_there(const yt_device_fields *device, const yt_description *description,
                     const yt_described_control *control) {
    const yt_control_meaning *meaning = &control->meaning;
    yt_element element;
    return !device || (meaning->has_place && (meaning->place.flags & YT_PLACE_HERE)) ||
           device_control(device, description->kind, &meaning->name, control->is_target, &element);
}

static void print_fill(FILE *file, const yt_read_fill *fill) {
    const yt_program_fill *of = &fill->fill;
    unsigned end = of->at.bit + (unsigned)of->at.bits - 1;
    fprintf(file, "      bits %u-%u: ", of->at.bit, end);
    if (of->kind == YT_FILL_CONSTANT)
        fprintf(file, "0x%0*" PRIx32 "\n", (of->at.bits + 3) / 4, of->number);
    else if (of->kind == YT_FILL_COUNTER)
        fprintf(file, "counts up, from %" PRIu32 "\n", of->number);
    else
        fprintf(file, "%.10s over bytes %u to %u behind the ID%s\n",
                find_value(fill->map, "checksum")->text, of->first, of->end - 1u,
                of->before_count ? ", with others before them" : "");
}

/* What a device must be sent. */
static void print_sends(FILE *file, const yt_description *description) {
    for (unsigned i = 0; i < description->send_count; i++) {
        const yt_read_send *send = &description->sends[i];
        const yt_program_filled *filled = &send->filled;
        fprintf(file, "  is sent report %u (%s)", filled->report_id,
                filled->direction == YT_HID_FEATURE ? "feature" : "output");
        if (filled->on_arrival)
            fprintf(file, " when it arrives");
        if (filled->every_us)
            fprintf(file, "%s every %g ms", filled->on_arrival ? " and" : "",
                    (double)filled->every_us / 1000);
        if (!filled->on_arrival && !filled->every_us)
            fprintf(file, " when a light or a motor in it changes");
        fprintf(file, ", with\n");
        for (unsigned k = 0; k < send->fill_count; k++)
            print_fill(file, &send->fills[k]);
    }
}

/* What a description adds to the report descriptor. */
static void print_described(FILE *file, const yt_device_fields *device,
                            const yt_description *description) {
    static const char *const types[YT_KIND_COUNT] = {"switch", "level", "axis", "motion", "rate"};
    for (unsigned i = 0; i < description->control_count; i++) {
        const yt_described_control *control = &description->controls[i];
        const yt_control_meaning *meaning = &control->meaning;
        char range[64] = "", place[80], unit[40] = "", moves[40] = "";
        if (is_there(device, description, control))
            write_place(description, control, place, sizeof place);
        else
            snprintf(place, sizeof place, "the device has no such usage");
        if (meaning->has_range)
            snprintf(range, sizeof range, "%" PRId32 " to %" PRId32, meaning->range.minimum,
                     meaning->range.maximum);
        if (meaning->unit)
            snprintf(unit, sizeof unit,
                     strcmp(meaning->unit, "mm") ? " (%g %s a count)" : " (%g %s)",
                     meaning->unit_amount, meaning->unit);
        if (meaning->place.flags & YT_PLACE_MIDDLE)
            snprintf(moves, sizeof moves, ", around %" PRId32, meaning->range.rest);
        else if (meaning->place.flags & YT_PLACE_WRAPS)
            snprintf(moves, sizeof moves, ", goes round");
        fprintf(file, "  %-32s  %-8s  %-7s  %-15s  %s%s%s%s\n", control->name,
                control->is_hat ? "hat" : types[meaning->name.kind],
                control->is_target ? "out" : "in", range, place, unit, moves,
                meaning->place.flags & YT_PLACE_TURNED ? ", turned round" : "");
    }
    print_sends(file, description);
}

static void print_heads(FILE *file) {
    fprintf(file, "  %-32s  %-8s  %-7s  %-15s  %s\n", "control", "type", "way", "raw range",
            "place");
}

static void print_known(FILE *file, const recorded_device *device, size_t reports,
                        const yt_description *description) {
    static field_list list;
    field_list_read(&list, device->descriptor, device->descriptor_size, description);
    fprintf(file, "%s (%s %04x:%04x)", device->name, bus_name(device->bus), device->vendor,
            device->product);
    if (reports)
        fprintf(file, ", %zu reports", reports);
    if (device->boot_reports)
        fprintf(file, " (and %u in boot protocol, left out)", device->boot_reports);
    fputc('\n', file);
    print_heads(file);
    for (unsigned i = 0; i < list.device.count; i++)
        print_field(file, &list, i);
    if (description && description->control_count > 0) {
        fprintf(file, "  as described by %s:\n", description->file);
        print_described(file, &list.device, description);
    }
    if (list.device.status != YT_OK)
        fprintf(file, "  broken at byte %zu of %zu: %s\n", list.device.offset,
                device->descriptor_size, status_text(list.device.status));
    else if (!description && guesses(&list))
        fprintf(file, "  Which button is south, east and so on is a guess, by the order of buttons;"
                      "\n  `yonder describe --learn` asks and writes a description.\n");
}

void print_device(FILE *file, const recorded_device *device, size_t reports) {
    print_known(file, device, reports, NULL);
}

void print_host_view(FILE *file, const recorded_device *device) {
    static field_list list;
    field_list_read(&list, device->descriptor, device->descriptor_size, NULL);
    fprintf(file, "%s (%s)\n", device->name, bus_name(device->bus));
    print_heads(file);
    for (unsigned i = 0; i < list.device.count; i++)
        print_field(file, &list, i);
}

static void print_yaml_text(FILE *file, const char *text) {
    fputc('"', file);
    for (; *text; text++) {
        if (strchr("\"\\", *text))
            fputc('\\', file);
        fputc(*text, file);
    }
    fputs("\"\n", file);
}

static const learnt_control *learnt_at(const learnt_control *learnt, size_t count,
                                       const field_list *list, unsigned field, unsigned index) {
    const yt_hid_field *at = &list->device.fields[field];
    unsigned bit = at->bit + index * at->bits;
    for (size_t i = 0; i < count; i++)
        if (learnt[i].place.report_id == at->report_id && learnt[i].place.bit == bit)
            return &learnt[i];
    return NULL;
}

/* Whether a key stands in the device at an earlier place too: all of them are one control. */
static bool is_key_again(const field_list *list, const yt_device_kind *kind, yt_element element) {
    const yt_hid_field *field = &list->device.fields[element.field];
    yt_control_name meaning = {.page = field->usage_page,
                               .usage = element_usage(field, element.index)};
    yt_element first;
    return control_is_key(&meaning) &&
           device_control(&list->device, kind, &meaning, false, &first) &&
           (first.field != element.field || first.index != element.index);
}

/* Where a measured axis rests, if that does not follow from its range. */
static const char *rest_of(const learnt_control *control, char *text, size_t size) {
    bool is_level = strstr(control->name, "trigger") != NULL;
    *text = 0;
    if (!is_level && control->rest != axis_rest(control->low, control->high))
        snprintf(text, size, ", rest: %" PRId64, control->rest);
    return text;
}

/* A line for an element: its name, and the usage by which it is found. False: it is a comment. */
static bool write_control(FILE *file, const field_list *list, const yt_device_kind *kind,
                          yt_element element, const learnt_control *learnt, size_t count) {
    const yt_hid_field *field = &list->device.fields[element.field];
    char name[USAGE_NAME_BYTES], usage[USAGE_NAME_BYTES], rest[40];
    const learnt_control *given = learnt_at(learnt, count, list, element.field, element.index);
    const char *turned = given && given->is_turned ? ", turned: true" : "";
    if (is_key_again(list, kind, element))
        return false;
    bool is_named = device_element_name(&list->device, kind, element, true, name) &&
                    device_element_name(&list->device, kind, element, false, usage);
    bool is_wide = field->maximum - field->minimum > 1 && !field_is_hat(field) &&
                   !(field->flags & YT_HID_RELATIVE) && field->maximum <= INT32_MAX;
    bool is_comment = (learnt && !given) || !is_named;
    fprintf(file, "  %s%s: ", is_comment ? "# " : "", given ? given->name : name);
    if (!is_named)
        fprintf(file, "no name leads there; say where it stands\n");
    else if (!is_wide && !*turned)
        fprintf(file, "%s\n", usage);
    else if (is_wide && given && given->is_measured)
        fprintf(file, "{usage: %s, range: [%" PRId64 ", %" PRId64 "]%s%s}\n", usage, given->low,
                given->high, rest_of(given, rest, sizeof rest), turned);
    else if (is_wide)
        fprintf(file, "{usage: %s, range: [%" PRId64 ", %" PRId64 "]%s}\n", usage, field->minimum,
                field->maximum, turned);
    else
        fprintf(file, "{usage: %s%s}\n", usage, turned);
    return !is_comment;
}

/* Keys in a list go by their own names; what stands at a place of its own has a line. */
static bool write_controls(FILE *file, const field_list *list, const yt_device_kind *kind,
                           const learnt_control *learnt, size_t count) {
    bool any = false;
    for (unsigned i = 0; i < list->device.count; i++) {
        const yt_hid_field *field = &list->device.fields[i];
        for (unsigned k = 0; field->direction == YT_HID_INPUT && (field->flags & YT_HID_VARIABLE) &&
                             k < field->count;
             k++)
            any |= write_control(file, list, kind, (yt_element){i, k}, learnt, count);
    }
    return any;
}

/* The kind that all collections are of; several kinds are a device. */
static const yt_device_kind *kind_of_all(const field_list *list) {
    for (unsigned i = 1; i < list->device.count; i++)
        if (list->named[i].kind != list->named[0].kind)
            return device_kind_named("device");
    return list->device.count ? list->named[0].kind : device_kind_named("device");
}

void write_description(FILE *file, const recorded_device *device, const learnt_control *learnt,
                       size_t count) {
    static field_list list;
    field_list_read(&list, device->descriptor, device->descriptor_size, NULL);
    const yt_device_kind *kind = kind_of_all(&list);
    fprintf(file,
            "# What this device's controls are called. In front of a colon stands the name that a "
            "profile uses;\n# behind it the usage, and what corrects it: range, rest, "
            "turned: true, type.\nyonder: 1\ndevice: ");
    print_yaml_text(file, device->name);
    fprintf(file, "kind: %s\nmatch: {", kind->name);
    if (device->bus == YT_BUS_USB || device->bus == YT_BUS_BLUETOOTH)
        fprintf(file, "bus: %s, ", device->bus == YT_BUS_USB ? "usb" : "bluetooth");
    if (device->vendor)
        fprintf(file, "vendor: 0x%04x, ", device->vendor);
    if (device->vendor && device->product)
        fprintf(file, "product: 0x%04x, ", device->product);
    fprintf(file, "descriptor: 0x%08" PRIx32 "}\n",
            yt_checksum(0, device->descriptor, device->descriptor_size));
    char *lines = NULL;
    size_t size;
    FILE *controls = open_memstream(&lines, &size);
    if (!controls)
        abort();
    bool any = write_controls(controls, &list, kind, learnt, count);
    fclose(controls);
    fprintf(file, "controls:%s\n%s", any ? "" : " {}", lines);
    free(lines);
}

static size_t count_reports(const recording *recording, unsigned device) {
    size_t count = 0;
    for (size_t i = 0; i < recording->report_count; i++)
        count += recording->reports[i].device == device;
    return count;
}

static int describe_device(const options *options, const char *path, device_source *source,
                           unsigned number, const yt_description *description) {
    const recorded_device *device = &source->recording.devices[number];
    static sim_host host;
    size_t offset;
    yt_status good =
        sim_host_enumerate(&host, device->descriptor, device->descriptor_size, &offset);
    if (options->json)
        json_array_append_new(options->json,
                              device_as_json(device, count_reports(&source->recording, number)));
    else if (options->raw)
        print_raw(stdout, device);
    else if (options->writes)
        write_description(stdout, device, NULL, 0);
    else if (options->numbers)
        print_host_numbers(stdout, device);
    else
        print_known(stdout, device, count_reports(&source->recording, number), description);
    if (!options->writes && !options->json)
        putchar('\n');
    if (good == YT_OK)
        return 0;
    fprintf(stderr, "%s: %s: byte %zu of the report descriptor: %s\n", path, device->name, offset,
            status_text(good));
    return 1;
}

static int describe(const options *options, const char *path, const yt_description *description) {
    device_source source;
    int status = 0;
    if (!source_open(&source, path))
        return 1;
    if (options->learns)
        status = learn_device(&source);
    for (unsigned i = 0; i < source.recording.device_count && !options->learns; i++)
        status |= describe_device(options, path, &source, i, description);
    source_close(&source);
    return status;
}

enum { OPTION_RAW = OPTION_OWN, OPTION_WRITE, OPTION_NUMBERS, OPTION_LEARN, OPTION_DESCRIPTION };

static error_t parse(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    switch (key) {
    case OPTION_RAW:
        options->raw = true;
        return 0;
    case OPTION_WRITE:
        options->writes = true;
        return 0;
    case OPTION_NUMBERS:
        options->numbers = true;
        return 0;
    case OPTION_LEARN:
        options->learns = true;
        return 0;
    case OPTION_DESCRIPTION:
        options->description = argument;
        return 0;
    case 'j':
        options->json = json_array();
        return 0;
    case ARGP_KEY_ARG:
        if (options->count == sizeof options->paths / sizeof options->paths[0])
            argp_error(state, "too many devices at once");
        options->paths[options->count++] = argument;
        return 0;
    case ARGP_KEY_END:
        if (options->count == 0 && !options->description)
            argp_error(state, "say which recording or device");
        if (options->raw + options->writes + options->numbers + options->learns > 1)
            argp_error(state,
                       "--raw, --write-description, --host-numbers and --learn exclude each other");
        if (options->json && (options->raw || options->writes || options->numbers ||
                              options->learns || options->description))
            argp_error(state, "--json goes without --raw, --write-description, --host-numbers, "
                              "--learn and --with");
        if (options->learns && options->count != 1)
            argp_error(state, "--learn takes one device");
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

int command_describe(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"raw", OPTION_RAW, 0, 0, "show the report descriptor item by item", 0},
        {"write-description", OPTION_WRITE, 0, 0, "write a description (YAML) to begin with", 0},
        {"host-numbers", OPTION_NUMBERS, 0, 0,
         "show which number a host shows for each button and axis", 0},
        {"learn", OPTION_LEARN, 0, 0,
         "ask for one control after the other, then write the "
         "description that makes their names right",
         0},
        JSON_OPTION("as JSON: a list of the devices, each with its controls"),
        {"with", OPTION_DESCRIPTION, "DESCRIPTION", 0, "use the names of a description", 0},
        {0}};
    static const struct argp argp = {
        .options = known,
        .parser = parse,
        .args_doc = "DEVICE...",
        .doc = "Shows the controls of devices, by the names that a profile uses.\vA device is a "
               "node such as /dev/hidraw0, a USB capture (usbmon pcap), a HID recording text, or a "
               "report descriptor, as bytes or in hexadecimal."};
    options options = {0};
    description_file file = {0};
    int status = 0;
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    if (options.description && !description_open(&file, options.description))
        return 1;
    if (options.description && options.count == 0) {
        printf("%s\n", file.description->name);
        print_heads(stdout);
        print_described(stdout, NULL, file.description);
    }
    for (unsigned i = 0; i < options.count; i++)
        status |= describe(&options, options.paths[i], file.description);
    if (options.json && !json_print(options.json))
        status = 1;
    if (options.description)
        description_close(&file);
    return status;
}
