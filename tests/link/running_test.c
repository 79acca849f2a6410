/* What runs: parameters tuned and kept, values told as far as they may be, and calibrating step by
 * step. */
#include "tests/link/host.h"
#include "yonder/inspect.h"

static linked_box to;

#define TUNED                                                                                      \
    BOX_MOUSE                                                                                      \
    "parameters:\n  most: {value: 1, min: 0, max: 9, step: 1}\n"                                   \
    "  wait: {value: 200 ms, min: 10 ms, max: 900 ms, step: 10 ms}\nsheet:\n"                      \
    "  view.button1: keys.a and most > 5\n  view.button2: hold(keys.a, after=wait)\n" BOX_NEXT

static const yt_program *runs(void) {
    return yt_engine_program(&to.box.engine);
}

static int tune(host *host, unsigned index, int32_t value) {
    CHECK_EQUAL(host_ask(host, (yt_message){.what = YT_REQUEST_PARAMETER}), YT_RESULT_DONE);
    return host_ask(host, (yt_message){.what = YT_REQUEST_TUNE,
                                       .slot = host->answer.slot,
                                       .checksum = host->answer.checksum,
                                       .index = index,
                                       .value = value});
}

static int32_t parameter(host *host, unsigned index) {
    CHECK_EQUAL(host_ask(host, (yt_message){.what = YT_REQUEST_PARAMETER, .index = index}),
                YT_RESULT_DONE);
    CHECK_EQUAL(host->answer.index, index);
    return host->answer.value;
}

static int keep(host *host, unsigned slot, const char *which) {
    yt_message message = {
        .what = YT_REQUEST_KEEP, .slot = slot, .generation = host_generation(host, slot)};
    for (; which[message.chunk_bytes]; message.chunk_bytes++)
        message.chunk[message.chunk_bytes] = (uint8_t)(which[message.chunk_bytes] - '0');
    return host_ask(host, message);
}

static void begin(host *host, const char *profile, yt_link_way way) {
    linked_begin(&to);
    if (profile)
        box_write(&to.box, 1, profile);
    CHECK_EQUAL(yt_store_activate(&to.box.store, 1), YT_OK);
    linked_plug_in(&to);
    host_begin(host, &to, way, 1);
    host_unlock(host);
}

static void plug_in_again(host *host) {
    linked_plug_in(&to);
    host_begin(host, &to, YT_LINK_CABLE, host->nonce + 1);
    host_unlock(host);
}

static void check_parameters(void) {
    host host;
    begin(&host, TUNED, YT_LINK_CABLE);
    unsigned count = runs()->header->parameter_count;
    about("told");
    CHECK_EQUAL(parameter(&host, 0), YT_ONE);
    CHECK_EQUAL(host.answer.size, count);
    CHECK_EQUAL(host.answer.slot, 2);
    CHECK_EQUAL(parameter(&host, 1), 200000);
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_PARAMETER, .index = count}),
                YT_RESULT_UNKNOWN);
    about("tuned, at its ends and beyond");
    const int32_t good[] = {0, 9 * YT_ONE, 6 * YT_ONE}, bad[] = {-1, 9 * YT_ONE + 1, INT32_MIN};
    for (unsigned i = 0; i < 3; i++) {
        CHECK_EQUAL(tune(&host, 0, good[i]), YT_RESULT_DONE);
        CHECK_EQUAL(parameter(&host, 0), good[i]);
        CHECK_EQUAL(tune(&host, 0, bad[i]), YT_RESULT_FAILED);
        CHECK_EQUAL(host.answer.value, YT_ARGUMENT);
        CHECK_EQUAL(parameter(&host, 0), good[i]);
    }
    CHECK_EQUAL(tune(&host, count, 0), YT_RESULT_FAILED);
    about("it does not count as a change, and is gone at the next start");
    for (unsigned i = 0; i < 2 * YT_LINK_CHANGES; i++)
        CHECK_EQUAL(tune(&host, 1, 10000 + (int32_t)i), YT_RESULT_DONE);
    plug_in_again(&host);
    CHECK_EQUAL(parameter(&host, 0), YT_ONE);
    about("kept: those that are named, and no others");
    CHECK_EQUAL(tune(&host, 0, 6 * YT_ONE), YT_RESULT_DONE);
    CHECK_EQUAL(tune(&host, 1, 30000), YT_RESULT_DONE);
    CHECK_EQUAL(keep(&host, 2, "1"), YT_RESULT_DONE);
    plug_in_again(&host);
    CHECK_EQUAL(parameter(&host, 0), YT_ONE);
    CHECK_EQUAL(parameter(&host, 1), 30000);
    CHECK_EQUAL(tune(&host, 0, 7 * YT_ONE), YT_RESULT_DONE);
    CHECK_EQUAL(keep(&host, 2, "01"), YT_RESULT_DONE);
    plug_in_again(&host);
    CHECK_EQUAL(parameter(&host, 0), 7 * YT_ONE);
    CHECK_EQUAL(parameter(&host, 1), 30000);
    CHECK_EQUAL(keep(&host, 2, ""), YT_RESULT_DONE);
    plug_in_again(&host);
    CHECK_EQUAL(parameter(&host, 0), YT_ONE);
    CHECK_EQUAL(parameter(&host, 1), 200000);
    about("what cannot be kept");
    CHECK_EQUAL(keep(&host, 2, "9"), YT_RESULT_FAILED);
    CHECK_EQUAL(host.answer.value, YT_ARGUMENT);
    CHECK_EQUAL(keep(&host, 2, "0000000000000"), YT_RESULT_FAILED);
    CHECK_EQUAL(host.answer.value, YT_ROOM);
    CHECK_EQUAL(keep(&host, 1, "0"), YT_RESULT_CHANGED); /* it does not run */
    CHECK_EQUAL(host.answer.slot, 2);
    box_set(&to.box, YT_SETTING_KEEPS, 1, 0);
    yt_adapter_read_settings(&to.box.adapter);
    CHECK_EQUAL(keep(&host, 2, "0"), YT_RESULT_FAILED);
    CHECK_EQUAL(host.answer.value, YT_REFUSED);
    linked_end(&to);
}

/* Another program runs than the one that the host saw: nothing of it is tuned. */
static void check_another_runs(void) {
    host host;
    begin(&host, TUNED, YT_LINK_STREAM);
    parameter(&host, 0);
    yt_message tune = {.what = YT_REQUEST_TUNE,
                       .slot = host.answer.slot,
                       .checksum = host.answer.checksum,
                       .value = 5 * YT_ONE};
    about("the other slot");
    CHECK_EQUAL(host_activate(&host, 1), YT_RESULT_DONE);
    CHECK_EQUAL(host_ask(&host, tune), YT_RESULT_CHANGED);
    CHECK_EQUAL(host.answer.slot, 1);
    about("the same slot, with another program that was written into it");
    box_write(&to.box, 1, BOX_PLAY(4));
    CHECK_EQUAL(host_activate(&host, 2), YT_RESULT_DONE);
    CHECK_EQUAL(host_ask(&host, tune), YT_RESULT_CHANGED);
    CHECK_EQUAL(host.answer.slot, 2);
    CHECK(host.answer.checksum != tune.checksum);
    about("one that was written, and does not run yet");
    box_write(&to.box, 1, TUNED);
    CHECK_EQUAL(keep(&host, 2, ""), YT_RESULT_FAILED);
    CHECK_EQUAL(host.answer.value, YT_SLOT);
    linked_end(&to);
}

/* ---- values ---- */

static int32_t value_of(const host *host, unsigned i) {
    const uint8_t *at = host->answer.chunk + 4 * i;
    return (int32_t)((uint32_t)at[0] | (uint32_t)at[1] << 8 | (uint32_t)at[2] << 16 |
                     (uint32_t)at[3] << 24);
}

/* All values, in as many answers as it takes. */
static unsigned read_values(host *host, int32_t *values, unsigned room) {
    unsigned count = 0, all = 1;
    while (count < all && count < room) {
        CHECK_EQUAL(host_ask(host, (yt_message){.what = YT_REQUEST_VALUES, .index = count}),
                    YT_RESULT_DONE);
        CHECK_EQUAL(host->answer.index, count);
        CHECK(host->answer.chunk_bytes > 0 && host->answer.chunk_bytes % 4 == 0);
        all = host->answer.size;
        for (unsigned i = 0; i < host->answer.chunk_bytes / 4u && count < room; i++)
            values[count++] = value_of(host, i);
        if (host->answer.chunk_bytes == 0)
            break;
    }
    return count;
}

/* A joystick with a button, a stick, a trigger, and a wheel that moves; a keyboard's keys under the
 * same inputs must never be told. */
static const uint8_t lever[] = {0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, 0x05, 0x09, 0x09, 0x01, 0x15,
                                0x00, 0x25, 0x01, 0x75, 0x08, 0x95, 0x01, 0x81, 0x02, 0x05, 0x01,
                                0x09, 0x30, 0x09, 0x31, 0x26, 0xff, 0x00, 0x95, 0x02, 0x81, 0x02,
                                0x05, 0x02, 0x09, 0xbb, 0x95, 0x01, 0x81, 0x02, 0xc0};

static void begin_device(host *host, const uint8_t *descriptor, size_t size, const char *profile,
                         yt_link_way way) {
    linked_begin(&to);
    to.box.has_keyboard = true;
    to.box.descriptor = descriptor;
    to.box.descriptor_size = size;
    box_write(&to.box, 0, profile);
    linked_plug_in(&to);
    host_begin(host, &to, way, 1);
}

static void check_values(void) {
    static const char profile[] =
        "inputs: {hand: joystick}\noutputs: {pad: gamepad}\nsheet:\n"
        "  pad.south: hand.button1\n  pad.left_stick: stick(x=hand.x, y=hand.y)\n  "
        "pad.right_trigger: hand.throttle\n";
    static const char typing[] = "inputs: {keys: keyboard}\noutputs: {pad: gamepad}\n"
                                 "sheet: {pad.south: keys.a or keys.b, pad.left_stick.x: keys.c}\n";
    const uint8_t moved[4] = {1, 200, 30, 99};
    int32_t values[300];
    host host;
    for (yt_link_way way = YT_LINK_CABLE; way <= YT_LINK_STREAM; way++) {
        begin_device(&host, lever, sizeof lever, profile, way);
        box_report(&to.box, moved, sizeof moved, to.now_us);
        unsigned first = yt_first_control(runs()), all = runs()->header->value_count;
        for (unsigned unlocked = 0; unlocked < 2; unlocked++) {
            about("%s, by way %d", unlocked ? "unlocked" : "locked", way);
            if (unlocked)
                host_unlock(&host);
            CHECK_EQUAL(read_values(&host, values, 300), all);
            unsigned hidden = 0;
            for (unsigned i = 0; i < all; i++) {
                bool is_control = i >= first && i - first < runs()->header->control_count;
                bool shown =
                    unlocked || (is_control && runs()->controls[i - first].kind != YT_SWITCH);
                if (shown)
                    CHECK_EQUAL(values[i], yt_inspect_value(&to.box.engine, i));
                else
                    CHECK_EQUAL((uint32_t)values[i], YT_LINK_HIDDEN);
                hidden += !shown;
            }
            CHECK_EQUAL(hidden == 0, unlocked);
        }
        CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_VALUES, .index = all}),
                    YT_RESULT_UNKNOWN);
        linked_end(&to);
    }
    about("a keyboard: nothing of it while locked, whatever is pressed");
    begin_device(&host, rig_six_keys, sizeof rig_six_keys, typing, YT_LINK_CABLE);
    for (uint8_t key = KEY_A; key <= KEY_C; key++) {
        box_press(&to.box, key, to.now_us);
        unsigned count = read_values(&host, values, 300);
        for (unsigned i = 0; i < count; i++)
            CHECK_EQUAL((uint32_t)values[i], YT_LINK_HIDDEN);
    }
    linked_end(&to);
}

/* ---- calibrating ---- */

static void move(unsigned trigger) {
    const uint8_t report[4] = {0, 128, 128, (uint8_t)trigger};
    box_report(&to.box, report, sizeof report, to.now_us);
    yt_link_report(&to.link, to.box.keyboard, report, sizeof report, to.now_us);
    linked_work(&to, 4, true);
}

static yt_message ask_for(unsigned device, unsigned kind, unsigned control) {
    yt_message ask = {.what = YT_REQUEST_CALIBRATE, .index = device, .value = (int32_t)kind};
    ask.chunk_bytes = 2;
    ask.chunk[0] = (uint8_t)control;
    return ask;
}

static void check_calibrating(void) {
    static const char profile[] = "inputs: {hand: joystick}\noutputs: {pad: gamepad}\n"
                                  "sheet: {pad.right_trigger: hand.throttle}\n";
    host host, second;
    begin_device(&host, lever, sizeof lever, profile, YT_LINK_CABLE);
    host_unlock(&host);
    about("before it begins");
    CHECK_EQUAL(host_fact(&host, YT_LINK_CALIBRATES), 1);
    CHECK_EQUAL(host_fact(&host, YT_LINK_DEVICES), 1);
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_PROGRESS}), YT_RESULT_FAILED);
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_CALIBRATED}), YT_RESULT_FAILED);
    about("no such device, no such control, no such kind");
    CHECK_EQUAL(host_ask(&host, ask_for(0, YT_CALIBRATION_LEVEL, 0)), YT_RESULT_FAILED);
    CHECK_EQUAL(host_ask(&host, ask_for(2, YT_CALIBRATION_LEVEL, 0)), YT_RESULT_FAILED);
    CHECK_EQUAL(host_ask(&host, ask_for(1, YT_CALIBRATION_LEVEL, 9)), YT_RESULT_FAILED);
    CHECK_EQUAL(host_ask(&host, ask_for(1, 77, 0)), YT_RESULT_FAILED);
    about("begun, and not enough yet");
    CHECK_EQUAL(host_ask(&host, ask_for(1, YT_CALIBRATION_LEVEL, 0)), YT_RESULT_DONE);
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_PROGRESS}), YT_RESULT_DONE);
    CHECK_EQUAL(host.answer.index, YT_ADVICE_SILENT);
    CHECK_EQUAL(host.answer.size, YT_CALIBRATING_WAITS);
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_CALIBRATED}), YT_RESULT_FAILED);
    CHECK_EQUAL(host.answer.value, YT_CALIBRATION_UNFINISHED);
    about("another session waits for it");
    host_begin(&second, &to, YT_LINK_STREAM, 2);
    host_unlock(&second);
    CHECK_EQUAL(host_ask(&second, ask_for(1, YT_CALIBRATION_LEVEL, 0)), YT_RESULT_BUSY);
    CHECK_EQUAL(host_ask(&second, (yt_message){.what = YT_REQUEST_PROGRESS}), YT_RESULT_FAILED);
    about("pressed and let go: a trigger that goes from 20 to 180");
    for (unsigned i = 0; i < 300; i++)
        move(20);
    int32_t percent = 0;
    for (unsigned press = 0; press < 5; press++) {
        for (unsigned i = 0; i <= 160; i += 2)
            move(20 + i);
        for (unsigned i = 0; i < 60; i++)
            move(180);
        for (unsigned i = 0; i <= 160; i += 2)
            move(180 - i);
        for (unsigned i = 0; i < 200; i++)
            move(20);
        CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_PROGRESS}), YT_RESULT_DONE);
        CHECK(host.answer.value >= percent);
        percent = host.answer.value;
    }
    CHECK_EQUAL(percent, 100);
    CHECK_EQUAL(host.answer.size, YT_CALIBRATING_ENOUGH);
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_CALIBRATED}), YT_RESULT_DONE);
    unsigned place = host.answer.slot;
    CHECK(place >= 1 && place <= YT_STORE_CALIBRATIONS);
    about("it counts at once");
    move(20);
    CHECK_EQUAL(yt_engine_control(&to.box.engine, 0), 0);
    move(178);
    CHECK(yt_engine_control(&to.box.engine, 0) > YT_ONE * 95 / 100);
    about("and at the next start");
    linked_plug_in(&to);
    move(178);
    CHECK(yt_engine_control(&to.box.engine, 0) > YT_ONE * 95 / 100);
    about("forgotten, it counts no more");
    host_begin(&host, &to, YT_LINK_CABLE, 5);
    host_unlock(&host);
    yt_message erase = {.what = YT_REQUEST_ERASE, .kind = YT_LINK_OF_CALIBRATION, .slot = place};
    erase.generation = host_generation_of(&host, YT_LINK_OF_CALIBRATION, place);
    CHECK_EQUAL(host_ask(&host, erase), YT_RESULT_DONE);
    move(128);
    CHECK(yt_engine_control(&to.box.engine, 0) < YT_ONE * 52 / 100);
    linked_end(&to);
}

/* Facts of the firmware and of the engine, each under its own number. */
static void check_facts(void) {
    host host;
    begin(&host, TUNED, YT_LINK_CABLE);
    about("facts");
    CHECK_EQUAL(host_fact(&host, YT_LINK_REPORTS_IN), 7000 + YT_LINK_REPORTS_IN);
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_LOCK}), YT_RESULT_DONE);
    CHECK_EQUAL(host_fact(&host, YT_LINK_REPORTS_IN), 7000); /* whole thousands */
    CHECK_EQUAL(host_fact(&host, YT_LINK_WORST_UPDATE), 7000 + YT_LINK_WORST_UPDATE);
    CHECK_EQUAL(host_fact(&host, YT_LINK_LAST_ERROR), 7000 + YT_LINK_LAST_ERROR);
    CHECK_EQUAL(host_fact(&host, YT_LINK_MEMORY), sizeof to.box.memory);
    CHECK_EQUAL(host_fact(&host, YT_LINK_COPY_ROOM), sizeof to.box.copy);
    CHECK_EQUAL(host_fact(&host, YT_LINK_FLASH), BOX_SECTORS * 2048);
    CHECK_EQUAL(host_fact(&host, YT_LINK_DEVICES_MOST), YT_DEVICES);
    CHECK_EQUAL(host_fact(&host, YT_LINK_DEVICES), 0);
    CHECK_EQUAL(host_fact(&host, YT_LINK_KEEPS_RECORDS), sizeof to.record);
    to.box.engine.counts.reports_short = 31;
    to.box.engine.counts.actions_dropped = 32;
    to.box.engine.counts.motion_dropped = (uint64_t)1 << 40;
    CHECK_EQUAL(host_fact(&host, YT_LINK_SHORT), 31);
    CHECK_EQUAL(host_fact(&host, YT_LINK_UNASKED), 32);
    CHECK_EQUAL(host_fact(&host, YT_LINK_DROPPED), INT32_MAX);
    to.box.store.counts.mended = 41;
    to.box.store.counts.damaged = 42;
    to.box.store.counts.failures = 43;
    CHECK_EQUAL(host_fact(&host, YT_LINK_MENDED), 41);
    CHECK_EQUAL(host_fact(&host, YT_LINK_DAMAGED), 42);
    CHECK_EQUAL(host_fact(&host, YT_LINK_FLASH_FAILURES), 43);
    linked_end(&to);
}

int main(void) {
    check_parameters();
    check_another_runs();
    check_values();
    check_calibrating();
    check_facts();
    return report_checks();
}
