/* What smooths a stick, as formulas in the engine: how much of its noise is left at rest, how much
 * later a flick comes, and that what comes out is what the manual says, in double precision,
 * however often reports come. With the argument `table` it prints figures for docs/feel.md. */
#include <math.h>

#include "tests/feel/springs.h"
#include "tests/feel/told.h"

#define PI 3.14159265358979323846

/* What came of rests and flicks. */
typedef struct result {
    double in, out; /* sums of squares, of readings and of what is told, about where it rests */
    unsigned readings, flicks;
    double late, latest;
} result;

static double read_with(double value, double noise, unsigned bits, dice *dice) {
    double steps = (1u << (bits - 1)) - 1;
    return fmax(-1, fmin(1, round((value + noise * roll_normal(dice)) * steps) / steps));
}

/* It rests for 3 s, then flicks to another place; how much later it is half way there, with the
 * noise of the readings. */
static void rest_and_flick(double at, double rate, double noise, unsigned bits, dice *dice,
                           result *result) {
    double from = roll_between(dice, -0.2, 0.2), takes = roll_between(dice, 0.05, 0.12);
    double to = roll_between(dice, 0.35, 0.9) * (roll_below(dice, 2) ? 1 : -1),
           half = (from + to) / 2;
    double came = -1, out = -1, sign = to > from ? 1 : -1, mean[2] = {0, 0}, square[2] = {0, 0};
    unsigned count = 0;
    for (double t = 0; t < 3.4; t += 1 / rate) {
        double value =
            read_with(from + (to - from) * hand_moves((t - 3) / takes), noise, bits, dice);
        told_feed(at + t, value, 0);
        if (t > 1.5 && t < 2.9) {
            double both[2] = {value, told[0]};
            for (unsigned k = 0; k < 2; k++) {
                mean[k] += both[k];
                square[k] += both[k] * both[k];
            }
            count++;
        }
        came = came < 0 && t > 3 && (value - half) * sign > 0 ? t : came;
        out = out < 0 && t > 3 && (told[0] - half) * sign > 0 ? t : out;
    }
    result->in += square[0] - mean[0] * mean[0] / count;
    result->out += square[1] - mean[1] * mean[1] / count;
    result->readings += count;
    result->flicks++;
    double late = out < 0 ? 1 : fmax(0, out - came);
    result->late += late;
    result->latest = fmax(result->latest, late);
}

static result measure(const char *formula, double rate, double noise, unsigned bits,
                      unsigned flicks, dice *dice) {
    result result = {0};
    told_stick_begins(formula);
    for (unsigned i = 0; i < flicks; i++)
        rest_and_flick(1 + 4 * i, rate, noise, bits, dice, &result);
    told_end();
    return result;
}

static double jitter(const result *result) {
    return sqrt(result->out / result->in);
}

#define HAND "stick(x=hand.x, y=hand.y)"

static const double rates[] = {125, 250, 1000};

static void print_table(dice *dice) {
    static const char *const formulas[] = {
        "quiet(" HAND ", noise=0.5%)", "adaptive_lowpass(" HAND ")",
        "lowpass(" HAND ", over=20 ms)", "lowpass(" HAND ", over=100 ms)"};
    static const char *const names[] = {"quiet(stick, noise=0.5%)", "adaptive_lowpass(stick)",
                                        "lowpass(stick, over=20 ms)",
                                        "lowpass(stick, over=100 ms)"};
    printf("| filter | reports a second | noise that is left | late, mean | late, most |\n"
           "|---|---|---|---|---|\n");
    for (unsigned i = 0; i < 4; i++)
        for (unsigned k = 0; k < 3; k++) {
            result result = measure(formulas[i], rates[k], 0.005, 12, 60, dice);
            printf("| `%s` | %.0f | %.0f %% | %.1f ms | %.0f ms |\n", names[i], rates[k],
                   100 * jitter(&result), 1e3 * result.late / result.flicks, 1e3 * result.latest);
        }
}

static void check_quiet(dice *dice) {
    static const double late[] = {0.030, 0.012, 0.003};
    for (unsigned k = 0; k < 3; k++)
        for (unsigned bits = 8; bits <= 16; bits += 4)
            for (double noise = 0.004; noise < 0.011; noise += 0.003) {
                char formula[100];
                snprintf(formula, sizeof formula, "quiet(" HAND ", noise=%.2f%%)", noise * 100);
                result result = measure(formula, rates[k], noise, bits, 6, dice);
                about("%s, %.0f reports a second, %u bits: %.3f of the noise, %.1f ms late",
                      formula, rates[k], bits, jitter(&result), 1e3 * result.latest);
                CHECK(jitter(&result) < 0.115);
                CHECK(result.latest <= late[k]);
            }
}

/* A low-pass of the first order between readings that stay; looked at anywhere, it is where it
 * should be, by the last look. */
static void check_lowpass(dice *dice) {
    for (unsigned turn = 0; turn < 12; turn++) {
        double over = 0.002 + 0.03 * turn, at = 1, wanted[2] = {0, 0}, to[2] = {0, 0}, worst = 0;
        char formula[100];
        snprintf(formula, sizeof formula, "lowpass(" HAND ", over=%.0f ms)", over * 1000);
        told_stick_begins(formula);
        over = round(over * 1000) / 1000;
        for (unsigned i = 0; i < 300; i++) {
            double us = 1000 * (1 + roll_below(dice, 20)), left = exp(-us * 1e-6 / over);
            at += us * 1e-6;
            for (unsigned k = 0; k < 2; k++)
                wanted[k] = to[k] + (wanted[k] - to[k]) * left;
            if (roll_below(dice, 3)) {
                for (unsigned k = 0; k < 2; k++)
                    to[k] = round(roll_between(dice, -1, 1) * 32767) / 32767;
                told_feed(at, to[0], to[1]);
                for (unsigned k = 0; k < 2; k++)
                    worst = fmax(worst, fabs(told[k] - wanted[k]));
            } else {
                told_wait(at);
            }
        }
        about("%s: %.6f off", formula, worst);
        CHECK(worst < 0.0002);
        told_end();
    }
}

/* Half as many reports of a stick that moves as a hand does give nearly the same. */
static void check_rates(dice *dice) {
    (void)dice;
    double ends[3][40];
    for (unsigned k = 0; k < 3; k++) {
        told_stick_begins("lowpass(" HAND ", over=60 ms)");
        for (unsigned i = 0; i <= 400; i++) {
            double t = i / 1000.0;
            if (i % (unsigned)(1000 / rates[k]) == 0)
                told_feed(1 + t, hand_moves(t / 0.3), 0);
            if (i % 10 == 0 && i < 400) {
                told_wait(1 + t);
                ends[k][i / 10] = told[0];
            }
        }
        told_end();
    }
    for (unsigned i = 0; i < 40; i++)
        for (unsigned k = 0; k < 2; k++) {
            about("%u ms, %.0f reports a second", 10 * i, rates[k]);
            CHECK(fabs(ends[k][i] - ends[2][i]) < 0.06);
        }
}

/* Trembling is taken away, a move that is meant is followed. */
static void check_hands(dice *dice) {
    for (unsigned i = 0; i < 24; i++) {
        double rate = rates[i % 3], pitch = roll_between(dice, 4, 12), shake = 0.05, in = 0,
               out = 0;
        double came = -1, from = roll_between(dice, -0.3, 0),
               to = from + roll_between(dice, 0.35, 0.7);
        told_stick_begins("steady_hand(" HAND ", shake=6%)");
        for (double t = 0; t < 3; t += 1 / rate) {
            double meant = from + (to - from) * hand_moves((t - 2) / 0.15);
            told_feed(1 + t, meant + shake * sin(2 * PI * pitch * t), 0);
            if (t > 1 && t < 2) {
                in = fmax(in, fabs(shake * sin(2 * PI * pitch * t)));
                out = fmax(out, fabs(told[0] - from));
            }
            if (came < 0 && t > 2 && told[0] > from + 0.8 * (to - from))
                came = t - 2 - 0.11; /* a hand itself is there after 110 ms */
        }
        about("trembling at %.1f Hz, %.0f reports a second: %.3f of %.3f is left, %.0f ms late",
              pitch, rate, out, in, came * 1e3);
        CHECK(out < in * 0.45);
        CHECK(came >= -0.12 && came < 0.13);
        told_end();
    }
}

/* Backlash, hysteresis and slew against what they say. */
static void check_play(dice *dice) {
    for (unsigned turn = 0; turn < 30; turn++) {
        double by = (1 + roll_below(dice, 20)) / 100.0, kept = 0, at = 1, x = 0;
        char formula[100];
        bool plays = turn % 2;
        snprintf(formula, sizeof formula,
                 plays ? "backlash(" HAND ", by=%.0f%%)" : "hysteresis(" HAND ", by=%.0f%%)",
                 by * 100);
        told_stick_begins(formula);
        for (unsigned i = 0; i < 400; i++) {
            x = roll_below(dice, 4)   ? fmax(-1, fmin(1, x + roll_between(dice, -2 * by, 2 * by)))
                : roll_below(dice, 2) ? 0
                : roll_below(dice, 2) ? 1
                                      : -1;
            x = round(x * 32767) / 32767;
            told_feed(at += 0.004, x, 0);
            if (plays)
                kept = fmax(x - by, fmin(x + by, kept));
            else if (fabs(fabs(x - kept) - by) < 1e-4)
                kept = told[0]; /* either will do */
            else if (fabs(x - kept) > by || x == 0 || fabs(x) == 1)
                kept = x;
            double wanted = plays ? fmax(-1, fmin(1, kept / (1 - by))) : kept;
            about("%s at %.5f: %.5f, not %.5f", formula, x, told[0], wanted);
            CHECK(fabs(told[0] - wanted) < 0.0002);
        }
        told_end();
    }
}

static void check_slew(dice *dice) {
    for (unsigned turn = 0; turn < 20; turn++) {
        double full = 0.05 + 0.02 * turn, at = 1, was[2] = {0, 0};
        char formula[100];
        snprintf(formula, sizeof formula, "slew(" HAND ", full=%.0f ms)", full * 1000);
        told_stick_begins(formula);
        double angle = roll_between(dice, 0, 2 * PI), x = cos(angle), y = sin(angle);
        told_feed(at, x, y);
        for (unsigned i = 1; i <= 300; i++) {
            told_wait(at + i * 0.004);
            double way = hypot(told[0] - was[0], told[1] - was[1]), out = hypot(told[0], told[1]);
            about("%s after %u ms: %.4f out, by %.4f", formula, 4 * i, out, way);
            CHECK(way <= 0.004 / full + 0.0002);
            CHECK(fabs(out - fmin(1, i * 0.004 / full)) < 0.002);
            CHECK(fabs(told[0] * y - told[1] * x) < 0.001); /* straight there */
            was[0] = told[0];
            was[1] = told[1];
        }
        told_end();
    }
}

int main(int count, char **arguments) {
    dice dice = {count > 2 ? strtoull(arguments[2], NULL, 0) : 5150};
    if (count > 1 && strcmp(arguments[1], "table") == 0) {
        print_table(&dice);
        return 0;
    }
    check_quiet(&dice);
    check_lowpass(&dice);
    check_rates(&dice);
    check_hands(&dice);
    check_play(&dice);
    check_slew(&dice);
    return report_checks();
}
