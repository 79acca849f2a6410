/* Recordings that are wrong, and the message for each; and texts that are written and read back. */
#include "ports/sim/recording.h"
#include "tests/harness.h"

static const struct {
    const char *about;
    const char *text;
    const char *error; /* "" where it is fine */
} texts[] = {
    {"a whole recording",
     "# a comment\nD: 0\nN: Pedal\nP: \nI: 3 1209 0007\nR: 2 05 01\n"
     "E: 000000.000005 2 01 ff\n",
     ""},
    {"line ends of two characters", "N: Pedal\r\nR: 1 c0\r\nE: 0.5 1 0a\r\n", ""},
    {"nothing", "", "f: no HID device is in this recording"},
    {"only a comment", "# nothing\n", "f: no HID device is in this recording"},
    {"another file", "hello\n",
     "f:1: this is neither a pcap nor a HID recording: a line begins "
     "with one of D: N: P: I: R: E: or #"},
    {"an unknown letter", "R: 1 c0\nQ: 1\n",
     "f:2: a line begins with one of D: N: P: I: R: E: or #"},
    {"no descriptor", "N: Pedal\n", "f: device 0 has no report descriptor (R:)"},
    {"a report too early", "E: 0.0 1 00\n",
     "f:1: a report before its device's report descriptor (a line with R:)"},
    {"a descriptor shorter than it says", "R: 3 05 01\n",
     "f:1: a descriptor line is \"R: \" with the length and so many bytes in hexadecimal"},
    {"a descriptor longer than it says", "R: 1 05 01\n",
     "f:1: a descriptor line is \"R: \" with the length and so many bytes in hexadecimal"},
    {"a descriptor of no bytes", "R: 0\n",
     "f:1: a descriptor line is \"R: \" with the length and so many bytes in hexadecimal"},
    {"a descriptor of 99999 bytes", "R: 99999 05\n",
     "f:1: a descriptor line is \"R: \" with the length and so many bytes in hexadecimal"},
    {"a byte that is none", "R: 1 c0\nE: 0.0 1 0g\n",
     "f:2: a report line is \"E: \" with seconds.microseconds, the length, and so many bytes in "
     "hexadecimal"},
    {"a byte of three digits", "R: 1 c0\nE: 0.0 1 100\n",
     "f:2: a report line is \"E: \" with seconds.microseconds, the length, and so many bytes in "
     "hexadecimal"},
    {"a time without a point", "R: 1 c0\nE: 5 1 00\n",
     "f:2: a report line is \"E: \" with seconds.microseconds, the length, and so many bytes in "
     "hexadecimal"},
    {"a time that ends with its point", "R: 1 c0\nE: 5. 1 00\n",
     "f:2: a report line is \"E: \" with seconds.microseconds, the length, and so many bytes in "
     "hexadecimal"},
    {"a time that goes back", "R: 1 c0\nE: 1.000000 1 00\nE: 0.999999 1 00\n",
     "f:3: this report is earlier than the one before it"},
    {"IDs that are none", "I: 3 1209\n",
     "f:1: an ID line is \"I: \" with bus, vendor and product in hexadecimal, as in: I: 3 1209 "
     "0001"},
    {"IDs too large", "I: 3 12345 1\n",
     "f:1: an ID line is \"I: \" with bus, vendor and product in hexadecimal, as in: I: 3 1209 "
     "0001"},
    {"a device number too large", "D: 16\n",
     "f:1: a device line is \"D: \" and a number from 0 to 15"},
    {"a device left out", "D: 1\nR: 1 c0\n", "f: device 0 has no report descriptor (R:)"}};

static void check_texts(void) {
    for (size_t i = 0; i < sizeof texts / sizeof texts[0]; i++) {
        recording recording;
        about("%s", texts[i].about);
        bool good =
            recording_parse(&recording, "f", (const uint8_t *)texts[i].text, strlen(texts[i].text));
        CHECK_EQUAL(good, *texts[i].error == 0);
        CHECK_TEXT(recording.error, texts[i].error);
        if (good)
            recording_free(&recording);
    }
    about("a character with the code 0");
    recording recording;
    CHECK(!recording_parse(&recording, "f", (const uint8_t *)"N: a\0b\n", 7));
    CHECK_TEXT(recording.error, "f:1: this is neither a pcap nor a HID recording");
}

/* Seconds with a fraction of any number of digits; what is finer than a microsecond is cut. */
static void check_times(void) {
    static const struct {
        const char *time;
        uint64_t micros;
    } times[] = {{"1.5", 1500000},   {"0.05", 50000},         {"2.000005", 2000005},
                 {"0.5000", 500000}, {"0.123456789", 123456}, {"000003.250000", 3250000},
                 {"7.0", 7000000},   {"0.000001", 1},         {"0.9999999", 999999}};
    for (size_t i = 0; i < sizeof times / sizeof times[0]; i++) {
        char text[100];
        recording recording;
        snprintf(text, sizeof text, "R: 1 c0\nE: %s 1 00\n", times[i].time);
        about("a time of %s s", times[i].time);
        bool good = recording_parse(&recording, "f", (const uint8_t *)text, strlen(text));
        CHECK(good);
        if (!good)
            continue;
        CHECK_EQUAL(recording.reports[0].time_us, times[i].micros);
        recording_free(&recording);
    }
}

/* Reading what was written gives the same. */
static void check_round_trip(void) {
    char *text = NULL;
    size_t size;
    dice dice = {15};
    recording recording;
    FILE *file = open_memstream(&text, &size);
    about("written and read back");
    recording_write_device(file, 0, "One", 3, 0x1209, 1, (const uint8_t *)"\x05\x01", 2);
    recording_write_device(file, 1, "Two", 5, 0x1209, 2, (const uint8_t *)"\xc0", 1);
    for (int i = 0; i < 200; i++) {
        uint8_t bytes[3] = {(uint8_t)roll(&dice), (uint8_t)i, 0xff};
        recording_write_report(file, (uint64_t)i * 700001, bytes, 1 + (size_t)i % 3);
    }
    fclose(file);
    CHECK(recording_parse(&recording, "f", (uint8_t *)text, size));
    CHECK_TEXT(recording.devices[0].name, "One");
    CHECK_EQUAL(recording.devices[1].bus, 5);
    CHECK_EQUAL(recording.report_count, 200);
    dice.state = 15;
    for (size_t i = 0; i < 200; i++) {
        const recorded_report *report = &recording.reports[i];
        CHECK_EQUAL(report->time_us, i * 700001);
        CHECK_EQUAL(report->device, 1);
        CHECK_EQUAL(report->size, 1 + i % 3);
        CHECK_EQUAL(recording.bytes[report->offset], roll(&dice) & 0xff);
    }
    recording_free(&recording);
    free(text);
}

static void check_bad_pcap(const uint8_t *bytes, size_t size, const char *what,
                           const char *expected) {
    recording recording;
    about("%s", what);
    CHECK(!recording_parse(&recording, "f.pcap", bytes, size));
    CHECK(strstr(recording.error, expected) != NULL);
    if (!strstr(recording.error, expected))
        CHECK_TEXT(recording.error, expected);
}

/* The place of the n-th packet in a pcap. */
static size_t packet_at(const uint8_t *bytes, unsigned n) {
    size_t at = 24;
    uint32_t length;
    while (n-- > 0) {
        memcpy(&length, bytes + at + 8, 4);
        at += 16 + length;
    }
    return at;
}

static void check_pcaps(void) {
    size_t size;
    uint8_t *bytes = (uint8_t *)read_test_file("crane/captures/mouse.pcap", &size);
    uint8_t *changed = malloc(size);
    uint32_t number;
    recording recording;
    check_bad_pcap(bytes, 20, "a pcap cut in its head", "truncated");
    check_bad_pcap(bytes, 24, "a pcap without packets", "no HID device");
    check_bad_pcap(bytes, packet_at(bytes, 300) + 30, "a pcap cut in a packet", "after packet 300");
    check_bad_pcap(bytes, packet_at(bytes, 300) + 7, "a pcap cut in a packet's head",
                   "after packet 300");

    memcpy(changed, bytes, size);
    number = 1;
    memcpy(changed + 20, &number, 4);
    check_bad_pcap(changed, size, "a capture of a network",
                   "this capture is of EN10MB, not of USB");

    memcpy(changed, bytes, size);
    size_t at = packet_at(bytes, 36); /* the report descriptor's packet */
    memcpy(&number, changed + at + 12, 4);
    number += 10;
    memcpy(changed + at + 12, &number, 4);
    check_bad_pcap(changed, size, "a packet that the capture cut short",
                   "packet 37: the capture cut it short");

    memcpy(changed, bytes, size);
    number = 1;
    memcpy(changed + packet_at(bytes, 40) + 16 + 16, &number, 4); /* the seconds of a header */
    memcpy(changed + packet_at(bytes, 42) + 16 + 16, &number, 4);
    about("a time that goes back");
    CHECK(!recording_parse(&recording, "f.pcap", changed, size));
    CHECK(strstr(recording.error, "it is earlier than the packet before it") != NULL);

    /* Without the enumeration nobody knows what the reports mean. */
    about("a capture that begins too late");
    size_t late = packet_at(bytes, 37);
    memcpy(changed, bytes, 24);
    memcpy(changed + 24, bytes + late, size - late);
    CHECK(!recording_parse(&recording, "f.pcap", changed, 24 + size - late));
    CHECK(strstr(recording.error, "no HID device") != NULL);
    free(changed);
    free(bytes);
}

/* Cut at any packet's end, a capture is a shorter one or an error; changed anywhere, no harm is
 * done. */
static void check_damage(void) {
    size_t size;
    dice dice = {16};
    uint8_t *bytes = (uint8_t *)read_test_file("crane/captures/keyboard.pcap", &size);
    unsigned read = 0;
    about("a damaged capture");
    for (int i = 0; i < 3000; i++) {
        uint8_t *changed = malloc(8000);
        recording recording;
        memcpy(changed, bytes, 8000);
        for (int k = 0; k < 3; k++)
            changed[24 + roll_below(&dice, 7976)] = (uint8_t)roll(&dice);
        bool good = recording_parse(&recording, "f", changed, 24 + roll_below(&dice, 7976));
        CHECK_EQUAL(good, recording.error[0] == 0);
        read += good;
        if (good)
            recording_free(&recording);
        free(changed);
    }
    CHECK(read < 3000);
    free(bytes);
}

static void check_files(void) {
    recording recording;
    about("a file that is not there");
    CHECK(!recording_read(&recording, "crane/nowhere.pcap"));
    CHECK_TEXT(recording.error, "crane/nowhere.pcap: No such file or directory");
    CHECK(!recording_read(&recording, "crane"));
    CHECK_TEXT(recording.error, "crane: is a folder, not a file");
}

int main(void) {
    check_texts();
    check_times();
    check_round_trip();
    check_pcaps();
    check_damage();
    check_files();
    return report_checks();
}
