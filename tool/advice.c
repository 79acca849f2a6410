/* What to set, by what was measured. */
#include <math.h>
#include <stdarg.h>
#include <stdio.h>

#include "tool/measuring.h"

#define PI 3.14159265358979323846

double measure_overshoot(const part_measure *measure) {
    double d = measure->damping;
    return measure->frequency > 0 ? exp(-PI * d / sqrt(1 - d * d)) : 0;
}

/* A share that is a little more than what is needed, in halves of a percent: at most half more. */
static double and_some(double needed) {
    double wanted = ceil(needed * 1.15 * 200) / 200;
    return wanted > 1.5 * needed ? ceil(needed * 1.02 * 1000) / 1000 : wanted;
}

static double least_reach(const part_measure *measure) {
    double least = 9;
    for (unsigned i = 0; i < MEASURE_DIRECTIONS; i++)
        if (measure->has_reach[i])
            least = fmin(least, measure->reach[i]);
    return least;
}

/* "99.99% of 41000 reports" */
static void of_reports(const part_measure *measure, char text[80]) {
    if (measure->share == 1)
        snprintf(text, 80, "all of %zu reports", measure->rests);
    else
        snprintf(text, 80, "%g%% of %zu reports", 100 * measure->share, measure->rests);
}

static measure_setting *add(measure_setting *settings, unsigned *count, const char *function) {
    measure_setting *setting = &settings[(*count)++];
    *setting = (measure_setting){.function = function};
    return setting;
}

__attribute__((format(printf, 3, 4))) static void
put_value(measure_setting *setting, const char *label, const char *format, ...) {
    va_list arguments;
    va_start(arguments, format);
    setting->labels[setting->count] = label;
    vsnprintf(setting->values[setting->count++], sizeof setting->values[0], format, arguments);
    va_end(arguments);
}

__attribute__((format(printf, 2, 3))) static void because(measure_setting *setting,
                                                          const char *format, ...) {
    va_list arguments;
    va_start(arguments, format);
    vsnprintf(setting->why, sizeof setting->why, format, arguments);
    va_end(arguments);
}

static void advise_rest(const calibrating *calibrating, const part_measure *measure,
                        measure_setting *settings, unsigned *count) {
    unsigned kind = calibrating->part->part.kind;
    double inner = and_some(measure->within), least = least_reach(measure);
    measure_setting *setting;
    char of[80];
    of_reports(measure, of);
    if (measure->within == 0)
        return; /* it rests at 0: there is nothing to set */
    if (kind != YT_CALIBRATION_LEVEL) {
        setting = add(settings, count, "deadzone");
        put_value(setting, "inner", "%.1f%%", 100 * inner);
        because(setting, "it rests within %.1f%% in %s", 100 * measure->within, of);
        return;
    }
    double end = least < 9 ? floor((least - 0.01) * 100) / 100 : 0.95;
    setting = add(settings, count, "trigger_range");
    put_value(setting, "start", "%.1f%%", 100 * inner);
    put_value(setting, "end", "%.0f%%", 100 * fmin(end, 0.99));
    because(setting, "it rests within %.1f%% in %s%s", 100 * measure->within, of,
            least < 9 ? ", and this is as far as it goes"
                      : "; press it all the way to know its end");
}

unsigned measure_advice(const calibrating *calibrating, const part_measure *measure,
                        measure_setting settings[MEASURE_SETTINGS]) {
    unsigned kind = calibrating->part->part.kind, count = 0;
    double own = and_some(measure->own_within), least = least_reach(measure);
    double noise = fmax(measure->noise[0], measure->noise[1]);
    bool rests = measure->rests > 0;
    measure_setting *setting;
    if (rests)
        advise_rest(calibrating, measure, settings, &count);
    if (rests && (least < 0.96 || measure->within > 1.6 * measure->own_within + 0.01)) {
        setting = add(settings, &count, NULL);
        because(setting, "yonder calibrate: %s; then %.1f%% will do at rest",
                least < 0.96 ? "it does not reach its end everywhere"
                             : "its rest is off its middle",
                100 * own);
    }
    if (rests && noise > 0.002) {
        setting = add(settings, &count, "quiet");
        put_value(setting, "noise", "%.1f%%", 100 * ceil(1000 * noise) / 1000);
        because(setting, "its noise at rest is %.2f%%", 100 * noise);
    }
    if (measure->frequency > 0) {
        setting = add(settings, &count, "let_go");
        put_value(setting, "frequency", "%.1f Hz", measure->frequency);
        put_value(setting, "damping", "%.0f%%", 100 * measure->damping);
        because(setting, "let go, it swings %.0f%% to the other side, by %u let-gos",
                100 * measure_overshoot(measure), measure->let_gos);
    }
    if (kind == YT_CALIBRATION_LEVEL && measure->noise[0] > 0) {
        double back = fmax(0.01, ceil(8 * measure->noise[0] * 100) / 100);
        setting = add(settings, &count, "pressed");
        put_value(setting, "at", "30%%");
        put_value(setting, "back", "%.0f%%", 100 * (0.3 - back));
        because(setting, "with less apart its noise of %.2f%% would press it twice",
                100 * measure->noise[0]);
    }
    return count;
}

void measure_setting_text(const measure_setting *setting, const char *part, char *text,
                          size_t size) {
    size_t length = 0;
    if (!setting->function) {
        snprintf(text, size, "%s", setting->why);
        return;
    }
    length += (size_t)snprintf(text, size, "%s(%s", setting->function, part);
    for (unsigned i = 0; i < setting->count && length < size; i++)
        length += (size_t)snprintf(text + length, size - length, ", %s=%s", setting->labels[i],
                                   setting->values[i]);
    if (length < size)
        snprintf(text + length, size - length, "): %s", setting->why);
}
