/* Keeps a slot and a calibration: at the first start a program goes into slot 1 and a worn pedal is
 * calibrated; at each start after that both are there.
 *
 * The board's flash is a file here, and the pedal is made up. Run it twice:
 * build/release/example_keep keep.bin */
#include <stdio.h>
#include <stdlib.h>

#include "board.h"
#include "keep_program.h"
#include "yonder/yonder.h"

static const yt_port port = {.version = YT_PORT_VERSION,
                             .flash = {.read = board_flash_read,
                                       .program = board_flash_program,
                                       .erase = board_flash_erase,
                                       .sector_bytes = BOARD_SECTOR_BYTES,
                                       .sectors = BOARD_SECTORS,
                                       .unit_bytes = 8,
                                       .erased_value = 0xff}};

/* ---- The pedal: a report descriptor with a button and an accelerator of 8 bits. */

static const uint8_t descriptor[] = {0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x09, 0x01,
                                     0x15, 0x00, 0x25, 0x01, 0x75, 0x08, 0x95, 0x01, 0x81, 0x02,
                                     0x05, 0x02, 0x09, 0xc4, 0x26, 0xff, 0x00, 0x81, 0x02, 0xc0};
static const yt_device pedal = {.descriptor = descriptor,
                                .descriptor_size = sizeof descriptor,
                                .vendor = 0x1209,
                                .product = 0x0060,
                                .bus = YT_BUS_USB,
                                .input = YT_ANY_INPUT};

#define REST 31 /* it is worn: it rests above 0, and does not reach its end */
#define FULL 219

/* ---- What the library needs. */

static yt_engine engine;
static uint64_t memory[512];
static yt_store store;
static yt_store_sector sectors[BOARD_SECTORS];
static uint64_t copy[512]; /* the flash is not mapped, so what runs is copied */
static uint8_t settings[256];
static yt_adapter_calibration calibrations[2];
static yt_adapter adapter;
static unsigned number; /* of the pedal */

static void fail(const char *what, yt_status status) {
    fprintf(stderr, "%s: status %d\n", what, (int)status);
    exit(1);
}

static void attach(void *context) {
    (void)context;
    yt_status status = yt_adapter_attach(&adapter, &pedal, NULL, 0, &number);
    if (status != YT_OK)
        fail("the pedal", status);
}

static const yt_adapter_parts parts = {.engine = &engine,
                                       .store = &store,
                                       .settings = settings,
                                       .settings_room = sizeof settings,
                                       .calibrations = calibrations,
                                       .calibration_count = 2,
                                       .copy = copy,
                                       .copy_room = sizeof copy,
                                       .attach = attach};

static uint64_t now_us;

/* The pedal stands at a place for a while. */
static void stand(yt_calibrating *gathering, int at, unsigned reports) {
    for (unsigned i = 0; i < reports; i++, now_us += 8000) {
        const uint8_t report[2] = {0, (uint8_t)(at + (i % 3 == 1))};
        yt_calibrating_report(gathering, report, sizeof report, now_us);
    }
}

/* It is let go of, and pressed three times; what comes of it is kept. */
static void calibrate(void) {
    static yt_calibrating gathering;
    static yt_calibration record;
    const uint16_t control = 0; /* the program's first */
    yt_calibration_part part = {.kind = YT_CALIBRATION_LEVEL};
    yt_calibration_part_of(&part, &pedal);
    yt_status status = yt_calibration_find(&part, &engine, number, &control);
    if (status == YT_OK)
        status = yt_calibrating_line(&gathering, &part);
    if (status != YT_OK)
        fail("the pedal's part", status);
    for (unsigned press = 0; press < 4; press++) {
        stand(&gathering, REST, 150);
        for (int at = REST; at < FULL; at += 20)
            stand(&gathering, at, 1);
        stand(&gathering, FULL, 30);
    }
    stand(&gathering, REST, 150);
    status = yt_calibrating_end(&gathering, &record);
    if (status == YT_OK)
        status = yt_store_calibrate(&store, &record, record.bytes);
    if (status != YT_OK)
        fail("the calibration", status);
    printf("the pedal rests at %d and reaches %d: that is kept\n", (int)record.rest[0],
           (int)record.high[0]);
}

/* What the program sees of the pedal where it stands, in percent. */
static int percent_at(uint8_t at) {
    const uint8_t report[2] = {0, at};
    now_us += 8000;
    yt_engine_give(&engine, number, report, sizeof report, now_us);
    return (int)((int64_t)yt_engine_control(&engine, 0) * 100 / YT_ONE);
}

int main(int count, char **words) {
    const yt_plugged_in plugged_in = {.position = -1};
    yt_slot slot;
    if (count != 2) {
        fprintf(stderr, "usage: example_keep FLASH\n");
        return 2;
    }
    if (!board_flash_begin(words[1]))
        fail("the flash", YT_FLASH);
    yt_status status = yt_store_open(&store, &port, 4, sectors, BOARD_SECTORS);
    if (status == YT_OK && yt_store_slot(&store, 0, &slot) == YT_SLOT_EMPTY) {
        puts("nothing is kept yet: a program goes into slot 1");
        status = yt_store_write(&store, 0, "pedal", keep_program, keep_program_size, NULL, 0);
    }
    if (status == YT_OK)
        status = yt_engine_init(&engine, memory, sizeof memory, &port);
    if (status == YT_OK)
        status = yt_adapter_start(&adapter, &parts, &plugged_in, 0);
    if (status == YT_OK)
        status = yt_store_slot(&store, yt_adapter_slot(&adapter), &slot);
    if (status != YT_OK)
        fail("the slot", status);
    printf("slot %u runs: \"%s\"\n", yt_adapter_slot(&adapter) + 1, slot.name);
    printf("let go, the pedal is at %d %%, pressed all the way at %d %%\n", percent_at(REST),
           percent_at(FULL));
    if (!calibrations[0].is_used)
        calibrate();
    return 0;
}
