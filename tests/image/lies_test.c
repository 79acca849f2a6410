/* The checker: a program that says at one place what another one contradicts is refused, each by
 * its own error. */
#include "image/check.h"
#include "image/code.h"
#include "image/functions.h"
#include "tests/engine/world.h"
#include "tests/harness.h"
#include "yonder/abilities.h"
#include "tests/image/changed.h"

static const char sheet[] =
    "pad.south: keys.a and not keys.b or slate.x > 40%\n"
    "pad.right_stick: stick_from_motion(ball.motion, full_at=1500 /s) * if(keys.a, 100%, 50%)\n"
    "pad.north: ball.wheel > 0\n"
    "view.motion: if(keys.b, ball.motion * 25%, -ball.motion)\n";

static void check_parameter_lies(void) {
    yt_program program;
    static world other;
    world_begin_with(&other, "pad.left_trigger: some",
                     "parameters: {some: {value: 50%, min: 10%, max: 60%, step: 5%}}\n", 0);
    const uint8_t *image = other.compiled.image;
    size_t size = other.compiled.size;
    CHECK_EQUAL(yt_program_check(&program, image, size), YT_OK);
    size_t at = changed_offset(&program, &program.parameters[0]);
    changed_word(image, size, at + AT(yt_program_parameter, name_offset), 60000,
                 YT_PROGRAM_PARAMETER, "a parameter's name outside of the text");
    changed_word(image, size, at + AT(yt_program_parameter, name_bytes), YT_UNIT_COUNT << 8 | 4,
                 YT_PROGRAM_PARAMETER, "an unknown unit");
    changed_word(image, size, at + AT(yt_program_parameter, minimum), 40000, YT_PROGRAM_PARAMETER,
                 "a value below its minimum");
    changed_word(image, size, at + AT(yt_program_parameter, maximum), 20000, YT_PROGRAM_PARAMETER,
                 "a value above its maximum");
    changed_word(image, size, at + AT(yt_program_parameter, step) + 2, 0x8000, YT_PROGRAM_PARAMETER,
                 "a step below 0");
    changed_word(image, size, AT(yt_program_header, groups), 1u << YT_GROUPS, YT_PROGRAM_GROUP,
                 "a group of functions that is not known");
    changed_word(image, size, AT(yt_program_header, groups), 0x8000, YT_PROGRAM_GROUP,
                 "the last group that there can be");
    world_end(&other);
}

/* The first step whose code has an instruction; it ends in the test where none has. */
static unsigned step_with(const yt_program *program, unsigned code) {
    for (unsigned i = 0, step = 0; i < program->header->instruction_count; i++) {
        if (program->code[i].code == code)
            return step;
        step += program->code[i].code == YT_CODE_END;
    }
    CHECK(false);
    return 0;
}

/* Marks: of steps that are there, behind the one that gives the value, in order, each list behind
 * the one before. */
static void check_users_lies(const uint8_t *image, size_t size, const yt_program *program) {
    unsigned constants = program->header->constant_count, own = 0;
    size_t at = changed_offset(program, program->users);
    changed_word(image, size, at + AT(yt_program_users, first), 9, YT_PROGRAM_USERS,
                 "marks that are not behind those of the value before");
    changed_word(image, size, at + AT(yt_program_users, count), 255, YT_PROGRAM_USERS,
                 "more marks than there are");
    changed_word(image, size, at + AT(yt_program_users, count),
                 (uint16_t)(program->users[0].count | 1 << 8), YT_PROGRAM_USERS,
                 "a switch that is compared as a pulse");
    while (program->users[own].count == 0 || own + constants < yt_first_step_value(program))
        own++;
    at = changed_offset(program, &program->marks[program->users[own].first]);
    changed_word(image, size, at + AT(yt_program_mark, bits), 1, YT_PROGRAM_STEP,
                 "a mark of an earlier step");
    at = changed_offset(program, program->marks);
    changed_word(image, size, at + AT(yt_program_mark, word), 99, YT_PROGRAM_USERS,
                 "a mark of a step that is not there");
    changed_word(image, size, at + AT(yt_program_mark, reserved), 1, YT_PROGRAM_USERS,
                 "something reserved of a mark");
    CHECK(program->header->step_count < 32);
    changed_word(image, size, at + AT(yt_program_mark, bits) + 2, 0x8000, YT_PROGRAM_USERS,
                 "a mark behind the last step");
}

/* One lie at a time, with the checksum made right: each is named for what it is. */
static void check_lies(const uint8_t *image, size_t size) {
    yt_program program;
    CHECK_EQUAL(yt_program_check(&program, image, size), YT_OK);
    unsigned anded = step_with(&program, YT_CODE_AND), stick = step_with(&program, YT_CODE_CALL);
    const yt_program_step *step = &program.steps[anded];
    size_t at = changed_offset(&program, step);
    changed_word(image, size, AT(yt_program_header, groups), 0, YT_PROGRAM_STEP,
                 "a function of a group that the header does not name");
    changed_word(image, size, at + AT(yt_program_step, code), step->code + 1u, YT_PROGRAM_STEP,
                 "code of another step");
    changed_word(image, size, at + AT(yt_program_step, value), 0, YT_PROGRAM_STEP,
                 "a value of another step");
    changed_word(image, size, at + AT(yt_program_step, state), 1, YT_PROGRAM_STATE,
                 "state where there is none");
    changed_word(image, size, at + AT(yt_program_step, timer), 1, YT_PROGRAM_STATE,
                 "a timer where there is none");
    changed_word(image, size, at + AT(yt_program_step, type),
                 (uint16_t)(YT_TYPE_PULSE | step->tells << 8), YT_PROGRAM_TYPE,
                 "a step of another type");
    changed_word(image, size, at + AT(yt_program_step, type), step->type | YT_TELLING_COUNT << 8,
                 YT_PROGRAM_STEP, "a step that tells something unknown");
    changed_word(image, size, at + AT(yt_program_step, report), 99, YT_PROGRAM_ROOT,
                 "a report that is not there");
    changed_word(image, size, at + AT(yt_program_step, report),
                 (uint16_t)((step->number + 1u) << 8), YT_PROGRAM_ROOT,
                 "a root that another step tells");
    at = changed_offset(&program, &program.code[step->code]); /* LOAD, AND… */
    changed_word(image, size, at + 2, step->value, YT_PROGRAM_ORDER, "a step that takes itself");
    changed_word(image, size, at + 2, 60000, YT_PROGRAM_ORDER, "a value that is not there");
    changed_word(image, size, at + 2, program.header->value_count, YT_PROGRAM_ORDER,
                 "a temporary that nothing was stored in");
    changed_word(image, size, at, YT_CODE_COUNT, YT_PROGRAM_STEP, "an unknown instruction");
    changed_word(image, size, at, YT_CODE_MORE, YT_PROGRAM_STEP, "an operand of nothing");
    changed_word(image, size, at, YT_CODE_HERE, YT_PROGRAM_STEP, "a number that no function takes");
    changed_word(image, size, at, YT_CODE_LOAD | 1 << 8, YT_PROGRAM_STEP, "an operand too many");
    changed_word(image, size, at, YT_CODE_LOAD | 255 << 8, YT_PROGRAM_STEP,
                 "more operands than there is code");
    changed_word(image, size, at, YT_CODE_PRESS, YT_PROGRAM_TYPE, "an event among switches");
    changed_word(image, size, at + 4, YT_CODE_CALL, YT_PROGRAM_STEP,
                 "a function in the middle of a step");
    unsigned number = 0;
    while (program.types[number] != YT_TYPE_NUMBER)
        number++;
    const yt_instruction *taken = &program.code[step->code];
    while (taken->code != YT_CODE_AND)
        taken++;
    at = changed_offset(&program, taken) + AT(yt_instruction, operand);
    changed_word(image, size, at, (uint16_t)number, YT_PROGRAM_TYPE,
                 "a number where a switch belongs");
    changed_word(image, size, at, (uint16_t)(yt_first_step_value(&program) - 1), YT_PROGRAM_USERS,
                 "a control that does not mark the step");
    at = changed_offset(&program, &program.steps[stick]);
    changed_word(image, size, at + AT(yt_program_step, state), 1, YT_PROGRAM_STATE,
                 "state that is another's");
    at = changed_offset(&program, &program.code[program.steps[stick].code]);
    changed_word(image, size, at + 2, 15, YT_PROGRAM_STEP, "a function that there is not");
    changed_word(image, size, at + 2, YT_DO_TOGGLE, YT_PROGRAM_STEP,
                 "a function of other arguments");
    at = changed_offset(&program, program.types);
    changed_word(image, size, at + number,
                 (uint16_t)(YT_TYPE_SWITCH | program.types[number + 1] << 8), YT_PROGRAM_TYPE,
                 "a number that is called a switch");
    changed_word(image, size, at + yt_first_control(&program), YT_TYPE_COUNT, YT_PROGRAM_TYPE,
                 "an unknown type");
    check_users_lies(image, size, &program);
    changed_word(image, size, changed_offset(&program, program.timers), 0, YT_PROGRAM_STATE,
                 "a timer of another step");
    at = changed_offset(&program, &program.controls[0]);
    changed_word(image, size, at + AT(yt_program_control, input), 9, YT_PROGRAM_CONTROL,
                 "a control's wrong input");
    changed_word(image, size, at + AT(yt_program_control, place), 9, YT_PROGRAM_CONTROL,
                 "a place that is not there");
    at = changed_offset(&program, &program.roots[0]);
    changed_word(image, size, at + AT(yt_program_root, step), 60000, YT_PROGRAM_ROOT,
                 "a root's step that is not there");
    changed_word(image, size, at + AT(yt_program_root, at.bit), 1000, YT_PROGRAM_ROOT,
                 "a root outside of its report");
    changed_word(image, size, at + AT(yt_program_root, at.bits), 0x6301, YT_PROGRAM_ROOT,
                 "another report's ID");
    changed_word(image, size, at + AT(yt_program_root, number), 0, YT_PROGRAM_ROOT,
                 "a button that has no number while it is on");
    changed_word(image, size, at + AT(yt_program_root, number), 2, YT_PROGRAM_ROOT,
                 "a number that its bits cannot hold");
    changed_word(image, size, at + AT(yt_program_root, range), 1, YT_PROGRAM_ROOT,
                 "a range where there is none");
    changed_word(image, size, at + AT(yt_program_root, part), 1, YT_PROGRAM_ROOT,
                 "a direction where there is no hat");
    changed_word(image, size, at + AT(yt_program_root, boot_byte), 1, YT_PROGRAM_ROOT,
                 "motion where there is none");
    unsigned motion = 0;
    while (program.roots[motion].kind != YT_ROOT_MOTION)
        motion++;
    at = changed_offset(&program, &program.roots[motion]) + AT(yt_program_root, boot_byte);
    changed_word(image, size, at, YT_BOOT_MOUSE_BYTES, YT_PROGRAM_ROOT,
                 "motion outside of a boot mouse's report");
    at = changed_offset(&program, &program.reports[0]);
    changed_word(image, size, at, 60000, YT_PROGRAM_OUTPUT, "a rest outside of the bytes");
    changed_word(image, size, at + AT(yt_program_report, bytes), 65, YT_PROGRAM_OUTPUT,
                 "a report that is too long");
    changed_word(image, size, at + AT(yt_program_report, root_count), 0x09ff, YT_PROGRAM_OUTPUT,
                 "more roots than there are");
    at = changed_offset(&program, &program.interfaces[0]);
    changed_word(image, size, at + AT(yt_program_interface, report_count), 0x0163,
                 YT_PROGRAM_OUTPUT, "more reports than there are");
    changed_word(image, size, at + AT(yt_program_interface, boot), 9, YT_PROGRAM_OUTPUT,
                 "an unknown boot protocol");
    at = changed_offset(&program, &program.outputs[0]);
    changed_word(image, size, at, 60000, YT_PROGRAM_TEXT, "an output's name outside of the text");
    changed_word(image, size, at + AT(yt_program_output, name_bytes), 0x0901, YT_PROGRAM_OUTPUT,
                 "an interface that is not there");
    at = changed_offset(&program, &program.ranges[0]);
    changed_word(image, size, at + AT(yt_program_range, rest) + 2, 0x7fff, YT_PROGRAM_CONTROL,
                 "a rest outside of its range");
    at = changed_offset(&program, &program.inputs[0]);
    changed_word(image, size, at + AT(yt_program_input, name_offset), 60000, YT_PROGRAM_TEXT,
                 "a name outside of the text");
    changed_word(image, size, AT(yt_program_header, timer_count), 3, YT_PROGRAM_SIZE,
                 "another number of timers");
    changed_word(image, size, 4, YT_PROGRAM_VERSION + 1, YT_PROGRAM_NEWER, "a later version");
    for (uint16_t version = 0; version < YT_PROGRAM_VERSION; version++)
        changed_word(image, size, 4, version, YT_PROGRAM_OLDER, "an earlier version");
    changed_word(image, size, 0, 2, YT_PROGRAM_FOREIGN, "not a program");
}

static const yt_program_control *control_of_kind(const yt_program *program, yt_kind kind) {
    unsigned i = 0;
    while (program->controls[i].kind != kind || program->controls[i].place == YT_NO_PLACE)
        i++;
    return &program->controls[i];
}

/* Places: what one field says only counts with another. */
static void check_places(void) {
    yt_compiled odd;
    changed_compile(&odd, "crane/odd",
                    "yonder: 1\ninputs: {odd: odd-pad}\noutputs: {pad: gamepad}\nsheet:\n"
                    "  pad.left_trigger: odd.pump\n  pad.west: odd.gyro.x > 90 deg/s\n");
    const yt_program_control *rate = control_of_kind(&odd.program, YT_RATE);
    const yt_program_place *place = &odd.program.places[rate->place];
    unsigned ranges = odd.program.header->range_count;
    CHANGES(&odd, place, YT_PROGRAM_CONTROL, "a rate at a place without a range",
            SET(yt_program_place, flags, YT_PLACE_HERE | YT_PLACE_SIGNED | YT_PLACE_MOTION),
            SET(yt_program_place, range, 0));
    CHANGES(&odd, place, YT_PROGRAM_CONTROL, "a range that is not given",
            SET(yt_program_place, flags, YT_PLACE_HERE | YT_PLACE_SIGNED | YT_PLACE_MOTION),
            SET(yt_program_place, range, 1));
    CHANGES(&odd, place, YT_PROGRAM_CONTROL, "a range that is not there",
            SET(yt_program_place, range, ranges));
    CHANGES(&odd, place, YT_PROGRAM_CONTROL, "a place without a range that is no motion",
            SET(yt_program_place, flags, YT_PLACE_HERE), SET(yt_program_place, range, 0));
    const yt_program_control *pump = control_of_kind(&odd.program, YT_LEVEL);
    CHANGES(&odd, &odd.program.places[pump->place], YT_PROGRAM_CONTROL,
            "a level at a place without a range", SET(yt_program_place, flags, YT_PLACE_HERE),
            SET(yt_program_place, range, 0));
    CHANGES(&odd, place, YT_PROGRAM_CONTROL, "bits of a place that is not given",
            SET(yt_program_place, flags, YT_PLACE_SIGNED | YT_PLACE_RANGE));
    CHANGES(&odd, place, YT_PROGRAM_CONTROL, "a place of no bits",
            SET(yt_program_place, at.bits, 0));
    CHANGES(&odd, place, YT_PROGRAM_CONTROL, "a place of 33 bits",
            SET(yt_program_place, at.bits, 33));
    CHANGES(&odd, place, YT_OK, "a place of 32 bits", SET(yt_program_place, at.bits, 32));
    CHANGES(&odd, place, YT_PROGRAM_CONTROL, "something in the reserved byte of a place",
            SET(yt_program_place, reserved, 1));
    CHANGES(&odd, place, YT_PROGRAM_CONTROL, "a place past the longest report",
            SET(yt_program_place, at.bit, YT_HID_REPORT_BITS));
    CHANGES(&odd, rate, YT_PROGRAM_CONTROL, "a place that is not there",
            SET(yt_program_control, place, odd.program.header->place_count));
    CHANGES(&odd, &odd.program.inputs[0], YT_PROGRAM_INPUT, "something reserved of an input",
            SET(yt_program_input, reserved, 1));
    CHANGES(&odd, &odd.program.inputs[0], YT_PROGRAM_INPUT, "an input with an unknown need",
            SET(yt_program_input, needs, 8));
    pool_free(&odd.pool);
}

static unsigned report_of(const yt_program *program, const yt_program_root *root) {
    return program->steps[root->step].report;
}

/* Motion goes both ways about 0, in numbers that can be negated. */
static void check_motion(void) {
    yt_compiled view;
    changed_compile(&view, "crane/view",
                    "yonder: 1\ninputs: {ball: mouse}\noutputs: {view: mouse}\nsheet:\n"
                    "  view.motion: ball.motion\n");
    const yt_program_root *root = view.program.roots;
    while (root->kind != YT_ROOT_MOTION)
        root++;
    const yt_program_range *range = &view.program.ranges[root->range];
    static const struct {
        int32_t minimum, rest, maximum;
        yt_status status;
    } ranges[] = {{-5, 0, 5, YT_OK},
                  {0, 0, 0, YT_OK},
                  {1, 2, 5, YT_PROGRAM_ROOT},
                  {-5, -3, -1, YT_PROGRAM_ROOT},
                  {-INT32_MAX, 0, INT32_MAX, YT_OK},
                  {INT32_MIN, 0, INT32_MAX, YT_PROGRAM_ROOT},
                  {5, 0, 9, YT_PROGRAM_CONTROL}};
    for (size_t i = 0; i < sizeof ranges / sizeof ranges[0]; i++)
        CHANGES(&view, range, ranges[i].status, "the range of motion",
                SET(yt_program_range, minimum, ranges[i].minimum),
                SET(yt_program_range, rest, ranges[i].rest),
                SET(yt_program_range, maximum, ranges[i].maximum));
    CHANGES(
        &view, root, YT_PROGRAM_ROOT, "a root one bit past its report",
        SET(yt_program_root, at.bit,
            8 * view.program.reports[report_of(&view.program, root)].bytes - root->at.bits + 1));
    CHANGES(&view, root, YT_OK, "a root at the end of its report",
            SET(yt_program_root, at.bit,
                8 * view.program.reports[report_of(&view.program, root)].bytes - root->at.bits));
    CHANGES(&view, root, YT_PROGRAM_ROOT, "a range that is not there",
            SET(yt_program_root, range, view.program.header->range_count));
    CHANGES(&view, &view.program.interfaces[0], YT_PROGRAM_OUTPUT,
            "something reserved of an interface", SET(yt_program_interface, reserved, 256));
    pool_free(&view.pool);
}

static void check_board(void) {
    yt_compiled desk;
    changed_compile(
        &desk, "crane/desk",
        "yonder: 1\ninputs: {desk: otter-desk}\noutputs: {pad: gamepad, view: mouse}\nsheet:\n"
        "  view.wheel: desk.knob\n  pad.south: desk.red\n");
    const yt_program_pin *knob = desk.program.pins;
    while (knob->kind != YT_PIN_ENCODER)
        knob++;
    for (unsigned steps = 0; steps < 256; steps++)
        CHANGES(&desk, knob, steps == 1 || steps == 2 || steps == 4 ? YT_OK : YT_PROGRAM_BOARD,
                "an encoder of so many steps a detent", SET(yt_program_pin, steps, steps));
    CHANGES(&desk, knob, YT_PROGRAM_BOARD, "something reserved of a pin",
            SET(yt_program_pin, reserved, 1));
    CHANGES(&desk, knob, YT_PROGRAM_BOARD, "something reserved of a pin",
            SET(yt_program_pin, reserved, 256));
    CHANGES(&desk, knob, YT_PROGRAM_BOARD, "an encoder past the board's report",
            SET(yt_program_pin, bit, 8 * YT_BOARD_BYTES));
    pool_free(&desk.pool);
}

/* The first direction of a hat leads the others. */
static void check_hat(void) {
    yt_compiled hat;
    changed_compile(&hat, "crane/hat",
                    "yonder: 1\ninputs: {keys: keyboard}\noutputs: {pad: gamepad}\n"
                    "sheet: {pad.dpad.up: keys.a, pad.dpad.left: keys.b}\n");
    CHECK_EQUAL(hat.program.roots[0].kind, YT_ROOT_HAT);
    CHANGES(&hat, hat.program.roots, YT_PROGRAM_ROOT, "a first direction that another one leads",
            SET(yt_program_root, lead, 1));
    CHANGES(&hat, hat.program.roots, YT_PROGRAM_ROOT, "a direction that there is not",
            SET(yt_program_root, part, 3));
    pool_free(&hat.pool);
}

/* What is reserved is 0, everywhere. */
static void check_reserved(void) {
    yt_compiled all;
    changed_compile(&all, "crane/all",
                    "yonder: 1\ninputs: {keys: keyboard}\noutputs: {pad: gamepad, view: mouse}\n"
                    "relays: [{output: view, report: 0, type: feature, to: keys}]\n"
                    "parameters: {some: {value: 50%, min: 10%, max: 60%}}\n"
                    "sheet: {pad.left_trigger: keys.a * some}\n");
    const yt_program *program = &all.program;
    for (unsigned i = 0; i < 3; i++) {
        const change relay = {offsetof(yt_program_relay, reserved) + i, 1, 1};
        changed_fields(&all, program->relays, &relay, 1, YT_PROGRAM_RELAY, "reserved of a relay");
    }
    for (unsigned i = 0; i < 2; i++) {
        const change interface = {offsetof(yt_program_interface, reserved) + i, 1, 1};
        changed_fields(&all, program->interfaces, &interface, 1, YT_PROGRAM_OUTPUT,
                       "reserved of an interface");
    }
    CHANGES(&all, program->users, YT_PROGRAM_USERS, "reserved of users",
            SET(yt_program_users, reserved, 1));
    CHANGES(&all, program->relays, YT_PROGRAM_RELAY, "a relay of an interface that is not there",
            SET(yt_program_relay, interface, program->header->interface_count));
    CHANGES(&all, program->relays, YT_PROGRAM_RELAY, "a relay to an input that is not there",
            SET(yt_program_relay, input, program->header->input_count));
    CHANGES(&all, program->relays, YT_PROGRAM_RELAY, "a relay of reports to the host",
            SET(yt_program_relay, direction, YT_HID_INPUT));
    pool_free(&all.pool);
}

#define LIE_OF(table, what, ...)                                                                   \
    CHANGES(&all, program->table, YT_PROGRAM_CONTROL, what, __VA_ARGS__)

/* What asks the adapter says what there is, and nothing beyond that; the header says what a program
 * is able to do, no more and no less. */
static void check_actions(void) {
    yt_compiled all;
    changed_compile(&all, "crane/all",
                    "yonder: 1\ninputs: {keys: keyboard}\noutputs: {pad: gamepad}\nparameters: "
                    "{some: {value: 3, min: "
                    "1, max: 9, step: 1}}\nsheet: {adapter.next_slot: keys.a}\n");
    const yt_program *program = &all.program;
    CHECK_EQUAL(program->header->target_count, 1);
    CHECK_EQUAL(program->header->abilities, YT_CAN_ADAPTER);
    LIE_OF(targets, "a number that it has not", SET(yt_program_control, usage, 1));
    LIE_OF(targets, "a slot without a number", SET(yt_program_control, page, YT_ACTION_SLOT));
    LIE_OF(targets, "a slot too many", SET(yt_program_control, page, YT_ACTION_SLOT),
           SET(yt_program_control, usage, 17));
    LIE_OF(targets, "an action that is none", SET(yt_program_control, page, YT_ACTION_KINDS));
    LIE_OF(targets, "between the actions and the parameters", SET(yt_program_control, page, 127));
    LIE_OF(targets, "behind those of parameters",
           SET(yt_program_control, page, YT_ACTION_FOLLOW + 1));
    LIE_OF(targets, "a light that is a switch", SET(yt_program_control, page, YT_ACTION_LIGHT),
           SET(yt_program_control, usage, 1));
    LIE_OF(targets, "a parameter that is not there", SET(yt_program_control, page, YT_ACTION_UP),
           SET(yt_program_control, usage, 1));
    LIE_OF(targets, "a number to put that is not put", SET(yt_program_control, other_page, 1));
    LIE_OF(targets, "a part", SET(yt_program_control, part, 1));
    LIE_OF(targets, "a place", SET(yt_program_control, place, 0));
    LIE_OF(targets, "another kind", SET(yt_program_control, kind, YT_LEVEL));
    CHANGES(&all, program->header, YT_PROGRAM_ABILITY, "nothing that it is able to do",
            SET(yt_program_header, abilities, 0));
    CHANGES(&all, program->header, YT_PROGRAM_ABILITY, "more than it is able to do",
            SET(yt_program_header, abilities, YT_CAN_ADAPTER | YT_CAN_TYPING));
    CHANGES(&all, program->header, YT_PROGRAM_SIZE, "reserved of the header",
            SET(yt_program_header, reserved, 1));
    pool_free(&all.pool);
}

#define LIE(table, what, ...) CHANGES(&all, program->table, YT_PROGRAM_FILL, what, __VA_ARGS__)

/* Reports that fill themselves lie within what they are of. */
static void check_fills(void) {
    yt_compiled all;
    changed_compile(
        &all, "crane/all",
        "yonder: 1\ninputs: {lever: plover-lever}\n"
        "outputs:\n  told:\n    kind: joystick\n    fields: [{usage: button1, count: 8}, "
        "{counter: 0}, {checksum: crc32}, {checksum: sum, bits: 16}, "
        "{checksum: xor}]\nsheet: {told.button1: lever.button1}\n");
    const yt_program *program = &all.program;
    CHECK_EQUAL(program->header->filled_count, 3);
    CHECK_EQUAL(program->header->fill_count, 9);
    LIE(filled, "its input", SET(yt_program_filled, input, 1));
    LIE(filled, "its way", SET(yt_program_filled, direction, YT_HID_INPUT));
    LIE(filled, "another way", SET(yt_program_filled, direction, 3));
    LIE(filled, "on arrival", SET(yt_program_filled, on_arrival, 2));
    LIE(filled, "how often", SET(yt_program_filled, every_us, YT_FILLED_MOST_US + 1));
    LIE(filled, "too many fills", SET(yt_program_filled, fill_count, 10));
    LIE(filled, "fills behind the last", SET(yt_program_filled, first_fill, 8),
        SET(yt_program_filled, fill_count, 2));
    LIE(filled, "a report that is not there", SET(yt_program_filled, report, 1));
    LIE(filled, "a report far behind the image", SET(yt_program_filled, report, 0xfe));
    LIE(filled, "a report to a host, sent to a device", SET(yt_program_filled, report, 0));
    LIE(fills, "its kind", SET(yt_program_fill, kind, YT_FILL_KIND_COUNT));
    LIE(fills, "no bits", SET(yt_program_fill, at.bits, 0));
    LIE(fills, "too many bits", SET(yt_program_fill, at.bits, 33));
    LIE(fills, "bits behind the longest report", SET(yt_program_fill, at.bit, 505));
    LIE(fills, "a report of its own", SET(yt_program_fill, at.report_id, 1));
    LIE(fills, "flags of a constant", SET(yt_program_fill, flags, YT_FILL_BIG_ENDIAN));
    LIE(fills, "bytes before", SET(yt_program_fill, before_count, YT_FILL_BEFORE + 1));
    LIE(fills, "bytes behind", SET(yt_program_fill, end, YT_REPORT_BYTES + 1));
    LIE(fills, "its end first", SET(yt_program_fill, first, 1), SET(yt_program_fill, end, 0));
    for (unsigned i = 0; i < 3; i++) {
        const change reserved = {offsetof(yt_program_fill, reserved) + i, 1, 1};
        changed_fields(&all, program->fills, &reserved, 1, YT_PROGRAM_FILL, "reserved of a fill");
    }
    const yt_program_filled *told = &program->filled[2];
    CHECK_EQUAL(told->report, 0);
    LIE(filled + 2, "a report to a host again and again", SET(yt_program_filled, every_us, 1));
    LIE(filled + 2, "a report to a host on arrival", SET(yt_program_filled, on_arrival, 1));
    LIE(filled + 2, "a report to a host with an ID", SET(yt_program_filled, report_id, 1));
    LIE(filled + 2, "a report to a host of an input", SET(yt_program_filled, input, 1));
    LIE(filled + 2, "a report to a host the other way",
        SET(yt_program_filled, direction, YT_HID_OUTPUT));
    const yt_program_fill *first = &program->fills[told->first_fill];
    CHECK_EQUAL(first[1].kind, YT_FILL_CRC);
    LIE(fills + told->first_fill, "behind its report", SET(yt_program_fill, at.bit, 8 * 9));
    LIE(fills + told->first_fill + 1, "over more than its report", SET(yt_program_fill, end, 10));
    LIE(fills + told->first_fill + 1, "a checksum within a byte", SET(yt_program_fill, at.bit, 17));
    LIE(fills + told->first_fill + 1, "a CRC of 9 bits", SET(yt_program_fill, at.bits, 9));
    LIE(fills + told->first_fill + 1, "a CRC that is negated",
        SET(yt_program_fill, flags, YT_FILL_NEGATED));
    LIE(fills + told->first_fill + 2, "a sum that is reflected",
        SET(yt_program_fill, flags, YT_FILL_REFLECTED));
    LIE(fills + told->first_fill + 3, "an xor that is negated",
        SET(yt_program_fill, flags, YT_FILL_NEGATED));
    pool_free(&all.pool);
}

/* A program may have so many controls and targets together: one more is refused before it is looked
 * into any further. */
static void check_many_controls(void) {
    for (unsigned targets = 0; targets <= 1; targets++)
        for (unsigned count = YT_PROGRAM_CONTROLS - 1; count <= YT_PROGRAM_CONTROLS + 1; count++) {
            yt_program program;
            yt_program_header header = {.magic = YT_PROGRAM_MAGIC,
                                        .version = YT_PROGRAM_VERSION,
                                        .header_bytes = sizeof header,
                                        .control_count = (uint16_t)(count - targets),
                                        .target_count = (uint16_t)targets,
                                        .value_count = (uint16_t)(count - targets)};
            size_t controls = (count - targets) * sizeof(yt_program_control);
            size_t size = sizeof header + (controls + 3) / 4 * 4 +
                          (targets * sizeof(yt_program_control) + 3) / 4 * 4 +
                          (count - targets + 3u) / 4 * 4 +
                          (count - targets) * sizeof(yt_program_users);
            memset(changed_copy, 0, size);
            memcpy(changed_copy, &header, sizeof header);
            uint32_t total = (uint32_t)size;
            memcpy((uint8_t *)changed_copy + AT(yt_program_header, total_bytes), &total, 4);
            changed_sum((uint8_t *)changed_copy, size);
            about("%u controls and targets", count);
            yt_status status = yt_program_check(&program, changed_copy, size);
            CHECK(status != YT_OK); /* they are all broken, too */
            CHECK_EQUAL(status == YT_PROGRAM_SIZE, count > YT_PROGRAM_CONTROLS);
        }
}

/* An interface without reports behind the others: nothing of it could be asked for. */
static void check_empty_interface(void) {
    yt_compiled compiled;
    yt_program program;
    changed_compile(
        &compiled, "crane/far",
        "yonder: 1\ninputs: {keys: keyboard}\noutputs: {far: {kind: keyboard, over: bluetooth}}\n"
        "sheet: {far.a: keys.a}\n");
    uint8_t *bytes = (uint8_t *)changed_copy;
    size_t size = compiled.size + sizeof(yt_program_interface);
    size_t behind = changed_offset(&compiled.program, compiled.program.reports);
    memcpy(bytes, compiled.image, compiled.size);
    memmove(bytes + behind + sizeof(yt_program_interface), bytes + behind, compiled.size - behind);
    yt_program_interface *added = (yt_program_interface *)(bytes + behind);
    added[0] = added[-1];
    uint16_t two = 2;
    uint32_t total = (uint32_t)size;
    memcpy(bytes + AT(yt_program_header, interface_count), &two, 2);
    memcpy(bytes + AT(yt_program_header, total_bytes), &total, 4);
    added->first_report = compiled.program.header->report_count;
    added->report_count = 0;
    added->connector = 2;
    changed_sum(bytes, size);
    about("an interface without reports");
    CHECK_EQUAL(yt_program_check(&program, changed_copy, size), YT_PROGRAM_OUTPUT);
    pool_free(&compiled.pool);
}

/* The first wire stands there twice: what it takes would be given twice. */
static void check_twice_wired(const yt_compiled *compiled) {
    const yt_program *program = &compiled->program;
    uint8_t *bytes = (uint8_t *)changed_copy;
    yt_program twice;
    size_t behind = changed_offset(program, program->wires) + sizeof(yt_program_wire);
    size_t size = compiled->size + sizeof(yt_program_wire);
    uint16_t wires = (uint16_t)(program->header->wire_count + 1);
    uint32_t total = (uint32_t)size;
    memcpy(bytes, compiled->image, behind);
    memcpy(bytes + behind, bytes + behind - sizeof(yt_program_wire), sizeof(yt_program_wire));
    memcpy(bytes + behind + sizeof(yt_program_wire), (const uint8_t *)compiled->image + behind,
           compiled->size - behind);
    memcpy(bytes + AT(yt_program_header, wire_count), &wires, 2);
    memcpy(bytes + AT(yt_program_header, total_bytes), &total, 4);
    yt_program_users *users = (yt_program_users *)(bytes + changed_offset(program, program->users));
    bool is_behind = false;
    for (unsigned i = 0; i < yt_first_step_value(program); i++) {
        users[i].first_wire = (uint16_t)(users[i].first_wire + is_behind);
        if (!is_behind && users[i].wires > 0) {
            users[i].wires++;
            is_behind = true;
        }
    }
    changed_sum(bytes, size);
    about("a wire that is there twice");
    CHECK_EQUAL(yt_program_check(&twice, changed_copy, size), YT_PROGRAM_USERS);
}

/* A wire says what its step says, and is the only way there. */
static void check_wires(void) {
    yt_compiled compiled;
    changed_compile(
        &compiled, "crane/wires",
        "yonder: 1\ninputs: {keys: keyboard, ball: mouse}\noutputs: {pad: gamepad, view: "
        "mouse}\nsheet:\n  view.motion: ball.motion * if(keys.a, 30%, 60%)\n  view.wheel: "
        "ball.wheel\n  pad.left_stick: stick_from_motion(ball.motion, full_at=900 /s)\n");
    const yt_program *program = &compiled.program;
    unsigned kinds[YT_WIRE_KIND_COUNT] = {0};
    for (unsigned i = 0; i < program->header->wire_count; i++)
        kinds[program->wires[i].kind]++;
    about("motion goes by wires");
    CHECK_EQUAL(kinds[YT_WIRE_PLAIN], 1);
    CHECK_EQUAL(kinds[YT_WIRE_SCALED], 2);
    CHECK_EQUAL(kinds[YT_WIRE_STICK_X], 1);
    CHECK_EQUAL(kinds[YT_WIRE_STICK_Y], 1);
    for (unsigned i = 0; i < program->header->wire_count; i++) {
        const yt_program_wire *wire = &program->wires[i];
        for (unsigned kind = 0; kind < YT_WIRE_KIND_COUNT + 2u; kind++)
            CHANGES(&compiled, wire, kind == wire->kind ? YT_OK : YT_PROGRAM_USERS,
                    "a wire of another kind", SET(yt_program_wire, kind, kind));
        CHANGES(&compiled, wire, YT_PROGRAM_USERS, "a wire of another factor",
                SET(yt_program_wire, factor, wire->factor + 1));
        CHANGES(&compiled, wire, YT_PROGRAM_USERS, "a wire to a step that is not there",
                SET(yt_program_wire, step, program->header->step_count));
        CHANGES(&compiled, wire, YT_PROGRAM_USERS, "reserved of a wire",
                SET(yt_program_wire, reserved, 1));
    }
    unsigned ball = 0;
    while (program->users[ball].wires == 0)
        ball++;
    CHANGES(&compiled, &program->users[ball], YT_PROGRAM_USERS, "a wire that is left out",
            SET(yt_program_users, wires, program->users[ball].wires - 1));
    CHANGES(&compiled, &program->users[ball], YT_PROGRAM_USERS, "another's wire",
            SET(yt_program_users, first_wire, program->users[ball].first_wire + 1));
    check_twice_wired(&compiled);
    pool_free(&compiled.pool);
}

/* A pulse that a press gives is an event: nothing can compare it, so that no chain of presses and
 * comparisons makes pass after pass. */
static void check_events(void) {
    yt_compiled compiled;
    changed_compile(&compiled, "crane/events",
                    "yonder: 1\ninputs: {keys: keyboard, ball: mouse}\noutputs: {pad: gamepad}\n"
                    "sheet:\n  pad.south: ball.wheel > 0\n  pad.north: keys.b\n"
                    "layers: [{while: next_press(keys.q), sheet: {pad.north: keys.a}}]\n");
    const yt_program *program = &compiled.program;
    unsigned press = step_with(program, YT_CODE_PRESS), seen = step_with(program, YT_CODE_SEEN);
    CHANGES(&compiled, &program->steps[press], YT_PROGRAM_TYPE, "a press that gives a pulse",
            SET(yt_program_step, type, YT_TYPE_PULSE));
    for (unsigned type = 0; type < 5; type++)
        CHECK_EQUAL(yt_type_fits('p', (uint8_t)type), type == YT_TYPE_PULSE);
    for (unsigned type = 0; type < 5; type++)
        CHECK_EQUAL(yt_type_fits('e', (uint8_t)type), type == YT_TYPE_EVENT);
    const yt_instruction *sees = &program->code[program->steps[seen].code];
    CHANGES(&compiled, sees, YT_PROGRAM_ORDER, "a comparison of an event that comes later",
            SET(yt_instruction, operand, program->steps[press].value));
    CHANGES(&compiled, sees, YT_PROGRAM_TYPE, "a pulse that is a number without being seen",
            SET(yt_instruction, code, YT_CODE_LOAD));
    CHANGES(&compiled, &program->users[sees->operand - program->header->constant_count],
            YT_PROGRAM_USERS, "a comparison that is not looked at when its pulse is over",
            SET(yt_program_users, count, 2), SET(yt_program_users, seers, 0));
    pool_free(&compiled.pool);
}

/* A value whose mark of a step is missing would not let the step see that it changed. */
static void check_missing_user(const uint8_t *image, size_t size) {
    yt_program program;
    CHECK_EQUAL(yt_program_check(&program, image, size), YT_OK);
    unsigned tried = 0;
    for (unsigned i = 0; i < program.header->mark_count; i++)
        for (unsigned bit = 0; bit < 32; bit++) {
            uint32_t bits = program.marks[i].bits, left = bits & ~((uint32_t)1 << bit);
            if (left == bits)
                continue;
            memcpy(changed_copy, image, size);
            memcpy((uint8_t *)changed_copy + changed_offset(&program, &program.marks[i]), &left, 4);
            changed_sum((uint8_t *)changed_copy, size);
            about("mark %u without its bit %u", i, bit);
            CHECK_EQUAL(yt_program_check(&program, changed_copy, size), YT_PROGRAM_USERS);
            CHECK_EQUAL(yt_program_check(&program, image, size), YT_OK);
            tried++;
        }
    CHECK(tried > 10);
}

int main(void) {
    static world w;
    world_begin(&w, sheet, 0);
    check_parameter_lies();
    check_lies(w.compiled.image, w.compiled.size);
    check_missing_user(w.compiled.image, w.compiled.size);
    check_places();
    check_motion();
    check_board();
    check_hat();
    check_reserved();
    check_fills();
    check_actions();
    check_many_controls();
    check_empty_interface();
    check_events();
    check_wires();
    world_end(&w);
    return report_checks();
}
