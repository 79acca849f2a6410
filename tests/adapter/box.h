/* A box with slots, for tests: a simulated flash, a store, an adapter, and one keyboard. */
#ifndef YONDER_TESTS_BOX_H
#define YONDER_TESTS_BOX_H

#include "ports/sim/nor.h"
#include "tests/engine/rig.h"
#include "tests/harness.h"
#include "yonder/adapter.h"

#define BOX_SLOTS        6
#define BOX_SECTORS      24
#define BOX_CALIBRATIONS 2

typedef struct box {
    nor_flash flash; /* first: the port's calls take both for their context */
    yt_port port;
    yt_store store;
    yt_store_sector sectors[BOX_SECTORS];
    yt_engine engine;
    uint64_t memory[4096];
    uint64_t copy[1024];
    uint8_t settings[YT_SETTINGS_BYTES];
    yt_adapter_calibration calibrations[BOX_CALIBRATIONS];
    yt_adapter_parts parts;
    yt_adapter adapter;
    bool has_keyboard;
    const uint8_t *descriptor; /* of the keyboard, or of what is there in its place */
    size_t descriptor_size;
    yt_device device; /* which it is */
    unsigned keyboard;
    uint8_t last[8]; /* its last report */
    size_t last_size;
    unsigned restarts;
    unsigned lights; /* how often the light was told, and what last */
    unsigned light_slot, light_percent;
    uint32_t colour;
} box;

/* A flash as it comes, opened; nothing runs. `is_mapped`: programs run where they stand. */
void box_begin(box *box, bool is_mapped);
void box_end(box *box);

/* Writes a profile, its lines behind `yonder: 1`, into a slot. */
void box_write(box *box, unsigned slot, const char *profile);

/* Sets and keeps a setting. */
void box_set(box *box, yt_setting setting, unsigned index, uint32_t number);

/* Plugs it in: all of its memory is anew but the flash. */
yt_status box_plug_in(box *box, const yt_plugged_in *plugged_in, uint64_t now_us);

/* Nothing is held, and there is no slot switch. */
extern const yt_plugged_in box_alone;

/* A report of the keyboard, the update after it, and what was asked of the adapter: that which was
 * left for the firmware, or -1. */
int box_press(box *box, uint8_t key, uint64_t now_us);

/* The same of any report. */
int box_report(box *box, const uint8_t *bytes, size_t size, uint64_t now_us);

/* The next report of an interface, as text. */
const char *box_take(box *box, unsigned interface, uint64_t now_us);

/* ---- a box whose slots 1 to 3 hold a mouse button each, that key A presses ---- */

#define BOX_MOUSE        "inputs: {keys: keyboard}\noutputs: {view: mouse}\n"
#define BOX_NEXT         "  adapter.next_slot: keys.n\n  adapter.previous_slot: keys.p\n"
#define BOX_PLAY(button) BOX_MOUSE "sheet:\n  view.button" #button ": keys.a\n" BOX_NEXT

/* Boot keyboard usages (HID Usage Tables, 10). */
enum { KEY_A = 4, KEY_B, KEY_C, KEY_L = 0x0f, KEY_N = 0x11, KEY_P = 0x13, KEY_R = 0x15 };

void box_begin_three(box *box, bool is_mapped);

/* The buttons that key A presses now, in hexadecimal; "" where it presses none. */
const char *box_button(box *box, uint64_t now_us);

#endif
