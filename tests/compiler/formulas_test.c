/* Formulas that are right: what they come to, for given inputs. */
#include "tests/engine/rig.h"
#include "tests/engine/world.h"
#include "tests/harness.h"

static world w;

typedef struct formula_case {
    const char *cell;
    const char *held;     /* keys and buttons that are down, by blanks */
    int x, y;             /* of the slate */
    const char *expected; /* what the host sees; first comes what is so at rest */
} formula_case;

/* The slate rests at 16384: 0 is -100 %, 32767 is 100 %, 24576 about 50 %. */
static const formula_case cases[] = {
    {"pad.south: keys.a or keys.b and keys.c", "a", 16384, 16384, "0 south down"},
    {"pad.south: keys.a or keys.b and keys.c", "b", 16384, 16384, ""},
    {"pad.south: (keys.a or keys.b) and keys.c", "a", 16384, 16384, ""},
    {"pad.south: not keys.a and keys.b", "b", 16384, 16384, "0 south down"},
    {"pad.south: not (keys.a and keys.b)", "a b", 16384, 16384, "0 south down; 1 south up"},
    {"pad.south: not not keys.a", "a", 16384, 16384, "0 south down"},
    {"pad.south: not slate.x > 40%", "", 32767, 16384, "0 south down; 1 south up"},
    {"pad.south: slate.x > 40% and keys.a", "a", 32767, 16384, "0 south down"},
    {"pad.south: slate.x < -40%", "", 0, 16384, "0 south down"},
    {"pad.south: slate.x == 100%", "", 32767, 16384, "0 south down"},
    {"pad.south: slate.x == 1", "", 32767, 16384, "0 south down"},
    {"pad.south: slate.x == 0%", "", 32767, 16384, "0 south down; 1 south up"},
    {"pad.south: slate.x >= slate.y", "", 16384, 16384, "0 south down"},
    {"pad.south: slate.x > slate.y", "", 16384, 16384, ""},
    {"pad.south: slate.x != 100%", "", 16384, 16384, "0 south down"},
    {"pad.south: 100% <= slate.x + keys.a", "a", 16384, 16384, "0 south down"},
    {"pad.left_trigger: slate.x * 50%", "", 32767, 16384, "0 left_trigger 50%"},
    {"pad.left_trigger: 2 * slate.x - 150%", "", 32767, 16384, "0 left_trigger 50%"},
    {"pad.left_trigger: 1 - 25% - 25%", "", 16384, 16384, "0 left_trigger 50%"},
    {"pad.left_trigger: (1 - 25%) * 2 * 50%", "", 16384, 16384, "0 left_trigger 75%"},
    {"pad.left_trigger: 0.125 * 4", "", 16384, 16384, "0 left_trigger 50%"},
    {"pad.left_trigger: keys.a * 30%", "a", 16384, 16384, "0 left_trigger 30%"},
    {"pad.left_trigger: -slate.x", "", 0, 16384, "0 left_trigger 100%"},
    {"pad.left_trigger: 0 - -slate.x", "", 32767, 16384, "0 left_trigger 100%"},
    {"pad.left_stick.x: if(keys.a, slate.x, slate.y)", "a", 0, 32767, "0 left_stick.x -100%"},
    {"pad.left_stick.x: if(keys.a, slate.x, slate.y)", "", 0, 32767, "0 left_stick.x 100%"},
    {"pad.left_stick.x: if(when=keys.a, then=10%, else=20%)", "", 0, 0, "0 left_stick.x 20%"},
    {"pad.left_stick: stick(x=slate.x, y=-50%)", "", 0, 0,
     "0 left_stick.x -100%; 0 left_stick.y -50%"},
    {"pad.left_stick: stick(keys.a, keys.b, keys.c, keys.d)", "b c", 0, 0,
     "0 left_stick.x 100%; 0 left_stick.y -100%"},
    {"pad.left_stick: if(keys.a, stick(x=1, y=0), stick(x=0, y=1)) * 40%", "", 0, 0,
     "0 left_stick.y 40%"},
    {"pad.left_stick: stick(x=1, y=0) - stick(x=25%, y=-25%)", "", 0, 0,
     "0 left_stick.x 75%; 0 left_stick.y 25%"},
    {"pad.south: if(keys.a, keys.b, keys.c)", "a c", 0, 0, ""},
    {"pad.left_stick.x: min(slate.x, slate.y)", "", 0, 32767, "0 left_stick.x -100%"},
    {"pad.left_stick.x: min(slate.x, 25%)", "", 32767, 0, "0 left_stick.x 25%"},
    {"pad.left_stick.x: min(slate.x, 25%)", "", 0, 0, "0 left_stick.x -100%"},
    {"pad.left_stick.x: max(slate.x, slate.y)", "", 0, 32767, "0 left_stick.x 100%"},
    {"pad.left_stick.x: max(b=slate.x, a=-25%)", "", 0, 0, "0 left_stick.x -25%"},
    {"pad.left_trigger: max(keys.a * 30%, keys.b * 60%)", "a b", 0, 0, "0 left_trigger 60%"},
    {"pad.left_trigger: abs(slate.x)", "", 0, 0, "0 left_trigger 100%"},
    {"pad.left_trigger: abs(slate.x)", "", 32767, 0, "0 left_trigger 100%"},
    {"pad.left_trigger: abs(slate.x)", "", 16384, 0, ""},
    {"pad.left_stick.x: clamp(slate.x, -25%, 75%)", "", 0, 0, "0 left_stick.x -25%"},
    {"pad.left_stick.x: clamp(slate.x, -25%, 75%)", "", 32767, 0, "0 left_stick.x 75%"},
    {"pad.left_stick.x: clamp(slate.x, -25%, 75%)", "", 16384, 0, ""},
    {"pad.left_stick.x: clamp(slate.x, low=slate.y, high=50%)", "", 0, 24576, "0 left_stick.x 50%"},
    {"pad.left_trigger: abs(10% - 60%)", "", 0, 0, "0 left_trigger 50%"},
    {"pad.left_trigger: clamp(2, 0, min(70%, max(10%, 20%)))", "", 0, 0, "0 left_trigger 20%"},
    {"pad.left_stick: stick_from_motion(ball.motion, full_at=min(900 /s, 1500 /s))", "", 0, 0, ""},
    {"pad.home: none", "a", 0, 0, ""},
    {"'pad.south': \"keys.a\"", "a", 0, 0, "0 south down"},
    {"pad.south: >-\n    keys.a\n    or keys.b", "b", 0, 0, "0 south down"}};

static void check_case(const formula_case *at) {
    char held[64], *save = NULL;
    about("%s with %s, %d, %d", at->cell, at->held, at->x, at->y);
    world_begin(&w, at->cell, 0);
    snprintf(held, sizeof held, "%s", at->held);
    for (char *key = strtok_r(held, " ", &save); key; key = strtok_r(NULL, " ", &save))
        world_hold(&w, key, true);
    /* All before the first update, so that the first report shows it. */
    w.lazy = true;
    world_send(&w, WORLD_KEYS);
    world_slate(&w, (uint16_t)at->x, (uint16_t)at->y);
    w.poll_us = 1000;
    world_run_until(&w, 0);
    world_run_until(&w, 1000);
    CHECK_TEXT(w.log, at->expected);
    world_end(&w);
}

/* Equal parts of formulas are one node; constants are reckoned out when compiled. */
static void check_sharing(void) {
    about("equal parts are one node");
    world_begin(&w,
                "pad.south: keys.a and keys.b\npad.east: (keys.a and keys.b) or keys.c\n"
                "pad.left_trigger: 25% * 2 + max(10%, abs(-5%)) - 10%",
                0);
    CHECK_EQUAL(w.compiled.node_count, 6); /* a, b, and, c, or, 50 % */
    CHECK_EQUAL(w.compiled.control_count, 3);
    CHECK_EQUAL(w.compiled.program.controls[0].usage, 4);
    world_end(&w);
}

/* The same source gives the same bytes. */
static void check_repeatable(void) {
    static world again;
    static const char sheet[] = "pad.left_stick: stick(x=slate.x, y=slate.y)\n"
                                "pad.right_stick: stick_from_motion(ball.motion, full_at=900 /s)";
    about("compiling twice gives the same bytes");
    world_begin(&w, sheet, 0);
    world_begin(&again, sheet, 0);
    CHECK_EQUAL(w.compiled.size, again.compiled.size);
    CHECK_EQUAL(memcmp(w.compiled.image, again.compiled.image, w.compiled.size), 0);
    world_end(&w);
    world_end(&again);
}

/* A profile with named formulas, and the same with each written out: the same bytes. */
static void check_named(void) {
    static const char *const pairs[][3] = {
        {"p: keys.a or keys.b", "pad.south: p and keys.c",
         "pad.south: (keys.a or keys.b) and keys.c"},
        {"p: q or keys.b\n  q: keys.a", "pad.south: p and not q",
         "pad.south: (keys.a or keys.b) and not keys.a"},
        {"m: ball.motion", "view.motion: m * 60%", "view.motion: ball.motion * 60%"},
        {"m: ball.motion", "view.wheel: m.y", "view.wheel: ball.motion.y"},
        {"s: stick(x=slate.x, y=slate.y)", "pad.left_trigger: s.y", "pad.left_trigger: slate.y"},
        {"full: 1500 /s", "pad.left_stick: stick_from_motion(ball.motion, full_at=2 * full)",
         "pad.left_stick: stick_from_motion(ball.motion, full_at=3000 /s)"},
        {"k: keys.a", "pad.left_trigger: k", "pad.left_trigger: keys.a"},
        {"k: not keys.z", "pad.left_trigger: 50%", "pad.left_trigger: 50%"}};
    static const char head[] = "inputs: {keys: keyboard, ball: mouse, slate: tablet}\n"
                               "outputs: {pad: gamepad, view: mouse}\n";
    static rig with, without;
    for (size_t i = 0; i < sizeof pairs / sizeof pairs[0]; i++) {
        char profile[600];
        about("%s as %s", pairs[i][0], pairs[i][1]);
        snprintf(profile, sizeof profile, "%snamed:\n  %s\nsheet:\n  %s\n", head, pairs[i][0],
                 pairs[i][1]);
        rig_begin(&with, profile);
        snprintf(profile, sizeof profile, "%ssheet:\n  %s\n", head, pairs[i][2]);
        rig_begin(&without, profile);
        CHECK_EQUAL(with.compiled.size, without.compiled.size);
        if (with.compiled.size == without.compiled.size)
            CHECK_EQUAL(memcmp(with.compiled.image, without.compiled.image, with.compiled.size), 0);
        rig_end(&with);
        rig_end(&without);
    }
}

int main(void) {
    check_named();
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++)
        check_case(&cases[i]);
    check_sharing();
    check_repeatable();
    return report_checks();
}
