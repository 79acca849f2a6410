#include "tests/menu/rebinding.h"

user u;

const yt_bindings *open_table(yt_bindings *bindings) {
    yt_slot info;
    CHECK_EQUAL(yt_store_slot(&u.box.store, 0, &info), YT_OK);
    CHECK_EQUAL(
        yt_bindings_open(bindings, yt_engine_program(&u.box.engine), info.bytes[YT_SLOT_PROGRAM]),
        YT_OK);
    return bindings;
}

unsigned cell_named(const yt_bindings *bindings, const char *name) {
    unsigned i = 0;
    while (i < bindings->header->cell_count &&
           (bindings->cells[i].name_bytes != strlen(name) ||
            memcmp(bindings->text + bindings->cells[i].name_offset, name, strlen(name)) != 0))
        i++;
    CHECK(i < bindings->header->cell_count);
    return i;
}

unsigned choice_named(const yt_bindings *bindings, const char *name) {
    unsigned i = 1;
    while (i < bindings->header->choice_count &&
           (bindings->choices[i].name_bytes != strlen(name) ||
            memcmp(bindings->text + bindings->choices[i].name_offset, name, strlen(name)) != 0))
        i++;
    CHECK(i < bindings->header->choice_count);
    return i;
}

yt_status rebind_all(const yt_rebind *rebinds, unsigned count) {
    static yt_bindings bindings;
    static yt_rebinding rebinding;
    open_table(&bindings);
    yt_status status = yt_rebinding_begin(&rebinding, &bindings, &u.box.store, 0, rebinds, count);
    while (status == YT_OK || status == YT_END) {
        status = yt_rebinding_go_on(&rebinding);
        if (status == YT_OK)
            return yt_adapter_go(&u.box.adapter, 0, u.now_us);
    }
    return status;
}

void begin(const char *profile, bool is_mapped) {
    box_begin(&u.box, is_mapped);
    u.box.has_keyboard = true;
    box_write(&u.box, 0, profile);
    u.may_erase = true;
    user_plug_in(&u, 4, 20, 4);
    CHECK_EQUAL(yt_adapter_slot(&u.box.adapter), 0);
}

/* The buttons of the pad that a key presses, in hexadecimal. */
unsigned buttons_of(uint8_t one, uint8_t other) {
    uint8_t state[YT_REPORT_BYTES + 1] = {0};
    size_t size;
    user_keys(&u, one, other);
    while (*box_take(&u.box, 0, u.now_us))
        continue;
    CHECK_EQUAL(yt_interface_state(&u.box.engine, 0, YT_HID_INPUT, 0, state, sizeof state, &size),
                YT_OK);
    user_keys(&u, 0, 0);
    while (*box_take(&u.box, 0, u.now_us))
        continue;
    return state[0] | (unsigned)state[1] << 8;
}

/* 16 buttons, a hat, six axes of 8 bits: two sticks and two triggers. */
static const uint8_t pad[] = {
    0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x10, 0x15, 0x00, 0x25, 0x01,
    0x75, 0x01, 0x95, 0x10, 0x81, 0x02, 0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x09, 0x33, 0x09, 0x34,
    0x09, 0x32, 0x09, 0x35, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x06, 0x81, 0x02, 0xc0};

const char *const stick_cells[] = {"pad.left_stick", "pad.right_stick", "pad.left_trigger",
                                   "pad.right_trigger"};
const char *const stick_written[] = {"desk.left_stick", "rotate(desk.right_stick, 30 deg)",
                                     "desk.left_trigger", "desk.right_trigger * 50%"};

void begin_desk(const char *text) {
    box_begin(&u.box, true);
    u.box.has_keyboard = true;
    u.box.descriptor = pad;
    u.box.descriptor_size = sizeof pad;
    box_write(&u.box, 0, text);
    user_plug_in(&u, 4, 20, 4);
}

void begin_pad(const char *const *cells) {
    static char text[1024];
    snprintf(text, sizeof text,
             "inputs: {desk: gamepad}\noutputs: {pad: gamepad}\nrebind: {pad: desk}\nsheet:\n"
             "  %s: %s\n  %s: %s\n  %s: %s\n  %s: %s\n  pad.south: desk.south\n"
             "  pad.east: desk.east\nlayers:\n  - while: desk.south\n    sheet: {pad.left_stick: "
             "below * 40%%}\n",
             stick_cells[0], cells[0], stick_cells[1], cells[1], stick_cells[2], cells[2],
             stick_cells[3], cells[3]);
    begin_desk(text);
}
