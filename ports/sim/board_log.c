#include "ports/sim/board_log.h"

#include <ctype.h>
#include <stdlib.h>
#include <string.h>

#include "yonder/port.h"

#define COLUMNS   64
#define LINE      2048
#define LONGEST_S 86400.0

typedef enum column_kind { COLUMN_PIN, COLUMN_CHANNEL, COLUMN_SENSOR } column_kind;

typedef struct column {
    column_kind kind;
    unsigned number;
} column;

typedef struct playing {
    recording *recording;
    const char *path;
    unsigned line;
    column columns[COLUMNS];
    unsigned column_count;
    uint8_t pins[32]; /* 256 of them, high */
    uint16_t channels[256];
    int16_t sensors[16];
    yt_board board;
    yt_board_part parts[YT_BOARD_PINS];
    uint64_t now_us; /* of the next scan */
} playing;

static bool fail(playing *playing, const char *what) {
    return recording_fail(playing->recording, "%s:%u: %s", playing->path, playing->line, what);
}

/* Samples the hardware up to a time, and keeps the reports that come of it. */
static bool scan_until(playing *playing, uint64_t time_us) {
    const yt_samples samples = {.pins = playing->pins,
                                .channels = playing->channels,
                                .sensors = playing->sensors,
                                .pin_count = 256,
                                .channel_count = 255,
                                .sensor_count = 16};
    uint8_t report[YT_BOARD_BYTES];
    for (; playing->now_us < time_us; playing->now_us += BOARD_SCAN_US) {
        if (!yt_board_sample(&playing->board, &samples, playing->now_us))
            continue;
        size_t length;
        if (yt_board_report(&playing->board, report, sizeof report, &length) != YT_OK ||
            !recording_add_report(playing->recording, playing->now_us, 0, report, length))
            return fail(playing, "the report is too long");
    }
    return true;
}

/* "pin4", "adc0", "sensor2" */
static bool read_column(playing *playing, const char *text) {
    static const struct {
        const char *word;
        column_kind kind;
        unsigned most;
    } words[] = {
        {"pin", COLUMN_PIN, 255}, {"adc", COLUMN_CHANNEL, 254}, {"sensor", COLUMN_SENSOR, 15}};
    for (size_t i = 0; i < sizeof words / sizeof words[0]; i++) {
        size_t length = strlen(words[i].word);
        char *end;
        if (strncmp(text, words[i].word, length) != 0 || !isdigit((unsigned char)text[length]))
            continue;
        unsigned long number = strtoul(text + length, &end, 10);
        if (*end != 0 || number > words[i].most)
            continue;
        if (playing->column_count == COLUMNS)
            return fail(playing, "more columns than can be kept");
        playing->columns[playing->column_count++] = (column){words[i].kind, (unsigned)number};
        return true;
    }
    return fail(playing, "a column is one of: pin0 to pin255, adc0 to adc254, sensor0 to sensor15");
}

static bool read_head(playing *playing, char *line) {
    char *save = NULL, *word = strtok_r(line, ", \t", &save);
    if (!word || strcmp(word, "time") != 0)
        return fail(playing, "a log of a board begins with the columns' names, the first of them "
                             "time");
    while ((word = strtok_r(NULL, ", \t", &save)))
        if (!read_column(playing, word))
            return false;
    return playing->column_count > 0 || fail(playing, "there is no column beside the time");
}

static bool set_column(playing *playing, const column *column, const char *word) {
    char *end;
    long value = strtol(word, &end, 10);
    bool is_pin = column->kind == COLUMN_PIN, is_sensor = column->kind == COLUMN_SENSOR;
    long low = is_sensor ? INT16_MIN : 0, high = is_pin ? 1 : is_sensor ? INT16_MAX : UINT16_MAX;
    if (end == word || *end != 0 || value < low || value > high)
        return fail(playing, is_pin      ? "a pin is 0 or 1"
                             : is_sensor ? "a sensor gives whole numbers from -32768 to 32767"
                                         : "an ADC gives whole numbers from 0 to 65535");
    uint8_t mask = (uint8_t)(1u << (column->number % 8));
    uint8_t *byte = &playing->pins[is_pin ? column->number / 8 : 0];
    if (is_pin)
        *byte = (uint8_t)(value ? *byte | mask : *byte & ~mask);
    else if (is_sensor)
        playing->sensors[column->number] = (int16_t)value;
    else
        playing->channels[column->number] = (uint16_t)value;
    return true;
}

static bool read_row(playing *playing, char *line) {
    char *save = NULL, *end, *word = strtok_r(line, ", \t", &save);
    double seconds = word ? strtod(word, &end) : -1;
    if (!word)
        return true; /* an empty line */
    if (end == word || *end != 0 || !(seconds >= 0 && seconds <= LONGEST_S))
        return fail(playing, "a line begins with its time in seconds, up to a day");
    uint64_t time_us = (uint64_t)(seconds * 1e6 + 0.5);
    if (time_us + BOARD_SCAN_US <= playing->now_us)
        return fail(playing, "this line is earlier than the one before it");
    if (!scan_until(playing, time_us))
        return false;
    for (unsigned i = 0; i < playing->column_count; i++) {
        word = strtok_r(NULL, ", \t", &save);
        if (!word)
            return fail(playing, "there are fewer numbers than columns");
        if (!set_column(playing, &playing->columns[i], word))
            return false;
    }
    return !strtok_r(NULL, ", \t", &save) || fail(playing, "there are more numbers than columns");
}

static bool read_lines(playing *playing, const char *text, size_t size) {
    bool has_head = false;
    for (size_t at = 0; at < size;) {
        char line[LINE];
        const char *end = memchr(text + at, '\n', size - at);
        size_t length = end ? (size_t)(end - text) - at : size - at;
        playing->line++;
        if (length >= sizeof line || memchr(text + at, 0, length))
            return fail(playing, "this is no line of a log");
        memcpy(line, text + at, length);
        line[length] = 0;
        line[strcspn(line, "\r")] = 0;
        at += length + 1;
        if (line[0] == '#')
            continue;
        if (!(has_head ? read_row(playing, line) : read_head(playing, line)))
            return false;
        has_head = true;
    }
    /* Long enough for what still bounces, and for a channel's samples. */
    return has_head ? scan_until(playing, playing->now_us + 400000)
                    : fail(playing, "the log is empty");
}

bool board_log_parse(recording *recording, const char *path, const char *text, size_t size,
                     const yt_program *program, unsigned input, const char *name) {
    playing *playing = calloc(1, sizeof *playing);
    memset(recording, 0, sizeof *recording);
    recorded_device *device = recording_add_device(recording);
    if (!playing || !device)
        abort();
    snprintf(device->name, sizeof device->name, "%s", name);
    device->bus = YT_BUS_BOARD;
    playing->recording = recording;
    playing->path = path;
    memset(playing->pins, 0xff, sizeof playing->pins);
    bool good =
        yt_board_begin(&playing->board, program, input, playing->parts, YT_BOARD_PINS) == YT_OK
            ? read_lines(playing, text, size)
            : recording_fail(recording, "%s: the input is no board", path);
    free(playing);
    if (!good)
        recording_free(recording);
    return good;
}

bool board_log_read(recording *recording, const char *path, const yt_program *program,
                    unsigned input, const char *name) {
    size_t size;
    memset(recording, 0, sizeof *recording);
    uint8_t *bytes = recording_read_file(recording, path, &size);
    if (!bytes)
        return false;
    bool good = board_log_parse(recording, path, (const char *)bytes, size, program, input, name);
    free(bytes);
    return good;
}
