/* Any record of a calibration, and any movement that one is gathered from. The first byte says
 * which: 255 a record, whose checksum is made right; else a kind, then notches, then movements of
 * seven bytes: milliseconds since the last one, and three numbers of 16 bits. */
#include "fuzz/fuzz.h"
#include "yonder/calibration.h"

static void check_values(const yt_calibrated *calibrated) {
    unsigned kind = calibrated->record->part.kind;
    for (unsigned i = 0; i < YT_CALIBRATION_CONTROLS; i++) {
        yt_q16 value = calibrated->value[i];
        if (kind == YT_CALIBRATION_STICK || kind == YT_CALIBRATION_AXIS)
            INVARIANT(20, value >= -YT_ONE && value <= YT_ONE);
        if (kind == YT_CALIBRATION_LEVEL)
            INVARIANT(20, value >= 0 && value <= YT_ONE);
    }
}

/* Its range's ends and what is between, in the order of a walk through it. */
static void use(const yt_calibration *record) {
    yt_calibrated calibrated;
    const yt_calibration_part *part = &record->part;
    const yt_device device = {.vendor = part->vendor,
                              .product = part->product,
                              .bus = part->bus,
                              .connector = part->connector};
    INVARIANT(20, yt_calibration_is_on(part, &device) == (part->serial == 0));
    INVARIANT(20, yt_calibrated_begin(&calibrated, record, record->bytes) == YT_OK);
    for (unsigned i = 0; i < 64; i++) {
        int32_t raw[YT_CALIBRATION_CONTROLS];
        for (unsigned k = 0; k < YT_CALIBRATION_CONTROLS; k++) {
            const yt_calibration_place *place = &part->places[k];
            uint64_t span = (uint64_t)((int64_t)place->maximum - place->minimum);
            raw[k] = (int32_t)(place->minimum + (int64_t)(span * (i * (k + 3) % 64) / 63));
        }
        yt_calibrated_take(&calibrated, raw, 100000u * i);
        check_values(&calibrated);
    }
}

static void try_record(const uint8_t *data, size_t size) {
    static yt_calibration record;
    memset(&record, 0, sizeof record);
    memcpy(&record, data, size < sizeof record ? size : sizeof record);
    if (record.bytes >= YT_CALIBRATION_HEAD_BYTES && record.bytes <= sizeof record)
        record.checksum = yt_checksum(0, &record.bytes, record.bytes - 8u);
    if (yt_calibration_check(&record, sizeof record) == YT_OK)
        use(&record);
}

static void try_gathering(const uint8_t *data, size_t size) {
    static yt_calibrating gathering;
    static yt_spring_finder springs;
    static yt_calibration record;
    yt_calibration_part part = {.kind = data[0], .flags = 7, .unit_q24 = 1023410};
    yt_calibration_news news;
    uint64_t now_us = 0;
    for (unsigned i = 0; i < YT_CALIBRATION_CONTROLS; i++)
        part.places[i] = (yt_calibration_place){-32768, 32767, (uint16_t)(16 * i), 16, 0};
    if (yt_calibrating_begin(&gathering, &part, data[1]) != YT_OK)
        return;
    if (part.kind == YT_CALIBRATION_STICK)
        yt_calibrating_spring(&gathering, &springs);
    for (size_t at = 2; at + 7 <= size; at += 7) {
        now_us += data[at] == 255 ? 5000000u : data[at] == 254 ? (uint64_t)-3000 : data[at] * 1000u;
        yt_calibrating_report(&gathering, data + at + 1, 6, now_us);
    }
    yt_calibrating_tell(&gathering, &news);
    INVARIANT(21, news.percent <= 100 && news.advice < YT_ADVICE_COUNT);
    memset(&record, 0x5a, sizeof record);
    yt_status status = yt_calibrating_end(&gathering, &record);
    INVARIANT(21, status == YT_OK || status == YT_CALIBRATION_UNFINISHED);
    INVARIANT(21, status != YT_OK || news.state == YT_CALIBRATING_ENOUGH);
    if (status == YT_OK)
        use(&record);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    if (size < 2)
        return 0;
    if (data[0] == 255)
        try_record(data + 1, size - 1);
    else
        try_gathering(data, size);
    return 0;
}
