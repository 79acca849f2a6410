#include "tool/calibrating.h"

#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/messages/status_text.h"
#include "tool/fields.h"

const char *calibration_kind_name(unsigned kind) {
    static const char *const names[] = {"?", "stick", "axis", "level", "gyro", "accelerometer"};
    return kind < sizeof names / sizeof names[0] ? names[kind] : "?";
}

/* A control of a device, with its name. */
typedef struct named {
    char name[USAGE_NAME_BYTES];
    yt_raw_meaning meaning;
    yt_calibration_place place;
    bool is_signed, has_null, is_written; /* its range is its description's */
    double travel;
} named;

/* Of a level, in mm; 0: it is not known. */
static double travel_of(const yt_description *description, const char *name) {
    for (unsigned i = 0; description && i < description->control_count; i++) {
        const yt_control_meaning *meaning = &description->controls[i].meaning;
        if (strcmp(description->controls[i].name, name) == 0 && meaning->unit &&
            strcmp(meaning->unit, "mm") == 0)
            return meaning->unit_amount;
    }
    return 0;
}

/* What a description places stands behind what the report descriptor tells of the same bits, and is
 * meant. Whether the last of a list is a new one. */
static unsigned keep_last(named *list, size_t last) {
    for (size_t i = 0; i < last; i++)
        if (strcmp(list[i].name, list[last].name) == 0) {
            list[i] = list[last];
            return 0;
        }
    return 1;
}

/* Whether a description places a control and says its range. */
static bool has_written_range(const yt_description *description, const char *name) {
    for (unsigned i = 0; description && i < description->control_count; i++) {
        const yt_control_meaning *meaning = &description->controls[i].meaning;
        if (strcmp(description->controls[i].name, name) == 0)
            return meaning->has_range && (meaning->place.flags & YT_PLACE_HERE);
    }
    return false;
}

static size_t named_controls(const recorded_device *device, const yt_description *description,
                             named *list, size_t most) {
    static sim_host view;
    size_t count = 0, offset;
    if (sim_host_enumerate(&view, device->descriptor, device->descriptor_size, &offset) != YT_OK)
        return 0;
    view_add_described(&view, description);
    for (unsigned f = 0; f < view.field_count; f++) {
        unsigned end = f + 1 < view.field_count ? view.first_control[f + 1] : view.control_count;
        const yt_hid_field *field = &view.fields[f];
        for (unsigned i = view.first_control[f]; i < end && count < most; i++) {
            const host_control *control = &view.controls[i];
            named *new = &list[count];
            device_control_name(device, description, control, new->name, &new->meaning);
            if (!(field->flags & YT_HID_VARIABLE) || new->meaning.is_hat ||
                new->meaning.kind == YT_SWITCH || new->meaning.kind == YT_MOTION ||
                strncmp(new->name, "page_", 5) == 0 || field->minimum < INT32_MIN ||
                field->maximum > INT32_MAX || field->bits < 2)
                continue;
            new->place = (yt_calibration_place){.minimum = (int32_t)field->minimum,
                                                .maximum = (int32_t)field->maximum,
                                                .bit = control->bit,
                                                .bits = (uint8_t)field->bits,
                                                .report_id = control->report_id};
            new->is_signed = field->minimum < 0;
            new->has_null = field->flags &YT_HID_NULL_STATE;
            new->travel = travel_of(description, new->name);
            new->is_written = has_written_range(description, new->name);
            count += keep_last(list, count);
        }
    }
    return count;
}

/* The control of that name in the same report; NULL: there is none. */
static const named *beside(const named *list, size_t count, const named *of, const char *base,
                           size_t length, char letter) {
    for (size_t i = 0; i < count; i++)
        if (strlen(list[i].name) == length + 1 && memcmp(list[i].name, base, length) == 0 &&
            list[i].name[length] == letter && list[i].place.report_id == of->place.report_id &&
            list[i].meaning.kind == of->meaning.kind)
            return &list[i];
    return NULL;
}

static void set_control(device_part *part, unsigned index, const named *control) {
    part->part.places[index] = control->place;
    part->meaning[index] = control->meaning;
    part->part.flags |= (uint8_t)((unsigned)control->is_signed << index);
    if (control->has_null)
        part->part.flags |= YT_CALIBRATION_NULL;
    else if (control->is_written)
        yt_calibration_widen(&part->part, index);
}

static unsigned kind_of(const named *control, bool has_y) {
    if (control->meaning.kind == YT_RATE)
        return strcmp(control->meaning.unit, "g") == 0 ? YT_CALIBRATION_ACCELEROMETER
                                                       : YT_CALIBRATION_GYRO;
    return control->meaning.kind == YT_LEVEL ? YT_CALIBRATION_LEVEL
           : has_y                           ? YT_CALIBRATION_STICK
                                             : YT_CALIBRATION_AXIS;
}

/* What begins with a control: x of a stick or a gyro with what belongs to it, or it alone. */
static bool make_part(const named *list, size_t count, const named *control, device_part *part) {
    size_t length = strlen(control->name), base = length - 1;
    char last = control->name[base];
    bool has_letter = length == 1 || control->name[base > 0 ? base - 1 : 0] == '.';
    const named *x = has_letter ? beside(list, count, control, control->name, base, 'x') : NULL;
    const named *y = has_letter ? beside(list, count, control, control->name, base, 'y') : NULL;
    const named *z = has_letter ? beside(list, count, control, control->name, base, 'z') : NULL;
    memset(part, 0, sizeof *part);
    part->part.kind = (uint8_t)kind_of(control, x && y);
    unsigned wanted = part->part.kind == YT_CALIBRATION_STICK  ? 2
                      : part->part.kind >= YT_CALIBRATION_GYRO ? 3
                                                               : 1;
    if ((wanted > 1 && last != 'x' && (last == 'y' || wanted == 3)) || (wanted == 3 && !(y && z)))
        return false; /* it belongs to the x, or it is alone */
    if (wanted == 2 && last != 'x') {
        wanted = 1;
        part->part.kind = YT_CALIBRATION_AXIS;
    }
    const named *controls[3] = {wanted > 1 ? x : control, y, z};
    for (unsigned i = 0; i < wanted; i++)
        set_control(part, i, controls[i]);
    snprintf(part->name, sizeof part->name, "%.*s",
             wanted > 1 && length > 2 ? (int)length - 2 : (int)length, control->name);
    if (wanted == 2 && length == 1)
        snprintf(part->name, sizeof part->name, "stick");
    part->unit_amount =
        part->part.kind == YT_CALIBRATION_LEVEL ? control->travel : control->meaning.unit_amount;
    if (wanted == 3)
        part->part.unit_q24 = (int32_t)lround(part->unit_amount * (1 << 24));
    return true;
}

size_t device_parts(const recorded_device *device, const yt_description *description,
                    device_part parts[DEVICE_PARTS]) {
    static named list[4 * DEVICE_PARTS];
    yt_device of = {.vendor = device->vendor,
                    .product = device->product,
                    .name = device->name,
                    .bus = (uint8_t)device->bus};
    size_t count = named_controls(device, description, list, 4 * DEVICE_PARTS), made = 0;
    for (size_t i = 0; i < count && made < DEVICE_PARTS; i++) {
        if (!make_part(list, count, &list[i], &parts[made]))
            continue;
        yt_calibration_part_of(&parts[made].part, &of);
        made++;
    }
    return made;
}

bool calibrating_begin(calibrating *calibrating, const recorded_device *device,
                       const device_part *part, unsigned notches, bool is_free) {
    memset(calibrating, 0, sizeof *calibrating);
    calibrating->device = device;
    calibrating->part = part;
    yt_calibration_part wanted = part->part;
    if (is_free && wanted.kind != YT_CALIBRATION_AXIS) {
        fprintf(stderr, "%s (%s): only an axis takes --no-spring\n", part->name,
                calibration_kind_name(wanted.kind));
        return false;
    }
    if (is_free)
        wanted.flags |= YT_CALIBRATION_FREE;
    if (yt_calibrating_begin(&calibrating->gathering, &wanted, notches) != YT_OK) {
        fprintf(stderr, "%s: only a stick has notches, 4 to %d\n", part->name,
                YT_CALIBRATION_NOTCHES);
        return false;
    }
    if (part->part.kind == YT_CALIBRATION_STICK)
        yt_calibrating_spring(&calibrating->gathering, &calibrating->springs);
    yt_calibrating_tell(&calibrating->gathering, &calibrating->news);
    return true;
}

void calibrating_free(calibrating *calibrating) {
    free(calibrating->samples);
    calibrating->samples = NULL;
    calibrating->count = calibrating->room = 0;
}

static bool read_sample(const yt_calibration_part *part, const uint8_t *bytes, size_t size,
                        sample *sample) {
    unsigned controls = part->kind == YT_CALIBRATION_STICK  ? 2
                        : part->kind >= YT_CALIBRATION_GYRO ? 3
                                                            : 1;
    if (part->places[0].report_id) {
        if (size == 0 || *bytes != part->places[0].report_id)
            return false;
        bytes++;
        size--;
    }
    for (unsigned i = 0; i < controls; i++) {
        const yt_calibration_place *place = &part->places[i];
        if (size * 8 < place->bit + (size_t)place->bits)
            return false;
        sample->raw[i] = (int32_t)yt_hid_number(yt_hid_get(bytes, size, place->bit, place->bits),
                                                place->bits, part->flags >> i & 1);
        if (sample->raw[i] < place->minimum)
            sample->raw[i] = place->minimum;
        if (sample->raw[i] > place->maximum)
            sample->raw[i] = place->maximum;
    }
    return true;
}

void calibrating_report(calibrating *calibrating, uint64_t time_us, const uint8_t *bytes,
                        size_t size) {
    sample sample = {.time_us = time_us};
    if (read_sample(&calibrating->part->part, bytes, size, &sample)) {
        if (calibrating->count == calibrating->room) {
            calibrating->room = calibrating->room ? 2 * calibrating->room : 4096;
            calibrating->samples = realloc(calibrating->samples, calibrating->room * sizeof sample);
            if (!calibrating->samples)
                abort();
        }
        calibrating->samples[calibrating->count++] = sample;
    }
    yt_calibrating_report(&calibrating->gathering, bytes, size, time_us);
    yt_calibrating_tell(&calibrating->gathering, &calibrating->news);
}

/* The directions of a rim that are not known yet, as words, if some are. */
static void add_missing(uint32_t covered, char *text, size_t size) {
    static const char *const words[] = {"up",   "up and right",  "right", "down and right",
                                        "down", "down and left", "left",  "up and left"};
    bool any = false;
    for (unsigned i = 0; i < 8; i++) {
        uint32_t sectors = i ? UINT32_C(7) << (4 * i - 1) : UINT32_C(0x80000003);
        if ((covered & sectors) == sectors)
            continue;
        size_t length = strlen(text);
        snprintf(text + length, size - length, "%s%s", any ? ", " : "; still missing: ", words[i]);
        any = true;
    }
}

void calibrating_advice(const calibrating *calibrating, char *text, size_t size) {
    static const char *const advice[] = {
#define ADVICE_TEXT(name, text) text,
        YT_CALIBRATION_ADVICE(ADVICE_TEXT)
#undef ADVICE_TEXT
    };
    const yt_calibration_news *news = &calibrating->news;
    snprintf(text, size, "%s", advice[news->advice]);
    if (news->advice == YT_ADVICE_TURN && (news->covered | news->begun))
        add_missing(news->covered, text, size);
    size_t length = strlen(text), wanted = calibrating->gathering.notches_wanted;
    if (news->advice == YT_ADVICE_REST_IN_NOTCHES)
        length += (size_t)snprintf(text + length, size - length, "; %u of %zu so far",
                                   news->notches, wanted);
    if (news->notch_missing >= 0 && 2u * news->notches > wanted && length < size)
        snprintf(text + length, size - length, "; look at %d degrees, clockwise from up",
                 news->notch_missing);
}

double sample_position(const yt_calibration_part *part, const sample *sample, unsigned control) {
    const yt_calibration_place *place = &part->places[control];
    double span = (double)place->maximum - place->minimum;
    return 2 * ((double)sample->raw[control] - place->minimum) / span - 1;
}

bool calibration_write(const yt_calibration *record, const char *path) {
    whole_file file;
    if (!whole_file_open(&file, path, CONTENT_BYTES))
        return false;
    if (fwrite(record, 1, record->bytes, file.file) != record->bytes) {
        whole_file_abandon(&file);
        perror(path);
        return false;
    }
    return whole_file_close(&file);
}

bool calibration_read(yt_calibration *record, const char *path) {
    FILE *file = fopen(path, "rb");
    if (!file) {
        perror(path);
        return false;
    }
    memset(record, 0, sizeof *record);
    size_t size = fread(record, 1, sizeof *record, file);
    bool is_longer = size == sizeof *record && fgetc(file) != EOF;
    fclose(file);
    yt_status status = is_longer ? YT_CALIBRATION_FOREIGN : yt_calibration_check(record, size);
    if (status == YT_OK && record->bytes != size)
        status = YT_CALIBRATION_FOREIGN;
    if (status == YT_OK)
        return true;
    fprintf(stderr, "%s: %s\n", path, status_text(status));
    return false;
}
