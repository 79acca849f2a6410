/* Screens of rows, worked by chance: whatever is done, the text is right, the cursor is at a row,
 * there is a way out, and the file is written by nothing but what says so. Then tasks, by what a
 * person does. */
#include "tests/tool/assigning.h"

/* With all that a profile may have beside its sheet. */
#define RICH                                                                                       \
    "yonder: 1\nname: Rich\ninputs: {keys: keyboard, grip: gamepad}\n"                             \
    "outputs: {pad: gamepad, view: {kind: mouse, connector: 1}}\n"                                 \
    "parameters:\n  speed: {value: 50%, min: 0%, max: 90%, step: 5%}\n  late: {value: 1 s, min: "  \
    "10 ms, max: 2 s}\n"                                                                           \
    "camera: {rate: 280 deg/s, dead: speed}\nnamed:\n  slow: keys.left_shift or keys.tab\n"        \
    "  aimed: curve(quiet(grip.left_stick), 20% -> 10%, 60% -> 40%)\n"                             \
    "sheet:\n  pad.south: hold(keys.space, after=late)\n  pad.left_stick: if(slow, 40%, 100%) * "  \
    "aimed\n  speed.up: keys.page_up\n  view.motion: grip.left_stick * 900 /s\n"                   \
    "layers:\n  - name: one\n    while: toggle(keys.a)\n    shared: [keys.space]\n    sheet:\n"    \
    "      pad.east: keys.space\n  - name: two\n    while: keys.b\n    sheet: {pad.west: "         \
    "keys.c}\n"                                                                                    \
    "rebind: {pad: [keys]}\nmacros:\n  drop:\n    when: keys.f\n    steps:\n"                      \
    "      - {press: pad.home, for: 40 ms}\n      - {wait: 100 ms}\n"                              \
    "tests:\n  - name: it holds\n    do: [{at: 0 ms, press: keys.space}]\n"                        \
    "    expect: [{at: 1100 ms, pressed: pad.south}]\n"

/* ---- by chance ---- */

/* Does one thing; whether the file may be written by it. */
static bool do_something(dice *dice) {
    static const char *const texts[] = {
        "a", "keys.h", "\b", " and ", "(", "toggle(keys.a)", "\xc3\xa4", "slow 2", "none", "# x"};
    assign_row row;
    char title[ASSIGN_TEXT];
    assign_title(&a, title, sizeof title);
    CHECK(*title != 0);
    assign_row_of(&a, assign_cursor(&a), &row);
    about("%s: %s %s", title, row.name, row.text);
    bool may_save = strncmp(row.text, "save", 4) == 0;
    switch (roll_below(dice, 12)) {
    case 0:
        assign_move(&a, (int)roll_below(dice, 40) - 20);
        return false;
    case 1:
        assign_back(&a);
        return false;
    case 2:
        assign_step(&a, (int)roll_below(dice, 30) - 15);
        return false;
    case 3:
        assign_type(&a, texts[roll_below(dice, sizeof texts / sizeof texts[0])]);
        return false;
    case 4:
        if (roll_below(dice, 6) == 0)
            assign_undo(&a);
        else if (roll_below(dice, 3) == 0)
            assign_redo(&a);
        return false;
    case 5:
        assign_search(&a, texts[roll_below(dice, 2)]);
        return false;
    case 6:
        if (a.hands) {
            hands_advance(a.hands, 100000 * roll_below(dice, 10));
            assign_look(&a);
        }
        return false;
    case 7:
        assign_move(&a, 1);
        return false;
    default:
        assign_choose(&a);
        return may_save;
    }
}

static void check_chance(uint64_t seed, unsigned steps) {
    dice dice = {seed};
    bool has_hands = seed % 2;
    char *before = strdup(seed % 4 < 2 ? RICH : PLAIN);
    if (!begin(before, has_hands))
        return;
    for (unsigned i = 0; i < steps; i++) {
        bool may_save = do_something(&dice);
        unsigned rows = assign_rows(&a);
        CHECK(rows > 0 && assign_cursor(&a) < rows);
        CHECK(a.depth < ASSIGN_LEVELS);
        for (unsigned row = 0; row < rows; row += 1 + rows / 7) {
            assign_row shown;
            assign_row_of(&a, row, &shown);
            CHECK(*shown.name || *shown.text);
        }
        char *now = read_text(path, NULL);
        CHECK(may_save || strcmp(before, now) == 0);
        if (strcmp(before, now) != 0)
            CHECK(is_profile(path, now));
        free(before);
        before = now;
        if (i % 20 == 0)
            CHECK(is_profile(path, draft_text(&a.draft)));
        if (a.leaves) {
            end(has_hands);
            if (!begin(before, has_hands))
                return;
        }
    }
    about("there is a way out");
    for (unsigned i = 0; i < ASSIGN_LEVELS + 2 && assign_screen_of(&a) != SCREEN_LEAVE && !a.leaves;
         i++) {
        assign_row row;
        if (assign_screen_of(&a) == SCREEN_FOUND)
            assign_choose(&a);
        assign_row_of(&a, assign_cursor(&a), &row);
        assign_back(&a);
    }
    CHECK(a.leaves || assign_screen_of(&a) == SCREEN_LEAVE);
    free(before);
    end(has_hands);
}

/* ---- tasks ---- */

static void check_tasks(void) {
    if (!begin(PLAIN, false))
        return;
    about("a button from a key");
    choose("pad.north");
    choose("driven by");
    press("keys", "keys.f");
    CHECK_TEXT(cell(0, "pad.north"), "keys.f");
    about("repeated, faster");
    choose("let it do");
    choose("repeated");
    assign_step(&a, 3);
    CHECK_TEXT(cell(0, "pad.north"), "turbo(keys.f, rate=15 Hz)");
    choose("rate");
    choose("more");
    choose("much less");
    CHECK_TEXT(cell(0, "pad.north"), "turbo(keys.f, rate=6 Hz)");
    choose("back");
    about("another key, and it is still repeated");
    choose("back");
    choose("driven by");
    press("keys", "keys.h");
    CHECK_TEXT(cell(0, "pad.north"), "turbo(keys.h, rate=6 Hz)");
    about("with another");
    choose("let it do");
    choose("with another");
    press("keys", "keys.left_control");
    CHECK_TEXT(cell(0, "pad.north"), "turbo(keys.h, rate=6 Hz) and keys.left_control");
    about("a stick of four keys, and of a stick");
    home();
    choose("pad.right_stick");
    choose("driven by");
    press("keys", "keys.j");
    press("keys", "keys.l");
    press("keys", "keys.i");
    press("keys", "keys.k");
    CHECK_TEXT(cell(0, "pad.right_stick"),
               "stick(left=keys.j, right=keys.l, up=keys.i, down=keys.k)");
    choose("driven by");
    press("grip", "grip.right_stick.x");
    CHECK_EQUAL(assign_screen_of(&a), SCREEN_CHOICES);
    choose("the whole stick");
    CHECK_TEXT(cell(0, "pad.right_stick"), "grip.right_stick");
    choose("let it do");
    choose("dead zone");
    CHECK_TEXT(cell(0, "pad.right_stick"), "deadzone(grip.right_stick)");
    about("a trigger, by a switch of a level");
    home();
    choose("pad.west");
    choose("driven by");
    press("grip", "grip.left_trigger");
    CHECK_TEXT(cell(0, "pad.west"), "pressed(grip.left_trigger)");
    about("copied, and taken out again");
    choose("copy it");
    choose("pad.start");
    CHECK_TEXT(cell(0, "pad.start"), "pressed(grip.left_trigger)");
    choose("pad.start");
    choose("take its line");
    CHECK_TEXT(cell(0, "pad.start"), "");
    about("a new layer");
    home();
    choose("more");
    choose("another layer");
    choose("a new layer");
    press("keys", "keys.left_alt");
    type("second row");
    choose("pad.start");
    choose("driven by");
    press("keys", "keys.f");
    CHECK_TEXT(cell(2, "pad.start"), "keys.f");
    CHECK_TEXT(draft_layer_name(&a.draft, 2), "second row");
    about("a formula that is written, and a wrong one");
    choose("write the formula");
    type("keys.f or keys.g");
    CHECK_TEXT(cell(2, "pad.start"), "keys.f or keys.g");
    choose("write the formula");
    type("keys.f or");
    CHECK(*a.said != 0);
    CHECK_EQUAL(assign_screen_of(&a), SCREEN_TEXT);
    CHECK_TEXT(cell(2, "pad.start"), "keys.f or keys.g");
    assign_back(&a);
    about("saved");
    assign_save(&a);
    CHECK_TEXT(a.said, "saved");
    char *text = read_text(path, NULL);
    CHECK_TEXT(text, draft_text(&a.draft));
    CHECK(strstr(text, "  pad.south: keys.space   # hook\n"));
    free(text);
    end(false);
}

/* With the device in the hands: what is pressed in a recording, in its order. */
static void check_hands(void) {
    if (!begin(PLAIN, true))
        return;
    about("what is on at both sides");
    bool was_on = false;
    for (unsigned i = 0; i < 2000 && !was_on; i++) {
        char text[100] = "";
        assign_row row;
        unsigned first = 0;
        hands_advance(a.hands, 20000);
        while (hands_pressed(a.hands, 0, &first, text, sizeof text) &&
               strcmp(text, "keys.space") != 0)
            first++;
        assign_row_of(&a, 1, &row); /* pad.south */
        CHECK_TEXT(row.name, "pad.south");
        was_on = strcmp(text, "keys.space") == 0 && row.is_on;
        CHECK(row.is_on == (strcmp(row.now, "on") == 0));
    }
    CHECK(was_on);
    end(true);
    if (!begin(PLAIN, true))
        return;
    about("the key that is pressed");
    static const char *const cells[] = {"pad.north", "pad.west", "pad.start"};
    for (unsigned i = 0; i < 3; i++) {
        choose(cells[i]);
        choose("driven by");
        CHECK(assign_listens(&a));
        for (unsigned k = 0; k < 1000 && assign_listens(&a); k++) {
            hands_advance(a.hands, 20000);
            assign_look(&a);
        }
        CHECK(!assign_listens(&a));
        CHECK(strncmp(cell(0, cells[i]), "keys.", 5) == 0);
        home();
    }
    CHECK(strcmp(cell(0, cells[0]), cell(0, cells[1])) != 0 ||
          strcmp(cell(0, cells[1]), cell(0, cells[2])) != 0);
    end(true);
}

static void begin_made(const char *to, const made_report *reports, unsigned count) {
    write_made(to, reports, count);
    memset(&held, 0, sizeof held);
    held.options = (watch_options){.speed = 1, .limit = 1000000, .source_count = 1};
    held.options.sources[0] = to;
    write_text(path, PLAIN);
    CHECK(assign_begin(&a, path, NULL, &held));
    choose("pad.north");
    choose("driven by");
    for (unsigned k = 0; k < 300 && assign_listens(&a); k++) {
        hands_advance(a.hands, 20000);
        assign_look(&a);
    }
}

static void check_held(void) {
    static const made_report with_shift[] = {
        {300, 2, 0}, {1500, 2, 0x0b}, {1600, 2, 0}, {1700, 0, 0}};
    static const made_report alone[] = {{300, 2, 0}, {500, 0, 0}};
    static const made_report latched[] = {{300, 0, 0x0c}, {4000, 0, 0x0c}};
    static const made_report before[] = {{10, 1, 0}, {20, 1, 0}};
    char made[80];
    assign_row row;
    snprintf(made, sizeof made, "%s.hid", path);
    about("a key while another is held: asked, and taken as it is said");
    begin_made(made, with_shift, 4);
    CHECK_EQUAL(assign_screen_of(&a), SCREEN_CHOICES);
    assign_row_of(&a, 0, &row);
    CHECK_TEXT(row.text, "keys.h");
    assign_row_of(&a, 1, &row);
    CHECK_TEXT(row.text, "keys.h and keys.left_shift");
    choose("while another is held");
    CHECK_TEXT(cell(0, "pad.north"), "keys.h and keys.left_shift");
    end(true);
    about("a modifier alone");
    begin_made(made, alone, 2);
    CHECK_TEXT(cell(0, "pad.north"), "keys.left_shift");
    end(true);
    about("a switch that stays");
    begin_made(made, latched, 2);
    CHECK_TEXT(cell(0, "pad.north"), "keys.i");
    end(true);
    about("nothing that is clear");
    begin_made(made, before, 2);
    CHECK(assign_listens(&a));
    end(true);
    unlink(made);
}

/* Tests inside the profile are run beside: one that fails is said, and is well again. */
static void check_tests(void) {
    if (!begin(PLAIN "tests:\n  - name: the hook\n    do: [{at: 0 ms, press: keys.space}]\n"
                     "    expect: [{at: 20 ms, pressed: pad.south}]\n",
               false))
        return;
    about("well");
    CHECK(testing_look(&a.testing, 10000));
    CHECK_TEXT(a.testing.wrong, "");
    about("it fails");
    choose("pad.south");
    choose("nothing drives it");
    CHECK(testing_look(&a.testing, 10000));
    CHECK(strstr(a.testing.wrong, "the test \"the hook\" fails"));
    home();
    choose("more");
    choose("what to know");
    assign_row row;
    assign_row_of(&a, 0, &row);
    CHECK(strstr(row.text, "the test \"the hook\" fails"));
    about("undone");
    assign_undo(&a);
    CHECK(testing_look(&a.testing, 10000));
    CHECK_TEXT(a.testing.wrong, "");
    end(false);
}

int main(void) {
    CHECK(mkdtemp(folder) != NULL);
    snprintf(path, sizeof path, "%s/p.yaml", folder);
    check_tasks();
    check_hands();
    check_held();
    check_tests();
    for (uint64_t seed = 1; seed <= 8; seed++)
        check_chance(seed, some(800));
    unlink(path);
    char beside[80];
    snprintf(beside, sizeof beside, "%s.draft", path);
    unlink(beside);
    rmdir(folder);
    return report_checks();
}
