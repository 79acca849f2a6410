/* What programs are able to do, as their headers say it; and ports that refuse some of it. */
#include "yonder/abilities.h"

#include "tests/engine/rig.h"
#include "tests/harness.h"

static rig r;

#define HEAD                                                                                       \
    "inputs: {keys: keyboard, hand: gamepad, ball: mouse}\noutputs: {pad: gamepad, typed: "        \
    "keyboard, view: mouse}\n"

static const struct {
    const char *sheet;
    unsigned abilities;
} programs[] = {
    {"sheet: {pad.south: hand.east or hand.west and not hand.north}", YT_CAN_PLAIN},
    {"copy: {pad: hand}\nsheet: {view.motion: ball.motion * 2}", YT_CAN_PLAIN},
    {"sheet: {pad.left_stick: \"farther(hand.left_stick, hand.right_stick)\"}", YT_CAN_SHAPING},
    {"sheet: {pad.south: \"pressed(hand.left_trigger)\"}", YT_CAN_SHAPING},
    {"sheet: {view.wheel: hand.left_stick.y * 30 /s}", YT_CAN_SHAPING},
    {"sheet: {pad.south: hold(hand.south)}", YT_CAN_TIMING},
    {"sheet: {pad.south: \"whole_chord(hand.south, hand.east)\"}", YT_CAN_TIMING},
    {"sheet: {pad.south: hand.east}\nlayers: [{while: toggle(hand.home), sheet: {pad.south: "
     "none}}]",
     YT_CAN_TIMING},
    {"sheet: {pad.south: turbo(hand.south)}", YT_CAN_REPETITION},
    {"sheet: {pad.south: \"last_wins(hand.south, hand.east) > 0\"}", YT_CAN_OPPOSING},
    {"sheet: {}\nmacros: {it: {when: hand.south, steps: [{press: pad.east, for: 9 ms}]}}",
     YT_CAN_SEQUENCE},
    {"sheet: {}\nmacros: {it: {when: hand.south, repeat: 2, steps: [{press: pad.east, for: 9 "
     "ms}]}}",
     YT_CAN_SEQUENCE | YT_CAN_REPETITION},
    {"sheet: {}\nmacros: {it: {when: hand.south, repeat: while held, steps: [{press: pad.east, "
     "for: 9 "
     "ms}]}}",
     YT_CAN_SEQUENCE | YT_CAN_REPETITION},
    {"sheet: {typed.a: keys.b}", YT_CAN_PLAIN},
    {"sheet: {typed.a: hand.south}", YT_CAN_TYPING},
    {"sheet: {typed.left_control+a: keys.b}", YT_CAN_PLAIN},
    {"sheet: {typed.a: keys.a, pad.south: hand.south}",
     YT_CAN_TYPING}, /* it cannot be told apart */
    {"sheet: {adapter.next_slot: keys.a}", YT_CAN_ADAPTER},
    {"parameters: {some: {value: 3, min: 1, max: 5, step: 1}}\nsheet: {some.up: keys.a, "
     "pad.left_trigger: some / 5}",
     YT_CAN_PLAIN},
    {"sheet: {pad.south: turbo(hold(hand.south)), adapter.light.1: 50%}",
     YT_CAN_REPETITION | YT_CAN_TIMING | YT_CAN_ADAPTER}};

static void check_program(const char *sheet, unsigned abilities) {
    char text[800];
    snprintf(text, sizeof text, HEAD "%s\n", sheet);
    rig_begin(&r, text);
    about("%s", sheet);
    CHECK_EQUAL(r.compiled.program.header->abilities, abilities);
    for (unsigned ability = 0; ability < YT_ABILITY_COUNT; ability++) {
        r.port.refuses = 1u << ability;
        CHECK_EQUAL(yt_engine_load(&r.engine, r.compiled.image, r.compiled.size),
                    abilities >> ability & 1 ? YT_REFUSED : YT_OK);
    }
    r.port.refuses = YT_CAN_ALL & ~abilities;
    CHECK_EQUAL(yt_engine_load(&r.engine, r.compiled.image, r.compiled.size), YT_OK);
    r.port.refuses = 0;
    rig_end(&r);
}

/* What is refused leaves the program that runs as it was. */
static void check_refused(void) {
    yt_compiled refused;
    yt_messages messages;
    static const char text[] = "yonder: 1\n" HEAD "sheet: {pad.south: turbo(keys.a)}\n";
    rig_begin(&r, HEAD "sheet: {pad.south: keys.a}\n");
    unsigned keys = RIG_ATTACH(&r, rig_six_keys);
    messages_begin(&messages, "p.yaml", text, strlen(text));
    CHECK(compile_profile(&refused, &messages));
    r.port.refuses = YT_CAN_REPETITION;
    CHECK_EQUAL(yt_engine_load(&r.engine, refused.image, refused.size), YT_REFUSED);
    while (*rig_take(&r, 0, 0))
        continue;
    RIG_REPORT(&r, keys, 1000, 0, 4, 0, 0, 0, 0);
    CHECK(*rig_take(&r, 0, 1000) != 0);
    pool_free(&refused.pool);
    messages_free(&messages);
    rig_end(&r);
}

int main(void) {
    for (size_t i = 0; i < sizeof programs / sizeof programs[0]; i++)
        check_program(programs[i].sheet, programs[i].abilities);
    check_refused();
    CHECK_TEXT(yt_ability_name(YT_ABILITY_TYPING), "typing");
    CHECK_TEXT(yt_ability_name(YT_ABILITY_COUNT), "");
    return report_checks();
}
