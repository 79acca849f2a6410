/* Calibrating gyros and accelerometers that the test makes up: biases, noise, hands that shake
 * them, turns, gravity; and an hour of what the engine makes of them. With an argument it prints
 * what came out, for docs/feel.md. */
#include <math.h>

#include "tests/engine/rig.h"
#include "tests/feel/springs.h"
#include "yonder/calibration.h"

#define PI   3.14159265358979323846
#define UNIT 0.061 /* degrees a second for a count, as crane/devices/lapwing-grip.yaml has it */
#define PULL 0.000244

static bool tells;

/* A gyro, or an accelerometer. */
typedef struct sensor {
    double bias[3];  /* degrees a second; g */
    double scale[3]; /* what it tells, of what is so */
    double noise;    /* of a reading: one standard deviation */
    double rate;     /* readings a second */
} sensor;

static rig r;
static unsigned device;
static yt_calibration_part part;
static yt_calibrating gathering;
static yt_calibration record;
static yt_calibrated calibrated;
static dice d;
static double now;

/* Eight buttons, a stick of 12 bits in 16, two triggers, and 12 bytes of which it tells nothing. */
static const uint8_t descriptor[] = {
    0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x08, 0x15, 0x00, 0x25, 0x01,
    0x75, 0x01, 0x95, 0x08, 0x81, 0x02, 0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x26, 0xff, 0x0f, 0x75,
    0x10, 0x95, 0x02, 0x81, 0x02, 0x05, 0x02, 0x09, 0xc5, 0x09, 0xc4, 0x26, 0xff, 0x00, 0x75, 0x08,
    0x95, 0x02, 0x81, 0x02, 0x06, 0x00, 0xff, 0x09, 0x20, 0x95, 0x0c, 0x81, 0x02, 0xc0};

static void begin(unsigned kind) {
    static const uint16_t controls[] = {0, 1, 2};
    yt_device of = {.descriptor = descriptor,
                    .descriptor_size = sizeof descriptor,
                    .vendor = 0x1209,
                    .product = 0x0031,
                    .bus = YT_BUS_USB,
                    .input = YT_ANY_INPUT};
    const char *what = kind == YT_CALIBRATION_GYRO ? "gyro" : "pull";
    const char *most = kind == YT_CALIBRATION_GYRO ? "50 deg/s" : "1 g";
    char profile[500];
    snprintf(profile, sizeof profile,
             "inputs: {hand: lapwing-grip}\noutputs: {pad: gamepad}\nsheet:\n"
             "  pad.south: hand.%s.x > %s\n  pad.east: hand.%s.y > %s\n"
             "  pad.west: hand.%s.z > %s\n",
             what, most, what, most, what, most);
    rig_begin(&r, profile);
    CHECK_EQUAL(yt_engine_attach(&r.engine, &of, &device), YT_OK);
    memset(&part, 0, sizeof part);
    part.kind = (uint8_t)kind;
    yt_calibration_part_of(&part, &of);
    CHECK_EQUAL(yt_calibration_find(&part, &r.engine, device, controls), YT_OK);
    CHECK_EQUAL(yt_calibrating_begin(&gathering, &part, 0), YT_OK);
    now = 1;
}

/* A report in which what is so, in the unit, is what it tells of; the other sensor is silent. */
static size_t report_of(const sensor *of, const double so[3], uint8_t bytes[19]) {
    double unit = part.kind == YT_CALIBRATION_GYRO ? UNIT : PULL;
    memset(bytes, 0, 19);
    for (unsigned i = 0; i < 3; i++) {
        double told = of->bias[i] + so[i] * of->scale[i] + of->noise * roll_normal(&d);
        double raw = fmax(-32768, fmin(32767, round(told / unit)));
        yt_hid_set(bytes, 19, part.places[i].bit, 16, (uint32_t)(int32_t)raw);
    }
    return 19;
}

static void tell(const sensor *of, const double so[3]) {
    uint8_t bytes[19];
    size_t size = report_of(of, so, bytes);
    now += 1 / of->rate;
    yt_calibrating_report(&gathering, bytes, size, (uint64_t)(now * 1e6));
}

static void lies(const sensor *of, double seconds, const double so[3]) {
    for (double end = now + seconds; now < end;)
        tell(of, so);
}

static const double still[3];

static sensor made_gyro(void) {
    static const double rates[] = {125, 250, 500, 1000};
    sensor of = {.noise = roll_between(&d, 0.03, 0.15), .rate = rates[roll_below(&d, 4)]};
    for (unsigned i = 0; i < 3; i++) {
        of.bias[i] = roll_between(&d, -4, 4);
        of.scale[i] = roll_between(&d, 0.96, 1.04);
    }
    return of;
}

static void use(void) {
    CHECK_EQUAL(yt_calibrating_end(&gathering, &record), YT_OK);
    CHECK_EQUAL(yt_engine_calibrate(&r.engine, device, &calibrated, &record, record.bytes), YT_OK);
}

/* An hour of what comes out of the engine, in degrees: it lies, or a hand shakes it about its
 * place, while it grows warm by half a degree a second. */
static double hour_of(sensor of, bool shakes) {
    double angle[3] = {0, 0, 0}, begun = now;
    uint8_t bytes[19];
    sensor warm = of;
    for (unsigned i = 0; now - begun < 3600; i++) {
        double so[3], t = now - begun, was[3];
        for (unsigned k = 0; k < 3; k++) { /* a hand's trembling comes back to where it was */
            so[k] = shakes && fmod(t, 40) < 20 ? 20 * sin(2 * PI * (3 + k) * t) : 0;
            was[k] = angle[k];
            warm.bias[k] = of.bias[k] + 0.5 * t / 3600;
        }
        now += 1 / of.rate;
        rig_report(&r, device, bytes, report_of(&warm, so, bytes), (uint64_t)(now * 1e6));
        for (unsigned k = 0; k < 3; k++)
            angle[k] = was[k] + rig_value(&r, k) / 65536.0 / of.rate;
    }
    return fmax(fabs(angle[0]), fmax(fabs(angle[1]), fabs(angle[2])));
}

static void check_drift(void) {
    double most = 0;
    for (unsigned i = 0; i < 6; i++) {
        sensor of = made_gyro();
        of.rate = i % 2 ? 125 : 250;
        about("gyro %u", i);
        begin(YT_CALIBRATION_GYRO);
        lies(&of, 8, still);
        use();
        double off = hour_of(of, i % 3 == 2);
        about("gyro %u: %.1f degrees in an hour", i, off);
        CHECK(off < 30);
        most = fmax(most, off);
        rig_end(&r);
    }
    if (tells)
        printf(
            "Gyros, still or shaken, that grow warm by 0.5 deg/s: at most %.0f degrees an hour.\n",
            most);
}

/* About an axis, so many degrees, as smoothly as a hand turns; the others go along a little. */
static void turn(const sensor *of, unsigned axis, double degrees, double seconds) {
    double begun = now, before = 0;
    while (now - begun < seconds) {
        double share = hand_moves((now + 1 / of->rate - begun) / seconds), so[3];
        for (unsigned k = 0; k < 3; k++)
            so[k] = 5 * sin(2 * PI * (now - begun) / seconds * (k + 1));
        so[axis] = (share - before) * degrees * of->rate;
        before = share;
        tell(of, so);
    }
}

static void check_turns(void) {
    double most = 0;
    for (unsigned i = 0; i < 12; i++) {
        sensor of = made_gyro();
        yt_calibration_news news;
        about("turns, gyro %u", i);
        begin(YT_CALIBRATION_GYRO);
        lies(&of, 6, still);
        for (unsigned k = 0; k < 3; k++) {
            unsigned axis = (i + k) % 3;
            turn(&of, axis, (roll_below(&d, 2) ? 360.0 : -360.0) * (1 + roll_below(&d, 4)),
                 roll_between(&d, 4, 7));
            lies(&of, 1.5, still);
            yt_calibrating_tell(&gathering, &news);
            CHECK((news.covered >> (1 + axis) & 1) == 1);
        }
        CHECK_EQUAL(news.covered, 15);
        turn(&of, 0, 200, 2); /* no whole turns: nothing comes of it */
        lies(&of, 1.5, still);
        use();
        for (unsigned k = 0; k < 3; k++) {
            double off = record.high[k] / 65536.0 * of.scale[k] - 1;
            about("gyro %u, axis %u: %.5f", i, k, off);
            CHECK(fabs(off) < 0.005);
            most = fmax(most, fabs(off));
        }
        rig_end(&r);
    }
    if (tells)
        printf("Their scales by one to four turns, with scales 4%% off: within %.2f%%.\n",
               100 * most);
}

/* Shaken, turned slowly by hand, or absurd: refused, with the reason; and good once it lies. */
static void check_refused(void) {
    sensor of = made_gyro();
    yt_calibration_news news;
    of.rate = 250;
    begin(YT_CALIBRATION_GYRO);
    for (double end = now + 8; now < end;) {
        double so[3] = {15 * sin(2 * PI * 4 * now), 8 * sin(2 * PI * 5 * now), 0};
        tell(&of, so);
    }
    yt_calibrating_tell(&gathering, &news);
    CHECK_EQUAL(news.advice, YT_ADVICE_SHAKEN);
    CHECK_EQUAL(news.state, YT_CALIBRATING_FAILED);
    CHECK_EQUAL(yt_calibrating_end(&gathering, &record), YT_CALIBRATION_UNFINISHED);
    lies(&of, 6, still);
    yt_calibrating_tell(&gathering, &news);
    CHECK_EQUAL(news.state, YT_CALIBRATING_ENOUGH);
    for (unsigned k = 0; k < 3; k++)
        CHECK(fabs(news.rest[k] * UNIT - of.bias[k]) < 0.1);
    rig_end(&r);

    about("held in a hand that sways by 2 deg/s");
    begin(YT_CALIBRATION_GYRO);
    for (double end = now + 12; now < end;) {
        double so[3] = {2 * sin(2 * PI * 0.4 * now), sin(2 * PI * 0.7 * now), 0};
        tell(&of, so);
    }
    CHECK_EQUAL(yt_calibrating_end(&gathering, &record), YT_CALIBRATION_UNFINISHED);
    rig_end(&r);

    about("turned at an even rate, as by a motor");
    begin(YT_CALIBRATION_GYRO);
    lies(&of, 8, (const double[3]){60, 0, 0});
    yt_calibrating_tell(&gathering, &news);
    CHECK_EQUAL(news.advice, YT_ADVICE_ABSURD);
    CHECK_EQUAL(yt_calibrating_end(&gathering, &record), YT_CALIBRATION_UNFINISHED);
    rig_end(&r);
}

/* Each count of an hour is summed: what turned is told to the count, by a plain sum beside it. */
static void check_exact(void) {
    sensor of = {.noise = 5, .rate = 250, .scale = {1, 1, 1}};
    int64_t sum[3] = {0, 0, 0}, last[3] = {0, 0, 0};
    uint8_t bytes[19];
    begin(YT_CALIBRATION_GYRO);
    lies(&(sensor){.noise = 0.1, .rate = 250, .scale = {1, 1, 1}}, 6, still);
    yt_calibrating before = gathering;
    for (unsigned k = 0; k < 3; k++)
        last[k] = gathering.as.motion.last[k];
    uint64_t at_us = (uint64_t)(now * 1e6), last_us = gathering.as.motion.last_us;
    for (unsigned i = 0; i < 3600 * 250; i++) { /* it never stands still */
        double so[3] = {30 * sin(i * 0.1), -50 * sin(i * 0.07), 100 * sin(i * 0.05)};
        at_us += 3000 + roll_below(&d, 2000);
        size_t size = report_of(&of, so, bytes);
        for (unsigned k = 0; k < 3; k++) {
            int64_t raw = (int16_t)yt_hid_get(bytes, size, part.places[k].bit, 16);
            sum[k] += (last[k] + raw) * (int64_t)(at_us - last_us);
            last[k] = raw;
        }
        last_us = at_us;
        yt_calibrating_report(&gathering, bytes, size, at_us);
    }
    for (unsigned k = 0; k < 3; k++)
        CHECK_EQUAL(gathering.as.motion.turned[k] - before.as.motion.turned[k], sum[k]);
    rig_end(&r);
}

/* Laid on its six sides: afterwards each tells 1 g, and the others 0. */
static void check_gravity(void) {
    double most = 0;
    for (unsigned i = 0; i < 10; i++) {
        sensor of = {.noise = 0.003, .rate = 250};
        yt_calibration_news news;
        about("accelerometer %u", i);
        begin(YT_CALIBRATION_ACCELEROMETER);
        for (unsigned k = 0; k < 3; k++) {
            of.bias[k] = roll_between(&d, -0.08, 0.08);
            of.scale[k] = roll_between(&d, 0.95, 1.05);
        }
        for (unsigned side = 0; side < 6; side++) {
            double so[3] = {0, 0, 0};
            so[(side + i) % 3] = side < 3 ? 1 : -1;
            yt_calibrating_tell(&gathering, &news);
            CHECK(news.advice != YT_ADVICE_DONE || side > 3);
            lies(&of, 1.2, so);
        }
        yt_calibrating_tell(&gathering, &news);
        CHECK_EQUAL(news.covered, 63);
        CHECK_EQUAL(news.percent, 100);
        use();
        for (unsigned side = 0; side < 6; side++) {
            double so[3] = {0, 0, 0};
            uint8_t bytes[19];
            sensor quiet = of;
            quiet.noise = 0;
            so[side % 3] = side < 3 ? 1 : -1;
            now += 0.01;
            rig_report(&r, device, bytes, report_of(&quiet, so, bytes), (uint64_t)(now * 1e6));
            for (unsigned k = 0; k < 3; k++)
                most = fmax(most, fabs(rig_value(&r, k) / 65536.0 - so[k]));
        }
        rig_end(&r);
    }
    about("gravity: %.4f g off", most);
    CHECK(most < 0.003);
    if (tells)
        printf("Accelerometers, 5%% and 0.08 g off, laid on six sides: within %.4f g.\n", most);
}

int main(int count, char **arguments) {
    (void)arguments;
    tells = count > 1;
    d.state = 4711;
    check_drift();
    check_turns();
    check_refused();
    check_exact();
    check_gravity();
    return report_checks();
}
