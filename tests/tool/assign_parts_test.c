/* What a profile has beside its sheet, made by choosing rows; and tests of it, made by doing. */
#include "tests/tool/assigning.h"

/* What a profile has beside its sheet. */
static void check_parts(void) {
    if (!begin(PLAIN, false))
        return;
    about("a macro, with a step more, and more in a step");
    choose("more");
    choose("inputs, outputs");
    choose("macros");
    choose("another macro");
    type("drop it");
    CHECK(*a.said != 0); /* that is no name */
    type("drop");
    press("keys", "keys.f");
    choose("pad.dpad.left");
    CHECK(has("macros:\n  drop:\n    when: keys.f\n    steps:\n"
              "      - {press: pad.dpad.left, for: 100 ms}\n"));
    choose("another step");
    choose("view.motion"); /* is no switch: it is refused, and said */
    CHECK(*a.said != 0);
    choose("pad.south");
    choose("step 2");
    choose("press another");
    choose("pad.dpad.left");
    CHECK(has("      - {press: [pad.south, pad.dpad.left], for: 100 ms}\n"));
    choose("how long");
    choose("much more");
    CHECK(has("      - {press: [pad.south, pad.dpad.left], for: 200 ms}\n"));
    choose("back");
    assign_move(&a, 0);
    choose("take it out");
    CHECK(!has("pad.south, pad.dpad.left"));
    choose("step 1");
    choose("take it out");
    CHECK(*a.said != 0); /* one step at least */
    choose("back");
    choose("another step: a pause");
    CHECK(has("      - {wait: 100 ms}\n"));
    choose("when");
    choose("let it do");
    choose("only when held");
    CHECK(has("    when: hold(keys.f)\n"));
    home();
    about("a parameter: its numbers lie between one another");
    choose("more");
    choose("inputs, outputs");
    choose("parameters");
    choose("another parameter");
    type("speed");
    CHECK(has("parameters:\n  speed: {value: 50%, min: 0%, max: 100%, step: 1%}\n"));
    choose("speed");
    choose("max");
    choose("much less");
    for (unsigned i = 0; i < 6; i++)
        choose("much less");
    CHECK(has("  speed: {value: 50%, min: 0%, max: 50%, step: 1%}\n"));
    choose("back");
    choose("value");
    choose("type it");
    type("20%");
    choose("a little more");
    CHECK(has("  speed: {value: 20.1%, min: 0%, max: 50%, step: 1%}\n"));
    home();
    about("a number of a cell is the parameter, which is turned from there");
    choose("pad.left_stick");
    choose("dead zone");
    choose("inner");
    choose("a parameter");
    choose("speed");
    CHECK_TEXT(cell(0, "pad.left_stick"), "deadzone(grip.left_stick, inner=speed)");
    choose("more");
    CHECK(has("  speed: {value: 21%, min: 0%, max: 50%, step: 1%}\n"));
    for (unsigned i = 0; i < 5; i++)
        choose("much more");
    CHECK(has("  speed: {value: 50%, min: 0%, max: 50%, step: 1%}\n"));
    home();
    about("a parameter that comes in front of what is worked on");
    choose("adapter.light.1");
    choose("driven by");
    press("grip", "grip.left_trigger");
    choose("let it do");
    choose("from its start to its end");
    choose("start");
    choose("a parameter");
    choose("a new one");
    type("dim");
    CHECK_TEXT(cell(0, "adapter.light.1"), "trigger_range(grip.left_trigger, start=dim)");
    CHECK(has("  dim: {value: 5%, min: 1%, max: 12%, step: 1%}\n"));
    CHECK_TEXT(assign_target_of(&a)->name, "adapter.light.1");
    home();
    about("what may be rebound");
    choose("more");
    choose("inputs, outputs");
    choose("what may be rebound on the adapter");
    choose("pad");
    choose("another control");
    press("keys", "keys.h");
    choose("another control");
    press("keys", "keys.i");
    CHECK(has("rebind:\n  pad: [keys.h, keys.i]\n"));
    choose("take it out");
    CHECK(!has("rebind:"));
    home();
    about("an output of another kind, and of one that is written");
    choose("more");
    choose("inputs, outputs");
    choose("outputs");
    choose("view");
    choose("which kind");
    choose("joystick"); /* which has no motion, but nothing drives that */
    CHECK(has("view: joystick"));
    choose("another output");
    type("keys");
    choose("mouse");
    CHECK(*a.said != 0); /* there is an input of that name */
    assign_back(&a);
    choose("another output");
    type("typed");
    choose("keyboard");
    choose("typed");
    choose("write it");
    type("{kind: keyboard, connector: 2}");
    CHECK(has("typed: {kind: keyboard, connector: 2}"));
    home();
    about("the adapter's, the parameter's, and what a host sends");
    choose("adapter.next_slot");
    choose("driven by");
    press("keys", "keys.tab");
    choose("let it do");
    choose("both at once, and alone not");
    press("keys", "keys.enter");
    CHECK_TEXT(cell(0, "adapter.next_slot"), "whole_chord(keys.tab, keys.enter)");
    home();
    choose("speed.up");
    choose("driven by");
    press("keys", "keys.page_up");
    home();
    choose("pad.home");
    choose("driven by");
    choose("choose it");
    choose("what hosts send");
    choose("typed.light.caps_lock");
    CHECK_TEXT(cell(0, "pad.home"), "typed.light.caps_lock");
    home();
    about("a layer: its condition, what it shares, taken out");
    choose("more");
    choose("another layer");
    choose("slow");
    choose("on while");
    choose("let it do");
    choose("for the next press"); /* it names nothing that could be pressed: said */
    CHECK(*a.said != 0);
    choose("on and off");
    CHECK(has("    while: toggle(keys.left_shift)\n"));
    home();
    choose("more");
    choose("another layer");
    choose("slow");
    choose("share a control");
    press("keys", "keys.g");
    choose("share a control");
    press("keys", "keys.h");
    CHECK(has("    shared: [keys.g, keys.h]\n"));
    choose("share nothing");
    CHECK(!has("shared"));
    choose("take the layer out");
    CHECK(!has("layers:"));
    about("all of it undone");
    while (a.draft.now > 0)
        assign_undo(&a);
    CHECK_TEXT(draft_text(&a.draft), PLAIN);
    end(false);
}

/* What hands do is a test of the profile, which holds; broken on purpose it fails. */
static void check_doing(void) {
    static const made_report reports[] = {{100, 0, 0x2c}, {300, 0, 0}, {500, 0, 0x0a}, {900, 0, 0}};
    char made[80];
    snprintf(made, sizeof made, "%s.hid", path);
    for (unsigned way = 0; way < 2; way++) {
        about(way ? "nothing is done" : "a key, and one that is repeated");
        write_made(made, reports + 3 * way, way ? 1 : 4);
        memset(&held, 0, sizeof held);
        held.options = (watch_options){.speed = 1, .limit = 1000000, .source_count = 1};
        held.options.sources[0] = made;
        write_text(path, PLAIN);
        CHECK(assign_begin(&a, path, NULL, &held));
        choose("more");
        choose("tests");
        choose("a new one");
        type("the hook, and the winch");
        CHECK_EQUAL(assign_screen_of(&a), SCREEN_DOING);
        for (unsigned i = 0; i < 100; i++) {
            hands_advance(a.hands, 20000);
            assign_look(&a);
        }
        choose("that was it");
        if (way) {
            CHECK(strstr(a.said, "nothing was done"));
            CHECK(!has("tests:"));
            end(true);
            continue;
        }
        CHECK(has("tests:\n  - name: the hook, and the winch\n    do:\n"
                  "      - {at: 0 ms, press: [keys.space]}\n"
                  "      - {at: 200 ms, release: [keys.space]}\n"));
        CHECK(has("pressed: [pad.south]") && has("released: [pad.south]"));
        CHECK(testing_look(&a.testing, 10000));
        CHECK_TEXT(a.testing.wrong, "");
        home();
        choose("pad.south");
        choose("nothing drives it");
        CHECK(testing_look(&a.testing, 10000));
        CHECK(strstr(a.testing.wrong, "the hook, and the winch"));
        home();
        choose("more");
        choose("tests");
        choose("the hook, and the winch");
        choose("take it out");
        CHECK(!has("tests:"));
        end(true);
    }
    unlink(made);
}

/* A gamepad that is made up: a hat, buttons, a stick and a trigger, a byte each. */
#define PAD                                                                                        \
    "D: 0\nN: made up\nI: 3 1209 0010\nR: 60 05 01 09 05 a1 01 09 39 15 00 25 07 75 08 95 01 81 "  \
    "42 05 09 19 01 29 08 15 00 25 01 75 01 95 08 81 02 05 01 09 30 09 31 15 00 26 ff 00 75 08 "   \
    "95 02 81 02 05 02 09 c5 95 01 81 02 c0\n"

#define RESTS "08 00 80 80 00\n"

static void begin_pad(const char *made, const char *reports) {
    static char text[20000];
    snprintf(text, sizeof text, PAD "%s", reports);
    write_text(made, text);
    memset(&held, 0, sizeof held);
    held.options = (watch_options){.speed = 1, .limit = 1000000, .source_count = 1};
    held.options.sources[0] = made;
    write_text(path, "yonder: 1\ninputs: {hand: gamepad}\noutputs: {pad: gamepad}\nsheet:\n"
                     "  pad.dpad.up: hand.dpad.up\n  pad.dpad.right: hand.dpad.right\n"
                     "  pad.left_stick: hand.left_stick\n  pad.left_trigger: hand.left_trigger\n");
    CHECK(assign_begin(&a, path, NULL, &held));
    choose("more");
    choose("tests");
    choose("a new one");
    type("rests");
}

static void play(unsigned ms) {
    for (unsigned i = 0; i < ms; i += 20) {
        hands_advance(a.hands, 20000);
        assign_look(&a);
    }
}

/* Directions of a hat are keys; a stick and a trigger are noted where they rest, not on the way. */
static void check_rests(void) {
    char made[80];
    snprintf(made, sizeof made, "%s.hid", path);
    about("a hat, a stick, a trigger");
    begin_pad(made, "E: 0.100000 5 " RESTS "E: 0.300000 5 01 00 80 80 00\nE: 0.500000 5 " RESTS
                    "E: 0.700000 5 08 00 a0 80 00\nE: 0.720000 5 08 00 c0 80 00\n"
                    "E: 0.740000 5 08 00 ff 80 00\nE: 1.000000 5 " RESTS
                    "E: 1.300000 5 08 00 80 80 ff\nE: 1.600000 5 " RESTS "E: 2.000000 5 " RESTS);
    play(2000);
    choose("that was it");
    CHECK(has("    do:\n      - {at: 0 ms, press: [hand.dpad.up, hand.dpad.right]}"));
    CHECK(has("release: [hand.dpad.up, hand.dpad.right]}"));
    CHECK(has("pressed: [pad.dpad.up, pad.dpad.right]"));
    CHECK(has("set: {hand.left_stick.x: 100.0%}"));
    CHECK(has("value: {pad.left_stick.x: 100.0%}"));
    CHECK(has("set: {hand.left_trigger: 100.0%}"));
    CHECK(!has("hand.left_stick.x: 2") && !has("hand.left_stick.x: 5"));
    CHECK(testing_look(&a.testing, 10000));
    CHECK_TEXT(a.testing.wrong, "");
    end(true);
    about("too much for one test");
    static char many[16000];
    for (unsigned i = 0; i < WITNESS_EVENTS + 10; i++)
        snprintf(many + strlen(many), sizeof many - strlen(many), "E: %u.%06u 5 %s", i / 50,
                 i % 50 * 20000, i % 2 ? "00 00 80 80 00\n" : RESTS);
    for (unsigned way = 0; way < 2; way++) {
        begin_pad(made, many);
        play(way ? 400 : 6000);
        choose("that was it");
        CHECK_EQUAL(strstr(a.said, "too much") != NULL, way == 0);
        CHECK_EQUAL(has("tests:"), way == 1);
        end(true);
    }
    unlink(made);
}

/* Motion is left out, which is said; what is pressed meanwhile is noted. */
static void check_motion(void) {
    char title[ASSIGN_TEXT];
    about("motion");
    memset(&held, 0, sizeof held);
    held.options = (watch_options){.speed = 1, .limit = 1000000, .source_count = 1};
    held.options.sources[0] = "crane/recordings/dory-trackball.hid";
    write_text(path, "yonder: 1\ninputs: {ball: mouse}\noutputs: {view: mouse}\nsheet:\n"
                     "  view.motion: ball.motion\n  view.button1: ball.button1\n");
    CHECK(assign_begin(&a, path, NULL, &held));
    choose("more");
    choose("tests");
    choose("a new one");
    type("rolls");
    play(20000);
    assign_title(&a, title, sizeof title);
    CHECK(strstr(title, "motion is left out"));
    choose("that was it");
    CHECK(has("press: [ball.button1]") && !has("move:") && !has("moved:"));
    CHECK(testing_look(&a.testing, 10000));
    CHECK_TEXT(a.testing.wrong, "");
    end(true);
}

int main(void) {
    CHECK(mkdtemp(folder) != NULL);
    snprintf(path, sizeof path, "%s/p.yaml", folder);
    check_parts();
    check_doing();
    check_rests();
    check_motion();
    unlink(path);
    rmdir(folder);
    return report_checks();
}
