/* Any raw value through decoding and encoding is itself: fields of every size, sign, place and
 * range go in through a report descriptor, through a cell that is only the control's name, and out
 * by another report descriptor. */
#include "tests/engine/rig.h"
#include "tests/harness.h"
#include "tests/engine/lengths.h"

static rig r;

typedef struct field_case {
    unsigned bits, offset;
    int64_t minimum, maximum;
    bool is_level;
} field_case;

/* A usage of four bytes would bring its page, so that it gets two. */
static size_t put_item(uint8_t *bytes, size_t at, uint8_t prefix, int64_t data) {
    if (prefix == 0x08) {
        bytes[at++] = prefix | 2;
        bytes[at++] = (uint8_t)data;
        bytes[at++] = 0;
        return at;
    }
    bytes[at++] = prefix | 3;
    for (int i = 0; i < 4; i++)
        bytes[at++] = (uint8_t)((uint64_t)data >> (8 * i));
    return at;
}

static size_t make_descriptor(const field_case *field, uint8_t *bytes) {
    size_t at = 0;
    at = put_item(bytes, at, 0x04, 1); /* desktop */
    at = put_item(bytes, at, 0x08, 4); /* joystick */
    at = put_item(bytes, at, 0xa0, 1); /* application */
    if (field->offset) {
        at = put_item(bytes, at, 0x74, 1);
        at = put_item(bytes, at, 0x94, field->offset);
        at = put_item(bytes, at, 0x80, 1); /* padding */
    }
    at = put_item(bytes, at, 0x04, field->is_level ? 2 : 1);
    at = put_item(bytes, at, 0x08, field->is_level ? 0xbb : 0x30);
    at = put_item(bytes, at, 0x14, field->minimum);
    at = put_item(bytes, at, 0x24, field->maximum);
    at = put_item(bytes, at, 0x74, field->bits);
    at = put_item(bytes, at, 0x94, 1);
    at = put_item(bytes, at, 0x80, 2);
    bytes[at++] = 0xc0;
    return at;
}

static int64_t pick(const field_case *field, unsigned step, dice *dice) {
    int64_t span = field->maximum - field->minimum;
    if (span < 600)
        return field->minimum + (int64_t)step % (span + 1);
    if (step < 4)
        return step < 2 ? field->minimum + step : field->maximum - (step - 2);
    return field->minimum +
           (int64_t)(((uint64_t)roll(dice) << 32 | roll(dice)) % ((uint64_t)span + 1));
}

static void check_field(const field_case *field, dice *dice) {
    uint8_t descriptor[128], sent[16], got[YT_REPORT_BYTES + 1];
    char profile[400], pad[32] = "";
    const char *name = field->is_level ? "throttle" : "x";
    size_t size = (field->offset + field->bits + 7) / 8;
    about("%u bits from bit %u, %" PRId64 " to %" PRId64, field->bits, field->offset,
          field->minimum, field->maximum);
    if (field->offset)
        snprintf(pad, sizeof pad, "{pad: %u}, ", field->offset);
    snprintf(profile, sizeof profile,
             "inputs: {hand: joystick}\noutputs:\n  pad: {kind: joystick, fields: [%s{usage: %s, "
             "bits: %u, range: [%" PRId64 ", %" PRId64 "]}]}\nsheet: {pad.%s: hand.%s}\n",
             pad, name, field->bits, field->minimum, field->maximum, name, name);
    rig_begin(&r, profile);
    unsigned hand = rig_attach(&r, descriptor, make_descriptor(field, descriptor));
    int64_t span = field->maximum - field->minimum;
    unsigned steps = span < 600 ? (unsigned)span + 1 : 300;
    for (unsigned step = 0; step < steps; step++) {
        int64_t number = pick(field, step, dice);
        memset(sent, 0, sizeof sent);
        yt_hid_set(sent, sizeof sent, field->offset, field->bits, (uint32_t)number);
        rig_report(&r, hand, sent, size, step);
        if (next_report(&r.engine, 0, got, sizeof got) > 0)
            yt_interface_taken(&r.engine, 0, step);
        CHECK(state_of(&r.engine, 0, YT_HID_INPUT, 0, got, sizeof got) >= size);
        uint32_t raw = yt_hid_get(got, sizeof got, field->offset, field->bits);
        CHECK_EQUAL(yt_hid_number(raw, field->bits, field->minimum < 0), number);
    }
    rig_end(&r);
}

int main(void) {
    dice dice = {12};
    unsigned fields = 0;
    for (unsigned bits = 2; bits <= 32; bits++) {
        int64_t top = (INT64_C(1) << (bits - 1)) - 1, all = (INT64_C(1) << bits) - 1;
        all = all > INT32_MAX ? INT32_MAX : all;
        const int64_t ranges[][2] = {{0, all},
                                     {-top - 1, top},
                                     {-top, top},
                                     {all / 5, all / 2 + 1},
                                     {-top / 3 - 1, top / 2 + 1}};
        for (size_t k = 0; k < sizeof ranges / sizeof ranges[0]; k++)
            for (unsigned offset = 0; offset < 10; offset += 1 + offset / 4) {
                field_case field = {bits, offset, ranges[k][0], ranges[k][1], false};
                check_field(&field, &dice);
                fields++;
                if (ranges[k][0] < 0)
                    continue;
                field.is_level = true;
                check_field(&field, &dice);
                fields++;
            }
    }
    printf("%u fields\n", fields);
    return report_checks();
}
