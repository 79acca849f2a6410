/* Rebinding: what a profile lets be rebound is, by the library's calls and by presses in the menu;
 * the slot has its old program or its new one, and what the sheet would have made gives the same
 * reports. */
#include "tests/menu/user.h"

static user u;

#define HEAD "name: Winch\ninputs: {keys: keyboard}\noutputs: {pad: gamepad}\n"
#define LETS "rebind: {pad: [keys.a, keys.b, keys.c, keys.d]}\n"
#define PLAIN                                                                                      \
    HEAD LETS "sheet:\n  pad.south: keys.a\n  pad.east: keys.b or keys.c\n  pad.home: none\n"      \
              "  pad.north: keys.d\n"

enum { A = 4, B, C, D, SHIFT = 0xe1 };

static const yt_bindings *open_table(yt_bindings *bindings) {
    yt_slot info;
    CHECK_EQUAL(yt_store_slot(&u.box.store, 0, &info), YT_OK);
    CHECK_EQUAL(
        yt_bindings_open(bindings, yt_engine_program(&u.box.engine), info.bytes[YT_SLOT_PROGRAM]),
        YT_OK);
    return bindings;
}

static unsigned cell_named(const yt_bindings *bindings, const char *name) {
    unsigned i = 0;
    while (i < bindings->header->cell_count &&
           (bindings->cells[i].name_bytes != strlen(name) ||
            memcmp(bindings->text + bindings->cells[i].name_offset, name, strlen(name)) != 0))
        i++;
    CHECK(i < bindings->header->cell_count);
    return i;
}

static unsigned choice_named(const yt_bindings *bindings, const char *name) {
    unsigned i = 1;
    while (i < bindings->header->choice_count &&
           (bindings->choices[i].name_bytes != strlen(name) ||
            memcmp(bindings->text + bindings->choices[i].name_offset, name, strlen(name)) != 0))
        i++;
    CHECK(i < bindings->header->choice_count);
    return i;
}

/* ---- the calls ---- */

static yt_status rebind_all(const yt_rebind *rebinds, unsigned count) {
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

static void begin(const char *profile, bool is_mapped) {
    box_begin(&u.box, is_mapped);
    u.box.has_keyboard = true;
    box_write(&u.box, 0, profile);
    u.may_erase = true;
    user_plug_in(&u, 4, 20, 4);
    CHECK_EQUAL(yt_adapter_slot(&u.box.adapter), 0);
}

/* The buttons of the pad that a key presses, in hexadecimal. */
static unsigned buttons_of(uint8_t one, uint8_t other) {
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

#define SOUTH 0x0001u
#define EAST  0x0002u
#define NORTH 0x0008u
#define HOME  0x1000u

static void check_calls(bool is_mapped) {
    yt_bindings bindings;
    begin(PLAIN, is_mapped);
    open_table(&bindings);
    about("a table of four outputs and four keys, %s", is_mapped ? "run in place" : "copied");
    CHECK_EQUAL(bindings.header->cell_count, 4);
    CHECK_EQUAL(bindings.header->choice_count, 5);
    unsigned south = cell_named(&bindings, "pad.south"), east = cell_named(&bindings, "pad.east");
    unsigned home = cell_named(&bindings, "pad.home");
    unsigned a = choice_named(&bindings, "keys.a"), b = choice_named(&bindings, "keys.b");
    CHECK_EQUAL(bindings.cells[south].number, 1);
    CHECK_EQUAL(bindings.cells[home].number, 13);
    CHECK_EQUAL(yt_binding_of(&bindings, south), a);
    CHECK_EQUAL(yt_binding_of(&bindings, east), YT_BINDING_USUAL);
    CHECK_EQUAL(yt_binding_of(&bindings, home), YT_BINDING_NONE);
    CHECK_EQUAL(buttons_of(A, 0), SOUTH);
    CHECK_EQUAL(buttons_of(B, 0), EAST);
    CHECK_EQUAL(buttons_of(C, 0), EAST);
    about("home by b, south by nothing");
    const yt_rebind first[] = {{(uint16_t)home, (uint16_t)b}, {(uint16_t)south, YT_BINDING_NONE}};
    CHECK_EQUAL(rebind_all(first, 2), YT_OK);
    CHECK_EQUAL(buttons_of(A, 0), 0);
    CHECK_EQUAL(buttons_of(B, 0), EAST | HOME);
    CHECK_EQUAL(buttons_of(B, D), EAST | HOME | NORTH);
    about("it is there after a power cut");
    user_plug_in(&u, 4, 20, 4);
    CHECK_EQUAL(buttons_of(B, 0), EAST | HOME);
    open_table(&bindings);
    CHECK_EQUAL(yt_binding_of(&bindings, home), b);
    CHECK_EQUAL(yt_binding_of(&bindings, south), YT_BINDING_NONE);
    about("as it was written, but for east, which only a drives");
    const yt_rebind back[] = {{(uint16_t)home, YT_BINDING_USUAL},
                              {(uint16_t)south, YT_BINDING_USUAL},
                              {(uint16_t)east, (uint16_t)a}};
    CHECK_EQUAL(rebind_all(back, 3), YT_OK);
    CHECK_EQUAL(buttons_of(A, 0), SOUTH | EAST);
    CHECK_EQUAL(buttons_of(B, C), 0);
    about("the formula is still there");
    CHECK_EQUAL(rebind_all((yt_rebind[]){{(uint16_t)east, YT_BINDING_USUAL}}, 1), YT_OK);
    CHECK_EQUAL(buttons_of(C, 0), EAST);
    about("what does not fit is refused, and nothing is written");
    uint64_t before = u.box.flash.operations;
    open_table(&bindings);
    CHECK_EQUAL(rebind_all((yt_rebind[]){{99, 1}}, 1), YT_ARGUMENT);
    CHECK_EQUAL(rebind_all((yt_rebind[]){{0, 99}}, 1), YT_ARGUMENT);
    CHECK_EQUAL(u.box.flash.operations, before);
    yt_slot info;
    CHECK_EQUAL(yt_store_slot(&u.box.store, 0, &info), YT_OK);
    CHECK_TEXT(info.name, "made up");
    CHECK_EQUAL(info.bytes[YT_SLOT_TEXT], strlen(PLAIN));
    box_end(&u.box);
}

/* ---- against the sheet ---- */

static const char *const key_names[] = {"keys.a", "keys.b", "keys.c", "keys.d"};
static const char *const cell_names[] = {"pad.south", "pad.east", "pad.north", "pad.home"};
static const char *const written[] = {"keys.a", "keys.b or keys.c", "keys.d", "none"};

/* A profile with a layer that takes keys from below, and drives what is rebound; with a macro that
 * presses it, and a chord that holds two of the keys back. */
static void write_layered(char *text, size_t size, const char *const *cells) {
    snprintf(text, size,
             HEAD LETS "sheet:\n  pad.south: %s\n  pad.east: %s\n  pad.north: %s\n  pad.home: %s\n"
                       "  pad.west: turbo(keys.a, 20 Hz)\n"
                       "  pad.select: whole_chord(keys.b, keys.c, within=40 ms)\n"
                       "macros:\n  twice:\n    when: keys.f\n    steps:\n"
                       "      - {press: [pad.south, pad.home], for: 15 ms}\n"
                       "      - {wait: 25 ms}\n      - {press: pad.north, for: 10 ms}\n"
                       "layers:\n  - name: up\n    while: keys.e\n    sheet:\n"
                       "      pad.east: keys.a\n      pad.start: keys.d\n",
             cells[0], cells[1], cells[2], cells[3]);
}

/* The reports of a few seconds of random keys. */
static void play(uint64_t seed, char *told, size_t size) {
    dice dice = {seed};
    size_t at = 0;
    told[0] = 0;
    while (*box_take(&u.box, 0, u.now_us))
        continue;
    for (unsigned i = 0; i < 60; i++) {
        uint8_t bytes[6];
        for (unsigned k = 0; k < 6; k++)
            bytes[k] = (uint8_t)(roll_below(&dice, 3) ? 0 : A + roll_below(&dice, 6));
        box_report(&u.box, bytes, sizeof bytes, u.now_us);
        user_wait(&u, 10 + 10 * roll_below(&dice, 6));
        for (const char *report; *(report = box_take(&u.box, 0, u.now_us));)
            at += (size_t)snprintf(told + at, at < size ? size - at : 0, "%u %s\n", i, report);
        if (at >= size)
            at = size - 1;
    }
}

static void check_same_as_sheet(uint64_t seed) {
    static char text[2048], rebound[65536], by_sheet[65536];
    dice dice = {seed};
    const char *cells[4];
    yt_rebind rebinds[4];
    yt_bindings bindings;
    write_layered(text, sizeof text, written);
    begin(text, seed % 2);
    open_table(&bindings);
    for (unsigned i = 0; i < 4; i++) {
        unsigned way = roll_below(&dice, 6);
        unsigned choice = way < 4    ? choice_named(&bindings, key_names[way])
                          : way == 4 ? YT_BINDING_NONE
                                     : YT_BINDING_USUAL;
        cells[i] = way < 4 ? key_names[way] : way == 4 ? "none" : written[i];
        rebinds[i] = (yt_rebind){(uint16_t)cell_named(&bindings, cell_names[i]), (uint16_t)choice};
    }
    about("seed %u: %s, %s, %s, %s", (unsigned)seed, cells[0], cells[1], cells[2], cells[3]);
    CHECK_EQUAL(rebind_all(rebinds, 4), YT_OK);
    play(seed, rebound, sizeof rebound);
    box_end(&u.box);
    write_layered(text, sizeof text, cells);
    begin(text, seed % 2);
    play(seed, by_sheet, sizeof by_sheet);
    CHECK_TEXT(rebound, by_sheet);
    CHECK(strlen(rebound) > 100);
    box_end(&u.box);
}

/* ---- sticks and levels ---- */

/* 16 buttons, a hat, six axes of 8 bits: two sticks and two triggers. */
static const uint8_t pad[] = {
    0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x10, 0x15, 0x00, 0x25, 0x01,
    0x75, 0x01, 0x95, 0x10, 0x81, 0x02, 0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x09, 0x33, 0x09, 0x34,
    0x09, 0x32, 0x09, 0x35, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x06, 0x81, 0x02, 0xc0};

static const char *const stick_cells[] = {"pad.left_stick", "pad.right_stick", "pad.left_trigger",
                                          "pad.right_trigger"};
static const char *const stick_choices[2][2] = {{"desk.left_stick", "desk.right_stick"},
                                                {"desk.left_trigger", "desk.right_trigger"}};
static const char *const stick_written[] = {"desk.left_stick", "rotate(desk.right_stick, 30 deg)",
                                            "desk.left_trigger", "desk.right_trigger * 50%"};

static void begin_desk(const char *text) {
    box_begin(&u.box, true);
    u.box.has_keyboard = true;
    u.box.descriptor = pad;
    u.box.descriptor_size = sizeof pad;
    box_write(&u.box, 0, text);
    user_plug_in(&u, 4, 20, 4);
}

static void begin_pad(const char *const *cells) {
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

static void play_pad(uint64_t seed, char *told, size_t size) {
    dice dice = {seed};
    size_t at = 0;
    told[0] = 0;
    while (*box_take(&u.box, 0, u.now_us))
        continue;
    for (unsigned i = 0; i < 60 && at < size; i++) {
        uint8_t bytes[8] = {(uint8_t)roll_below(&dice, 2)};
        for (unsigned k = 2; k < 8; k++)
            bytes[k] = (uint8_t)roll_below(&dice, 256);
        box_report(&u.box, bytes, sizeof bytes, u.now_us);
        user_wait(&u, 10);
        for (const char *report; at < size && *(report = box_take(&u.box, 0, u.now_us));)
            at += (size_t)snprintf(told + at, size - at, "%u %s\n", i, report);
    }
}

static void check_sticks(uint64_t seed) {
    static char rebound[16384], by_sheet[16384];
    dice dice = {seed};
    const char *cells[4];
    yt_rebind rebinds[4];
    yt_bindings bindings;
    begin_pad(stick_written);
    open_table(&bindings);
    for (unsigned i = 0; i < 4; i++) {
        unsigned way = roll_below(&dice, 4);
        unsigned cell = cell_named(&bindings, stick_cells[i]);
        unsigned choice = way < 2    ? choice_named(&bindings, stick_choices[i / 2][way])
                          : way == 2 ? YT_BINDING_NONE
                                     : YT_BINDING_USUAL;
        cells[i] = way < 2 ? stick_choices[i / 2][way] : way == 2 ? "none" : stick_written[i];
        rebinds[i] = (yt_rebind){(uint16_t)cell, (uint16_t)choice};
        about("a level drives no stick, a stick no level, and its y goes with its x");
        CHECK(!yt_binding_fits(&bindings, cell,
                               choice_named(&bindings, stick_choices[1 - i / 2][0])));
        CHECK(i >= 2 || !yt_binding_fits(&bindings, cell + 1, YT_BINDING_NONE));
    }
    about("sticks, seed %u: %s, %s, %s, %s", (unsigned)seed, cells[0], cells[1], cells[2],
          cells[3]);
    CHECK_EQUAL(rebind_all(rebinds, 4), YT_OK);
    play_pad(seed, rebound, sizeof rebound);
    box_end(&u.box);
    begin_pad(cells);
    play_pad(seed, by_sheet, sizeof by_sheet);
    CHECK_TEXT(rebound, by_sheet);
    box_end(&u.box);
}

/* What comes by a copy is rebound as if the sheet had a cell for it, which goes before a copy. */
static void check_copied(uint64_t seed) {
    static const char head[] = "inputs: {desk: gamepad}\noutputs: {pad: gamepad}\n"
                               "rebind: {pad: desk}\ncopy: {pad: desk}\nsheet:\n  pad.home: none\n";
    static const char *const copied[] = {"south", "east", "left_stick", "right_trigger"};
    static const char *const others[] = {"east", "north", "right_stick", "left_trigger"};
    static char rebound[16384], by_sheet[16384], text[512];
    dice dice = {seed};
    yt_rebind rebinds[4];
    yt_bindings bindings;
    size_t at = (size_t)snprintf(text, sizeof text, "%s", head);
    begin_desk(head);
    open_table(&bindings);
    for (unsigned i = 0; i < 4; i++) {
        char cell[40], choice[40] = "none";
        bool is_none = roll_below(&dice, 4) == 0;
        snprintf(cell, sizeof cell, "pad.%s", copied[i]);
        if (!is_none)
            snprintf(choice, sizeof choice, "desk.%s", others[i]);
        rebinds[i] =
            (yt_rebind){(uint16_t)cell_named(&bindings, cell),
                        (uint16_t)(is_none ? YT_BINDING_NONE : choice_named(&bindings, choice))};
        at += (size_t)snprintf(text + at, sizeof text - at, "  %s: %s\n", cell, choice);
    }
    about("copied, seed %u:\n%s", (unsigned)seed, text + sizeof head - 1);
    CHECK_EQUAL(rebind_all(rebinds, 4), YT_OK);
    play_pad(seed, rebound, sizeof rebound);
    box_end(&u.box);
    begin_desk(text);
    play_pad(seed, by_sheet, sizeof by_sheet);
    CHECK_TEXT(rebound, by_sheet);
    CHECK(strlen(rebound) > 100);
    box_end(&u.box);
}

/* ---- a table that is broken ---- */

static yt_status open_changed(size_t at, unsigned value, unsigned bytes, bool mends) {
    static uint32_t copy[2048];
    static yt_program program;
    yt_bindings bindings;
    yt_slot info;
    uint8_t *image = (uint8_t *)copy;
    CHECK_EQUAL(yt_store_slot(&u.box.store, 0, &info), YT_OK);
    size_t size = info.bytes[YT_SLOT_PROGRAM];
    CHECK_EQUAL(yt_store_read(&u.box.store, 0, YT_SLOT_PROGRAM, 0, copy, size), YT_OK);
    CHECK_EQUAL(yt_program_check(&program, image, size), YT_OK);
    uint8_t *table = image + ((program.header->total_bytes + 3u) & ~3u);
    for (unsigned i = 0; i < bytes; i++)
        table[at + i] = (uint8_t)(value >> 8 * i);
    uint32_t checksum = yt_checksum(0, table + 12, (size_t)(image + size - table) - 12);
    if (mends)
        memcpy(table + 8, &checksum, 4);
    return yt_bindings_open(&bindings, &program, size);
}

static void check_broken(void) {
    enum { HEAD_BYTES = 20, CELL = 12, CHOICES = HEAD_BYTES + 4 * CELL, CHOICE = 8 };
    static const struct {
        const char *what;
        unsigned at, value, bytes;
        yt_status status;
    } all[] = {{"as it is", 0, 0, 0, YT_OK},
               {"another magic", 0, 0x31425458, 4, YT_NO_MATCH},
               {"longer than it is", 4, 0xfffffff0u, 4, YT_PROGRAM_SIZE},
               {"more cells", 12, 5, 2, YT_PROGRAM_SIZE},
               {"too many cells", 12, 256, 2, YT_PROGRAM_SIZE},
               {"no choice", 14, 0, 2, YT_PROGRAM_SIZE},
               {"what is reserved", 18, 1, 2, YT_PROGRAM_SIZE},
               {"a cell whose step is something else", HEAD_BYTES, 1, 2, YT_PROGRAM_STEP},
               {"a cell that is no step", HEAD_BYTES, 0xffff, 2, YT_PROGRAM_STEP},
               {"what it was written with is no value", HEAD_BYTES + 2, 0xffff, 2, YT_PROGRAM_STEP},
               {"a name outside", HEAD_BYTES + 4, 0xfff0, 2, YT_PROGRAM_TEXT},
               {"a kind that there is not", HEAD_BYTES + 7, 3, 1, YT_PROGRAM_STEP},
               {"a y without its x", HEAD_BYTES + 7, 9, 1, YT_PROGRAM_STEP},
               {"an x without its y", HEAD_BYTES + 7, 8, 1, YT_PROGRAM_STEP},
               {"nothing that is something", CHOICES, 0xffff, 2, YT_PROGRAM_ORDER},
               {"nothing that has a control", CHOICES + 2, 0, 2, YT_PROGRAM_ORDER},
               {"a choice that is no value", CHOICES + CHOICE, 0xffff, 2, YT_PROGRAM_ORDER},
               {"a choice that is a constant", CHOICES + CHOICE, 0, 2, YT_PROGRAM_ORDER},
               {"a choice of no control", CHOICES + CHOICE + 2, 0xfff0, 2, YT_PROGRAM_ORDER},
               {"a choice's name outside", CHOICES + CHOICE + 4, 0xfff0, 2, YT_PROGRAM_TEXT}};
    begin(PLAIN, true);
    for (size_t i = 0; i < sizeof all / sizeof all[0]; i++) {
        about("a table: %s", all[i].what);
        CHECK_EQUAL(open_changed(all[i].at, all[i].value, all[i].bytes, true), all[i].status);
    }
    about("a table with another checksum");
    CHECK_EQUAL(open_changed(HEAD_BYTES, 77, 1, false), YT_PROGRAM_CHECKSUM);
    box_end(&u.box);
}

/* ---- by presses ---- */

static void check_presses(void) {
    begin(PLAIN, true);
    user_open(&u);
    user_choose(&u, "mapping");
    about("the control that is pressed is gone to");
    CHECK_TEXT(user_row(&u), "keys.a > pad.south");
    user_keys(&u, D, 0);
    user_keys(&u, 0, 0);
    user_wait(&u, 200);
    CHECK_TEXT(user_row(&u), "keys.d > pad.north");
    user_do(&u, YT_MENU_CHOOSE);
    about("and what it shall drive, by what drives it now");
    CHECK_TEXT(user_row(&u), "none");
    user_keys(&u, A, 0);
    user_keys(&u, 0, 0);
    user_wait(&u, 200);
    CHECK_TEXT(user_row(&u), "pad.south #1/0");
    user_do(&u, YT_MENU_CHOOSE);
    user_wait(&u, 200);
    CHECK_TEXT(user_row(&u), "pad.south #1/0: key");
    user_choose(&u, "swap the two");
    about("it counts when it is kept");
    CHECK_EQUAL(buttons_of(A, 0), SOUTH);
    uint64_t before = u.box.flash.operations;
    user_do(&u, YT_MENU_BACK);
    user_do(&u, YT_MENU_BACK);
    CHECK_TEXT(user_row(&u), "keep changes");
    CHECK_EQUAL(u.box.flash.operations, before);
    user_do(&u, YT_MENU_CHOOSE);
    user_wait(&u, 2000);
    CHECK(!yt_menu_is_open(&u.menu));
    CHECK(u.box.flash.operations > before);
    CHECK_EQUAL(buttons_of(A, 0), NORTH);
    CHECK_EQUAL(buttons_of(D, 0), SOUTH);
    about("a formula is said in words, and is asked about");
    user_open(&u);
    user_choose(&u, "mapping");
    user_choose(&u, "keys.a");
    user_choose(&u, "pad.east");
    char words[200] = "";
    for (unsigned i = 0; i < 120; i++) {
        user_wait(&u, 100);
        snprintf(words + strlen(words), sizeof words - strlen(words), "%.1s",
                 user_line(&u, 0) + strlen(user_line(&u, 0)) - 1);
    }
    CHECK(strstr(words, "f") && strstr(words, "c"));
    user_choose(&u, "that too");
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "keep changes");
    user_wait(&u, 2000);
    CHECK_EQUAL(buttons_of(A, 0), NORTH | EAST);
    CHECK_EQUAL(buttons_of(B, 0), 0);
    about("dropped: all is as it was");
    yt_menu_close(&u.menu);
    user_open(&u);
    user_choose(&u, "mapping");
    user_choose(&u, "keys.a");
    user_choose(&u, "none");
    user_do(&u, YT_MENU_BACK);
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "drop changes");
    CHECK(!yt_menu_is_open(&u.menu));
    CHECK_EQUAL(buttons_of(A, 0), NORTH | EAST);
    about("turned round and back: nothing was changed");
    user_open(&u);
    user_choose(&u, "mapping");
    user_choose(&u, "keys.d");
    user_choose(&u, "none");
    user_choose(&u, "keys.d");
    user_choose(&u, "pad.south");
    user_choose(&u, "instead");
    user_do(&u, YT_MENU_BACK);
    user_do(&u, YT_MENU_BACK);
    CHECK(!yt_menu_is_open(&u.menu));
    about("instead: it lets go of what it drove");
    user_open(&u);
    user_choose(&u, "mapping");
    user_choose(&u, "keys.d");
    user_choose(&u, "pad.home");
    user_choose(&u, "instead");
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "keep changes");
    user_wait(&u, 2000);
    CHECK_EQUAL(buttons_of(D, 0), HOME);
    yt_menu_close(&u.menu);
    about("as it was written");
    user_open(&u);
    user_choose(&u, "mapping");
    user_choose(&u, "keys.a");
    user_choose(&u, "pad.east");
    user_choose(&u, "as written");
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "keep changes");
    user_wait(&u, 2000);
    CHECK_EQUAL(buttons_of(A, 0), NORTH);
    CHECK_EQUAL(buttons_of(C, 0), EAST);
    box_end(&u.box);
}

/* The pad of all its bytes: two of buttons, then x, y, and of the other stick, and the triggers. */
static void report_pad(unsigned buttons, uint8_t y, uint8_t trigger) {
    const uint8_t bytes[8] = {(uint8_t)buttons, 0, 128, y, 128, 128, trigger, 0};
    box_report(&u.box, bytes, sizeof bytes, u.now_us);
    user_wait(&u, 200);
}

/* What is held all the time, a throttle, hides nothing that is pressed beside it. */
static void check_held(void) {
    begin_pad(stick_written);
    report_pad(0, 128, 255);
    user_open(&u);
    user_choose(&u, "mapping");
    about("what was held before says nothing");
    CHECK_EQUAL(strncmp(user_row(&u), "desk.left_stick", 15), 0); /* the first one */
    user_do(&u, YT_MENU_DOWN);
    report_pad(0, 128, 255);
    CHECK_EQUAL(strncmp(user_row(&u), "desk.right_stick", 16), 0);
    about("what is pressed beside it is gone to");
    report_pad(2, 128, 255);
    CHECK_EQUAL(strncmp(user_row(&u), "desk.east", 9), 0);
    about("a second one, while the first is held");
    report_pad(3, 128, 255);
    CHECK_EQUAL(strncmp(user_row(&u), "desk.south", 10), 0);
    about("and what is let go of is not");
    report_pad(2, 128, 255);
    CHECK_EQUAL(strncmp(user_row(&u), "desk.south", 10), 0);
    about("a stick by its y alone, up and down");
    report_pad(0, 0, 255);
    CHECK_EQUAL(strncmp(user_row(&u), "desk.left_stick", 15), 0);
    user_do(&u, YT_MENU_DOWN);
    report_pad(0, 128, 255);
    report_pad(0, 255, 255);
    CHECK_EQUAL(strncmp(user_row(&u), "desk.left_stick", 15), 0);
    about("the throttle itself, once it was let go of");
    report_pad(0, 128, 0);
    report_pad(0, 128, 255);
    CHECK_EQUAL(strncmp(user_row(&u), "desk.left_trigger", 17), 0);
    box_end(&u.box);
}

/* A formula that is longer than it is followed says so. */
static void check_long_formula(void) {
    char text[1024] =
        HEAD LETS "parameters: {part: {value: 50%, min: 0%, max: 100%, step: 10%}}\nsheet:\n"
                  "  pad.south: keys.a\n  pad.east: if(keys.b, 100%, 0%)";
    for (unsigned i = 0; i < 100; i++)
        strcat(text, " * part");
    strcat(text, " > 50%\n");
    begin(text, true);
    user_plug_in(&u, 4, 40, 4);
    user_open(&u);
    user_choose(&u, "mapping");
    user_choose(&u, "keys.a");
    user_choose(&u, "pad.east");
    about("a formula of more than a hundred instructions");
    CHECK_TEXT(user_line(&u, 0), "pad.east #2/1: formula of keys.b...");
    box_end(&u.box);
}

/* What was tuned is kept as well, whichever is kept first. */
static void check_tuned(void) {
    begin(HEAD LETS "parameters: {part: {value: 50%, min: 0%, max: 100%, step: 10%}}\nsheet:\n"
                    "  pad.south: keys.a\n  pad.left_trigger: if(keys.e, part, 0%)\n",
          true);
    for (unsigned round = 0; round < 2; round++) {
        user_open(&u);
        if (round == 0) {
            user_choose(&u, "tune");
            user_choose(&u, "part");
            user_do(&u, YT_MENU_UP);
            user_do(&u, YT_MENU_BACK);
            user_do(&u, YT_MENU_BACK);
        }
        user_choose(&u, "mapping");
        user_choose(&u, round == 0 ? "keys.b" : "keys.c");
        user_choose(&u, "pad.south");
        user_choose(&u, "instead");
        user_do(&u, YT_MENU_BACK);
        user_choose(&u, "keep changes");
        user_wait(&u, 2000);
        CHECK_TEXT(user_row(&u), "done");
        user_plug_in(&u, 4, 20, 4);
        about("round %u", round);
        CHECK_EQUAL(yt_engine_parameter(&u.box.engine, 0),
                    YT_ONE / 2 + (YT_ONE + 5) / 10); /* a step more, rounded */
        CHECK_EQUAL(buttons_of(round == 0 ? B : C, 0), SOUTH);
    }
    box_end(&u.box);
}

/* The slot is changed by something else while it is being written anew: the old one stays whole. */
static void check_other_slot(void) {
    begin(PLAIN, true);
    box_write(&u.box, 1,
              HEAD "rebind: {pad: keys}\nsheet:\n  pad.west: turbo(keys.c, 10 Hz)\n"
                   "  pad.north: keys.d\n  pad.south: keys.b\n");
    user_open(&u);
    user_choose(&u, "mapping");
    user_choose(&u, "keys.d");
    user_choose(&u, "pad.south");
    user_choose(&u, "instead");
    user_do(&u, YT_MENU_BACK);
    for (unsigned i = 0; i < 20 && strncmp(user_row(&u), "keep", 4) != 0; i++)
        user_do(&u, YT_MENU_DOWN);
    yt_menu_take(&u.menu, YT_MENU_CHOOSE, u.now_us);
    CHECK(yt_menu_is_busy(&u.menu));
    for (unsigned i = 0; i < 3; i++)
        CHECK_EQUAL(yt_menu_work(&u.menu, u.now_us, 8, true), YT_OK);
    about("another slot is gone to in the middle of it");
    CHECK_EQUAL(yt_adapter_go(&u.box.adapter, 1, u.now_us), YT_OK);
    user_wait(&u, 1000);
    CHECK(!yt_menu_is_busy(&u.menu));
    CHECK_TEXT(user_row(&u), "slots");
    CHECK_EQUAL(yt_adapter_slot(&u.box.adapter), 1);
    CHECK_EQUAL(buttons_of(B, 0), SOUTH);
    CHECK_EQUAL(yt_adapter_go(&u.box.adapter, 0, u.now_us), YT_OK);
    CHECK_EQUAL(buttons_of(A, 0), SOUTH);
    CHECK_EQUAL(buttons_of(D, 0), NORTH);
    box_end(&u.box);
}

/* ---- a power cut ---- */

static void check_cuts(void) {
    const yt_rebind rebinds[] = {{0, YT_BINDING_NONE}};
    bool is_done = false;
    for (uint64_t cut = 0; !is_done; cut++) {
        begin(PLAIN, cut % 2);
        about("the power goes after %u units", (unsigned)cut);
        u.box.flash.until_cut = cut;
        is_done = rebind_all(rebinds, 1) == YT_OK;
        user_plug_in(&u, 4, 20, 4);
        unsigned south = buttons_of(A, 0);
        CHECK(south == SOUTH || south == 0);
        CHECK(!is_done || south == 0);
        CHECK_EQUAL(buttons_of(D, 0), NORTH);
        CHECK_EQUAL(buttons_of(B, 0), EAST);
        box_end(&u.box);
    }
}

int main(void) {
    check_calls(true);
    check_calls(false);
    for (uint64_t seed = 1; seed <= 60; seed++)
        check_same_as_sheet(seed);
    for (uint64_t seed = 1; seed <= 40; seed++)
        check_sticks(seed);
    for (uint64_t seed = 1; seed <= 20; seed++)
        check_copied(seed);
    check_broken();
    check_presses();
    check_held();
    check_long_formula();
    check_tuned();
    check_other_slot();
    check_cuts();
    return report_checks();
}
