/* Any text as rules that a profile is judged by: a clear error, or rules of what there is; and a
 * profile that is able to do what they do not allow breaks them (invariant 19). */
#include "compiler/profile/rules.h"
#include "fuzz/fuzz.h"
#include "yonder/abilities.h"

static const char profile[] =
    "yonder: 1\ninputs: {keys: keyboard, hand: gamepad, ball: mouse}\n"
    "outputs: {pad: gamepad, typed: keyboard, view: mouse}\n"
    "parameters: {rate: {value: 8 Hz, min: 1 Hz, max: 20 Hz}}\nnamed: {other: hand.east}\nsheet:\n"
    "  pad.south: turbo(hand.south, rate=rate)\n  pad.east: taps(ball.wheel)\n"
    "  pad.left_stick.x: last_wins(keys.a, keys.d)\n  typed.left_control+a: other\n"
    "  adapter.next_slot: keys.f1\n  pad.north: hold(keys.q)\n  view.wheel: hand.left_stick.y * 9 "
    "/s\n"
    "macros: {it: {when: keys.w, repeat: 3, steps: [{press: pad.west, for: 20 ms}]}}\n";

static void judge(const yt_rules *rules) {
    yt_compiled compiled;
    yt_messages messages;
    messages_begin(&messages, "profile", profile, sizeof profile - 1);
    INVARIANT(19, compile_profile(&compiled, &messages));
    unsigned beyond = compiled.program.header->abilities & ~rules->allowed;
    bool keeps = rules_judge(rules, &compiled, &messages);
    INVARIANT(19, !(keeps && beyond) && keeps == (messages.count == 0));
    INVARIANT(19, !(keeps && rules->repetition < 25 * YT_ONE));
    pool_free(&compiled.pool);
    messages_free(&messages);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    yt_rules rules;
    char *text = malloc(size + 1);
    memcpy(text, data, size);
    text[size] = 0;
    if (rules_read(&rules, "rules", text, size)) {
        INVARIANT(19, rules.name != NULL && (rules.allowed & ~(unsigned)YT_CAN_ALL) == 0);
        INVARIANT(19, rules.repetition >= 0 && rules.steps >= 0);
        judge(&rules);
    } else {
        INVARIANT(19, rules.messages.count > 0);
    }
    rules_free(&rules);
    return 0;
}
