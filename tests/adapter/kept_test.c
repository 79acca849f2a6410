/* What a box with slots keeps: what runs and where it stands, parameters, the slot to start with,
 * calibrations; and what runs where a slot cannot. */
#include "tests/adapter/box.h"
#include "yonder/abilities.h"
#include "yonder/image/program.h"

static box b;

static void check_own_program(bool is_mapped) {
    static yt_compiled own;
    yt_slot info;
    box_begin_three(&b, is_mapped);
    rig_compile(&own, BOX_MOUSE "sheet: {view.button5: keys.a}\n");
    b.parts.own_program = own.image;
    b.parts.own_bytes = own.size;
    about("the slot is damaged");
    CHECK_EQUAL(yt_store_slot(&b.store, 0, &info), YT_OK);
    for (size_t i = 0; i + 64 < b.flash.size; i++)
        if (memcmp(b.flash.now + i, "YTP1", 4) == 0)
            for (unsigned bit = 0; bit < 8; bit++)
                nor_rot(&b.flash, i + 40 + bit, bit);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_SLOT_DAMAGED);
    CHECK_EQUAL(yt_adapter_slot(&b.adapter), YT_NO_SLOT);
    CHECK_EQUAL(b.light_slot, YT_NO_SLOT);
    CHECK_TEXT(box_button(&b, 10000), "10");
    about("from there to a slot that was written meanwhile");
    box_write(&b, 4, BOX_PLAY(4));
    CHECK_EQUAL(yt_adapter_go_on(&b.adapter, true, 20000), YT_OK);
    CHECK_EQUAL(yt_adapter_slot(&b.adapter), 4);
    CHECK_TEXT(box_button(&b, 30000), "08");
    about("a program that the settings refuse");
    box_write(&b, 0, BOX_MOUSE "sheet:\n  view.button1: turbo(keys.a, 10 Hz)\n");
    box_set(&b, YT_SETTING_REFUSED, 0, YT_CAN_REPETITION);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_REFUSED);
    CHECK_TEXT(box_button(&b, 10000), "10");
    about("in play it is passed by");
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 4, 20000), YT_OK);
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 0, 30000), YT_REFUSED);
    CHECK_EQUAL(yt_adapter_slot(&b.adapter), 4);
    CHECK_TEXT(box_button(&b, 30000), "08");
    CHECK(yt_adapter_go_on(&b.adapter, true, 40000) != YT_OK);
    CHECK_EQUAL(yt_adapter_slot(&b.adapter), 4);
    pool_free(&own.pool);
    box_end(&b);
}

/* A program that has no room, or is none, is not gone to; where it is copied, the one before comes
 * back, or the firmware's own where that is gone too. */
static void check_no_program(bool is_mapped) {
    static uint8_t rubbish[4096];
    static yt_compiled own;
    box_begin_three(&b, is_mapped);
    rig_compile(&own, BOX_MOUSE "sheet: {view.button5: keys.a}\n");
    b.parts.own_program = own.image;
    b.parts.own_bytes = own.size;
    for (unsigned i = 0; i < sizeof rubbish; i++)
        rubbish[i] = (uint8_t)(i * 7);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 1, 1000), YT_OK);
    for (size_t size = 1; size <= sizeof rubbish; size = size * 5 + 3) {
        about("%zu bytes", size);
        CHECK_EQUAL(yt_store_write(&b.store, 3, "rubbish", rubbish, size, NULL, 0), YT_OK);
        CHECK(yt_adapter_go(&b.adapter, 3, 2000) >= YT_PROGRAM_SIZE);
        CHECK_EQUAL(yt_adapter_slot(&b.adapter), 1);
        CHECK_TEXT(box_button(&b, 3000), "02");
    }
    about("no program, only a text; a slot that there is not");
    CHECK_EQUAL(yt_store_write(&b.store, 4, "a text", NULL, 0, "sheet", 5), YT_OK);
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 4, 2000), YT_SLOT_EMPTY);
    CHECK_EQUAL(yt_adapter_go(&b.adapter, BOX_SLOTS, 2000), YT_SLOT);
    CHECK_EQUAL(yt_adapter_go(&b.adapter, YT_NO_SLOT, 2000), YT_SLOT);
    CHECK_TEXT(box_button(&b, 10000), "02");
    about("the flash can no longer be read where it ran from");
    CHECK_EQUAL(yt_store_erase(&b.store, 1), YT_OK);
    CHECK(yt_adapter_go(&b.adapter, 3, 20000) >= YT_PROGRAM_SIZE);
    CHECK_TEXT(box_button(&b, 30000), is_mapped ? "02" : "10");
    if (!is_mapped) {
        about("a program longer than the room to copy it to");
        CHECK_EQUAL(yt_adapter_go(&b.adapter, 0, 40000), YT_OK);
        b.parts.copy_room = 100;
        CHECK_EQUAL(yt_adapter_go(&b.adapter, 2, 40000), YT_MEMORY);
        CHECK_TEXT(box_button(&b, 50000), "01");
    }
    pool_free(&own.pool);
    box_end(&b);
}

static void check_kept_parameters(bool is_mapped) {
    static const char with_parameter[] =
        BOX_MOUSE "parameters: {most: {value: 1, min: 0, max: 9, step: 1}}\nsheet:\n"
                  "  view.button1: keys.a and most > 5\n  view.button2: keys.a\n" BOX_NEXT;
    yt_slot info;
    box_begin_three(&b, is_mapped);
    box_write(&b, 1, with_parameter);
    CHECK_EQUAL(yt_store_activate(&b.store, 1), YT_OK);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    CHECK_TEXT(box_button(&b, 1000), "02");
    uint8_t kept;
    yt_q16 value;
    CHECK(!yt_adapter_kept(&b.adapter, 0, &kept, &value));
    about("a change counts at once");
    CHECK_EQUAL(yt_adapter_set_parameter(&b.adapter, 0, 10 * YT_ONE, 10000), YT_ARGUMENT);
    CHECK_EQUAL(yt_adapter_set_parameter(&b.adapter, 0, 6 * YT_ONE, 10000), YT_OK);
    CHECK_EQUAL(yt_adapter_set_parameter(&b.adapter, 0, 7 * YT_ONE, 20000), YT_OK);
    CHECK_TEXT(box_button(&b, 30000), "03");
    about("and is kept a second later, once");
    while (yt_adapter_work(&b.adapter, 100000, 8, true) == YT_OK)
        continue;
    uint64_t operations = b.flash.operations;
    CHECK(yt_adapter_work(&b.adapter, 1019999, 8, false) == YT_END);
    CHECK_EQUAL(b.flash.operations, operations);
    CHECK_EQUAL(yt_store_slot(&b.store, 1, &info), YT_OK);
    CHECK_EQUAL(info.kept_bytes, 0);
    CHECK_EQUAL(yt_adapter_work(&b.adapter, 1020000, 8, false), YT_OK);
    CHECK_EQUAL(yt_store_slot(&b.store, 1, &info), YT_OK);
    CHECK_EQUAL(info.kept_bytes, 5);
    CHECK_EQUAL(yt_adapter_work(&b.adapter, 1020000, 8, false), YT_OK);
    operations = b.flash.operations;
    CHECK(yt_adapter_work(&b.adapter, 9000000, 8, false) == YT_END);
    CHECK_EQUAL(b.flash.operations, operations);
    about("it is there after a plug-in, and after a change of the slot");
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    CHECK_TEXT(box_button(&b, 1000), "03");
    CHECK(yt_adapter_kept(&b.adapter, 0, &kept, &value));
    CHECK(kept == 0 && value == 7 * YT_ONE);
    CHECK(!yt_adapter_kept(&b.adapter, 1, &kept, &value));
    CHECK(!yt_adapter_kept(&b.adapter, UINT32_MAX, &kept, &value));
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 2, 10000), YT_OK);
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 1, 20000), YT_OK);
    CHECK_TEXT(box_button(&b, 30000), "03");
    about("a change of the slot keeps what was not kept yet");
    CHECK_EQUAL(yt_adapter_set_parameter(&b.adapter, 0, 2 * YT_ONE, 40000), YT_OK);
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 2, 50000), YT_OK);
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 1, 60000), YT_OK);
    CHECK_TEXT(box_button(&b, 70000), "02");
    CHECK_EQUAL(yt_adapter_set_parameter(&b.adapter, 0, 8 * YT_ONE, 80000), YT_OK);
    CHECK(yt_adapter_work(&b.adapter, 2000000, 8, true) == YT_OK);
    CHECK(yt_adapter_work(&b.adapter, 2000000, 8, true) == YT_OK);
    about("another program in the slot begins without");
    CHECK_EQUAL(yt_adapter_set_parameter(&b.adapter, 0, 9 * YT_ONE, 2000000), YT_OK);
    box_write(&b, 1, BOX_PLAY(3));
    CHECK(yt_adapter_work(&b.adapter, 4000000, 8, true) == YT_OK);
    CHECK_EQUAL(yt_store_slot(&b.store, 1, &info), YT_OK);
    CHECK_EQUAL(info.kept_bytes, 0);
    about("not where the settings say so");
    box_write(&b, 1, with_parameter);
    box_set(&b, YT_SETTING_KEEPS, 1, 0);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    CHECK_EQUAL(yt_adapter_set_parameter(&b.adapter, 0, 9 * YT_ONE, 1000), YT_OK);
    CHECK_TEXT(box_button(&b, 2000), "03");
    while (yt_adapter_work(&b.adapter, 3000000, 8, true) == YT_OK)
        continue;
    CHECK_EQUAL(yt_store_slot(&b.store, 1, &info), YT_OK);
    CHECK_EQUAL(info.kept_bytes, 0);
    box_end(&b);
}

/* More parameters than a slot keeps: 12 are, and what is kept is put in again, whatever they are.
 */
static void check_many_parameters(void) {
    char profile[2000] = BOX_MOUSE "parameters:\n";
    yt_slot info;
    for (unsigned i = 0; i < 14; i++)
        sprintf(profile + strlen(profile), "  p%u: {value: 1, min: -9, max: 9, step: 1}\n", i);
    strcat(profile, "sheet:\n  view.button1: keys.a and p0");
    for (unsigned i = 1; i < 14; i++)
        sprintf(profile + strlen(profile), " + p%u", i);
    strcat(profile, " > 0\n");
    box_begin(&b, true);
    box_write(&b, 0, profile);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    for (unsigned i = 0; i < 14; i++) {
        about("parameter %u", i);
        yt_status status = yt_adapter_set_parameter(&b.adapter, i, -(yt_q16)i * 1000, 0);
        CHECK_EQUAL(status, i < 12 ? YT_OK : YT_ROOM);
    }
    CHECK_EQUAL(yt_adapter_work(&b.adapter, 1000000, 8, true), YT_OK);
    CHECK_EQUAL(yt_store_slot(&b.store, 0, &info), YT_OK);
    CHECK_EQUAL(info.kept_bytes, 60);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    CHECK_EQUAL(b.adapter.kept_bytes, 60);
    about("what is kept and makes no sense is left");
    const uint8_t strange[] = {200, 0, 0, 1, 0, 0, 0, 0, 0, 0x7f, 3, 0, 0, 2, 0, 7};
    CHECK_EQUAL(yt_store_keep(&b.store, 0, strange, sizeof strange), YT_OK);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    CHECK_EQUAL(b.adapter.kept_bytes, 5);
    CHECK_EQUAL(b.adapter.kept[0], 3);
    box_end(&b);
}

/* What is kept in play is only programmed, whatever else waits, and both of it comes. */
static void check_kept_in_play(void) {
    static const char with_parameter[] =
        BOX_MOUSE "parameters: {most: {value: 1, min: 0, max: 9, step: 1}}\nsheet:\n"
                  "  view.button1: keys.a and most > 5\n" BOX_NEXT;
    dice dice = {8};
    box_begin(&b, true);
    for (unsigned slot = 0; slot < BOX_SLOTS; slot++)
        box_write(&b, slot, with_parameter);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    uint64_t now_us = 0;
    for (unsigned round = 0; round < 400; round++) {
        yt_slot info;
        yt_q16 value = (yt_q16)roll_below(&dice, 9 * YT_ONE);
        unsigned slot = roll_below(&dice, BOX_SLOTS), calls = 0;
        about("round %u, slot %u", round, slot);
        now_us += 10000;
        CHECK_EQUAL(yt_adapter_go(&b.adapter, slot, now_us), YT_OK);
        CHECK_EQUAL(yt_adapter_set_parameter(&b.adapter, 0, value, now_us), YT_OK);
        while (!yt_store_ready(&b.store, 0) && calls++ < 2000)
            CHECK(yt_adapter_work(&b.adapter, now_us, 8, true) <= YT_END);
        now_us += YT_ADAPTER_KEEP_US;
        uint32_t erases = b.store.counts.erases;
        for (unsigned i = 0; i < 60; i++)
            CHECK(yt_adapter_work(&b.adapter, now_us, 8, false) <= YT_END);
        CHECK_EQUAL(b.store.counts.erases, erases);
        if (yt_store_ready(&b.store, 0)) { /* else there was room for one of the two only */
            CHECK_EQUAL(yt_store_active(&b.store), slot);
            CHECK_EQUAL(yt_store_slot(&b.store, slot, &info), YT_OK);
            CHECK_EQUAL(info.kept_bytes, 5);
        }
    }
    box_end(&b);
}

static void check_active(void) {
    box_begin_three(&b, true);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    while (yt_adapter_work(&b.adapter, 0, 8, true) == YT_OK)
        continue;
    about("the slot is the one to start with a second later: it is only programmed then");
    uint64_t operations = b.flash.operations, stopped = b.flash.stopped_us;
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 2, 5000000), YT_OK);
    CHECK_EQUAL(b.flash.operations, operations);
    CHECK_EQUAL(yt_store_active(&b.store), 0);
    CHECK_EQUAL(yt_adapter_work(&b.adapter, 5999999, 8, false), YT_END);
    CHECK_EQUAL(yt_store_active(&b.store), 0);
    CHECK_EQUAL(yt_adapter_work(&b.adapter, 6000000, 8, false), YT_OK);
    CHECK_EQUAL(yt_store_active(&b.store), 2);
    CHECK_EQUAL(b.flash.stopped_us, stopped);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    CHECK_EQUAL(yt_adapter_slot(&b.adapter), 2);
    about("where the slot to start with is set, that stays");
    box_set(&b, YT_SETTING_START, 0, 2);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 0, 1000), YT_OK);
    while (yt_adapter_work(&b.adapter, 3000000, 8, true) == YT_OK)
        continue;
    CHECK_EQUAL(yt_store_active(&b.store), 2);
    about("the switch is turned");
    box_set(&b, YT_SETTING_SWITCH_SLOT, 1, 3);
    yt_adapter_read_settings(&b.adapter);
    CHECK_EQUAL(yt_adapter_turn(&b.adapter, 1, 4000000), YT_OK);
    CHECK_EQUAL(yt_adapter_slot(&b.adapter), 2);
    CHECK_EQUAL(yt_adapter_turn(&b.adapter, 0, 4000000), YT_OK);
    CHECK_EQUAL(yt_adapter_turn(&b.adapter, 15, 4000000), YT_OK);
    CHECK_EQUAL(yt_adapter_turn(&b.adapter, 4000, 4000000), YT_OK);
    CHECK_EQUAL(yt_adapter_slot(&b.adapter), 2);
    box_end(&b);
}

/* What needs an erase waits until one is allowed: nothing is erased in play. */
static void check_not_ready(void) {
    box_begin_three(&b, true);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    CHECK(
        !yt_store_ready(&b.store, 0)); /* after a power-on the journal goes on in another sector */
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 2, 0), YT_OK);
    uint32_t erases = b.store.counts.erases;
    for (unsigned i = 0; i < 100; i++)
        CHECK(yt_adapter_work(&b.adapter, 5000000, 8, false) <= YT_END);
    CHECK_EQUAL(b.store.counts.erases, erases);
    CHECK_EQUAL(yt_store_active(&b.store), 0);
    for (unsigned i = 0; i < 10; i++)
        CHECK(yt_adapter_work(&b.adapter, 5000000, 8, true) <= YT_END);
    CHECK_EQUAL(yt_store_active(&b.store), 2);
    box_end(&b);
}

/* What runs stays where it stands, whatever is tried and written meanwhile. */
static void check_pinned(void) {
    static uint8_t before[4096];
    box_begin_three(&b, true);
    box_write(&b, 3, BOX_MOUSE "sheet:\n  view.button1: turbo(keys.a, 10 Hz)\n");
    box_set(&b, YT_SETTING_REFUSED, 0, YT_CAN_REPETITION);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    for (unsigned round = 0; round < 3; round++) {
        about("round %u", round);
        CHECK_EQUAL(yt_adapter_go(&b.adapter, round, 1000), YT_OK);
        CHECK_EQUAL(yt_adapter_go(&b.adapter, 3, 2000), YT_REFUSED);
        const yt_program_header *runs = yt_engine_program(&b.engine)->header;
        size_t size = runs->total_bytes;
        memcpy(before, runs, size);
        for (unsigned i = 0; i < 120; i++)
            box_write(&b, i % 3, i % 2 ? BOX_PLAY(4) : BOX_PLAY(5));
        CHECK(memcmp(before, runs, size) == 0);
        for (unsigned slot = 0; slot < 3; slot++)
            box_write(&b, slot, BOX_PLAY(1));
    }
    box_end(&b);
}

/* Two pedals of one kind, a level of 8 bits each (HID Usage Tables, 5: Accelerator). */
static const uint8_t pedal[] = {0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x09, 0x01,
                                0x15, 0x00, 0x25, 0x01, 0x75, 0x08, 0x95, 0x01, 0x81, 0x02,
                                0x05, 0x02, 0x09, 0xc4, 0x26, 0xff, 0x00, 0x81, 0x02, 0xc0};

static void keep_calibration(uint16_t product, int32_t rest, int32_t full) {
    static yt_calibration record;
    const uint16_t control = 0;
    const yt_device device = {.vendor = 0x1209, .product = product};
    memset(&record, 0, sizeof record);
    record.magic = YT_CALIBRATION_MAGIC;
    record.bytes = YT_CALIBRATION_HEAD_BYTES;
    record.version = YT_CALIBRATION_VERSION;
    record.part.kind = YT_CALIBRATION_LEVEL;
    yt_calibration_part_of(&record.part, &device);
    CHECK_EQUAL(yt_calibration_find(&record.part, &b.engine, b.keyboard, &control), YT_OK);
    record.rest[0] = rest;
    record.high[0] = full;
    record.checksum = yt_checksum(0, (const uint8_t *)&record + 8, record.bytes - 8u);
    CHECK_EQUAL(yt_store_calibrate(&b.store, &record, record.bytes), YT_OK);
}

/* The level where the pedal stands, in percent. */
static int level_at(uint8_t at, uint64_t now_us) {
    const uint8_t report[2] = {0, at};
    box_report(&b, report, sizeof report, now_us);
    return (int)(((int64_t)yt_engine_control(&b.engine, 0) * 100 + YT_ONE / 2) / YT_ONE);
}

static void check_calibrations(void) {
    static const char profile[] = "inputs: {foot: gamepad}\noutputs: {pad: gamepad}\n"
                                  "sheet: {pad.right_trigger: foot.right_trigger}\n";
    box_begin(&b, true);
    b.has_keyboard = true;
    b.descriptor = pedal;
    b.descriptor_size = sizeof pedal;
    for (unsigned slot = 0; slot < 3; slot++)
        box_write(&b, slot, profile);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    about("none is kept");
    CHECK_EQUAL(level_at(51, 1000), 20);
    about("one of another device is not used");
    keep_calibration(99, 60, 200);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    CHECK_EQUAL(level_at(51, 1000), 20);
    about("its own is, in each slot, as often as they are changed");
    keep_calibration(5, 51, 151);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    for (unsigned i = 1; i < 8; i++) {
        CHECK_EQUAL(level_at(51, i * 10000), 0);
        CHECK_EQUAL(level_at(101, i * 10000 + 1000), 50);
        CHECK_EQUAL(level_at(151, i * 10000 + 2000), 100);
        CHECK_EQUAL(yt_adapter_go(&b.adapter, i % 3, i * 10000 + 3000), YT_OK);
    }
    about("it is pulled out and put in again");
    for (unsigned i = 0; i < 4; i++) {
        const yt_device again = {.descriptor = pedal,
                                 .descriptor_size = sizeof pedal,
                                 .vendor = 0x1209,
                                 .product = 5,
                                 .input = YT_ANY_INPUT};
        yt_adapter_detach(&b.adapter, b.keyboard, 100000 + i * 1000);
        CHECK_EQUAL(yt_adapter_attach(&b.adapter, &again, NULL, 0, &b.keyboard), YT_OK);
        CHECK_EQUAL(level_at(101, 100500 + i * 1000), 50);
    }
    box_end(&b);
}

/* Settings that have no room, that are newer, or that are none: all is as usual, and they stay. */
static void check_strange_settings(void) {
    uint8_t newer[] = {'Y', 'S', 9, 0, 1, 2, 3}, kept[16];
    size_t size;
    box_begin_three(&b, true);
    box_set(&b, YT_SETTING_START, 0, 3);
    b.parts.settings_room = 5;
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    CHECK_EQUAL(yt_adapter_slot(&b.adapter), 0);
    b.parts.settings_room = 0;
    b.parts.settings = NULL;
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    CHECK_EQUAL(yt_adapter_slot(&b.adapter), 0);
    b.parts.settings = b.settings;
    b.parts.settings_room = sizeof b.settings;
    CHECK_EQUAL(yt_store_set(&b.store, newer, sizeof newer), YT_OK);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    CHECK_EQUAL(yt_adapter_slot(&b.adapter), 0);
    CHECK_EQUAL(yt_store_settings(&b.store, kept, sizeof kept, &size), YT_OK);
    CHECK(size == sizeof newer && memcmp(kept, newer, size) == 0);
    box_end(&b);
}

/* A setting that is tried counts, and is kept by nothing but what keeps it. */
static void check_tried_settings(void) {
    box_begin_three(&b, true);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    about("tried");
    uint64_t before = b.flash.operations;
    CHECK_EQUAL(yt_adapter_try(&b.adapter, YT_SETTING_LOCK, 0, YT_LOCK_OPEN), YT_OK);
    CHECK_EQUAL(yt_adapter_try(&b.adapter, YT_SETTING_BRIGHTNESS, 0, 70), YT_OK);
    CHECK(!yt_adapter_is_locked(&b.adapter));
    CHECK_EQUAL(b.light_percent, 70);
    CHECK_EQUAL(b.flash.operations, before);
    about("another setting is set: what was tried is no more");
    CHECK_EQUAL(yt_adapter_set(&b.adapter, YT_SETTING_MOTOR, 0, 40), YT_OK);
    CHECK(yt_adapter_is_locked(&b.adapter));
    CHECK_EQUAL(b.light_percent, 50);
    CHECK_EQUAL(yt_adapter_try(&b.adapter, YT_SETTING_LOCK, 0, YT_LOCK_OPEN), YT_OK);
    CHECK_EQUAL(yt_adapter_set_text(&b.adapter, YT_SETTING_NAME, "crane"), YT_OK);
    CHECK(yt_adapter_is_locked(&b.adapter));
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    CHECK(yt_adapter_is_locked(&b.adapter));
    CHECK_EQUAL(yt_adapter_setting(&b.adapter, YT_SETTING_MOTOR, 0), 40);
    about("read again, or kept with all others that were tried");
    CHECK_EQUAL(yt_adapter_try(&b.adapter, YT_SETTING_MOTOR, 1, 30), YT_OK);
    yt_adapter_read_settings(&b.adapter);
    CHECK_EQUAL(yt_adapter_setting(&b.adapter, YT_SETTING_MOTOR, 1), 100);
    CHECK_EQUAL(yt_adapter_try(&b.adapter, YT_SETTING_MOTOR, 1, 30), YT_OK);
    CHECK_EQUAL(yt_adapter_try(&b.adapter, YT_SETTING_START, 0, 2), YT_OK);
    CHECK_EQUAL(yt_adapter_keep_settings(&b.adapter), YT_OK);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    CHECK_EQUAL(yt_adapter_setting(&b.adapter, YT_SETTING_MOTOR, 1), 30);
    CHECK_EQUAL(yt_adapter_slot(&b.adapter), 1);
    box_end(&b);
}

int main(void) {
    for (unsigned is_mapped = 0; is_mapped < 2; is_mapped++) {
        check_own_program(is_mapped);
        check_kept_parameters(is_mapped);
        check_no_program(is_mapped);
    }
    check_many_parameters();
    check_kept_in_play();
    check_active();
    check_not_ready();
    check_pinned();
    check_calibrations();
    check_strange_settings();
    check_tried_settings();
    return report_checks();
}
