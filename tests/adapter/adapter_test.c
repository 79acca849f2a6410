/* A slot runs: chosen at plug-in, changed in play, told by a light. */
#include "tests/adapter/box.h"

#define PAD "inputs: {keys: keyboard}\noutputs: {pad: gamepad}\n"

static box b;

static void check_start(void) {
    const uint32_t held[] = {0x00070005, 0x00070006};
    const yt_plugged_in one = {held, 1, -1}, two = {held, 2, 1}, third = {held, 0, 2};
    box_begin_three(&b, true);
    about("nothing was ever chosen: the first slot");
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    CHECK_EQUAL(yt_adapter_slot(&b.adapter), 0);
    CHECK_TEXT(box_button(&b, 10000), "01");
    about("a control that is held");
    box_set(&b, YT_SETTING_HELD_CONTROL, 3, 0x00070006);
    box_set(&b, YT_SETTING_HELD_SLOT, 3, 3);
    CHECK_EQUAL(box_plug_in(&b, &one, 0), YT_OK);
    CHECK_EQUAL(yt_adapter_slot(&b.adapter), 0);
    CHECK_EQUAL(box_plug_in(&b, &two, 0), YT_OK);
    CHECK_EQUAL(yt_adapter_slot(&b.adapter), 2);
    CHECK_TEXT(box_button(&b, 10000), "04");
    about("the position of a switch");
    box_set(&b, YT_SETTING_SWITCH_SLOT, 2, 2);
    CHECK_EQUAL(box_plug_in(&b, &third, 0), YT_OK);
    CHECK_EQUAL(yt_adapter_slot(&b.adapter), 1);
    CHECK_TEXT(box_button(&b, 10000), "02");
    about("one that is set");
    box_set(&b, YT_SETTING_START, 0, 3);
    CHECK_EQUAL(box_plug_in(&b, &one, 0), YT_OK);
    CHECK_EQUAL(yt_adapter_slot(&b.adapter), 2);
    about("one that is empty: the firmware's own, where there is one");
    box_set(&b, YT_SETTING_START, 0, 5);
    CHECK_EQUAL(box_plug_in(&b, &one, 0), YT_SLOT_EMPTY);
    CHECK_EQUAL(yt_adapter_slot(&b.adapter), YT_NO_SLOT);
    CHECK(yt_engine_program(&b.engine) == NULL);
    box_end(&b);
}

/* Those who hold something while the slot changes. */
static void check_letting_go(bool is_mapped) {
    box_begin_three(&b, is_mapped);
    box_write(&b, 1, BOX_MOUSE "sheet:\n  view.button2: keys.a\n  view.button3: keys.n\n" BOX_NEXT);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    while (*box_take(&b, 0, 0))
        continue;
    box_press(&b, KEY_A, 1000);
    CHECK_TEXT(box_take(&b, 0, 1000), "01 00 00 00 00 00 00 00 00");
    about("what was held is let go in the next report");
    const uint8_t both[6] = {KEY_A, KEY_N};
    CHECK_EQUAL(box_report(&b, both, sizeof both, 2000), -1);
    CHECK_EQUAL(yt_adapter_slot(&b.adapter), 1);
    CHECK_TEXT(box_take(&b, 0, 2000), "00 00 00 00 00 00 00 00 00");
    about("what is still held reads as up, until it is pressed anew");
    CHECK_EQUAL(box_report(&b, both, sizeof both, 3000), -1);
    CHECK_TEXT(box_take(&b, 0, 3000), "");
    box_press(&b, KEY_A, 4000);
    CHECK_TEXT(box_take(&b, 0, 4000), "");
    about("where nothing is held, the first press counts");
    CHECK_TEXT(box_button(&b, 5000), "02");
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 0, 7500), YT_OK);
    while (*box_take(&b, 0, 7500))
        continue;
    box_press(&b, KEY_A, 8000);
    CHECK_TEXT(box_take(&b, 0, 8000), "01 00 00 00 00 00 00 00 00");
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 1, 8500), YT_OK);
    CHECK_TEXT(box_take(&b, 0, 8500), "00 00 00 00 00 00 00 00 00");
    about("the host keeps its device");
    CHECK_EQUAL(b.restarts, 0);
    about("a slot with other outputs is another device");
    box_write(&b, 2, PAD "sheet:\n  pad.south: keys.a\n" BOX_NEXT);
    CHECK_EQUAL(yt_adapter_go_on(&b.adapter, true, 9000), YT_OK);
    CHECK_EQUAL(b.restarts, 1);
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 0, 10000), YT_OK);
    CHECK_EQUAL(b.restarts, 2);
    about("the slot that runs: nothing happens, what is held stays held");
    box_press(&b, KEY_A, 11000);
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 0, 11500), YT_OK);
    box_press(&b, 0, 12000);
    while (*box_take(&b, 0, 12000))
        continue;
    about("another program was written into it: it goes on until one goes there again");
    box_write(&b, 0, BOX_PLAY(5));
    CHECK_TEXT(box_button(&b, 13000), "01");
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 0, 20000), YT_OK);
    CHECK_TEXT(box_button(&b, 21000), "10");
    box_end(&b);
}

/* Next and previous against the obvious way, for each set of slots that hold something. */
static void check_order(void) {
    for (unsigned set = 1; set < 1u << BOX_SLOTS; set++) {
        box_begin(&b, true);
        b.has_keyboard = true;
        for (unsigned i = 0; i < BOX_SLOTS; i++)
            if (set >> i & 1)
                box_write(&b, i, BOX_PLAY(1));
        yt_status status = box_plug_in(&b, &box_alone, 0);
        CHECK_EQUAL(status, set & 1 ? YT_OK : YT_SLOT_EMPTY);
        unsigned at = 0;
        for (unsigned step = 0; step < 12; step++) {
            bool forward = step % 7 < 4;
            unsigned to = at;
            about("slots %02x, from %u %s", set, at, forward ? "on" : "back");
            do
                to = (to + (forward ? 1 : BOX_SLOTS - 1)) % BOX_SLOTS;
            while (!(set >> to & 1));
            if (yt_adapter_slot(&b.adapter) == YT_NO_SLOT)
                CHECK_EQUAL(yt_adapter_go_on(&b.adapter, forward, 1000), YT_OK);
            else {
                box_press(&b, forward ? KEY_N : KEY_P, 1000 + step * 1000);
                box_press(&b, 0, 1500 + step * 1000);
            }
            CHECK_EQUAL(yt_adapter_slot(&b.adapter), to);
            at = to;
        }
        box_end(&b);
    }
}

static void check_light(void) {
    box_begin_three(&b, true);
    box_write(&b, 0,
              BOX_MOUSE "sheet:\n  view.button1: keys.a and adapter.slot == 1\n"
                        "  view.button2: keys.a and adapter.slot == 2\n" BOX_NEXT);
    CHECK_EQUAL(yt_store_copy(&b.store, 0, 1), YT_OK);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    about("it tells the slot by its colour");
    CHECK_EQUAL(b.light_slot, 0);
    CHECK_EQUAL(b.light_percent, 50);
    uint32_t first = b.colour;
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 1, 1000), YT_OK);
    CHECK_EQUAL(b.light_slot, 1);
    CHECK(b.colour != first && b.colour != 0);
    about("the same program in another slot: it is told which");
    CHECK_TEXT(box_button(&b, 2000), "02");
    about("the colour and the brightness that are set");
    box_set(&b, YT_SETTING_LIGHT, 2, 0x123456);
    box_set(&b, YT_SETTING_BRIGHTNESS, 2, 7);
    box_set(&b, YT_SETTING_LIGHT, 1, 0x010203);
    yt_adapter_read_settings(&b.adapter);
    CHECK_EQUAL(b.colour, 0x010203);
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 2, 10000), YT_OK);
    CHECK_EQUAL(b.colour, 0x123456);
    CHECK_EQUAL(b.light_percent, 7);
    about("pulses: it goes dark and comes back, twice");
    unsigned before = b.lights;
    yt_adapter_pulse(&b.adapter, 2, 20000);
    uint64_t now_us = 20000;
    for (unsigned half = 0; half < 4; half++) {
        uint64_t due_us = yt_adapter_update(&b.adapter, now_us);
        CHECK_EQUAL(b.light_percent, half % 2 ? 7 : 0);
        CHECK_EQUAL(due_us, half < 3 ? now_us + YT_ACTION_PULSE_US : YT_NEVER);
        CHECK_EQUAL(yt_adapter_update(&b.adapter, now_us + 1), due_us);
        now_us += YT_ACTION_PULSE_US;
    }
    CHECK_EQUAL(b.lights, before + 4);
    box_end(&b);
}

/* A pad with a button, and a vendor page of two motors in report 5. */
static const uint8_t rumbling[] = {0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x85, 0x01, 0x05, 0x09, 0x19,
                                   0x01, 0x29, 0x08, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x08,
                                   0x81, 0x02, 0x85, 0x05, 0x06, 0x00, 0xff, 0x09, 0x01, 0x09, 0x02,
                                   0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x02, 0x91, 0x02, 0xc0};

/* What the motors were sent last, and how often the first one began. */
typedef struct felt {
    unsigned strong, weak, pulses;
} felt;

static felt feel(felt felt, uint64_t from_us, uint64_t until_us) {
    felt.pulses = 0;
    for (uint64_t now_us = from_us; now_us < until_us; now_us += 10000) {
        uint8_t bytes[8];
        yt_device_output output;
        yt_engine_update(&b.engine, now_us);
        yt_adapter_update(&b.adapter, now_us);
        while (yt_device_report(&b.engine, b.keyboard, bytes, sizeof bytes, &output) == YT_OK &&
               output.length == 3) {
            felt.pulses += bytes[1] > 0 && felt.strong == 0;
            felt.strong = bytes[1];
            felt.weak = bytes[2];
        }
    }
    return felt;
}

static void check_motors(void) {
    static const char profile[] =
        "inputs: {hand: gamepad}\noutputs: {pad: gamepad}\nsheet:\n  pad.south: hand.south\n"
        "  hand.rumble.strong: pad.rumble.strong\n  hand.rumble.weak: pad.rumble.weak\n";
    const uint8_t rumble[] = {200, 100, 0, 0, 0};
    felt felt = {0};
    box_begin(&b, true);
    b.has_keyboard = true;
    b.descriptor = rumbling;
    b.descriptor_size = sizeof rumbling;
    b.parts.light = NULL;
    for (unsigned slot = 0; slot < 3; slot++)
        box_write(&b, slot, profile);
    about("without a light the motors tell the slot by their pulses");
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    felt = feel(felt, 0, 2000000);
    CHECK_EQUAL(felt.pulses, 1);
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 2, 2000000), YT_OK);
    felt = feel(felt, 2000000, 4000000);
    CHECK_EQUAL(felt.pulses, 3);
    CHECK_EQUAL(felt.strong, 0);
    about("they are as strong as is set, of what the host asks for and of pulses");
    box_set(&b, YT_SETTING_MOTOR, 0, 50);
    box_set(&b, YT_SETTING_MOTOR, 1, 0);
    yt_adapter_read_settings(&b.adapter);
    CHECK_EQUAL(yt_interface_receive(&b.engine, 0, YT_HID_OUTPUT, rumble, 5, 4000000), YT_OK);
    felt = feel(felt, 4000000, 4100000);
    CHECK_EQUAL(felt.strong, 100);
    CHECK_EQUAL(felt.weak, 0);
    about("another strength counts at once");
    box_set(&b, YT_SETTING_MOTOR, 0, 100);
    box_set(&b, YT_SETTING_MOTOR, 1, 10);
    yt_adapter_read_settings(&b.adapter);
    felt = feel(felt, 4100000, 4200000);
    CHECK_EQUAL(felt.strong, 200);
    CHECK_EQUAL(felt.weak, 10);
    yt_engine_motor(&b.engine, 0, 101);
    yt_engine_motor(&b.engine, YT_MOTORS, 5);
    felt = feel(felt, 4200000, 4300000);
    CHECK_EQUAL(felt.strong, 200);
    about("it stays through a change of the slot");
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 0, 5000000), YT_OK);
    felt = feel(felt, 5000000, 7000000);
    CHECK_EQUAL(yt_interface_receive(&b.engine, 0, YT_HID_OUTPUT, rumble, 5, 7000000), YT_OK);
    felt = feel(felt, 7000000, 7100000);
    CHECK_EQUAL(felt.weak, 10);
    box_end(&b);
}

static void check_lock(void) {
    box_begin_three(&b, true);
    box_write(&b, 0,
              BOX_MOUSE "sheet:\n  view.button1: keys.a and adapter.locked == 1\n"
                        "  view.button2: keys.a\n  adapter.lock: keys.l\n"
                        "  adapter.release_all: keys.r\n  adapter.bootloader: keys.b\n");
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    about("locked, until it is unlocked by a press");
    CHECK(yt_adapter_is_locked(&b.adapter));
    CHECK_TEXT(box_button(&b, 1000), "03");
    CHECK_EQUAL(box_press(&b, KEY_L, 10000), -1);
    CHECK(!yt_adapter_is_locked(&b.adapter));
    CHECK_TEXT(box_button(&b, 20000), "02");
    box_press(&b, KEY_L, 30000);
    CHECK(yt_adapter_is_locked(&b.adapter));
    about("anybody may, or nobody");
    box_set(&b, YT_SETTING_LOCK, 0, YT_LOCK_OPEN);
    yt_adapter_read_settings(&b.adapter);
    CHECK(!yt_adapter_is_locked(&b.adapter));
    CHECK_TEXT(box_button(&b, 30500), "02");
    box_set(&b, YT_SETTING_LOCK, 0, YT_LOCK_NOBODY);
    yt_adapter_read_settings(&b.adapter);
    box_press(&b, 0, 31000);
    box_press(&b, KEY_L, 32000);
    CHECK(yt_adapter_is_locked(&b.adapter));
    about("what the firmware is to do is left to it; the rest is done");
    CHECK_EQUAL(box_press(&b, KEY_B, 40000), YT_ACTION_BOOTLOADER);
    box_press(&b, KEY_A, 50000);
    while (*box_take(&b, 0, 50000))
        continue;
    const uint8_t both[6] = {KEY_A, KEY_R};
    CHECK_EQUAL(box_report(&b, both, sizeof both, 60000), -1);
    CHECK_TEXT(box_take(&b, 0, 60000), "00 00 00 00 00 00 00 00 00");
    uint8_t settings[YT_SETTINGS_BYTES];
    char name[YT_SETTINGS_TEXT + 1];
    size_t size;
    about("what it is called");
    yt_adapter_name(&b.adapter, name);
    CHECK_TEXT(name, "");
    CHECK_EQUAL(yt_store_settings(&b.store, settings, sizeof settings, &size), YT_OK);
    CHECK_EQUAL(yt_settings_set_text(settings, &size, sizeof settings, YT_SETTING_NAME, "Quay box"),
                YT_OK);
    CHECK_EQUAL(yt_store_set(&b.store, settings, size), YT_OK);
    yt_adapter_read_settings(&b.adapter);
    yt_adapter_name(&b.adapter, name);
    CHECK_TEXT(name, "Quay box");
    about("factory reset: all settings are as usual, and the slots are there");
    CHECK_EQUAL(yt_adapter_reset_settings(&b.adapter), YT_OK);
    CHECK_EQUAL(yt_adapter_setting(&b.adapter, YT_SETTING_LOCK, 0), YT_LOCK_PRESS);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    CHECK_EQUAL(yt_adapter_setting(&b.adapter, YT_SETTING_LOCK, 0), YT_LOCK_PRESS);
    box_end(&b);
}

/* What is held, told by reports of a device: bits, arrays, and with IDs. */
static void check_held(void) {
    static const uint8_t with_ids[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x85, 0x03, 0x05, 0x07,
                                       0x19, 0xe0, 0x29, 0xe7, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01,
                                       0x95, 0x08, 0x81, 0x02, 0x85, 0x04, 0x05, 0x09, 0x19, 0x01,
                                       0x29, 0x08, 0x81, 0x02, 0x05, 0x01, 0x09, 0x30, 0x25, 0x7f,
                                       0x75, 0x08, 0x95, 0x01, 0x81, 0x02, 0xc0};
    const uint8_t keys[6] = {KEY_B, 0, KEY_N}, modifiers[] = {3, 0x82}, buttons[] = {4, 0x05, 1};
    uint32_t held[8];
    about("an array");
    CHECK_EQUAL(yt_held_controls(rig_six_keys, sizeof rig_six_keys, keys, 6, held, 8), 2);
    CHECK_EQUAL(held[0], 0x00070005);
    CHECK_EQUAL(held[1], 0x00070011);
    about("no more than there is room for");
    CHECK_EQUAL(yt_held_controls(rig_six_keys, sizeof rig_six_keys, keys, 6, held, 1), 1);
    about("bits, of the report with that ID only; an axis is not held");
    CHECK_EQUAL(yt_held_controls(with_ids, sizeof with_ids, modifiers, 2, held, 8), 2);
    CHECK_EQUAL(held[0], 0x000700e1);
    CHECK_EQUAL(held[1], 0x000700e7);
    CHECK_EQUAL(yt_held_controls(with_ids, sizeof with_ids, buttons, 3, held, 8), 2);
    CHECK_EQUAL(held[0], 0x00090001);
    CHECK_EQUAL(held[1], 0x00090003);
    about("what is cut short, at every place");
    for (size_t size = 0; size < sizeof with_ids; size++)
        CHECK(yt_held_controls(with_ids, size, buttons, 3, held, 8) == 0 || size == 0);
    for (size_t size = 0; size < 3; size++)
        CHECK(yt_held_controls(with_ids, sizeof with_ids, buttons, size, held, 8) <= 2);
}

int main(void) {
    check_start();
    for (unsigned is_mapped = 0; is_mapped < 2; is_mapped++)
        check_letting_go(is_mapped);
    check_order();
    check_light();
    check_motors();
    check_lock();
    check_held();
    return report_checks();
}
