/* Rebinding by the library's calls: the slot has its old program or its new one, whenever the power
 * goes, and what the sheet would have made gives the same reports. */
#include "tests/menu/rebinding.h"

/* ---- the calls ---- */

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

static const char *const stick_choices[2][2] = {{"desk.left_stick", "desk.right_stick"},
                                                {"desk.left_trigger", "desk.right_trigger"}};

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
    check_cuts();
    return report_checks();
}
