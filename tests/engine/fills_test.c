/* Reports that fill themselves: constants, counters and checksums, to hosts and to devices, against
 * a reckoning bit by bit and the check values of well-known checksums. */
#include <sys/stat.h>
#include <unistd.h>

#include "tests/engine/rig.h"
#include "tests/harness.h"
#include "tests/engine/lengths.h"

/* Buttons 1 to 8, x of 8 bits, signed. */
static const uint8_t lever[] = {0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01,
                                0x29, 0x08, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x08,
                                0x81, 0x02, 0x05, 0x01, 0x09, 0x30, 0x15, 0x81, 0x25, 0x7f,
                                0x75, 0x08, 0x95, 0x01, 0x81, 0x02, 0xc0};

static rig r;

static void begin(const char *output, const char *cells) {
    char text[4000];
    snprintf(text, sizeof text, "inputs: {lever: joystick}\noutputs:\n  pad:\n%s\nsheet:\n%s",
             output, cells);
    rig_begin(&r, text);
}

/* What the host gets, what it asks for, and what is taken back. */
static void check_to_host(void) {
    uint8_t bytes[64];
    size_t length;
    about("a layout of one's own with a constant, a counter and a sum");
    begin("    kind: joystick\n    fields:\n"
          "      - {usage: button1, count: 8}\n"
          "      - {constant: 0x5a, bits: 8}\n"
          "      - {usage: x, bits: 8}\n"
          "      - {counter: 14, bits: 4}\n"
          "      - {constant: 9, bits: 4}\n"
          "      - {checksum: sum, bits: 16, over: [0, 3], big_endian: true}",
          "  pad.button1: lever.button1\n  pad.x: lever.x\n");
    unsigned device = RIG_ATTACH(&r, lever);
    static const char *const expected[] = {"01 5a 00 9e 00 f9", "00 5a 7f 9f 01 78",
                                           "01 5a 00 90 00 eb", "00 5a 81 91 01 6c"};
    CHECK_TEXT(rig_take(&r, 0, 0), "");
    for (unsigned i = 0; i < 4; i++) {
        static const uint8_t x[] = {0, 127, 0, 0x81};
        RIG_REPORT(&r, device, 1 + i, i % 2 == 0, x[i]);
        CHECK_TEXT(rig_take(&r, 0, 1 + i), expected[i]);
        CHECK_TEXT(rig_take(&r, 0, 1 + i), "");
        CHECK_EQUAL(yt_interface_state(&r.engine, 0, YT_HID_INPUT, 0, bytes, 64, &length), YT_OK);
        char text[100] = "";
        for (size_t k = 0; k < length; k++)
            sprintf(text + strlen(text), "%s%02x", k ? " " : "", bytes[k]);
        CHECK_TEXT(text, expected[i]); /* what was told last, again */
    }
    about("a report that is taken back does not count");
    RIG_REPORT(&r, device, 10, 1, 0);
    CHECK_EQUAL(yt_interface_report(&r.engine, 0, bytes, 64, &length), YT_OK);
    CHECK_EQUAL(bytes[3], 0x92);
    CHECK_EQUAL(yt_interface_take_back(&r.engine, 0, bytes, length), YT_OK);
    CHECK_TEXT(rig_take(&r, 0, 11), "01 5a 00 92 00 ed");
    rig_end(&r);
}

/* A descriptor of one's own has fields for them; two reports each have their own. */
static void check_descriptor(void) {
    about("a descriptor of one's own");
    begin("    kind: joystick\n    descriptor: 05 01 09 04 a1 01 85 01 05 09 19 01 29 08 15 00 25 "
          "01 75 01 95 08 81 02 06 00 ff 09 01 26 ff 00 75 08 95 03 81 02 85 02 05 01 09 30 15 81 "
          "25 7f 75 08 95 01 81 02 06 00 ff 09 02 81 02 c0\n    fills:\n"
          "      - {report: 1, bit: 8, bits: 8, counter: 255}\n"
          "      - {report: 1, bit: 16, bits: 8, constant: 7}\n"
          "      - {report: 1, bit: 24, checksum: xor, start: 0xff}\n"
          "      - {report: 2, bit: 8, checksum: sum, negated: true, before: [2]}",
          "  pad.button1: lever.button1\n  pad.x: lever.x\n");
    unsigned device = RIG_ATTACH(&r, lever);
    RIG_REPORT(&r, device, 1, 1, 5);
    CHECK_TEXT(rig_take(&r, 0, 1), "01 01 ff 07 06");
    CHECK_TEXT(rig_take(&r, 0, 1), "02 05 f9");
    RIG_REPORT(&r, device, 2, 0, 5);
    CHECK_TEXT(rig_take(&r, 0, 2), "01 00 00 07 f8");
    rig_end(&r);
}

static const char *sent(unsigned number) {
    static char text[400];
    uint8_t bytes[64];
    yt_device_output output;
    text[0] = 0;
    CHECK_EQUAL(yt_device_report(&r.engine, number, bytes, sizeof bytes, &output), YT_OK);
    for (size_t i = 0; i < output.length; i++)
        sprintf(text + strlen(text), "%s%02x", i ? " " : "", bytes[i]);
    if (output.length)
        strcat(text, output.direction == YT_HID_FEATURE ? " feature" : " output");
    return text;
}

/* CRC-32 as IEEE 802.3 has it, by its definition. */
static uint32_t crc32_of(const uint8_t *bytes, size_t size) {
    uint32_t crc = UINT32_MAX;
    for (size_t i = 0; i < 8 * size; i++) {
        unsigned bit = bytes[i / 8] >> i % 8 & 1;
        crc = (crc & 1) != bit ? crc >> 1 ^ 0xedb88320 : crc >> 1;
    }
    return ~crc;
}

static const char *plover_report(unsigned count, unsigned pull) {
    static char text[200];
    const uint8_t bytes[] = {5, 0x11, (uint8_t)count, (uint8_t)pull, 0};
    uint32_t crc = crc32_of(bytes, 5);
    snprintf(text, sizeof text, "05 11 %02x %02x 00 %02x %02x %02x %02x output", count & 255, pull,
             crc & 255, crc >> 8 & 255, crc >> 16 & 255, crc >> 24);
    return text;
}

/* The demo's lever: greeted when it arrives, told every 500 ms that somebody is there. */
static void check_to_device(const char *description) {
    rig_begin(&r, "inputs: {lever: plover-lever}\noutputs: {pad: gamepad}\nsheet:\n"
                  "  pad.south: lever.button1\n  lever.pull: pad.rumble.strong\n");
    yt_device device = {.descriptor = lever,
                        .descriptor_size = sizeof lever,
                        .bus = YT_BUS_USB,
                        .vendor = 0x1209,
                        .product = 0x0031,
                        .input = YT_ANY_INPUT};
    unsigned number;
    about("%s: what it is sent when it arrives", description);
    yt_engine_update(&r.engine, 5000);
    CHECK_EQUAL(yt_engine_attach(&r.engine, &device, &number), YT_OK);
    CHECK_TEXT(sent(number), "04 01 a5 feature");
    CHECK_TEXT(sent(number), plover_report(0, 0));
    CHECK_TEXT(sent(number), "");
    about("again every 500 ms, no sooner and no later");
    uint64_t due_us = yt_engine_update(&r.engine, 6000);
    CHECK_EQUAL(due_us, 505000);
    yt_engine_update(&r.engine, 504999);
    CHECK_TEXT(sent(number), "");
    for (unsigned i = 1; i < 300; i++) {
        uint64_t next_us = yt_engine_update(&r.engine, due_us); /* it goes by this one alone */
        CHECK_EQUAL(next_us - due_us, 500000);
        CHECK_TEXT(sent(number), plover_report(i, 0));
        CHECK_TEXT(sent(number), "");
        due_us = next_us;
    }
    about("a motor that changes is in the same report, with all that belongs to it");
    static const uint8_t strong[] = {0xff, 0, 0, 0, 0};
    due_us -= 100000;
    CHECK_EQUAL(yt_interface_receive(&r.engine, 0, YT_HID_OUTPUT, strong, 5, due_us), YT_OK);
    yt_engine_update(&r.engine, due_us);
    CHECK_TEXT(sent(number), plover_report(300, 0xff));
    CHECK_TEXT(sent(number), "");
    CHECK_EQUAL(yt_engine_update(&r.engine, due_us), due_us + 500000);
    about("it leaves, and comes back: greeted anew");
    yt_engine_detach(&r.engine, number, due_us);
    CHECK_EQUAL(yt_engine_attach(&r.engine, &device, &number), YT_OK);
    CHECK_TEXT(sent(number), "04 01 a5 feature");
    rig_end(&r);
}

/* The check values: what each makes of the nine bytes "123456789". */
static void check_known(void) {
    static const struct {
        const char *what, *keys, *expected;
    } known[] = {
        {"CRC-8", "checksum: crc8", "f4"},
        {"CRC-8/ROHC", "checksum: crc8, start: 0xff, reflected: true", "d0"},
        {"CRC-8/MAXIM", "checksum: crc8, polynomial: 0x31, reflected: true", "a1"},
        {"CRC-16/CCITT-FALSE", "checksum: crc16", "b1 29"},
        {"CRC-16/CCITT-FALSE, big endian", "checksum: crc16, big_endian: true", "29 b1"},
        {"CRC-16/XMODEM", "checksum: crc16, start: 0", "c3 31"},
        {"CRC-16/X-25", "checksum: crc16, reflected: true, final: 0xffff", "6e 90"},
        {"CRC-16/ARC", "checksum: crc16, polynomial: 0x8005, start: 0, reflected: true", "3d bb"},
        {"CRC-32", "checksum: crc32", "26 39 f4 cb"},
        {"CRC-32C", "checksum: crc32, polynomial: 0x1edc6f41", "83 92 06 e3"},
        {"CRC-32/BZIP2", "checksum: crc32, reflected: false", "18 19 89 fc"},
        {"sum", "checksum: sum, bits: 16", "dd 01"},
        {"sum to zero", "checksum: sum, negated: true", "23"},
        {"ones' complement of a sum", "checksum: sum, final: 0xff", "22"},
        {"xor", "checksum: xor", "31"}};
    for (size_t i = 0; i < sizeof known / sizeof known[0]; i++) {
        char output[1200], expected[100];
        int length = snprintf(output, sizeof output,
                              "    kind: joystick\n    fields:\n"
                              "      - {usage: button1, count: 8}\n");
        for (unsigned k = 1; k <= 9; k++)
            length += snprintf(output + length, sizeof output - (size_t)length,
                               "      - {constant: %u, bits: 8}\n", 0x30 + k);
        snprintf(output + length, sizeof output - (size_t)length, "      - {%s, over: [1, 9]}",
                 known[i].keys);
        begin(output, "  pad.button1: lever.button1\n");
        unsigned device = RIG_ATTACH(&r, lever);
        RIG_REPORT(&r, device, 1, 1, 0);
        snprintf(expected, sizeof expected, "01 31 32 33 34 35 36 37 38 39 %s", known[i].expected);
        about("%s", known[i].what);
        CHECK_TEXT(rig_take(&r, 0, 1), expected);
        rig_end(&r);
    }
}

/* The reckoning: a CRC as a division of polynomials, over a list of bits. */
static uint32_t divided(const uint8_t *bytes, size_t size, unsigned width, uint32_t polynomial,
                        uint32_t start, uint32_t final, bool reflected) {
    bool remainder[32];
    for (unsigned i = 0; i < width; i++) /* the highest bit first */
        remainder[i] = start >> (width - 1 - i) & 1;
    for (size_t i = 0; i < 8 * size; i++) {
        bool bit = bytes[i / 8] >> (reflected ? i % 8 : 7 - i % 8) & 1, out = remainder[0] != bit;
        for (unsigned k = 0; k < width; k++) {
            bool next = k + 1 < width && remainder[k + 1];
            remainder[k] = next != (out && (polynomial >> (width - 1 - k) & 1));
        }
    }
    uint32_t crc = 0;
    for (unsigned i = 0; i < width; i++)
        crc |= (uint32_t)remainder[i] << (reflected ? i : width - 1 - i);
    return crc ^ final;
}

/* Checksums of any width, start, polynomial and end, over any bytes. */
static void check_random(void) {
    dice dice = {99};
    for (unsigned n = 0; n < 400; n++) {
        static const unsigned widths[] = {8, 16, 32};
        unsigned width = widths[roll_below(&dice, 3)], bytes = 1 + roll_below(&dice, 20);
        uint32_t mask = UINT32_MAX >> (32 - width),
                 polynomial = (uint32_t)roll_below(&dice, 65536) << 16 | roll_below(&dice, 65536);
        uint32_t start = (uint32_t)roll_below(&dice, 65536) << 16 | roll_below(&dice, 65536),
                 final = (uint32_t)roll_below(&dice, 65536) << 16 | roll_below(&dice, 65536);
        bool reflected = roll_below(&dice, 2), big = roll_below(&dice, 2);
        unsigned first = roll_below(&dice, bytes + 1),
                 last = first + roll_below(&dice, bytes + 1 - first),
                 before_count = roll_below(&dice, 5);
        uint8_t report[64] = {1}, message[80];
        char output[3000], expected[300] = "01", before[40] = "";
        int length =
            snprintf(output, sizeof output,
                     "    kind: joystick\n    fields:\n      - {usage: button1, count: 8}\n");
        polynomial = (polynomial & mask) | 1;
        start &= mask;
        final &= mask;
        for (unsigned k = 1; k <= bytes; k++) {
            report[k] = (uint8_t)roll_below(&dice, 256);
            length += snprintf(output + length, sizeof output - (size_t)length,
                               "      - {constant: %u}\n", report[k]);
            sprintf(expected + strlen(expected), " %02x", report[k]);
        }
        for (unsigned k = 0; k < before_count; k++) {
            message[k] = (uint8_t)roll_below(&dice, 256);
            sprintf(before + strlen(before), "%s%u", k ? ", " : "", message[k]);
        }
        memcpy(message + before_count, report + first, last - first + 1);
        snprintf(output + length, sizeof output - (size_t)length,
                 "      - {checksum: crc%u, polynomial: %u, start: %u, final: %u, reflected: %s, "
                 "big_endian: %s, over: [%u, %u], before: [%s]}",
                 width, polynomial, start, final, reflected ? "true" : "false",
                 big ? "true" : "false", first, last, before);
        uint32_t crc = divided(message, before_count + last - first + 1, width, polynomial, start,
                               final, reflected);
        for (unsigned k = 0; k < width / 8; k++)
            sprintf(expected + strlen(expected), " %02x",
                    crc >> 8 * (big ? width / 8 - 1 - k : k) & 255);
        begin(output, "  pad.button1: lever.button1\n");
        unsigned device = RIG_ATTACH(&r, lever);
        RIG_REPORT(&r, device, 1, 1, 0);
        about("checksum %u: %u bits over %u to %u", n, width, first, last);
        CHECK_TEXT(rig_take(&r, 0, 1), expected);
        rig_end(&r);
    }
}

int main(void) {
    check_to_host();
    check_descriptor();
    check_to_device("crane/devices/plover-lever.yaml");
    check_known();
    check_random();
    return report_checks();
}
