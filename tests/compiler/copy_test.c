/* What is copied goes through as it is: a device that is laid out as the output itself. */
#include "tests/engine/rig.h"
#include "tests/harness.h"
#include "tests/engine/lengths.h"

static rig one, other;

/* A device with the report descriptor that the profile's own interface has. */
static unsigned attach_twin(rig *rig) {
    const yt_program *program = &rig->compiled.program;
    const yt_program_interface *interface = &program->interfaces[0];
    return rig_attach(rig, program->blob + interface->descriptor_offset,
                      interface->descriptor_bytes);
}

static size_t bytes_of(const char *text, uint8_t *bytes) {
    size_t size = 0;
    unsigned byte;
    for (; sscanf(text, "%2x", &byte) == 1; text += text[2] ? 3 : 2)
        bytes[size++] = (uint8_t)byte;
    return size;
}

/* Feeds a report and takes all that comes of it; the last one. */
static const char *pass(rig *rig, unsigned device, const uint8_t *bytes, size_t size,
                        uint64_t now_us, unsigned *count) {
    static char last[2][256];
    static unsigned turn;
    char *kept = last[turn++ % 2];
    kept[0] = 0;
    rig_report(rig, device, bytes, size, now_us);
    for (const char *text; *(text = rig_take(rig, 0, now_us)); ++*count)
        snprintf(kept, sizeof last[0], "%s", text);
    return kept;
}

/* What comes out for a random report comes out again when it goes in. At least `least` of 400
 * reports change something, and `moves` bits of them are seen to move. */
static void check_twin(const char *kind, const char *output, unsigned least, unsigned moves) {
    char profile[400];
    unsigned reports = 0, again = 0;
    uint8_t rest[YT_REPORT_BYTES + 1] = {0}, moved[YT_REPORT_BYTES + 1] = {0};
    dice dice = {7};
    snprintf(profile, sizeof profile, "inputs: {in: %s}\noutputs: {out: %s}\ncopy: {out: in}\n",
             kind, output);
    rig_begin(&one, profile);
    rig_begin(&other, profile);
    unsigned first = attach_twin(&one), second = attach_twin(&other);
    const yt_program_report *report = &one.compiled.program.reports[0];
    size_t head = report->id ? 1 : 0, size = head + report->bytes;
    for (unsigned step = 0; step < 400; step++) {
        uint8_t bytes[YT_REPORT_BYTES + 1] = {report->id};
        for (size_t i = head; i < size; i++) /* few keys at once, or the list of changes is full */
            bytes[i] = (uint8_t)(size > 24 ? roll(&dice) & roll(&dice) & roll(&dice) & roll(&dice)
                                           : roll(&dice));
        if (strcmp(kind, "consumer") == 0)
            for (size_t i = head + 1; i < size; i += 2)
                bytes[i] = 0; /* usages up to 255 */
        unsigned before = reports;
        const char *text = pass(&one, first, bytes, size, step * 1000, &reports);
        about("%s: %s, step %u", output, text, step);
        if (reports == before)
            continue;
        size_t length = bytes_of(text, bytes);
        CHECK_EQUAL(length, size);
        for (size_t i = 0; i < length; i++)
            moved[i] |= (uint8_t)(bytes[i] ^ rest[i]);
        if (reports == 1) {
            memcpy(rest, bytes, length);
            memset(moved, 0, sizeof moved);
        }
        CHECK_TEXT(pass(&other, second, bytes, length, step * 1000, &again), text);
    }
    about("%s: enough came through", output);
    CHECK(reports >= least);
    unsigned bits = 0;
    for (size_t i = 0; i < 8 * sizeof moved; i++)
        bits += moved[i / 8] >> (i % 8) & 1;
    CHECK_EQUAL(bits, moves);
    rig_end(&one);
    rig_end(&other);
}

/* Cells go before copies; the rest is still copied. */
static void check_cells_first(void) {
    about("two buttons swapped, one stick turned");
    rig_begin(&one, "inputs: {hand: gamepad}\noutputs: {pad: gamepad}\ncopy: {pad: hand}\n"
                    "sheet:\n  pad.south: hand.east\n  pad.east: hand.south\n"
                    "  pad.left_stick: -1 * hand.left_stick\n  pad.right_stick.x: none\n");
    rig_begin(&other, "inputs: {hand: gamepad}\noutputs: {pad: gamepad}\ncopy: {pad: hand}\n");
    unsigned swapped = attach_twin(&one), plain = attach_twin(&other), count = 0;
    uint8_t bytes[64];
    /* What a report of the copy alone looks like with south and up, the sticks at +1/2 or so. */
    size_t size =
        bytes_of(pass(&other, plain,
                      (const uint8_t[]){0x01, 0, 0, 0, 0x40, 0, 0x40, 0, 0x40, 0, 0x40, 0, 0, 0, 0},
                      15, 1, &count),
                 bytes);
    CHECK_EQUAL(size, 15);
    char expected[64];
    const char *text = pass(&one, swapped, bytes, size, 1, &count);
    snprintf(expected, sizeof expected, "%s", text);
    uint8_t out[64];
    CHECK_EQUAL(bytes_of(expected, out), 15);
    CHECK_EQUAL(bytes[0] & 3, 1);
    CHECK_EQUAL(out[0] & 3, 2);
    int x = (int16_t)(bytes[3] | bytes[4] << 8), turned = (int16_t)(out[3] | out[4] << 8);
    CHECK(x > 0x3000 && turned + x >= -1 && turned + x <= 1);
    CHECK_EQUAL(out[7] | out[8] << 8, 0);                          /* right x: none */
    CHECK_EQUAL(out[9] | out[10] << 8, bytes[9] | bytes[10] << 8); /* right y: copied */
    CHECK(bytes[9] | bytes[10] << 8);
    rig_end(&one);
    rig_end(&other);
}

/* Rumble and lights go back by the same names. */
static void check_back(void) {
    uint8_t bytes[8];
    yt_hid_direction direction;
    about("rumble goes back");
    rig_begin(&one, "inputs: {hand: gamepad}\noutputs: {pad: gamepad}\ncopy: {pad: hand}\n");
    unsigned hand = attach_twin(&one);
    while (device_output(&one.engine, hand, bytes, sizeof bytes, &direction) > 0)
        continue;
    const uint8_t rumble[5] = {200, 100, 50, 25, 0x05};
    CHECK_EQUAL(yt_interface_receive(&one.engine, 0, YT_HID_OUTPUT, rumble, 5, 10), YT_OK);
    CHECK_EQUAL(device_output(&one.engine, hand, bytes, sizeof bytes, &direction), 5);
    for (unsigned i = 0; i < 5; i++)
        CHECK_EQUAL(bytes[i], rumble[i]);
    rig_end(&one);
    about("a keyboard's lights go back");
    rig_begin(&one, "inputs: {keys: keyboard}\noutputs: {typed: keyboard}\ncopy: {typed: keys}\n");
    unsigned keys = attach_twin(&one);
    const uint8_t lights[1] = {0x02};
    while (device_output(&one.engine, keys, bytes, sizeof bytes, &direction) > 0)
        continue;
    CHECK_EQUAL(yt_interface_receive(&one.engine, 0, YT_HID_OUTPUT, lights, 1, 10), YT_OK);
    CHECK_EQUAL(device_output(&one.engine, keys, bytes, sizeof bytes, &direction), 1);
    CHECK_EQUAL(bytes[0], 0x02);
    rig_end(&one);
}

int main(void) {
    check_twin("gamepad", "gamepad", 380, 118); /* all but the top bits of two triggers */
    check_twin("joystick", "joystick", 380, 164);
    check_twin("keyboard", "keyboard", 380, 169); /* all but numbers that are no keys */
    check_twin("mouse", "mouse", 380, 72);
    check_twin("consumer", "consumer", 100, 24); /* as the test sends usages of 8 bits only */
    check_twin("gamepad", "{buttons: 10, sticks: 2, hat: 1}", 380, 78);
    check_twin("gamepad", "{buttons: 3, sticks: 1, hats: 2}", 380, 43);
    /* Second ones, a maker's own page, numbers without a name, and motion in a layout of one's own.
     */
    check_twin("gamepad",
               "{kind: gamepad, fields: [{usage: button1, count: 8}, {usage: slider, count: 3, "
               "bits: 8}, {usage: page_0xff00_0x0021, bits: 8, count: 2}]}",
               380, 48);
    check_twin(
        "joystick",
        "{kind: joystick, fields: [{usage: hat, range: [0, 3]}, {usage: hat, range: [1, 8]}, "
        "{usage: button1, count: 8}]}",
        380, 15);
    check_twin("joystick",
               "{kind: joystick, fields: [{usage: button1, count: 4}, {usage: button1, count: 4}, "
               "{usage: motion.dial, bits: 8}, {usage: motion.x, bits: 8}, {usage: motion.y, bits: "
               "8}, {usage: consumer_0x0345, count: 8}]}",
               380, 40);
    check_cells_first();
    check_back();
    return report_checks();
}
