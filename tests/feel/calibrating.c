#include "tests/feel/calibrating.h"

static uint8_t descriptor[] = {0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, 0x09, 0x30,
                               0x09, 0x31, 0x15, 0x00, 0x27, 0,    0,    0,
                               0,    0x75, 0,    0x95, 0x02, 0x81, 0x02, 0xc0};

static void begin(calibrating *at, unsigned bits, const char *sheet) {
    uint32_t most = (uint32_t)((UINT64_C(1) << bits) - 1);
    memset(at, 0, sizeof *at);
    at->bits = bits;
    for (unsigned i = 0; i < 4; i++)
        descriptor[13 + i] = (uint8_t)(most >> 8 * i);
    descriptor[18] = (uint8_t)bits;
    rig_begin(&at->rig, sheet);
    at->device = RIG_ATTACH(&at->rig, descriptor);
}

static void find(calibrating *at, unsigned kind, unsigned notches) {
    static const uint16_t controls[] = {0, 1};
    at->part.kind = (uint8_t)kind;
    CHECK_EQUAL(yt_calibration_find(&at->part, &at->rig.engine, at->device, controls), YT_OK);
    CHECK_EQUAL(yt_calibrating_begin(&at->gathering, &at->part, notches), YT_OK);
}

void calibrating_stick(calibrating *at, unsigned bits, unsigned notches) {
    begin(at, bits,
          "inputs: {hand: joystick}\noutputs: {told: joystick}\nsheet:\n"
          "  told.x: hand.x\n  told.y: hand.y\n");
    find(at, YT_CALIBRATION_STICK, notches);
}

void calibrating_line(calibrating *at, unsigned kind, unsigned bits) {
    begin(at, bits,
          "inputs: {hand: joystick}\noutputs: {told: joystick}\nsheet:\n  told.x: hand.x\n");
    find(at, kind, 0);
}

void calibrating_end(calibrating *at) {
    rig_end(&at->rig);
}

static size_t report_of(const calibrating *at, const int32_t raw[2], uint8_t bytes[8]) {
    memset(bytes, 0, 8);
    for (unsigned i = 0; i < 2; i++)
        yt_hid_set(bytes, 8, i * at->bits, at->bits, (uint32_t)raw[i]);
    return (2 * at->bits + 7) / 8;
}

void calibrating_told(void *context, double seconds, const int32_t raw[2]) {
    calibrating *at = context;
    uint8_t bytes[8];
    size_t size = report_of(at, raw, bytes);
    yt_calibrating_report(&at->gathering, bytes, size, (uint64_t)(seconds * 1e6 + 0.5));
}

bool calibrating_use(calibrating *at) {
    yt_status status = yt_calibrating_end(&at->gathering, &at->record);
    CHECK_EQUAL(status, YT_OK);
    if (status != YT_OK) {
        yt_calibration_news news;
        yt_calibrating_tell(&at->gathering, &news);
        CHECK_EQUAL(news.advice, YT_ADVICE_DONE);
        return false;
    }
    status = yt_engine_calibrate(&at->rig.engine, at->device, &at->calibrated, &at->record,
                                 at->record.bytes);
    CHECK_EQUAL(status, YT_OK);
    return status == YT_OK;
}

void calibrating_out(calibrating *at, double seconds, const int32_t raw[2], double out[2]) {
    uint8_t bytes[8];
    size_t size = report_of(at, raw, bytes);
    rig_report(&at->rig, at->device, bytes, size, (uint64_t)(seconds * 1e6 + 0.5));
    for (unsigned i = 0; i < 2; i++)
        out[i] = rig_value(&at->rig, i) / 65536.0;
}
