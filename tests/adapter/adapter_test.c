/* A slot runs: chosen at plug-in, changed in play, kept until the next plug-in. */
#include "tests/adapter/box.h"
#include "yonder/abilities.h"
#include "yonder/image/program.h"

#define KEYS  "inputs: {keys: keyboard}\n"
#define MOUSE KEYS "outputs: {view: mouse}\n"
#define PAD   KEYS "outputs: {pad: gamepad}\n"

#define NEXT         "  adapter.next_slot: keys.n\n  adapter.previous_slot: keys.p\n"
#define PLAY(button) MOUSE "sheet:\n  view.button" #button ": keys.a\n" NEXT

/* Boot keyboard usages (HID Usage Tables, 10). */
enum { KEY_A = 4, KEY_B, KEY_C, KEY_L = 0x0f, KEY_N = 0x11, KEY_P = 0x13, KEY_R = 0x15 };

static box b;

static unsigned slot_of(const box *box) {
    return yt_adapter_slot(&box->adapter);
}

/* Slots 1 to 3 hold a mouse button each. */
static void begin(bool is_mapped) {
    box_begin(&b, is_mapped);
    b.has_keyboard = true;
    box_write(&b, 0, PLAY(1));
    box_write(&b, 1, PLAY(2));
    box_write(&b, 2, PLAY(3));
}

/* The button that key A presses now; "" where none does. */
static const char *button(uint64_t now_us) {
    static char text[100];
    box_press(&b, 0, now_us);
    while (*box_take(&b, 0, now_us))
        continue;
    box_press(&b, KEY_A, now_us + 1000);
    snprintf(text, sizeof text, "%.2s", box_take(&b, 0, now_us + 1000));
    box_press(&b, 0, now_us + 2000);
    while (*box_take(&b, 0, now_us + 2000))
        continue;
    return text;
}

static void check_start(void) {
    const uint32_t held[] = {0x00070005, 0x00070006};
    const yt_plugged_in one = {held, 1, -1}, two = {held, 2, 1}, third = {held, 0, 2};
    begin(true);
    about("nothing was ever chosen: the first slot");
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    CHECK_EQUAL(slot_of(&b), 0);
    CHECK_TEXT(button(10000), "01");
    about("a control that is held");
    box_set(&b, YT_SETTING_HELD_CONTROL, 3, 0x00070006);
    box_set(&b, YT_SETTING_HELD_SLOT, 3, 3);
    CHECK_EQUAL(box_plug_in(&b, &one, 0), YT_OK);
    CHECK_EQUAL(slot_of(&b), 0);
    CHECK_EQUAL(box_plug_in(&b, &two, 0), YT_OK);
    CHECK_EQUAL(slot_of(&b), 2);
    CHECK_TEXT(button(10000), "04");
    about("the position of a switch");
    box_set(&b, YT_SETTING_SWITCH_SLOT, 2, 2);
    CHECK_EQUAL(box_plug_in(&b, &third, 0), YT_OK);
    CHECK_EQUAL(slot_of(&b), 1);
    CHECK_TEXT(button(10000), "02");
    about("one that is set");
    box_set(&b, YT_SETTING_START, 0, 3);
    CHECK_EQUAL(box_plug_in(&b, &one, 0), YT_OK);
    CHECK_EQUAL(slot_of(&b), 2);
    about("one that is empty: the firmware's own, where there is one");
    box_set(&b, YT_SETTING_START, 0, 5);
    CHECK_EQUAL(box_plug_in(&b, &one, 0), YT_SLOT_EMPTY);
    CHECK_EQUAL(slot_of(&b), YT_NO_SLOT);
    CHECK(yt_engine_program(&b.engine) == NULL);
    box_end(&b);
}

static void check_own_program(bool is_mapped) {
    static yt_compiled own;
    yt_slot info;
    begin(is_mapped);
    rig_compile(&own, MOUSE "sheet: {view.button5: keys.a}\n");
    b.parts.own_program = own.image;
    b.parts.own_bytes = own.size;
    about("the slot is damaged");
    CHECK_EQUAL(yt_store_slot(&b.store, 0, &info), YT_OK);
    for (size_t i = 0; i + 64 < b.flash.size; i++)
        if (memcmp(b.flash.now + i, "YTP1", 4) == 0)
            for (unsigned bit = 0; bit < 8; bit++)
                nor_rot(&b.flash, i + 40 + bit, bit);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_SLOT_DAMAGED);
    CHECK_EQUAL(slot_of(&b), YT_NO_SLOT);
    CHECK_EQUAL(b.light_slot, YT_NO_SLOT);
    CHECK_TEXT(button(10000), "10");
    about("from there to a slot that was written meanwhile");
    box_write(&b, 4, PLAY(4));
    CHECK_EQUAL(yt_adapter_go_on(&b.adapter, true, 20000), YT_OK);
    CHECK_EQUAL(slot_of(&b), 4);
    CHECK_TEXT(button(30000), "08");
    about("a program that the settings refuse");
    box_write(&b, 0, MOUSE "sheet:\n  view.button1: turbo(keys.a, 10 Hz)\n");
    box_set(&b, YT_SETTING_REFUSED, 0, YT_CAN_REPETITION);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_REFUSED);
    CHECK_TEXT(button(10000), "10");
    about("in play it is passed by");
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 4, 20000), YT_OK);
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 0, 30000), YT_REFUSED);
    CHECK_EQUAL(slot_of(&b), 4);
    CHECK_TEXT(button(30000), "08");
    CHECK(yt_adapter_go_on(&b.adapter, true, 40000) != YT_OK);
    CHECK_EQUAL(slot_of(&b), 4);
    pool_free(&own.pool);
    box_end(&b);
}

/* Those who hold something while the slot changes. */
static void check_letting_go(bool is_mapped) {
    begin(is_mapped);
    box_write(&b, 1, MOUSE "sheet:\n  view.button2: keys.a\n  view.button3: keys.n\n" NEXT);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    while (*box_take(&b, 0, 0))
        continue;
    box_press(&b, KEY_A, 1000);
    CHECK_TEXT(box_take(&b, 0, 1000), "01 00 00 00 00 00 00 00 00");
    about("what was held is let go in the next report");
    const uint8_t both[6] = {KEY_A, KEY_N};
    CHECK_EQUAL(box_report(&b, both, sizeof both, 2000), -1);
    CHECK_EQUAL(slot_of(&b), 1);
    CHECK_TEXT(box_take(&b, 0, 2000), "00 00 00 00 00 00 00 00 00");
    about("what is still held reads as up, until it is pressed anew");
    CHECK_EQUAL(box_report(&b, both, sizeof both, 3000), -1);
    CHECK_TEXT(box_take(&b, 0, 3000), "");
    box_press(&b, KEY_A, 4000);
    CHECK_TEXT(box_take(&b, 0, 4000), "");
    about("where nothing is held, the first press counts");
    CHECK_TEXT(button(5000), "02");
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
    box_write(&b, 2, PAD "sheet:\n  pad.south: keys.a\n" NEXT);
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
    box_write(&b, 0, PLAY(5));
    CHECK_TEXT(button(13000), "01");
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 0, 20000), YT_OK);
    CHECK_TEXT(button(21000), "10");
    box_end(&b);
}

/* Next and previous against the obvious way, for each set of slots that hold something. */
static void check_order(void) {
    for (unsigned set = 1; set < 1u << BOX_SLOTS; set++) {
        box_begin(&b, true);
        b.has_keyboard = true;
        for (unsigned i = 0; i < BOX_SLOTS; i++)
            if (set >> i & 1)
                box_write(&b, i, PLAY(1));
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
            if (slot_of(&b) == YT_NO_SLOT)
                CHECK_EQUAL(yt_adapter_go_on(&b.adapter, forward, 1000), YT_OK);
            else {
                box_press(&b, forward ? KEY_N : KEY_P, 1000 + step * 1000);
                box_press(&b, 0, 1500 + step * 1000);
            }
            CHECK_EQUAL(slot_of(&b), to);
            at = to;
        }
        box_end(&b);
    }
}

static void check_light(void) {
    begin(true);
    box_write(&b, 0,
              MOUSE "sheet:\n  view.button1: keys.a and adapter.slot == 1\n"
                    "  view.button2: keys.a and adapter.slot == 2\n" NEXT);
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
    CHECK_TEXT(button(2000), "02");
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

static void check_kept_parameters(bool is_mapped) {
    static const char with_parameter[] =
        MOUSE "parameters: {most: {value: 1, min: 0, max: 9, step: 1}}\nsheet:\n"
              "  view.button1: keys.a and most > 5\n  view.button2: keys.a\n" NEXT;
    yt_slot info;
    begin(is_mapped);
    box_write(&b, 1, with_parameter);
    CHECK_EQUAL(yt_store_activate(&b.store, 1), YT_OK);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    CHECK_TEXT(button(1000), "02");
    about("a change counts at once");
    CHECK_EQUAL(yt_adapter_set_parameter(&b.adapter, 0, 10 * YT_ONE, 10000), YT_ARGUMENT);
    CHECK_EQUAL(yt_adapter_set_parameter(&b.adapter, 0, 6 * YT_ONE, 10000), YT_OK);
    CHECK_EQUAL(yt_adapter_set_parameter(&b.adapter, 0, 7 * YT_ONE, 20000), YT_OK);
    CHECK_TEXT(button(30000), "03");
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
    CHECK_TEXT(button(1000), "03");
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 2, 10000), YT_OK);
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 1, 20000), YT_OK);
    CHECK_TEXT(button(30000), "03");
    about("a change of the slot keeps what was not kept yet");
    CHECK_EQUAL(yt_adapter_set_parameter(&b.adapter, 0, 2 * YT_ONE, 40000), YT_OK);
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 2, 50000), YT_OK);
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 1, 60000), YT_OK);
    CHECK_TEXT(button(70000), "02");
    CHECK_EQUAL(yt_adapter_set_parameter(&b.adapter, 0, 8 * YT_ONE, 80000), YT_OK);
    CHECK(yt_adapter_work(&b.adapter, 2000000, 8, true) == YT_OK);
    CHECK(yt_adapter_work(&b.adapter, 2000000, 8, true) == YT_OK);
    about("another program in the slot begins without");
    CHECK_EQUAL(yt_adapter_set_parameter(&b.adapter, 0, 9 * YT_ONE, 2000000), YT_OK);
    box_write(&b, 1, PLAY(3));
    CHECK(yt_adapter_work(&b.adapter, 4000000, 8, true) == YT_OK);
    CHECK_EQUAL(yt_store_slot(&b.store, 1, &info), YT_OK);
    CHECK_EQUAL(info.kept_bytes, 0);
    about("not where the settings say so");
    box_write(&b, 1, with_parameter);
    box_set(&b, YT_SETTING_KEEPS, 1, 0);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    CHECK_EQUAL(yt_adapter_set_parameter(&b.adapter, 0, 9 * YT_ONE, 1000), YT_OK);
    CHECK_TEXT(button(2000), "03");
    while (yt_adapter_work(&b.adapter, 3000000, 8, true) == YT_OK)
        continue;
    CHECK_EQUAL(yt_store_slot(&b.store, 1, &info), YT_OK);
    CHECK_EQUAL(info.kept_bytes, 0);
    box_end(&b);
}

/* More parameters than a slot keeps: 12 are, and what is kept is put in again, whatever they are.
 */
static void check_many_parameters(void) {
    char profile[2000] = MOUSE "parameters:\n";
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

static void check_active(void) {
    begin(true);
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
    CHECK_EQUAL(slot_of(&b), 2);
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
    CHECK_EQUAL(slot_of(&b), 2);
    CHECK_EQUAL(yt_adapter_turn(&b.adapter, 0, 4000000), YT_OK);
    CHECK_EQUAL(yt_adapter_turn(&b.adapter, 15, 4000000), YT_OK);
    CHECK_EQUAL(yt_adapter_turn(&b.adapter, 4000, 4000000), YT_OK);
    CHECK_EQUAL(slot_of(&b), 2);
    box_end(&b);
}

/* What needs an erase waits until one is allowed: nothing is erased in play. */
static void check_not_ready(void) {
    begin(true);
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
    begin(true);
    box_write(&b, 3, MOUSE "sheet:\n  view.button1: turbo(keys.a, 10 Hz)\n");
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
            box_write(&b, i % 3, i % 2 ? PLAY(4) : PLAY(5));
        CHECK(memcmp(before, runs, size) == 0);
        for (unsigned slot = 0; slot < 3; slot++)
            box_write(&b, slot, PLAY(1));
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

static void check_lock(void) {
    begin(true);
    box_write(&b, 0,
              MOUSE "sheet:\n  view.button1: keys.a and adapter.locked == 1\n"
                    "  view.button2: keys.a\n  adapter.lock: keys.l\n"
                    "  adapter.release_all: keys.r\n  adapter.bootloader: keys.b\n");
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    about("locked, until it is unlocked by a press");
    CHECK(yt_adapter_is_locked(&b.adapter));
    CHECK_TEXT(button(1000), "03");
    CHECK_EQUAL(box_press(&b, KEY_L, 10000), -1);
    CHECK(!yt_adapter_is_locked(&b.adapter));
    CHECK_TEXT(button(20000), "02");
    box_press(&b, KEY_L, 30000);
    CHECK(yt_adapter_is_locked(&b.adapter));
    about("anybody may, or nobody");
    box_set(&b, YT_SETTING_LOCK, 0, YT_LOCK_OPEN);
    yt_adapter_read_settings(&b.adapter);
    CHECK(!yt_adapter_is_locked(&b.adapter));
    CHECK_TEXT(button(30500), "02");
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

/* Settings that have no room, that are newer, or that are none: all is as usual, and they stay. */
static void check_strange_settings(void) {
    uint8_t newer[] = {'Y', 'S', 9, 0, 1, 2, 3}, kept[16];
    size_t size;
    begin(true);
    box_set(&b, YT_SETTING_START, 0, 3);
    b.parts.settings_room = 5;
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    CHECK_EQUAL(slot_of(&b), 0);
    b.parts.settings_room = 0;
    b.parts.settings = NULL;
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    CHECK_EQUAL(slot_of(&b), 0);
    b.parts.settings = b.settings;
    b.parts.settings_room = sizeof b.settings;
    CHECK_EQUAL(yt_store_set(&b.store, newer, sizeof newer), YT_OK);
    CHECK_EQUAL(box_plug_in(&b, &box_alone, 0), YT_OK);
    CHECK_EQUAL(slot_of(&b), 0);
    CHECK_EQUAL(yt_store_settings(&b.store, kept, sizeof kept, &size), YT_OK);
    CHECK(size == sizeof newer && memcmp(kept, newer, size) == 0);
    box_end(&b);
}

/* A program that has no room, or is none, is not gone to; where it is copied, the one before comes
 * back, or the firmware's own where that is gone too. */
static void check_no_program(bool is_mapped) {
    static uint8_t rubbish[4096];
    static yt_compiled own;
    begin(is_mapped);
    rig_compile(&own, MOUSE "sheet: {view.button5: keys.a}\n");
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
        CHECK_EQUAL(slot_of(&b), 1);
        CHECK_TEXT(button(3000), "02");
    }
    about("no program, only a text; a slot that there is not");
    CHECK_EQUAL(yt_store_write(&b.store, 4, "a text", NULL, 0, "sheet", 5), YT_OK);
    CHECK_EQUAL(yt_adapter_go(&b.adapter, 4, 2000), YT_SLOT_EMPTY);
    CHECK_EQUAL(yt_adapter_go(&b.adapter, BOX_SLOTS, 2000), YT_SLOT);
    CHECK_EQUAL(yt_adapter_go(&b.adapter, YT_NO_SLOT, 2000), YT_SLOT);
    CHECK_TEXT(button(10000), "02");
    about("the flash can no longer be read where it ran from");
    CHECK_EQUAL(yt_store_erase(&b.store, 1), YT_OK);
    CHECK(yt_adapter_go(&b.adapter, 3, 20000) >= YT_PROGRAM_SIZE);
    CHECK_TEXT(button(30000), is_mapped ? "02" : "10");
    if (!is_mapped) {
        about("a program longer than the room to copy it to");
        CHECK_EQUAL(yt_adapter_go(&b.adapter, 0, 40000), YT_OK);
        b.parts.copy_room = 100;
        CHECK_EQUAL(yt_adapter_go(&b.adapter, 2, 40000), YT_MEMORY);
        CHECK_TEXT(button(50000), "01");
    }
    pool_free(&own.pool);
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

/* What is kept in play is only programmed, whatever else waits, and both of it comes. */
static void check_kept_in_play(void) {
    static const char with_parameter[] =
        MOUSE "parameters: {most: {value: 1, min: 0, max: 9, step: 1}}\nsheet:\n"
              "  view.button1: keys.a and most > 5\n" NEXT;
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

int main(void) {
    check_start();
    check_kept_in_play();
    for (unsigned is_mapped = 0; is_mapped < 2; is_mapped++) {
        check_own_program(is_mapped);
        check_letting_go(is_mapped);
        check_kept_parameters(is_mapped);
        check_no_program(is_mapped);
    }
    check_order();
    check_light();
    check_motors();
    check_many_parameters();
    check_active();
    check_not_ready();
    check_pinned();
    check_calibrations();
    check_lock();
    check_strange_settings();
    check_held();
    return report_checks();
}
