#include "tool/measure_json.h"

#include "tool/json_text.h"

static void set(json_t *object, const char *key, double number) {
    json_object_set_new(object, key, json_real(number));
}

static void set_count(json_t *object, const char *key, uint64_t number) {
    json_object_set_new(object, key, json_integer((json_int_t)number));
}

/* A number that is known, or null. */
static void set_known(json_t *object, const char *key, bool is_known, double number) {
    json_object_set_new(object, key, is_known ? json_real(number) : json_null());
}

json_t *rate_as_json(const recorded_device *device, const rate_measure *measure) {
    json_t *one = json_object();
    bool is_known = measure->reports > 1 && measure->middle > 0;
    json_object_set_new(one, "name", json_text(device->name));
    set_count(one, "vendor", device->vendor);
    set_count(one, "product", device->product);
    set_count(one, "reports", measure->reports);
    set(one, "seconds", measure->seconds);
    set_known(one, "interval_us", is_known, measure->middle);
    set_known(one, "interval_low_us", is_known, measure->low);
    set_known(one, "interval_high_us", is_known, measure->high);
    set_known(one, "longest_us", is_known, measure->longest);
    json_object_set_new(one, "missing",
                        measure->is_regular ? json_integer(measure->lost) : json_null());
    set_count(one, "backwards", measure->backwards);
    return one;
}

const char *reach_word(unsigned kind, unsigned direction) {
    static const char *const directions[] = {"up",   "up right",  "right", "down right",
                                             "down", "down left", "left",  "up left"};
    return kind == YT_CALIBRATION_STICK   ? directions[direction]
           : kind == YT_CALIBRATION_LEVEL ? "full"
           : direction == 0               ? "low"
                                          : "high";
}

/* One number of an axis or a level, two of a stick. */
static json_t *each_axis(const calibrating *calibrating, const double numbers[2]) {
    bool is_stick = calibrating->part->part.kind == YT_CALIBRATION_STICK;
    json_t *list = json_array();
    for (unsigned i = 0; i < (is_stick ? 2u : 1u); i++)
        json_array_append_new(list, json_real(numbers[i]));
    return list;
}

static json_t *rest_as_json(const calibrating *calibrating, const part_measure *measure) {
    json_t *rest = json_object();
    if (measure->rests == 0 || (measure->samples > 1 && measure->step == 0)) {
        json_decref(rest);
        return json_null();
    }
    json_object_set_new(rest, "at", each_axis(calibrating, measure->rest));
    json_object_set_new(rest, "noise", each_axis(calibrating, measure->noise));
    set_count(rest, "reports", measure->rests);
    set_count(rest, "times", measure->times);
    set(rest, "within_of_rest", measure->own_within);
    set(rest, "within_of_zero", measure->within);
    set(rest, "drift", measure->drift);
    return rest;
}

static json_t *settings_as_json(const char *part, const measure_setting *settings, unsigned count) {
    json_t *list = json_array();
    for (unsigned i = 0; i < count; i++) {
        json_t *one = json_object(), *arguments = json_object();
        char text[400];
        measure_setting_text(&settings[i], part, text, sizeof text);
        for (unsigned k = 0; settings[i].function && k < settings[i].count; k++)
            json_object_set_new(arguments, settings[i].labels[k], json_text(settings[i].values[k]));
        json_object_set_new(one, "function", json_text_or_null(settings[i].function));
        json_object_set_new(one, "arguments", arguments);
        json_object_set_new(one, "why", json_text(settings[i].why));
        json_object_set_new(one, "text", json_text(text));
        json_array_append_new(list, one);
    }
    return list;
}

json_t *part_as_json(const calibrating *calibrating, const part_measure *measure,
                     const measure_setting *settings, unsigned count) {
    unsigned kind = calibrating->part->part.kind;
    bool is_constant = measure->samples > 1 && measure->step == 0;
    json_t *one = json_object(), *reach = json_object();
    for (unsigned i = 0; i < MEASURE_DIRECTIONS; i++)
        if (measure->has_reach[i])
            set(reach, reach_word(kind, i), measure->reach[i]);
    json_object_set_new(one, "name", json_text(calibrating->part->name));
    json_object_set_new(one, "kind", json_text(calibration_kind_name(kind)));
    set_count(one, "reports", measure->samples);
    json_object_set_new(one, "is_constant", json_boolean(is_constant));
    json_object_set_new(one, "rest", rest_as_json(calibrating, measure));
    json_object_set_new(one, "reach", reach);
    set_count(one, "wrong", measure->wrong);
    set_known(one, "step", measure->step > 0, measure->step);
    set_known(one, "gap", measure->gap > 0, measure->gap);
    set_known(one, "gap_at", measure->gap > 0, measure->gap_at);
    json_object_set_new(one, "off_straight",
                        measure->has_bent ? each_axis(calibrating, measure->bent) : json_null());
    set_count(one, "presses", measure->presses);
    set_count(one, "chatters", measure->chatters);
    set_known(one, "spring_hz", measure->frequency > 0, measure->frequency);
    set_known(one, "damping", measure->frequency > 0, measure->damping);
    set_known(one, "overshoot", measure->frequency > 0, measure_overshoot(measure));
    json_object_set_new(one, "set", settings_as_json(calibrating->part->name, settings, count));
    return one;
}

json_t *switch_as_json(const char *name, const switch_chatter *chatter) {
    json_t *one = json_object();
    json_object_set_new(one, "name", json_text(name));
    set_count(one, "changes", chatter->changes);
    set_count(one, "bounces", chatter->bounces);
    set_count(one, "longest_us", chatter->longest_us);
    set_count(one, "steady_us", (uint64_t)(1000 * measure_steady_ms(chatter->longest_us)));
    return one;
}

json_t *turns_as_json(const char *name, const turn_chatter *chatter) {
    json_t *one = json_object();
    json_object_set_new(one, "name", json_text(name));
    set_count(one, "turns", chatter->turns);
    set_count(one, "back", chatter->back);
    return one;
}

json_t *delays_as_json(const char *through, uint64_t poll_us, const double *list, size_t count) {
    json_t *one = json_object();
    double sum = 0;
    for (size_t i = 0; i < count; i++)
        sum += list[i];
    json_object_set_new(one, "through", json_text(through));
    set_count(one, "poll_us", poll_us);
    set_count(one, "times", count);
    set_known(one, "mean_ms", count > 0, count ? sum / (double)count : 0);
    set_known(one, "p99_ms", count > 0, count ? list[(size_t)(0.99 * (double)(count - 1))] : 0);
    set_known(one, "most_ms", count > 0, count ? list[count - 1] : 0);
    return one;
}
