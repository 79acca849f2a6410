/* Profiles that are made by the rules of the language, the bytes being the choices: most of them
 * compile, and what compiles runs a thousand updates (invariant 14). */
#include <stdarg.h>

#include "compiler/compile.h"
#include "fuzz/fuzz.h"
#include "yonder/engine.h"

#define UPDATES 1000

/* Every key a bit; eight buttons, motion and a wheel; ten buttons, two sticks and two triggers. */
static const uint8_t keyboard[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07,
                                   0x19, 0x00, 0x29, 0x3f, 0x15, 0x00, 0x25, 0x01,
                                   0x75, 0x01, 0x95, 0x40, 0x81, 0x02, 0xc0};
static const uint8_t mouse[] = {0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29,
                                0x08, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x08, 0x81, 0x02,
                                0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x09, 0x38, 0x15, 0x81, 0x25,
                                0x7f, 0x75, 0x08, 0x95, 0x03, 0x81, 0x06, 0xc0};
static const uint8_t gamepad[] = {
    0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x10, 0x15, 0x00, 0x25, 0x01,
    0x75, 0x01, 0x95, 0x10, 0x81, 0x02, 0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x09, 0x33, 0x09, 0x34,
    0x09, 0x32, 0x09, 0x35, 0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x06, 0x81, 0x02, 0xc0};

static const yt_device devices[3] = {
    {.descriptor = keyboard, .descriptor_size = sizeof keyboard, .input = 0},
    {.descriptor = mouse, .descriptor_size = sizeof mouse, .input = 1},
    {.descriptor = gamepad, .descriptor_size = sizeof gamepad, .input = 2}};
static const size_t report_sizes[3] = {8, 4, 8};

/* The bytes as choices; behind their end all are 0. */
typedef struct making {
    const uint8_t *data;
    size_t size, at;
    char text[16384];
    size_t length;
    bool in_layer;
} making;

static unsigned choose(making *making, unsigned count) {
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
    switch (choose(making, depth > 0 ? 15 : 3)) {
    case 0:
    case 1:
        put(making, "keys.%c", 'a' + (int)choose(making, 8));
        return;
    case 2:
        put(making, choose(making, 4) ? "ball.button%u" : "hand.east", 1 + choose(making, 3));
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
        make_join(making, NUMBER, signs[choose(making, 6)], NUMBER, depth);
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
        make_call(making, "chord", choose(making, 2) ? "000" : "00", depth);
        return;
    case 13:
        put(making, "pressed_%u", choose(making, 3));
        return;
    default:
        put(making, making->in_layer ? "below" : "ball.wheel > 0");
    }
}

static void make_number(making *making, int depth) {
    static const char *const signs[] = {"+", "-", "*", "/"};
    switch (choose(making, depth > 0 ? 10 : 4)) {
    case 0:
        put(making, "%u%%", choose(making, 255));
        return;
    case 1:
        put(making, "hand.left_stick.%c", choose(making, 2) ? 'x' : 'y');
        return;
    case 2:
        put(making, "hand.left_trigger");
        return;
    case 3:
        put(making, "some");
        return;
    case 4:
    case 5:
        make_join(making, NUMBER, signs[choose(making, 4)], NUMBER, depth);
        return;
    case 6:
        make_call(making, "if", "011", depth);
        return;
    case 7:
        make_call(making, choose(making, 2) ? "min" : "farther", "11", depth);
        return;
    case 8:
        make_call(making, "clamp", "111", depth);
        return;
    default:
        make(making, SWITCH, depth - 1);
    }
}

static void make_stick(making *making, int depth) {
    switch (choose(making, depth > 0 ? 6 : 1)) {
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
    switch (choose(making, depth > 0 ? 5 : 1)) {
    case 0:
        put(making, "ball.motion");
        return;
    case 1:
        make_join(making, MOTION, choose(making, 2) ? "*" : "/", NUMBER, depth);
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
        put(making, choose(making, 3) ? "%u ms" : "2 * long", 1 + choose(making, 100));
        return;
    case RATE_OF_TURBO:
        put(making, choose(making, 3) ? "%u Hz" : "often", 1 + choose(making, 200));
        return;
    default:
        put(making, choose(making, 3) ? "%u00 /s" : "fast", 1 + choose(making, 30));
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
        if (choose(making, 3) == 0)
            continue;
        put(making, "%s%s: ", indent, targets[i].name);
        if (choose(making, 12) == 11)
            put(making, "none");
        else
            make(making, targets[i].kind, 3);
        put(making, "\n");
    }
}

static void make_profile(making *making) {
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
    if (choose(making, 3) == 0)
        put(making, "copy: {pad: hand}\n");
    put(making, "sheet:\n");
    make_cells(making, "  ");
    put(making, "layers:\n");
    unsigned layers = 1 + choose(making, 4);
    for (unsigned i = 0; i < layers; i++) {
        put(making, "  - while: ");
        if (choose(making, 4) == 0)
            put(making, "next_press(keys.%c)", 'q' + (int)i);
        else
            make(making, SWITCH, 2);
        if (choose(making, 3) == 0)
            put(making, "\n    shared: [keys.%c]", 'a' + (int)choose(making, 4));
        put(making, "\n    sheet:\n");
        making->in_layer = true;
        make_cells(making, "      ");
        making->in_layer = false;
    }
    if (choose(making, 2))
        put(making,
            "macros:\n  it:\n    when: keys.%c\n    steps: [{press: pad.south, for: %u ms}, "
            "{wait: long}, {set: {pad.left_trigger: 50%%}, for: 3 ms}]\n",
            'a' + (int)choose(making, 8), 1 + choose(making, 90));
}

static void run(making *making, const compiled *compiled) {
    static uint64_t memory[131072];
    yt_port port = {.version = YT_PORT_VERSION};
    yt_engine engine;
    unsigned numbers[3];
    bool plugged[3] = {true, true, true};
    uint64_t now_us = 0;
    yt_status status = yt_engine_init(&engine, memory, sizeof memory, &port);
    INVARIANT(14, status == YT_OK);
    INVARIANT(14, yt_engine_load(&engine, compiled->image, compiled->size) == YT_OK);
    for (unsigned i = 0; i < 3; i++)
        INVARIANT(14, yt_engine_attach(&engine, &devices[i], &numbers[i]) == YT_OK);
    uint32_t dice = 1 + choose(making, 255);
    for (unsigned i = 0; i < UPDATES; i++) {
        uint8_t report[8], bytes[YT_REPORT_BYTES + 1];
        dice = dice * 1664525u + 1013904223u;
        unsigned device = (dice >> 24) % 3;
        for (size_t k = 0; k < sizeof report; k++)
            report[k] = (uint8_t)(dice >> (k * 3)) & (uint8_t)(dice >> 9);
        if (plugged[device])
            status =
                yt_engine_report(&engine, numbers[device], report, report_sizes[device], now_us);
        uint64_t due_us = yt_engine_update(&engine, now_us);
        INVARIANT(14, due_us > now_us);
        for (unsigned k = 0; k < 2; k++)
            if (yt_interface_report(&engine, k, bytes, sizeof bytes) > 0 && (dice >> 20 & 1))
                yt_interface_taken(&engine, k, now_us);
        if ((dice >> 12) % 64 == 0 && plugged[device]) {
            yt_engine_detach(&engine, numbers[device], now_us);
            plugged[device] = false;
        } else if (!plugged[device]) {
            plugged[device] =
                yt_engine_attach(&engine, &devices[device], &numbers[device]) == YT_OK;
        }
        if ((dice >> 12) % 100 == 0)
            yt_engine_cancel(&engine);
        status = yt_engine_set_parameter(&engine, (dice >> 16) % 5, (yt_q16)(dice >> 12));
        now_us += (dice >> 10) % 9000;
    }
    (void)status; /* a parameter may be refused, a report too: that is counted */
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    static making making;
    compiled compiled;
    messages messages;
    making.data = data;
    making.size = size;
    making.at = making.length = 0;
    make_profile(&making);
    messages_begin(&messages, "profile", making.text, making.length);
    if (compile_profile(&compiled, &messages)) {
        run(&making, &compiled);
        pool_free(&compiled.pool);
    } else {
        INVARIANT(8, messages.count > 0);
    }
    messages_free(&messages);
    return 0;
}
