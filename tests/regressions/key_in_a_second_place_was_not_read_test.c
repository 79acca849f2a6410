/* A key, or a media key, that a device tells in several places is one control: in a list and by a
 * bit, in two reports or two collections, or even twice in a byte. Once only the first place was
 * read. Made-up reports; what is expected is worked out by reading the bytes. */
#include "tests/engine/rig.h"
#include "tests/harness.h"

static rig r;

/* A list of six keys and modifiers in report 1, the keys 4 to 29 by bits in report 2; in report 3
 * of another collection keys 4 to 11 twice in a byte, four bits each, and three media keys. */
static const uint8_t keyboard[] = {
    0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x85, 0x01, 0x05, 0x07, 0x19, 0x00, 0x29, 0x65, 0x15,
    0x00, 0x25, 0x65, 0x75, 0x08, 0x95, 0x06, 0x81, 0x00, 0x85, 0x02, 0x19, 0x04, 0x29, 0x1d,
    0x25, 0x01, 0x75, 0x01, 0x95, 0x1a, 0x81, 0x02, 0x95, 0x06, 0x81, 0x01, 0xc0, 0x05, 0x01,
    0x09, 0x06, 0xa1, 0x01, 0x85, 0x03, 0x05, 0x07, 0x19, 0x04, 0x29, 0x07, 0x15, 0x00, 0x25,
    0x01, 0x75, 0x01, 0x95, 0x04, 0x81, 0x02, 0x19, 0x04, 0x29, 0x07, 0x81, 0x02, 0xc0};

enum { KEYS = 26 };

typedef struct held {
    bool in_list[KEYS], by_bit[KEYS], first[4], second[4];
} held;

static bool is_held(const held *held, unsigned key) {
    return held->in_list[key] || held->by_bit[key] ||
           (key < 4 && (held->first[key] || held->second[key]));
}

static void send_list(unsigned number, held *held, dice *dice, uint64_t now_us) {
    uint8_t report[7] = {1};
    memset(held->in_list, 0, sizeof held->in_list);
    for (unsigned i = 1; i < 7; i++) {
        unsigned key = roll_below(dice, KEYS + 20);
        if (key >= KEYS)
            continue;
        report[i] = (uint8_t)(4 + key);
        held->in_list[key] = true;
    }
    rig_report(&r, number, report, sizeof report, now_us);
}

static void send_bits(unsigned number, held *held, dice *dice, uint64_t now_us) {
    uint8_t report[5] = {2};
    for (unsigned key = 0; key < KEYS; key++) {
        held->by_bit[key] = roll_below(dice, 4) == 0;
        report[1 + key / 8] |= (uint8_t)(held->by_bit[key] << (key % 8));
    }
    rig_report(&r, number, report, sizeof report, now_us);
}

static void send_byte(unsigned number, held *held, dice *dice, uint64_t now_us) {
    uint8_t report[2] = {3, (uint8_t)roll(dice)};
    for (unsigned key = 0; key < 4; key++) {
        held->first[key] = report[1] >> key & 1;
        held->second[key] = report[1] >> (4 + key) & 1;
    }
    rig_report(&r, number, report, sizeof report, now_us);
}

static void check_keyboard(void) {
    char profile[2000] = "inputs: {keys: keyboard}\noutputs: {typed: keyboard}\nsheet:\n";
    for (unsigned i = 0; i < KEYS; i++)
        sprintf(profile + strlen(profile), "  typed.%c: keys.%c\n", 'a' + i, 'a' + i);
    rig_begin(&r, profile);
    unsigned numbers[2] = {RIG_ATTACH(&r, keyboard), RIG_ATTACH(&r, keyboard)};
    held helds[2] = {0};
    dice dice = {11};
    for (unsigned i = 1; i < 20000; i++) {
        unsigned which = i < 10000 ? 0 : roll_below(&dice, 2); /* one, then both of them */
        held *held = &helds[which];
        switch (roll_below(&dice, 3)) {
        case 0:
            send_list(numbers[which], held, &dice, i);
            break;
        case 1:
            send_bits(numbers[which], held, &dice, i);
            break;
        default:
            send_byte(numbers[which], held, &dice, i);
        }
        for (unsigned key = 0; key < KEYS; key++) {
            about("report %u, key %c", i, 'a' + key);
            CHECK_EQUAL(rig_value(&r, key) != 0,
                        is_held(&helds[0], key) || is_held(&helds[1], key));
        }
        while (*rig_take(&r, 0, i))
            continue;
    }
    about("both leave");
    yt_engine_detach(&r.engine, numbers[0], 30000);
    yt_engine_detach(&r.engine, numbers[1], 30001);
    for (unsigned key = 0; key < KEYS; key++)
        CHECK_EQUAL(rig_value(&r, key), 0);
    rig_end(&r);
}

/* Three media keys in a list, and by bits in another report. */
static void check_media(void) {
    static const uint8_t media[] = {
        0x05, 0x0c, 0x09, 0x01, 0xa1, 0x01, 0x85, 0x01, 0x19, 0x00, 0x2a, 0xff, 0x03, 0x15, 0x00,
        0x26, 0xff, 0x03, 0x75, 0x10, 0x95, 0x02, 0x81, 0x00, 0x85, 0x02, 0x09, 0xe2, 0x09, 0xe9,
        0x25, 0x01, 0x75, 0x01, 0x95, 0x02, 0x81, 0x02, 0x95, 0x06, 0x81, 0x01, 0xc0};
    about("media keys");
    rig_begin(&r, "inputs: {media: consumer}\noutputs: {out: consumer}\n"
                  "sheet: {out.mute: media.mute, out.volume_up: media.volume_up}\n");
    unsigned number = RIG_ATTACH(&r, media);
    RIG_REPORT(&r, number, 1, 1, 0xe2, 0, 0, 0);
    CHECK_EQUAL(rig_value(&r, 0), YT_ONE);
    RIG_REPORT(&r, number, 2, 2, 0x03);
    CHECK_EQUAL(rig_value(&r, 1), YT_ONE);
    RIG_REPORT(&r, number, 3, 1, 0, 0, 0, 0);
    CHECK_EQUAL(rig_value(&r, 0), YT_ONE); /* by its bit it is still on */
    RIG_REPORT(&r, number, 4, 2, 0x02);
    CHECK_EQUAL(rig_value(&r, 0), 0);
    CHECK_EQUAL(rig_value(&r, 1), YT_ONE);
    RIG_REPORT(&r, number, 5, 2, 0);
    CHECK_EQUAL(rig_value(&r, 1), 0);
    rig_end(&r);
}

/* Buttons that a person can tell apart stay apart. */
static void check_buttons(void) {
    static const uint8_t buttons[] = {0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, 0x85, 0x01, 0x05,
                                      0x09, 0x19, 0x01, 0x29, 0x08, 0x15, 0x00, 0x25, 0x01,
                                      0x75, 0x01, 0x95, 0x08, 0x81, 0x02, 0x85, 0x02, 0x19,
                                      0x01, 0x29, 0x08, 0x81, 0x02, 0xc0};
    about("buttons");
    rig_begin(&r, "inputs: {lever: joystick}\noutputs: {pad: gamepad}\n"
                  "sheet: {pad.south: lever.button1, pad.east: lever.button1.2}\n");
    unsigned number = RIG_ATTACH(&r, buttons);
    RIG_REPORT(&r, number, 1, 2, 1);
    CHECK_EQUAL(rig_value(&r, 0), 0);
    CHECK_EQUAL(rig_value(&r, 1), YT_ONE);
    RIG_REPORT(&r, number, 2, 1, 1);
    CHECK_EQUAL(rig_value(&r, 0), YT_ONE);
    rig_end(&r);
}

int main(void) {
    check_keyboard();
    check_media();
    check_buttons();
    return report_checks();
}
