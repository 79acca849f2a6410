/* Records of calibrations and their use: what is refused, what a record says, and that an engine
 * uses it for its part alone and gives it back. */
#include <math.h>

#include "tests/feel/calibrating.h"
#include "tests/feel/springs.h"

static calibrating c;
static yt_calibration good;

static hand_stick stick = {.gate = GATE_ROUND,
                           .centre = {0.05, -0.04},
                           .scale = {0.7, 0.6},
                           .back = {1, 1.05},
                           .noise = 0.001,
                           .scatter = 0.003,
                           .frequency = 30,
                           .damping = 0.3,
                           .bits = 16,
                           .rate = 250};

static void make_good(void) {
    dice dice = {5};
    hand hand;
    calibrating_stick(&c, stick.bits, 0);
    hand_begins(&hand, &stick, &dice, calibrating_told, &c);
    hand_waits(&hand, 1, 0);
    hand_turns(&hand, 5, 0.6, 0);
    hand_lets_go(&hand, 90, 0.9, 0.1);
    CHECK(calibrating_use(&c));
    good = c.record;
}

static void seal(yt_calibration *record) {
    record->checksum = yt_checksum(0, &record->bytes, record->bytes - 8u);
}

static yt_status status_of(const yt_calibration *record) {
    return yt_calibration_check(record, sizeof *record);
}

/* Every bit of it flipped, and every length that is too short. */
static void check_torn(void) {
    CHECK_EQUAL(yt_calibration_check(&good, good.bytes), YT_OK);
    for (unsigned bit = 0; bit < 8u * good.bytes; bit++) {
        yt_calibration torn = good;
        ((uint8_t *)&torn)[bit / 8] ^= (uint8_t)(1u << bit % 8);
        about("bit %u is another one", bit);
        CHECK(status_of(&torn) != YT_OK);
    }
    for (unsigned size = 0; size < good.bytes; size++) {
        about("%u bytes of %u", size, good.bytes);
        CHECK_EQUAL(yt_calibration_check(&good, size), YT_CALIBRATION_FOREIGN);
    }
    CHECK_EQUAL(yt_calibration_check((const uint8_t *)&good + 2, sizeof good - 2), YT_ARGUMENT);
    yt_calibration newer = good;
    newer.version = 2;
    seal(&newer);
    CHECK_EQUAL(status_of(&newer), YT_CALIBRATION_NEWER);
}

/* Its checksum is right, and its numbers are not. */
static void check_absurd(void) {
    for (unsigned i = 0;; i++) {
        yt_calibration bad = good;
        yt_calibration_knot *knot = bad.knot;
        about("absurd number %u", i);
        switch (i) {
        case 0:
            knot[3].inverse++;
            break;
        case 1:
            knot[4] = knot[5];
            break;
        case 2:
            knot[2].out_x = knot[2].out_y = 0;
            break;
        case 3:
            bad.rest[0] = YT_ONE;
            break;
        case 4:
            bad.part.places[0].maximum = bad.part.places[0].minimum;
            break;
        case 5:
            bad.part.places[1].bits = 40;
            break;
        case 6:
            bad.part.places[1].report_id = 9;
            break;
        case 7:
            bad.part.kind = 0;
            break;
        case 8:
            bad.part.kind = 77;
            break;
        case 9:
            bad.part.kind = YT_CALIBRATION_LEVEL;
            break;
        case 10:
            bad.knots = 2;
            break;
        case 11:
            bad.bytes = (uint16_t)(bad.bytes - sizeof *knot);
            break;
        case 12:
            knot[1].x = 32000;
            break;
        case 13: /* the other way round */
            for (unsigned k = 0; k < bad.knots; k++)
                knot[k].out_x = (int16_t)-knot[k].out_x;
            break;
        case 14: /* not once around */
            bad.knots /= 2;
            bad.bytes = (uint16_t)(YT_CALIBRATION_HEAD_BYTES + bad.knots * sizeof *knot);
            break;
        case 15:
            bad.part.places[0].bit = UINT16_MAX;
            break;
        default:
            return;
        }
        seal(&bad);
        CHECK(status_of(&bad) != YT_OK);
        /* and the part works as it did */
        int32_t raw[2] = {40000, 30000};
        double before[2], out[2];
        yt_calibrated other = {0};
        calibrating_out(&c, 100 + i, raw, before);
        CHECK(yt_engine_calibrate(&c.rig.engine, c.device, &other, &bad, sizeof bad) != YT_OK);
        raw[0]++;
        calibrating_out(&c, 100.5 + i, raw, out);
        CHECK(fabs(out[0] - before[0]) < 0.001 && fabs(out[1] - before[1]) < 0.001);
    }
}

/* Of a level, an axis and a gyro. */
static void check_absurd_lines(void) {
    static const struct {
        uint8_t kind;
        int32_t rest, low, high;
        bool is_good;
    } cases[] = {
        {YT_CALIBRATION_LEVEL, 10, 0, 200, true},   {YT_CALIBRATION_LEVEL, 200, 0, 10, true},
        {YT_CALIBRATION_LEVEL, 10, 0, 12, false},   {YT_CALIBRATION_LEVEL, 10, 0, 10, false},
        {YT_CALIBRATION_LEVEL, 10, 0, 256, false},  {YT_CALIBRATION_LEVEL, -1, 0, 200, false},
        {YT_CALIBRATION_AXIS, 128, 4, 250, true},   {YT_CALIBRATION_AXIS, 128, 250, 4, false},
        {YT_CALIBRATION_AXIS, 2, 4, 250, false},    {YT_CALIBRATION_AXIS, 5, 4, 250, false},
        {YT_CALIBRATION_AXIS, 128, -9, 250, false}, {YT_CALIBRATION_AXIS, 4, 4, 4, false},
    };
    for (unsigned i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        yt_calibration record = {.magic = YT_CALIBRATION_MAGIC,
                                 .version = YT_CALIBRATION_VERSION,
                                 .bytes = YT_CALIBRATION_HEAD_BYTES,
                                 .part = {.kind = cases[i].kind},
                                 .rest = {cases[i].rest},
                                 .low = {cases[i].low},
                                 .high = {cases[i].high}};
        record.part.places[0] = (yt_calibration_place){.maximum = 255, .bits = 8};
        seal(&record);
        about("line %u", i);
        CHECK_EQUAL(status_of(&record), cases[i].is_good ? YT_OK : YT_CALIBRATION_VALUES);
    }
}

static void check_parts(void) {
    yt_device of = {.vendor = 1, .product = 2, .serial = "0042", .bus = YT_BUS_USB, .connector = 1};
    yt_calibration_part a = good.part, b = good.part;
    yt_calibration_part_of(&a, &of);
    of.connector = 2;
    yt_calibration_part_of(&b, &of);
    CHECK(yt_calibration_is_of(&a, &b)); /* its serial number says that it is the same */
    CHECK(yt_calibration_is_on(&a, &of));
    of.serial = "0043";
    CHECK(!yt_calibration_is_on(&a, &of));
    yt_calibration_part_of(&b, &of);
    CHECK(!yt_calibration_is_of(&a, &b));
    of.serial = NULL;
    yt_calibration_part_of(&a, &of);
    yt_calibration_part_of(&b, &of);
    CHECK(yt_calibration_is_of(&a, &b));
    of.connector = 3;
    yt_calibration_part_of(&b, &of);
    CHECK(!yt_calibration_is_of(&a, &b)); /* without one, the connector does */
    of.connector = 2;
    of.product = 3;
    yt_calibration_part_of(&b, &of);
    CHECK(!yt_calibration_is_of(&a, &b));
    b = a;
    b.places[1].bit++;
    CHECK(!yt_calibration_is_of(&a, &b)); /* another stick of it */
    of = (yt_device){.bus = YT_BUS_BOARD, .name = "Otter desk"};
    yt_calibration_part_of(&a, &of);
    of.name = "Other desk";
    yt_calibration_part_of(&b, &of);
    CHECK(!yt_calibration_is_of(&a, &b));
}

static void out_of(double at, int32_t x, int32_t y, double out[2]) {
    int32_t raw[2] = {x, y};
    calibrating_out(&c, at, raw, out);
}

/* In use, out of use, in use again: what was told last counts at once, in its new light. */
static void check_use(void) {
    double plain[2], out[2], again[2];
    yt_engine *engine = &c.rig.engine;
    int32_t rest[2];
    hand_reads(&stick, 0, 0, rest);
    out_of(200, rest[0], rest[1], out);
    CHECK(hypot(out[0], out[1]) < 0.01);
    yt_engine_uncalibrate(engine, &c.calibrated);
    yt_engine_update(engine, 200001000);
    plain[0] = rig_value(&c.rig, 0) / 65536.0;
    CHECK(fabs(plain[0] - 0.05) < 0.005);
    yt_engine_uncalibrate(engine, &c.calibrated); /* nothing happens */
    CHECK_EQUAL(yt_engine_calibrate(engine, c.device, &c.calibrated, &good, good.bytes), YT_OK);
    yt_engine_update(engine, 200002000);
    CHECK(fabs(rig_value(&c.rig, 0) / 65536.0) < 0.01);
    out_of(201, 50000, 40000, out);

    about("another one for the same controls takes its place, and the one before comes back");
    yt_calibration other = good;
    yt_calibrated second;
    other.rest[0] += YT_ONE / 10;
    seal(&other);
    CHECK_EQUAL(yt_engine_calibrate(engine, c.device, &second, &other, other.bytes), YT_OK);
    out_of(202, 50000, 40000, again);
    CHECK(again[0] < out[0] - 0.05);
    CHECK(engine->calibrated == &second && !second.next);
    CHECK_EQUAL(yt_engine_calibrate(engine, c.device, &c.calibrated, &good, good.bytes), YT_OK);
    out_of(203, 50000, 40000, again);
    CHECK(again[0] == out[0] && again[1] == out[1]);

    about("numbers outside of its range count as its end, or say nothing");
    other = good;
    other.part.places[0].maximum = 45000;
    seal(&other);
    CHECK_EQUAL(yt_engine_calibrate(engine, c.device, &second, &other, other.bytes), YT_OK);
    out_of(203.2, 45000, 40000, out);
    out_of(203.4, 46000, 40000, again);
    CHECK(again[0] == out[0] && again[1] == out[1]);
    yt_engine_uncalibrate(engine, &second); /* and what was told before it is used, too */
    CHECK_EQUAL(yt_engine_calibrate(engine, c.device, &second, &other, other.bytes), YT_OK);
    yt_engine_update(engine, 203500000);
    CHECK(fabs(rig_value(&c.rig, 0) / 65536.0 - out[0]) < 1e-3);
    other.part.flags |= YT_CALIBRATION_NULL;
    seal(&other);
    CHECK_EQUAL(yt_engine_calibrate(engine, c.device, &second, &other, other.bytes), YT_OK);
    out_of(204, 30000, 40000, out);
    out_of(205, 46000, 20000, again);
    CHECK(again[0] == out[0] && again[1] == out[1]);

    about("of another device");
    other = good;
    other.part.places[1].bit = 17;
    seal(&other);
    yt_calibrated third;
    CHECK_EQUAL(yt_engine_calibrate(engine, c.device, &third, &other, other.bytes),
                YT_CALIBRATION_PART);
    other = good;
    other.part.places[0].report_id = other.part.places[1].report_id = 3;
    seal(&other);
    CHECK_EQUAL(yt_engine_calibrate(engine, c.device, &third, &other, other.bytes),
                YT_CALIBRATION_PART);
    CHECK_EQUAL(yt_engine_calibrate(engine, 5, &third, &good, good.bytes), YT_ARGUMENT);

    about("detached: it is out of use");
    yt_engine_detach(engine, c.device, 206000000);
    CHECK(engine->calibrated == NULL);
    CHECK_EQUAL(yt_engine_calibrate(engine, c.device, &third, &good, good.bytes), YT_ARGUMENT);
    calibrating_end(&c);
}

/* A profile that reads only one direction; one that copies raw numbers; two devices at one input.
 */
static void check_profiles(void) {
    int32_t raw[2] = {50000, 40000};
    double whole[2], out[2];
    calibrating_stick(&c, 16, 0);
    CHECK_EQUAL(yt_engine_calibrate(&c.rig.engine, c.device, &c.calibrated, &good, good.bytes),
                YT_OK);
    calibrating_out(&c, 1, raw, whole);
    unsigned low = 0, high = 0;
    const char *text = rig_take(&c.rig, 0, 1000000);
    CHECK(strlen(text) > 20 &&
          sscanf(text + 15, "%x %x", &low, &high) == 2); /* x, behind buttons */
    int16_t x = (int16_t)(low | high << 8);
    about("what goes to the host is calibrated, and no copy of the raw number");
    CHECK(fabs(x / 32767.0 - whole[0]) < 0.001);
    calibrating_end(&c);

    about("one direction only");
    calibrating_line(&c, YT_CALIBRATION_AXIS, 16);
    CHECK_EQUAL(yt_engine_calibrate(&c.rig.engine, c.device, &c.calibrated, &good, good.bytes),
                YT_OK);
    calibrating_out(&c, 1, raw, out);
    CHECK(out[0] == whole[0]);
    calibrating_end(&c);

    about("two devices at one input: the one farther out counts, by what it comes to");
    calibrating_stick(&c, 16, 0);
    static const uint8_t again[] = {0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, 0x09, 0x30,
                                    0x09, 0x31, 0x15, 0x00, 0x27, 0xff, 0xff, 0,
                                    0,    0x75, 16,   0x95, 0x02, 0x81, 0x02, 0xc0};
    unsigned other = RIG_ATTACH(&c.rig, again);
    CHECK_EQUAL(yt_engine_calibrate(&c.rig.engine, c.device, &c.calibrated, &good, good.bytes),
                YT_OK);
    int32_t rest[2];
    hand_reads(&stick, 0, 0, rest);
    calibrating_out(&c, 1, rest, out); /* plainly it would be 6% out, and lead */
    RIG_REPORT(&c.rig, other, 1001000, 0x00, 0x90, 0x00, 0x80);
    CHECK(fabs(rig_value(&c.rig, 0) / 65536.0 - 0.125) < 0.001);
    calibrating_out(&c, 1.1, raw, out);
    CHECK(out[0] == whole[0] && out[1] == whole[1]);
    yt_engine_detach(&c.rig.engine, c.device, 1200000);
    CHECK(fabs(rig_value(&c.rig, 0) / 65536.0 - 0.125) < 0.001);
    calibrating_end(&c);
}

int main(void) {
    make_good();
    check_torn();
    check_absurd();
    check_absurd_lines();
    check_parts();
    check_use();
    check_profiles();
    return report_checks();
}
