#include "tool/calibration_json.h"

#include "tool/calibrating.h"
#include "tool/json_text.h"
#include "tool/measure_json.h"

static void set(json_t *object, const char *key, double number) {
    json_object_set_new(object, key, json_real(number));
}

static void add_stick(json_t *one, const yt_calibration *record) {
    json_t *rest = json_array(), *reach = json_object();
    for (unsigned i = 0; i < 2; i++)
        json_array_append_new(rest, json_real(record->rest[i] / 65536.0));
    for (unsigned i = 0; i < 8; i++)
        set(reach, reach_word(YT_CALIBRATION_STICK, i), calibration_rim(record, 45.0 * i));
    bool has_spring = record->frequency > 0;
    json_object_set_new(one, "rest", rest);
    set(one, "noise", record->noise / 16384.0);
    json_object_set_new(one, "reach", reach);
    json_object_set_new(one, "notches", json_integer(record->notches));
    json_object_set_new(one, "spring_hz",
                        has_spring ? json_real(record->frequency / 100.0) : json_null());
    json_object_set_new(one, "damping",
                        has_spring ? json_real(record->damping / 10000.0) : json_null());
}

/* An axis or a level: raw numbers. */
static void add_line(json_t *one, const yt_calibration *record) {
    bool is_level = record->part.kind == YT_CALIBRATION_LEVEL;
    json_object_set_new(one, "rest_raw", json_integer(record->rest[0]));
    json_object_set_new(one, "low_raw", is_level ? json_null() : json_integer(record->low[0]));
    json_object_set_new(one, "high_raw", json_integer(record->high[0]));
    json_object_set_new(one, "minimum", json_integer(record->part.places[0].minimum));
    json_object_set_new(one, "maximum", json_integer(record->part.places[0].maximum));
    set(one, "noise", record->noise / 32768.0);
}

/* A gyro, in degrees a second, or an accelerometer, in g. */
static void add_motion(json_t *one, const yt_calibration *record) {
    bool is_gyro = record->part.kind == YT_CALIBRATION_GYRO;
    double unit = record->part.unit_q24 / 16777216.0;
    json_t *rest = json_array(), *tells = json_array();
    for (unsigned i = 0; i < 3; i++) {
        bool is_right = record->high[i] == (is_gyro ? YT_ONE : 0);
        json_array_append_new(rest, json_real(record->rest[i] / 256.0 * unit));
        json_array_append_new(tells, is_right  ? json_null()
                                     : is_gyro ? json_real(65536.0 / record->high[i])
                                               : json_real(record->high[i] / 256.0 * unit));
    }
    json_object_set_new(one, "unit", json_string(is_gyro ? "deg/s" : "g"));
    json_object_set_new(one, "rest", rest);
    json_object_set_new(one, "tells_of_one", tells);
    json_object_set_new(one, "noise", is_gyro ? json_real(record->noise * unit) : json_null());
}

json_t *calibration_as_json(const yt_calibration *record) {
    const yt_calibration_part *part = &record->part;
    char serial[12];
    json_t *one = json_object();
    snprintf(serial, sizeof serial, "%08x", (unsigned)part->serial);
    json_object_set_new(one, "kind", json_text(calibration_kind_name(part->kind)));
    json_object_set_new(one, "vendor", json_integer(part->vendor));
    json_object_set_new(one, "product", json_integer(part->product));
    json_object_set_new(one, "serial", part->serial ? json_text(serial) : json_null());
    json_object_set_new(one, "bytes", json_integer(record->bytes));
    if (part->kind == YT_CALIBRATION_STICK)
        add_stick(one, record);
    else if (part->kind >= YT_CALIBRATION_GYRO)
        add_motion(one, record);
    else
        add_line(one, record);
    return one;
}
