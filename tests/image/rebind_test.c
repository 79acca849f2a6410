/* What docs/program-format.md says of letting an output be driven by another control: done to a
 * program byte by byte, it passes the check and does it. */
#include "image/code.h"
#include "tests/engine/rig.h"
#include "tests/harness.h"
#include "tests/engine/lengths.h"

static rig r;
static uint64_t copy[1024];

static const uint8_t mouse[] = {0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x09, 0x30, 0x09, 0x31, 0x15,
                                0x81, 0x25, 0x7f, 0x75, 0x08, 0x95, 0x02, 0x81, 0x06, 0xc0};

enum { KEYS = 3, FIRST_KEY = 4 }; /* a, b, c, in the order of the program's controls */

static void begin(yt_program *program) {
    rig_begin(&r, "inputs: {keys: keyboard, ball: mouse}\noutputs: {pad: {kind: gamepad, fields: "
                  "[{usage: button1, count: 8}]}, view: mouse}\nsheet:\n  pad.button1: keys.a\n"
                  "  pad.button2: keys.b\n  pad.button3: keys.c\n  view.motion: ball.motion\n");
    memcpy(copy, r.compiled.image, r.compiled.size);
    CHECK_EQUAL(yt_program_check(program, copy, r.compiled.size), YT_OK);
}

/* The same tables in the copy, where they may be written. */
#define OF(program, table) ((void *)(uintptr_t)(program)->table)

static yt_status end(void) {
    yt_program program;
    uint8_t *bytes = (uint8_t *)copy;
    uint32_t checksum = yt_checksum(0, bytes + 16, r.compiled.size - 16);
    memcpy(bytes + 12, &checksum, 4);
    yt_status status = yt_program_check(&program, copy, r.compiled.size);
    return status == YT_OK ? yt_engine_load(&r.engine, copy, r.compiled.size) : status;
}

static void mark(const yt_program *program, unsigned value, unsigned step, bool on) {
    const yt_program_users *users = &program->users[value - program->header->constant_count];
    yt_program_mark *marks = OF(program, marks);
    for (unsigned i = users->first; i < users->first + (unsigned)users->count; i++) {
        uint32_t bit = (uint32_t)1 << step % 32;
        if (marks[i].word == step / 32 && (on || marks[i].bits != bit))
            marks[i].bits = on ? marks[i].bits | bit : marks[i].bits & ~bit;
    }
}

/* Button `button` is driven by key `key`, and by no other one; `clears`: as the document says. */
static void rebind_button(const yt_program *program, unsigned button, unsigned key, bool clears) {
    unsigned step = program->roots[program->reports[0].first_root + button].step;
    yt_instruction *code = (yt_instruction *)OF(program, code) + program->steps[step].code;
    unsigned before = code->operand;
    CHECK_EQUAL(code->code, YT_CODE_LOAD);
    code->operand = (uint16_t)(yt_first_control(program) + key);
    mark(program, code->operand, step, true);
    if (clears && before != code->operand)
        mark(program, before, step, false);
}

/* All ways in which three keys can drive three buttons. */
static void check_buttons(bool clears) {
    for (unsigned way = 0; way < KEYS * KEYS * KEYS; way++) {
        const unsigned keys[] = {way % KEYS, way / KEYS % KEYS, way / KEYS / KEYS};
        yt_program program;
        begin(&program);
        for (unsigned button = 0; button < KEYS; button++)
            rebind_button(&program, button, keys[button], clears);
        about("buttons driven by keys %u, %u and %u", keys[0], keys[1], keys[2]);
        CHECK_EQUAL(end(), YT_OK);
        unsigned number = RIG_ATTACH(&r, rig_six_keys);
        uint64_t now_us = 1000;
        for (unsigned held = 0; held < 8; held++, now_us += 1000) {
            uint8_t report[6] = {0}, state[YT_REPORT_BYTES + 1] = {0}, expected = 0;
            for (unsigned k = 0; k < KEYS; k++)
                report[k] = (uint8_t)(held >> k & 1 ? FIRST_KEY + k : 0);
            for (unsigned button = 0; button < KEYS; button++)
                expected |= (uint8_t)((held >> keys[button] & 1) << button);
            rig_report(&r, number, report, sizeof report, now_us);
            while (*rig_take(&r, 0, now_us))
                continue;
            state_of(&r.engine, 0, YT_HID_INPUT, 0, state, sizeof state);
            CHECK_EQUAL(state[0], expected);
        }
        rig_end(&r);
    }
}

/* The view's x follows the ball's y too, and no more its x. */
static void check_motion(void) {
    yt_program program;
    begin(&program);
    yt_program_users *users = OF(&program, users);
    yt_program_wire *wires = OF(&program, wires);
    unsigned x = yt_first_control(&program) + KEYS - program.header->constant_count, y = x + 1;
    about("motion that goes by a wire");
    CHECK_EQUAL(users[x].wires, 1);
    CHECK_EQUAL(users[y].wires, 1);
    CHECK(wires[users[x].first_wire].step < wires[users[y].first_wire].step);
    unsigned step = wires[users[x].first_wire].step;
    yt_instruction *code = (yt_instruction *)OF(&program, code) + program.steps[step].code;
    code->operand = (uint16_t)(yt_first_control(&program) + KEYS + 1);
    users[x].wires = 0;
    users[y].wires = 2;
    users[y].first_wire--;
    CHECK_EQUAL(end(), YT_OK);
    unsigned ball = RIG_ATTACH(&r, mouse);
    while (*rig_take(&r, 1, 1000))
        continue;
    RIG_REPORT(&r, ball, 2000, 5, 9);
    CHECK_TEXT(rig_take(&r, 1, 2000), "00 09 00 09 00 00 00 00 00");
    about("and its code alone is refused");
    code->operand--;
    CHECK_EQUAL(end(), YT_PROGRAM_USERS);
    rig_end(&r);
}

int main(void) {
    check_buttons(true);
    check_buttons(false);
    check_motion();
    return report_checks();
}
