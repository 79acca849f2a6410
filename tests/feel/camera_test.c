/* A mouse that turns a host's camera by a stick: hands that move 5 to 120 degrees, hosts with dead
 * zones and curves of their own, whose frames come when they come. How far off the camera is in the
 * end, and how far behind on the way. With the argument `table` it prints both for docs/feel.md. */
#include <math.h>

#include "tests/feel/springs.h"
#include "tests/feel/told.h"
#include "tool/camera_fit.h"

/* How a host turns its camera. */
typedef struct host {
    double rate, dead, power, frames, vertical;
    unsigned bits; /* of its stick */
} host;

typedef struct result {
    double off[4000]; /* degrees, in the end */
    unsigned moves;
    double behind; /* seconds, on average over a move, the wait for a frame taken off */
} result;

/* What the camera does in a frame, with a stick of so many bits. */
static void turn(const host *host, double angles[2]) {
    double steps = host->bits >= 16 ? 32767 : (1u << (host->bits - 1)) - 1, at[2];
    for (unsigned i = 0; i < 2; i++)
        at[i] = round(told[i] * steps) / steps;
    double out = hypot(at[0], at[1]);
    if (out <= host->dead)
        return;
    double by = pow(fmin(1, (out - host->dead) / (1 - host->dead)), host->power) * host->rate /
                host->frames;
    angles[0] += by * at[0] / out;
    angles[1] += by * at[1] / out * host->vertical;
}

/* A hand turns a mouse of `counts` a turn by an angle in a direction; the camera's frames fall
 * anywhere. */
static void play(const host *host, double counts, double mouse_rate, double degrees,
                 double direction, double takes, double at, dice *dice, result *result) {
    double way[2] = {degrees * cos(direction), degrees * sin(direction)}, angles[2] = {0, 0};
    double next_report = at + roll_between(dice, 0, 1 / mouse_rate), behind = 0;
    double next_frame = at + roll_between(dice, 0, 1 / host->frames);
    int sent[2] = {0, 0};
    double end = at + takes + 0.5 + 2 * degrees / (host->rate * fmin(1, host->vertical));
    while (next_frame < end) {
        if (next_report < next_frame) {
            double share = hand_moves((next_report - at) / takes);
            int to[2], by[2];
            for (unsigned i = 0; i < 2; i++) {
                to[i] = (int)floor(way[i] * share / 360 * counts + 0.5);
                by[i] = to[i] - sent[i];
                sent[i] = to[i];
            }
            if (by[0] || by[1])
                told_report(next_report, by[0], by[1]);
            next_report += 1 / mouse_rate;
            continue;
        }
        told_wait(next_frame);
        turn(host, angles);
        double share = hand_moves((next_frame - at) / takes);
        double ahead = (way[0] * share - angles[0]) * cos(direction) +
                       (way[1] * share - angles[1]) * sin(direction);
        behind += ahead / host->frames;
        next_frame += 1 / host->frames;
    }
    result->off[result->moves++] = hypot(way[0] - angles[0], way[1] - angles[1]);
    result->behind += behind / degrees;
}

/* `by_parameters`: the profile's camera: says it, each number a parameter. */
static bool by_parameters;

static void begin(const host *host, double counts) {
    char formula[300], head[600];
    snprintf(head, sizeof head,
             "parameters:\n  a: {value: %.0f deg/s, min: 110 deg/s, max: 2000 deg/s}\n"
             "  b: {value: %.0f%%, min: 0%%, max: 40%%}\n  c: {value: %.2f, min: 1, max: 3}\n"
             "  d: {value: %.0f Hz, min: 30 Hz, max: 250 Hz}\n"
             "  e: {value: %.0f%%, min: 45%%, max: 100%%}\n"
             "camera: {rate: a, dead: b, power: c, frames: d, vertical: e}\n",
             host->rate, host->dead * 100, host->power, host->frames, host->vertical * 100);
    if (by_parameters) {
        told_head = head;
        snprintf(formula, sizeof formula, "camera_stick(ball.motion, turn=%.0f, steps=%u)", counts,
                 host->bits >= 16 ? 0 : (1u << (host->bits - 1)) - 1);
        told_mouse_begins(formula);
        told_head = "";
        return;
    }
    snprintf(formula, sizeof formula,
             "camera_stick(ball.motion, turn=%.0f, rate=%.1f deg/s, dead=%.1f%%, power=%.3f, "
             "frames=%.0f Hz, vertical=%.0f%%, steps=%u)",
             counts, host->rate, host->dead * 100, host->power, host->frames, host->vertical * 100,
             host->bits >= 16 ? 0 : (1u << (host->bits - 1)) - 1);
    told_mouse_begins(formula);
}

/* What a person sees who measures a host's camera (`yonder measure camera`): the stick is raised in
 * steps of half a percent until the view moves, then held three times for 20 s; turns are read to a
 * twentieth. */
static void measure(const host *host, dice *dice, struct host *said) {
    static const double held[] = {1, 0.7, 0.5};
    camera_seen seen[3];
    camera_model model;
    char why[200];
    double smallest = 0.005;
    while (smallest <= host->dead)
        smallest += 0.005;
    for (unsigned i = 0; i < 3; i++) {
        double speed = host->rate * pow((held[i] - host->dead) / (1 - host->dead), host->power);
        double turns = speed * 20 / 360 + roll_between(dice, -0.02, 0.02);
        seen[i] = (camera_seen){held[i], round(turns * 20) / 20, 20, false};
    }
    bool good = camera_fit(seen, 3, smallest, 0.005, &model, why, sizeof why);
    about("a camera of %.0f deg/s, %.0f%%, to the %.1f, is measured as %.1f, %.1f%%, %.3f%s",
          host->rate, host->dead * 100, host->power, model.rate, model.dead * 100, model.power,
          good ? "" : why);
    CHECK(good);
    CHECK(fabs(model.rate / host->rate - 1) < 0.02);
    CHECK(fabs(model.dead - host->dead) <= 0.0051);
    CHECK(fabs(model.power - host->power) < 0.06);
    said->rate = model.rate;
    said->dead = model.dead;
    said->power = model.power;
}

#define MEASURED (-1)

/* `wrong`: by so much is the power that is told higher than the host's; MEASURED: all of it is as
 * it was measured. */
static void play_some(result *result, double mouse_rate, double frames, unsigned bits, double wrong,
                      unsigned moves, dice *dice) {
    for (unsigned i = 0; i < moves; i++) {
        host host = {.frames = frames, .bits = bits};
        host.rate = floor(roll_between(dice, 120, 500));
        host.dead = floor(roll_between(dice, 0, 25)) / 100;
        host.power = floor(roll_between(dice, 10, 25)) / 10;
        host.vertical = floor(roll_between(dice, 5, 11)) / 10;
        double degrees = roll_between(dice, 5, 120);
        double counts = floor(roll_between(dice, 2000, 12000));
        double fastest = host.rate * host.vertical / 2.2; /* a hand that the host can follow */
        struct host said = host;
        if (wrong == MEASURED)
            measure(&host, dice, &said);
        else
            said.power += wrong;
        begin(&said, counts);
        double way = roll_between(dice, 0, 6.2832), takes = roll_between(dice, 0.15, 0.8);
        play(&host, counts, mouse_rate, degrees, way, fmax(takes, degrees / fastest), 1, dice,
             result);
        told_end();
    }
}

static int compare(const void *a, const void *b) {
    double one = *(const double *)a, other = *(const double *)b;
    return one < other ? -1 : one > other;
}

static double mean_off(const result *result) {
    double sum = 0;
    for (unsigned i = 0; i < result->moves; i++)
        sum += result->off[i];
    return sum / result->moves;
}

static double off_at(result *result, double share) {
    qsort(result->off, result->moves, sizeof result->off[0], compare);
    return result->off[(unsigned)(share * (result->moves - 1))];
}

static const double mouse_rates[] = {125, 500, 1000}, frame_rates[] = {60, 144, 250};
static const unsigned stick_bits[] = {8, 16};

/* How much later it turns than a hand. */
static double behind(const result *result) {
    return result->behind / result->moves;
}

/* A host that takes the stick at once, as the targets have it, or asks for it each millisecond. */
static void check_all(dice *dice, double poll, bool prints) {
    static result result;
    told_poll = poll;
    for (unsigned m = 0; m < 3; m++)
        for (unsigned f = 0; f < 3; f++)
            for (unsigned b = 0; b < 2; b++) {
                memset(&result, 0, sizeof result);
                play_some(&result, mouse_rates[m], frame_rates[f], stick_bits[b], 0,
                          prints ? 200 : 24, dice);
                double mean = mean_off(&result), most = off_at(&result, 0.95);
                if (prints)
                    printf("| %.0f Hz | %.0f Hz | %u bits | %.2f deg | %.2f deg | %.1f ms |\n",
                           mouse_rates[m], frame_rates[f], stick_bits[b], mean, most,
                           1e3 * behind(&result));
                about("a mouse of %.0f Hz, %.0f frames, %u bits, asked each %.0f ms: %.3f degrees "
                      "off, %.3f at 95 %%, %.1f ms behind",
                      mouse_rates[m], frame_rates[f], stick_bits[b], 1e3 * poll, mean, most,
                      1e3 * behind(&result));
                CHECK(mean < (poll > 0 ? 0.3 : 0.15));
                CHECK(most < (poll > 0 ? 1.2 : 0.6));
                CHECK(behind(&result) < 0.012);
            }
    told_poll = 0;
}

/* A host that asks for the stick seldom, each so many milliseconds, and takes a 500 Hz mouse or
 * another one. */
static void check_seldom(dice *dice, bool prints) {
    static const double polls[] = {2, 4, 8};
    static result result;
    for (unsigned p = 0; p < 3; p++)
        for (unsigned m = 0; m < 3; m++) {
            memset(&result, 0, sizeof result);
            told_poll = polls[p] / 1000;
            for (unsigned f = 0; f < 3; f++)
                play_some(&result, mouse_rates[m], frame_rates[f], 16, 0, prints ? 100 : 20, dice);
            double mean = mean_off(&result), most = off_at(&result, 0.95);
            if (prints)
                printf("| %.0f Hz, a host that asks each %.0f ms | 60 to 250 Hz | 16 bits | %.2f "
                       "deg | "
                       "%.2f deg | %.1f ms |\n",
                       mouse_rates[m], polls[p], mean, most, 1e3 * behind(&result));
            about("a mouse of %.0f Hz, a host that asks each %.0f ms: %.3f degrees off, %.3f at "
                  "95 %%, %.1f ms behind",
                  mouse_rates[m], polls[p], mean, most, 1e3 * behind(&result));
            CHECK(mean < 0.3);
            CHECK(most < 1.2);
            CHECK(behind(&result) < 0.012 + told_poll / 2);
        }
    told_poll = 0;
}

/* What is faster than a host can turn waits, and comes. */
static void check_waiting(void) {
    host host = {120, 0.1, 1.5, 60, 1, 16};
    double angles[2] = {0, 0};
    begin(&host, 4000);
    for (unsigned i = 0; i < 10; i++)
        told_report(1 + i * 0.001, 100, -100); /* 90 degrees each way, in 10 ms */
    for (unsigned i = 0; i < 150; i++) {
        told_wait(1.012 + i / 60.0);
        turn(&host, angles);
    }
    about("%.2f and %.2f degrees of 90", angles[0], angles[1]);
    CHECK(fabs(angles[0] - 90) < 0.5 && fabs(angles[1] + 90) < 0.5);
    told_end();
}

int main(int count, char **arguments) {
    static result result;
    dice dice = {count > 2 ? strtoull(arguments[2], NULL, 0) : 771};
    bool prints = count > 1 && strcmp(arguments[1], "table") == 0;
    if (prints)
        printf("| mouse | frames | stick | off, mean | off, 95 %% | behind "
               "|\n|---|---|---|---|---|---|\n");
    if (!prints)
        check_all(&dice, 0, false);
    check_all(&dice, 0.001, prints);
    check_seldom(&dice, prints);
    if (prints) {
        told_poll = 0.001;
        memset(&result, 0, sizeof result);
        play_some(&result, 1000, 144, 16, 0.1, 400, &dice);
        printf("| 1000 Hz, a power told 0.1 too high | 144 Hz | 16 bits | %.2f deg | %.2f deg | "
               "|\n",
               mean_off(&result), off_at(&result, 0.95));
        memset(&result, 0, sizeof result);
        play_some(&result, 1000, 144, 16, MEASURED, 400, &dice);
        printf(
            "| 1000 Hz, the host's camera as a person measures it | 144 Hz | 16 bits | %.2f deg | "
            "%.2f deg | |\n",
            mean_off(&result), off_at(&result, 0.95));
        return 0;
    }
    memset(&result, 0, sizeof result);
    play_some(&result, 1000, 144, 16, MEASURED, 100, &dice);
    about("as a person measures it: %.2f degrees off, %.2f at 95 %%", mean_off(&result),
          off_at(&result, 0.95));
    CHECK(mean_off(&result) < 1);
    CHECK(off_at(&result, 0.95) < 3);
    check_waiting();
    by_parameters = true;
    check_waiting();
    for (unsigned b = 0; b < 2; b++) {
        memset(&result, 0, sizeof result);
        play_some(&result, 500, 144, stick_bits[b], 0, 60, &dice);
        double mean = mean_off(&result), most = off_at(&result, 0.95);
        about("a camera of parameters, %u bits: %.3f degrees off, %.3f at 95 %%", stick_bits[b],
              mean, most);
        CHECK(mean < 0.15);
        CHECK(most < 0.6);
    }
    return report_checks();
}
