#include "tests/engine/made.h"

#include <stdarg.h>
#include <stdio.h>
#include <string.h>

unsigned made_choice(making *making, unsigned count) {
    return making->at < making->size ? making->data[making->at++] % count : 0;
}

__attribute__((format(printf, 2, 3))) static void put(making *making, const char *format, ...) {
    va_list arguments;
    va_start(arguments, format);
    size_t left = sizeof making->text - making->length;
    int length = vsnprintf(making->text + making->length, left, format, arguments);
    va_end(arguments);
    making->length += (size_t)length < left ? (size_t)length : left - 1;
}

/* Of `sides` times all but one a number in words, from 1 to `most`; else other words. One choice
 * after the other: within one call their order would be the compiler's. */
static void put_either(making *making, unsigned sides, const char *number, unsigned most,
                       const char *other) {
    bool is_number = made_choice(making, sides) != 0;
    unsigned chosen = 1 + made_choice(making, most);
    const char *words = strchr(number, '%');
    if (is_number)
        put(making, "%.*s%u%s", (int)(words - number), number, chosen, words + 2);
    else
        put(making, "%s", other);
}

typedef enum kind { SWITCH, NUMBER, STICK, MOTION, TIME, RATE_OF_TURBO, SPEED } kind;

static void make(making *making, kind kind, int depth);

/* "name(a, b)": each letter of `arguments` is a kind. */
static void make_call(making *making, const char *name, const char *arguments, int depth) {
    put(making, "%s(", name);
    for (size_t i = 0; arguments[i]; i++) {
        put(making, "%s", i ? ", " : "");
        make(making, (kind)(arguments[i] - '0'), depth - 1);
    }
    put(making, ")");
}

static void make_join(making *making, kind one, const char *sign, kind other, int depth) {
    put(making, "(");
    make(making, one, depth - 1);
    put(making, " %s ", sign);
    make(making, other, depth - 1);
    put(making, ")");
}

static void make_switch(making *making, int depth) {
    static const char *const signs[] = {"<", "<=", ">", ">=", "==", "!="};
    switch (made_choice(making, depth > 0 ? 15 : 3)) {
    case 0:
    case 1:
        put(making, "keys.%c", 'a' + (int)made_choice(making, 8));
        return;
    case 2:
        put_either(making, 4, "ball.button%u", 3, "hand.east");
        return;
    case 3:
        put(making, "not (");
        make(making, SWITCH, depth - 1);
        put(making, ")");
        return;
    case 4:
        make_join(making, SWITCH, "and", SWITCH, depth);
        return;
    case 5:
        make_join(making, SWITCH, "or", SWITCH, depth);
        return;
    case 6:
        make_join(making, NUMBER, signs[made_choice(making, 6)], NUMBER, depth);
        return;
    case 7:
        make_call(making, "if", "000", depth);
        return;
    case 8:
        make_call(making, "toggle", "0", depth);
        return;
    case 9:
        make_call(making, "turbo", "05", depth);
        return;
    case 10:
        make_call(making, "hold", "04", depth);
        return;
    case 11:
        make_call(making, "tap", "044", depth);
        return;
    case 12:
        make_call(making, "chord", made_choice(making, 2) ? "000" : "00", depth);
        return;
    case 13:
        put(making, "pressed_%u", made_choice(making, 3));
        return;
    default:
        put(making, making->in_layer ? "below" : "ball.wheel > 0");
    }
}

static void make_number(making *making, int depth) {
    static const char *const signs[] = {"+", "-", "*", "/"};
    switch (made_choice(making, depth > 0 ? 10 : 4)) {
    case 0:
        put(making, "%u%%", made_choice(making, 255));
        return;
    case 1:
        put(making, "hand.left_stick.%c", made_choice(making, 2) ? 'x' : 'y');
        return;
    case 2:
        put(making, "hand.left_trigger");
        return;
    case 3:
        put(making, "some");
        return;
    case 4:
    case 5:
        make_join(making, NUMBER, signs[made_choice(making, 4)], NUMBER, depth);
        return;
    case 6:
        make_call(making, "if", "011", depth);
        return;
    case 7:
        make_call(making, made_choice(making, 2) ? "min" : "farther", "11", depth);
        return;
    case 8:
        make_call(making, "clamp", "111", depth);
        return;
    default:
        make(making, SWITCH, depth - 1);
    }
}

static void make_stick(making *making, int depth) {
    switch (made_choice(making, depth > 0 ? 6 : 1)) {
    case 0:
        put(making, "hand.right_stick");
        return;
    case 1:
        make_call(making, "stick", "1111", depth);
        return;
    case 2:
        make_call(making, "stick_from_motion", "36", depth);
        return;
    case 3:
        make_call(making, "farther", "22", depth);
        return;
    case 4:
        make_join(making, STICK, "*", NUMBER, depth);
        return;
    default:
        put(making, making->in_layer ? "below" : "hand.left_stick");
    }
}

static void make_motion(making *making, int depth) {
    switch (made_choice(making, depth > 0 ? 5 : 1)) {
    case 0:
        put(making, "ball.motion");
        return;
    case 1:
        make_join(making, MOTION, made_choice(making, 2) ? "*" : "/", NUMBER, depth);
        return;
    case 2:
        make_join(making, MOTION, "+", MOTION, depth);
        return;
    case 3:
        make_call(making, "if", "033", depth);
        return;
    default:
        put(making, making->in_layer ? "below" : "-ball.motion");
    }
}

static void make(making *making, kind kind, int depth) {
    switch (kind) {
    case SWITCH:
        make_switch(making, depth);
        return;
    case NUMBER:
        make_number(making, depth);
        return;
    case STICK:
        make_stick(making, depth);
        return;
    case MOTION:
        make_motion(making, depth);
        return;
    case TIME:
        put_either(making, 3, "%u ms", 100, "2 * long");
        return;
    case RATE_OF_TURBO:
        put_either(making, 3, "%u Hz", 200, "often");
        return;
    default:
        put_either(making, 3, "%u00 /s", 30, "fast");
    }
}

static const struct {
    const char *name;
    kind kind;
} targets[] = {
    {"pad.south", SWITCH},     {"pad.east", SWITCH},          {"pad.dpad.up", SWITCH},
    {"pad.left_stick", STICK}, {"pad.right_stick.x", NUMBER}, {"pad.left_trigger", NUMBER},
    {"view.motion", MOTION},   {"view.button1", SWITCH},      {"pad.start", SWITCH}};

static void make_cells(making *making, const char *indent) {
    put(making, "%spad.west: keys.z\n", indent);
    for (size_t i = 0; i < sizeof targets / sizeof targets[0]; i++) {
        if (made_choice(making, 3) == 0)
            continue;
        put(making, "%s%s: ", indent, targets[i].name);
        if (made_choice(making, 12) == 11)
            put(making, "none");
        else
            make(making, targets[i].kind, 3);
        put(making, "\n");
    }
}

void made_profile(making *making, const uint8_t *data, size_t size) {
    making->data = data;
    making->size = size;
    making->at = making->length = 0;
    making->in_layer = false;
    put(making, "yonder: 1\ninputs: {keys: keyboard, ball: mouse, hand: gamepad}\n"
                "outputs: {pad: gamepad, view: mouse}\n"
                "parameters:\n  some: {value: 30%%, min: -50%%, max: 200%%}\n"
                "  often: {value: 20 Hz, min: 1 Hz, max: 400 Hz}\n"
                "  fast: {value: 900 /s, min: 100 /s, max: 6000 /s}\n"
                "  long: {value: 20 ms, min: 1 ms, max: 300 ms}\nnamed:\n");
    for (int i = 0; i < 3; i++) {
        put(making, "  pressed_%d: ", i);
        put(making, "keys.%c", 'a' + i);
        put(making, "\n");
    }
    if (made_choice(making, 3) == 0)
        put(making, "copy: {pad: hand}\n");
    put(making, "sheet:\n");
    make_cells(making, "  ");
    put(making, "layers:\n");
    unsigned layers = 1 + made_choice(making, 4);
    for (unsigned i = 0; i < layers; i++) {
        put(making, "  - while: ");
        if (made_choice(making, 4) == 0)
            put(making, "next_press(keys.%c)", 'q' + (int)i);
        else
            make(making, SWITCH, 2);
        if (made_choice(making, 3) == 0)
            put(making, "\n    shared: [keys.%c]", 'a' + (int)made_choice(making, 4));
        put(making, "\n    sheet:\n");
        making->in_layer = true;
        make_cells(making, "      ");
        making->in_layer = false;
    }
    if (made_choice(making, 2)) {
        char key = (char)('a' + made_choice(making, 8));
        unsigned time_ms = 1 + made_choice(making, 90);
        put(making,
            "macros:\n  it:\n    when: keys.%c\n    steps: [{press: pad.south, for: %u ms}, "
            "{wait: long}, {set: {pad.left_trigger: 50%%}, for: 3 ms}]\n",
            key, time_ms);
    }
}
