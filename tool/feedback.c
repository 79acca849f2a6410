/* What a host sends back, from a CSV: lights and rumble by their names. */
#include <errno.h>
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>

#include "tool/tool.h"

typedef struct reading {
    const profile *profile;
    const char *path;
    unsigned line;
    sim_sent *list;
    size_t count, room;
} reading;

__attribute__((format(printf, 2, 3))) static bool fail(const reading *reading, const char *format,
                                                       ...) {
    va_list arguments;
    fprintf(stderr, "%s:%u: ", reading->path, reading->line);
    va_start(arguments, format);
    vfprintf(stderr, format, arguments);
    va_end(arguments);
    fputc('\n', stderr);
    return false;
}

/* "pad.rumble.strong": the output, and the control that the host sends. */
static bool find_sent(const reading *reading, const char *name, const yt_profile_output **output,
                      yt_output_control *control) {
    const yt_compiled *compiled = &reading->profile->compiled;
    const char *dot = strchr(name, '.');
    yt_control_name meaning;
    for (unsigned i = 0; dot && i < compiled->output_count; i++) {
        *output = &compiled->outputs[i];
        if (is_name((*output)->name, name, (size_t)(dot - name)))
            return control_named((*output)->kind, dot + 1, strlen(dot + 1), &meaning) &&
                   output_control_find(*output, &meaning, control) && control->from_host;
    }
    return false;
}

/* A host sends the whole report each time: what it set before stays. */
static const sim_sent *last_of(const reading *reading, const sim_sent *sent, uint8_t id) {
    for (size_t i = reading->count; i > 0; i--) {
        const sim_sent *before = &reading->list[i - 1];
        if (before->interface == sent->interface && before->direction == sent->direction &&
            (!id || before->bytes[0] == id))
            return before;
    }
    return NULL;
}

static bool add(reading *reading, uint64_t time_us, const yt_profile_output *output,
                const yt_output_control *control, double share) {
    const yt_program_report *report = &reading->profile->compiled.program.reports[control->report];
    sim_sent sent = {.time_us = time_us,
                     .interface = output->interface,
                     .direction = (yt_hid_direction)report->direction,
                     .size = report->bytes + (report->id ? 1u : 0u)};
    const sim_sent *before = last_of(reading, &sent, report->id);
    if (before)
        memcpy(sent.bytes, before->bytes, sizeof sent.bytes);
    if (report->id)
        sent.bytes[0] = report->id;
    double span = (double)control->range.maximum - control->range.minimum;
    int64_t raw = control->range.minimum + (int64_t)(span * share + 0.5);
    yt_hid_set(sent.bytes + (report->id ? 1 : 0), report->bytes, control->place.at.bit,
               control->place.at.bits, (uint32_t)raw);
    if (reading->count > 0 && reading->list[reading->count - 1].time_us > time_us)
        return fail(reading, "this line is earlier than the one before it");
    if (reading->count == reading->room) {
        reading->room = reading->room ? 2 * reading->room : 64;
        reading->list = realloc(reading->list, reading->room * sizeof *reading->list);
        if (!reading->list)
            abort();
    }
    reading->list[reading->count++] = sent;
    return true;
}

/* "1.5, pad.rumble.strong, 80%" */
static bool read_line(reading *reading, const char *line) {
    double seconds, percent;
    char name[128], sign[2] = "";
    const yt_profile_output *output;
    yt_output_control control;
    if (line[strspn(line, " \t\r\n")] == 0 || line[0] == '#')
        return true;
    if (sscanf(line, " %lf , %127[^, \t] , %lf %1[%]", &seconds, name, &percent, sign) < 4 ||
        !(seconds >= 0 && seconds < 86400) || !(percent >= 0 && percent <= 100))
        return fail(reading, "a line is a time in seconds, what the host sets, and how far, as in: "
                             "1.5, pad.rumble.strong, 80%%");
    if (!find_sent(reading, name, &output, &control))
        return fail(reading, "\"%s\" is nothing that a host of this profile sends", name);
    return add(reading, (uint64_t)(seconds * 1e6 + 0.5), output, &control, percent / 100);
}

sim_sent *feedback_read(const profile *profile, const char *path, size_t *count) {
    reading reading = {.profile = profile, .path = path};
    char line[512];
    bool good = true;
    size_t size;
    char *text = read_text(path, &size);
    FILE *file = text ? fmemopen(text, size ? size : 1, "r") : NULL;
    if (!file) {
        free(text);
        return NULL;
    }
    while (good && fgets(line, sizeof line, file)) {
        reading.line++;
        good = read_line(&reading, line);
    }
    if (good && reading.count == 0)
        good = fail(&reading, "nothing is sent here");
    fclose(file);
    free(text);
    if (!good) {
        free(reading.list);
        return NULL;
    }
    *count = reading.count;
    return reading.list;
}
