/* What must hold for any input: random presses and moves, polls of 1, 8 and 30 ms. */
#include <math.h>

#include "signal/fixed.h"
#include "compiler/building/operations.h"
#include "signal/fixed.h"
#include "tests/engine/world.h"
#include "tests/harness.h"
#include "yonder/inspect.h"

static world w, other;

static const char *const names[] = {"a", "b", "c", "ball.button1"};
static const char taps_sheet[] = "pad.south: keys.a\npad.east: keys.b\npad.west: keys.c\n"
                                 "view.button1: ball.button1\nview.motion: ball.motion * 60%";

/* Counts what the hosts saw of each button, from the log. */
static void count_presses(const char *log, unsigned *down, unsigned *up) {
    static const char *const shown[] = {" south ", " east ", " west ", " button1 "};
    for (int i = 0; i < 4; i++) {
        bool is_down = false;
        down[i] = up[i] = 0;
        for (const char *at = log; (at = strstr(at, shown[i])) != NULL; at++) {
            bool goes_down = strncmp(at + strlen(shown[i]), "down", 4) == 0;
            CHECK(goes_down != is_down); /* a press and a release take turns */
            is_down = goes_down;
            down[i] += goes_down;
            up[i] += !goes_down;
        }
    }
}

/* Taps far shorter than a poll, motion in between: every tap shows, every count arrives. */
static void check_taps(uint64_t poll_us, uint64_t seed) {
    dice dice = {seed};
    unsigned taps[4] = {0}, down[4], up[4];
    int64_t x = 0, y = 0;
    about("polls of %" PRIu64 " us, seed %" PRIu64, poll_us, seed);
    world_begin(&w, taps_sheet, poll_us);
    for (int i = 0; i < 150; i++) {
        unsigned key = roll_below(&dice, 4);
        world_press(&w, names[key], true);
        world_run_until(&w, w.now_us + 50 + roll_below(&dice, 3000));
        world_press(&w, names[key], false);
        taps[key]++;
        int dx = (int)roll_below(&dice, 255) - 127, dy = (int)roll_below(&dice, 255) - 127;
        world_move(&w, dx, dy, 0);
        x += dx;
        y += dy;
        world_run_until(&w, w.now_us + roll_below(&dice, (uint32_t)poll_us * 4));
    }
    world_run_until(&w, w.now_us + 3000000);
    count_presses(w.log, down, up);
    for (int i = 0; i < 4; i++) {
        CHECK_EQUAL(down[i], taps[i]);
        CHECK_EQUAL(up[i], taps[i]);
    }
    /* 60 % is stored as 39322 / 65536; what is still owed is less than a count. */
    CHECK(llabs(w.hosts[1].controls[8].sum * 65536 - x * 39322) < 65536);
    CHECK(llabs(w.hosts[1].controls[9].sum * 65536 - y * 39322) < 65536);
    CHECK_EQUAL(yt_engine_counts(&w.engine).pairs_dropped, 0);
    world_end(&w);
}

static const char all_sheet[] =
    "pad.south: keys.a and not keys.b or keys.c\n"
    "pad.east: keys.a or (keys.b and keys.left_shift)\n"
    "pad.north: ball.wheel > 0\n"
    "pad.west: slate.x < 50% and slate.y >= -25%\n"
    "pad.start: ball.motion.x + ball.motion.y != 0\n"
    "pad.left_stick: stick(left=keys.a, right=keys.b, up=keys.c, down=keys.left_shift) * 70%\n"
    "pad.right_stick: stick_from_motion(ball.motion, full_at=1500 /s) * if(keys.a, 100%, 50%)\n"
    "pad.left_trigger: slate.x - slate.y * 30%\n"
    "view.motion: if(keys.b, ball.motion * 25%, stick(x=slate.x, y=keys.a) * 321 /s)\n"
    "view.wheel: ball.wheel * 2 + ball.motion.y * 10% + step(keys.c, 3) - slate.y * 9 /s\n"
    "view.button1: not (slate.button1 or keys.c) == slate.button1\n"
    "pad.right_trigger: slate.x / (slate.y + 3) + some / 2\n"
    "pad.select: turbo(keys.a, rate=often)\n"
    "pad.home: hold(keys.b, after=7 ms)\n"
    "pad.paddle1: tap(keys.c, within=30 ms, on=11 ms)\n"
    "pad.paddle2: chord(keys.a, keys.b, within=9 ms)\n"
    "pad.paddle3: toggle(keys.left_shift)\n";

/* Layers that are held, toggled and for the next press, and a macro. */
static const char all_more[] =
    "layers:\n"
    "  - while: toggle(keys.c)\n"
    "    sheet:\n"
    "      pad.south: turbo(keys.a, rate=77 Hz) or below\n"
    "      pad.left_stick: below / 2\n"
    "      view.motion: below * 50% + motion(x=keys.b * 20 /s)\n"
    "  - while: next_press(keys.b)\n"
    "    shared: slate.x\n"
    "    sheet:\n"
    "      pad.east: keys.a\n"
    "      pad.right_stick: stick_from_motion(ball.motion, full_at=400 /s)\n"
    "      pad.left_trigger: slate.x\n"
    "  - while: keys.left_shift and slate.button1\n"
    "    sheet:\n"
    "      pad.south: hold(keys.a, after=5 ms)\n"
    "      pad.left_stick.x: slate.y\n"
    "macros:\n"
    "  it:\n"
    "    when: slate.button1\n"
    "    steps:\n"
    "      - {press: pad.start, for: 13 ms}\n"
    "      - {set: {pad.left_trigger: slate.y}, for: 4 ms}\n"
    "parameters:\n"
    "  some: {value: 30%, min: 0%, max: 100%}\n"
    "  often: {value: 33.3 Hz, min: 1 Hz, max: 400 Hz}\n";

/* One thing that a person may do, the same for every world that is given the same dice. */
static void do_anything(world *world, dice *dice) {
    static const char *const held[] = {"a",           "b", "c", "left_shift", "slate.button1",
                                       "ball.button1"};
    switch (roll_below(dice, 5)) {
    case 0:
        world_move(world, (int)roll_below(dice, 41) - 20, (int)roll_below(dice, 41) - 20, 0);
        break;
    case 1:
        world_move(world, 0, 0, (int)roll_below(dice, 3) - 1);
        break;
    case 2:
        world_slate(world, (uint16_t)roll_below(dice, 32768), (uint16_t)roll_below(dice, 32768));
        break;
    default: {
        uint32_t which = roll_below(dice, 6);
        world_press(world, held[which], roll_below(dice, 2));
    }
    }
}

/* To the nearest step, halves away from 0. */
static yt_q16 divide_slowly(yt_q16 a, yt_q16 b) {
    if (b == 0)
        return a > 0 ? INT32_MAX : a < 0 ? INT32_MIN : 0;
    long double quotient = (long double)a * 65536 / b;
    return yt_q16_saturate((int64_t)roundl(quotient));
}

/* The slow and obvious evaluation: every node that the compiler made steps of, in order, by what
 * its operation means. Functions keep the value that the engine has, since their state is not
 * repeated here; so do controls and parameters. */
static yt_q16 evaluate_slowly(const yt_build_node *node, const yt_q16 *values) {
    yt_q16 a[256] = {0};
    for (unsigned k = 0; k < node->argument_count; k++)
        a[k] = values[node->arguments[k]];
    switch (node->operation) {
    case YT_OP_CONSTANT:
        return node->data;
    case YT_OP_NOT:
        return a[0] == 0 ? YT_ONE : 0;
    case YT_OP_AND:
        return a[0] && a[1] ? YT_ONE : 0;
    case YT_OP_OR:
        return a[0] || a[1] ? YT_ONE : 0;
    case YT_OP_ADD:
        return yt_q16_saturate((int64_t)a[0] + a[1]);
    case YT_OP_SUBTRACT:
        return yt_q16_saturate((int64_t)a[0] - a[1]);
    case YT_OP_MULTIPLY:
        return yt_q16_saturate(((int64_t)a[0] * a[1] + 32768) >> 16);
    case YT_OP_LESS:
        return a[0] < a[1] ? YT_ONE : 0;
    case YT_OP_LESS_OR_EQUAL:
        return a[0] <= a[1] ? YT_ONE : 0;
    case YT_OP_EQUAL:
        return a[0] == a[1] ? YT_ONE : 0;
    case YT_OP_CHOOSE:
        return a[0] ? a[1] : a[2];
    case YT_OP_SEEN:
        return a[0];
    case YT_OP_DIVIDE:
        return divide_slowly(a[0], a[1]);
    case YT_OP_GATE:
        return a[0] ? a[1] : 0;
    case YT_OP_TOPMOST:
        for (unsigned k = 0; k < node->argument_count; k += 2)
            if (a[k])
                return a[k + 1];
        return 0;
    case YT_OP_ANY:
        for (unsigned k = 0; k < node->argument_count; k++)
            if (a[k])
                return YT_ONE;
        return 0;
    default:
        return yt_inspect_value(&w.engine, node->value);
    }
}

/* After each update what is kept, and what outputs were told, is what evaluating everything gives.
 */
static void check_changed_only(void) {
    dice dice = {7};
    yt_q16 values[512];
    world_begin_with(&w, all_sheet, all_more, 8000);
    const yt_compiled *compiled = &w.compiled;
    const yt_program *program = &compiled->program;
    unsigned kept = 0;
    CHECK(compiled->node_count < 512);
    for (int i = 0; i < 20000; i++) {
        about("only what changed is evaluated, step %d", i);
        do_anything(&w, &dice);
        for (unsigned k = 0; k < compiled->node_count; k++) {
            const yt_build_node *node = &compiled->nodes[k];
            values[k] = evaluate_slowly(node, values);
            if (node->operation == YT_OP_CONSTANT || node->value == YT_NO_VALUE)
                continue;
            CHECK_EQUAL(yt_inspect_value(&w.engine, node->value), values[k]);
            kept++;
        }
        for (unsigned k = 0; k < program->header->root_count; k++) {
            const yt_program_step *step = &program->steps[program->roots[k].step];
            if (step->value != YT_NO_VALUE)
                CHECK_EQUAL(yt_inspect_value(&w.engine, step->value),
                            values[compiled->roots[k].node]);
        }
        if (roll_below(&dice, 3) == 0)
            world_run_until(&w, w.now_us + roll_below(&dice, 20000));
    }
    CHECK(kept > 100000);
    world_end(&w);
}

/* The same inputs at the same times; one engine is updated at once, the other now and then. */
static void check_any_stepping(void) {
    dice dice = {8}, when = {9};
    about("updating late gives what updating at once gives");
    world_begin_with(&w, all_sheet, all_more, 0);
    world_begin_with(&other, all_sheet, all_more, 0);
    other.lazy = true;
    unsigned compared = 0;
    for (int i = 0; i < 20000; i++) {
        struct dice same = dice;
        do_anything(&w, &dice);
        do_anything(&other, &same);
        uint64_t time_us = w.now_us + roll_below(&when, 6000);
        world_run_until(&w, time_us);
        world_run_until(&other, time_us);
        if (roll_below(&when, 8) != 0)
            continue;
        yt_engine_update(&w.engine, time_us);
        yt_engine_update(&other.engine, time_us);
        CHECK_EQUAL(memcmp(yt_inspect_values(&w.engine), yt_inspect_values(&other.engine),
                           w.compiled.program.header->value_count * sizeof(yt_q16)),
                    0);
        compared++;
    }
    CHECK(compared > 2000);
    CHECK_EQUAL(yt_engine_counts(&other.engine).deadlines_merged, 0);
    world_end(&w);
    world_end(&other);
}

/* Two engines that work side by side never affect each other. */
static void check_apart(void) {
    dice dice = {10};
    about("two engines side by side");
    world_begin_with(&w, all_sheet, all_more, 8000);
    for (int i = 0; i < 500; i++) {
        do_anything(&w, &dice);
        world_run_until(&w, w.now_us + 2000);
    }
    char *alone = strdup(w.log);
    world_end(&w);
    dice.state = 10;
    struct dice another = {11};
    world_begin_with(&w, all_sheet, all_more, 8000);
    world_begin(&other, taps_sheet, 1000);
    for (int i = 0; i < 500; i++) {
        do_anything(&w, &dice);
        do_anything(&other, &another);
        world_run_until(&w, w.now_us + 2000);
        world_run_until(&other, other.now_us + 2000);
    }
    CHECK_TEXT(w.log, alone);
    free(alone);
    world_end(&w);
    world_end(&other);
}

int main(void) {
    static const uint64_t polls_us[] = {1000, 8000, 30000};
    for (size_t i = 0; i < 3; i++)
        for (uint64_t seed = 1; seed <= 10; seed++)
            check_taps(polls_us[i], seed);
    check_changed_only();
    check_any_stepping();
    check_apart();
    return report_checks();
}
