/* What a program asks of the adapter: each thing once, in order; what it is told; and parameters
 * that controls and macros change, within their range. */
#include "yonder/actions.h"
#include "yonder/inspect.h"

#include "tests/engine/rig.h"
#include "tests/harness.h"

static rig r;

static const char *const names[] = {
#define YT_ACTION(NAME, name, most, kind, pulses, meaning) #name,
#include "yonder/actions.def"
};

static const unsigned mosts[] = {
#define YT_ACTION(NAME, name, most, kind, pulses, meaning) most,
#include "yonder/actions.def"
};

static void press(unsigned keys, uint8_t key, uint64_t now_us) {
    RIG_REPORT(&r, keys, now_us, 0, key, 0, 0, 0, 0);
}

static unsigned left_trigger(uint64_t now_us) {
    static unsigned last;
    const char *text;
    unsigned bytes[20];
    while (*(text = rig_take(&r, 0, now_us))) {
        int used;
        for (unsigned i = 0; i < 20 && sscanf(text, "%x%n", &bytes[i], &used) == 1; i++)
            text += used;
        last = (bytes[11] | bytes[12] << 8) * 100 / 32767;
    }
    return last;
}

/* Every action, by its name, at a press and not at the release. */
static void check_all(void) {
    for (unsigned kind = 0; kind < YT_ACTION_KINDS; kind++)
        for (unsigned number = mosts[kind] ? 1 : 0; number <= mosts[kind]; number++) {
            char text[200], part[20] = "";
            yt_action action;
            if (number)
                snprintf(part, sizeof part, ".%u", number);
            snprintf(text, sizeof text,
                     "inputs: {keys: keyboard}\noutputs: {pad: gamepad}\nsheet: {adapter.%s%s: "
                     "keys.a}\n",
                     names[kind], part);
            rig_begin(&r, text);
            about("%s%s", names[kind], part);
            unsigned keys = RIG_ATTACH(&r, rig_six_keys);
            CHECK(!yt_engine_action(&r.engine, &action));
            press(keys, 4, 1000);
            CHECK(yt_engine_action(&r.engine, &action));
            CHECK_EQUAL(action.kind, kind);
            CHECK_EQUAL(action.number, number);
            CHECK_EQUAL(action.value, YT_ONE);
            CHECK_TEXT(yt_action_name(action.kind), names[kind]);
            CHECK(!yt_engine_action(&r.engine, &action));
            press(keys, 0, 2000);
            bool is_light = kind == YT_ACTION_LIGHT; /* which is told when it goes off, too */
            CHECK_EQUAL(yt_engine_action(&r.engine, &action), is_light);
            CHECK(!is_light || action.value == 0);
            rig_end(&r);
        }
    for (unsigned kind = 0; kind < YT_ACTION_KINDS; kind++)
        for (unsigned other = 0; other < kind; other++)
            CHECK(yt_action_pulses(kind) != yt_action_pulses(other) || yt_action_pulses(kind) == 0);
    CHECK_TEXT(yt_action_name(YT_ACTION_KINDS), "");
    CHECK_EQUAL(yt_action_pulses(99), 0);
}

/* A light is told from 0 to 1, whatever its formula comes to. */
static void check_light(void) {
    yt_action action;
    rig_begin(&r,
              "inputs: {keys: keyboard}\noutputs: {pad: gamepad}\nsheet: {adapter.light.1: keys.a "
              "* 300% - keys.b * 200%}\n");
    unsigned keys = RIG_ATTACH(&r, rig_six_keys);
    press(keys, 4, 1000);
    CHECK(yt_engine_action(&r.engine, &action) && action.value == YT_ONE);
    press(keys, 5, 2000);
    CHECK(yt_engine_action(&r.engine, &action) && action.value == 0);
    rig_end(&r);
}

/* A firmware that takes nothing: of a light what it is last waits, and parameters are set all the
 * same. */
static void check_not_taken(void) {
    yt_action action;
    rig_begin(
        &r,
        "inputs: {keys: keyboard}\noutputs: {pad: gamepad}\nparameters: {some: {value: 10%, min: "
        "0%, max: 100%, step: 10%}}\nsheet: {adapter.light.1: keys.a, adapter.light.2: keys.b * "
        "50%, adapter.next_slot: keys.c, some.up: keys.d, pad.left_trigger: some}\n");
    unsigned keys = RIG_ATTACH(&r, rig_six_keys);
    for (unsigned i = 1; i <= 21; i++)
        press(keys, i % 2 ? 4 : 5, i * 1000);
    CHECK_EQUAL(yt_engine_counts(&r.engine).actions_dropped, 0);
    CHECK(yt_engine_action(&r.engine, &action) && action.number == 1 && action.value == YT_ONE);
    CHECK(yt_engine_action(&r.engine, &action) && action.number == 2 && action.value == 0);
    CHECK(!yt_engine_action(&r.engine, &action));
    for (unsigned i = 0; i < 24; i++)
        press(keys, i % 2 ? 0 : 6, 30000 + i * 1000);
    CHECK(left_trigger(59000) <= 10);
    for (unsigned i = 0; i < 6; i++)
        press(keys, i % 2 ? 0 : 7, 60000 + i * 1000);
    unsigned now = left_trigger(70000);
    CHECK(now >= 39 && now <= 40);
    rig_end(&r);
}

/* They wait in their order; what there is no room for is counted; a new program begins without. */
static void check_queue(void) {
    static const char profile[] = "inputs: {keys: keyboard}\noutputs: {pad: gamepad}\nsheet: "
                                  "{adapter.next_slot: keys.a, adapter.slot.3: keys.b}\n";
    yt_action action;
    rig_begin(&r, profile);
    unsigned keys = RIG_ATTACH(&r, rig_six_keys);
    for (unsigned i = 0; i < 10; i++) {
        press(keys, i % 2 ? 5 : 4, 1000 * (i + 1));
        press(keys, 0, 1000 * (i + 1) + 500);
    }
    CHECK_EQUAL(yt_engine_counts(&r.engine).actions_dropped, 2);
    for (unsigned i = 0; i < YT_ACTIONS; i++) {
        CHECK(yt_engine_action(&r.engine, &action));
        CHECK_EQUAL(action.kind, i % 2 ? YT_ACTION_SLOT : YT_ACTION_NEXT_SLOT);
        CHECK_EQUAL(action.number, i % 2 ? 3 : 0);
    }
    CHECK(!yt_engine_action(&r.engine, &action));
    press(keys, 4, 20000);
    rig_load(&r, profile);
    CHECK(!yt_engine_action(&r.engine, &action));
    CHECK_EQUAL(yt_engine_counts(&r.engine).actions_dropped, 0);
    rig_end(&r);
}

/* Facts count at once, end at their range, and are nothing to a program that does not read them. */
static void check_facts(void) {
    rig_begin(&r, "inputs: {keys: keyboard}\noutputs: {pad: gamepad}\nsheet: {pad.left_trigger: "
                  "adapter.battery, pad.south: adapter.slot == 7 and adapter.locked}\n");
    CHECK_EQUAL(left_trigger(0), 100); /* as long as nobody says otherwise */
    yt_engine_tell(&r.engine, YT_FACT_BATTERY, YT_ONE / 4);
    CHECK_EQUAL(left_trigger(1000), 25);
    yt_engine_tell(&r.engine, YT_FACT_BATTERY, 5 * YT_ONE);
    CHECK_EQUAL(left_trigger(2000), 100);
    yt_engine_tell(&r.engine, YT_FACT_SLOT, 7 * YT_ONE);
    CHECK_TEXT(rig_take(&r, 0, 3000), "");
    yt_engine_tell(&r.engine, YT_FACT_LOCKED, YT_ONE);
    CHECK(strncmp(rig_take(&r, 0, 4000), "01", 2) == 0);
    yt_engine_tell(&r.engine, YT_FACT_COUNT, YT_ONE);
    rig_load(&r, "inputs: {keys: keyboard}\noutputs: {pad: gamepad}\nsheet: {pad.south: keys.a}\n");
    yt_engine_tell(&r.engine, YT_FACT_SLOT, YT_ONE);
    rig_end(&r);
}

/* Up and down by steps to the ends of the range and no farther; held, it goes once. */
static void check_steps(void) {
    int meant = 40;
    dice dice = {5};
    rig_begin(&r,
              "inputs: {keys: keyboard}\noutputs: {pad: gamepad}\nparameters: {some: {value: 40%, "
              "min: 10%, max: 95%, step: 20%}}\nsheet: {pad.left_trigger: some, some.up: keys.a, "
              "some.down: keys.b}\nmacros: {put: {when: keys.c, steps: [{set: {some: 55%}, for: 5 "
              "ms}]}}\n");
    unsigned keys = RIG_ATTACH(&r, rig_six_keys);
    for (unsigned i = 1; i < 200; i++) {
        uint8_t key = (uint8_t)(4 + roll_below(&dice, 3));
        meant = key == 6 ? 55 : meant + (key == 4 ? 20 : -20);
        meant = meant < 10 ? 10 : meant > 95 ? 95 : meant;
        press(keys, key, i * 20000);
        about("press %u of %u", i, key);
        int got = (int)left_trigger(i * 20000);
        CHECK(got - meant <= 1 && meant - got <= 1);
        press(keys, 0, i * 20000 + 8000);
        yt_engine_update(&r.engine, i * 20000 + 10000);
        got = (int)left_trigger(i * 20000 + 10000);
        CHECK(got - meant <= 1 && meant - got <= 1);
    }
    rig_end(&r);
}

/* Parameters that change one another for ever do so once an update, and time goes on. */
static void check_circle(void) {
    rig_begin(&r,
              "inputs: {keys: keyboard}\noutputs: {pad: gamepad}\nparameters: {some: {value: 0%, "
              "min: 0%, max: 100%, step: 50%}}\nsheet: {pad.left_trigger: some, some.up: some < "
              "30%, some.down: some > 30%}\n");
    unsigned changes = 0, last = left_trigger(0);
    uint64_t now_us = 0;
    for (unsigned i = 0; i < 100; i++) {
        uint64_t due_us = yt_engine_update(&r.engine, now_us);
        unsigned now = left_trigger(now_us);
        CHECK(due_us > now_us);
        changes += now != last;
        last = now;
        now_us += 1000;
    }
    about("%u changes", changes);
    CHECK(changes > 50);
    rig_end(&r);
}

/* A tool sets a switch to anything but 0: it is on, and no more than that. */
static void check_inspected(void) {
    yt_action action;
    rig_begin(&r, "inputs: {keys: keyboard}\noutputs: {pad: gamepad}\nsheet: {adapter.next_slot: "
                  "keys.a}\n");
    yt_inspect_set(&r.engine, 0, 112200);
    yt_inspect_settle(&r.engine, 1000);
    CHECK(yt_engine_action(&r.engine, &action) && action.value == YT_ONE);
    rig_end(&r);
}

int main(void) {
    check_inspected();
    check_all();
    check_light();
    check_not_taken();
    check_queue();
    check_facts();
    check_steps();
    check_circle();
    return report_checks();
}
