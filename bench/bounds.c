/* What hostile input costs at most: each scenario is the dearest that we know how to make, by hand
 * and not by the compiler. bench/bounds counts the instructions of `measured`.
 * usage: bounds SCENARIO      prepares it and calls `measured` once
 *        bounds               lists the scenarios, a line each: name, budget in instructions, what
 */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "image/code.h"
#include "image/functions.h"
#include "yonder/yonder.h"

#define STEPS_MOST 4000
#define CODE_MOST  16384

/* What an instruction takes, until it is known how many values there are of each kind. */
#define CONSTANT 0x10000u
#define CONTROL  0x20000u
#define STEP     0x30000u
#define FUNCTION 0x40000u

/* A program in the making. Marks are worked out at the end. */
static struct {
    yt_program_input inputs[YT_PROGRAM_INPUTS];
    yt_program_control controls[3000];
    yt_program_step steps[STEPS_MOST];
    yt_instruction code[CODE_MOST];
    unsigned operands[CODE_MOST], code_steps[CODE_MOST];
    yt_program_mark marks[65536];
    yt_program_users users[8192];
    uint8_t types[8192];
    uint16_t timers[STEPS_MOST];
    yt_program_root roots[255];
    yt_q16 constants[8];
    unsigned input_count, control_count, step_count, code_count, root_count, constant_count;
    unsigned mark_count, state_words, timer_count, groups, abilities;
} made;

static uint64_t image[YT_PROGRAM_BYTES / 8];
static size_t image_size;
static uint64_t memory[1u << 18];
static yt_engine engine;
static yt_port port = {.version = YT_PORT_VERSION};
static uint8_t descriptor[YT_HID_BYTES];
static size_t descriptor_size;

static void die(const char *what, int status) {
    fprintf(stderr, "%s: status %d\n", what, status);
    exit(1);
}

static void put_code(unsigned code, unsigned count, unsigned operand) {
    if (made.code_count == CODE_MOST)
        die("too much code", (int)made.code_count);
    made.code[made.code_count] = (yt_instruction){(uint8_t)code, (uint8_t)count, 0};
    made.operands[made.code_count] = operand;
    made.code_steps[made.code_count++] = made.step_count;
}

/* A step whose code was put; gives what stands for its value. */
static unsigned end_step(unsigned type, unsigned first) {
    put_code(YT_CODE_END, 0, 0);
    made.steps[made.step_count] = (yt_program_step){.code = (uint16_t)first, .type = (uint8_t)type};
    return STEP + made.step_count++;
}

/* A step of one instruction on what another one gives. */
static unsigned add_step(unsigned type, unsigned code, unsigned on, unsigned operand) {
    unsigned first = made.code_count;
    put_code(YT_CODE_LOAD, 0, on);
    put_code(code, 0, operand);
    return end_step(type, first);
}

static unsigned add_call(unsigned function, unsigned count, const unsigned *arguments) {
    const yt_function *known = yt_function_of(YT_ANY_GROUP, function);
    unsigned first = made.code_count, step = made.step_count;
    put_code(YT_CODE_CALL, count, FUNCTION + function);
    for (unsigned i = 0; i < count; i++)
        put_code(YT_CODE_MORE, 0, arguments[i]);
    unsigned value = end_step(YT_TYPE_SWITCH, first);
    made.steps[step].state = (uint16_t)made.state_words;
    made.state_words += yt_function_words(known, count);
    made.steps[step].timer = (uint16_t)made.timer_count;
    made.timers[made.timer_count] = (uint16_t)step;
    made.timer_count += known->timers;
    made.groups |= 1u << yt_function_group(function);
    made.abilities |= known->ability;
    return value;
}

#define CALL(function, ...)                                                                        \
    add_call(function, sizeof((unsigned[]){__VA_ARGS__}) / sizeof(unsigned),                       \
             (unsigned[]){__VA_ARGS__})

static unsigned add_control(unsigned page, unsigned usage, yt_kind kind) {
    made.controls[made.control_count] = (yt_program_control){.page = (uint16_t)page,
                                                             .usage = (uint16_t)usage,
                                                             .place = YT_NO_PLACE,
                                                             .kind = (uint8_t)kind};
    return CONTROL + made.control_count++;
}

static unsigned add_constant(yt_q16 value) {
    made.constants[made.constant_count] = value;
    return CONSTANT + made.constant_count++;
}

static void add_button(unsigned value) {
    unsigned number = made.root_count++, first = made.code_count, step = made.step_count;
    put_code(YT_CODE_LOAD, 0, value);
    end_step(YT_TYPE_SWITCH, first);
    made.steps[step].tells = YT_TELLS_SWITCH;
    made.steps[step].number = (uint8_t)number;
    made.roots[number] = (yt_program_root){.at = {(uint16_t)number, 1, 0},
                                           .step = (uint16_t)step,
                                           .number = 1,
                                           .kind = YT_ROOT_BUTTON,
                                           .lead = (uint8_t)number};
}

static unsigned value_of(unsigned operand) {
    unsigned index = operand & 0xffff, controls = made.constant_count;
    unsigned steps = controls + made.control_count;
    return operand >= FUNCTION   ? index
           : operand >= STEP     ? steps + index
           : operand >= CONTROL  ? controls + index
           : operand >= CONSTANT ? index
                                 : 0;
}

static unsigned value_count(void) {
    return made.constant_count + made.control_count + made.step_count;
}

static void set_types(void) {
    static const uint8_t types[] = {YT_TYPE_SWITCH, YT_TYPE_NUMBER, YT_TYPE_NUMBER, YT_TYPE_PULSE};
    uint8_t *type = made.types;
    for (unsigned i = 0; i < made.constant_count; i++)
        *type++ =
            made.constants[i] == 0 || made.constants[i] == YT_ONE ? YT_TYPE_SWITCH : YT_TYPE_NUMBER;
    for (unsigned i = 0; i < made.control_count; i++)
        *type++ = types[made.controls[i].kind];
    for (unsigned i = 0; i < made.step_count; i++) {
        made.steps[i].value = (uint16_t)value_of(STEP + i);
        *type++ = made.steps[i].type;
    }
}

/* The marks of a value: of all steps that take it, or of those that see its pulse. */
static unsigned put_marks(unsigned value, bool seen) {
    unsigned count = 0;
    for (unsigned i = 0; i < made.code_count; i++) {
        unsigned word = made.code_steps[i] / 32;
        bool takes = made.operands[i] >= CONTROL && made.operands[i] < FUNCTION &&
                     made.code[i].operand == value;
        if (!takes || (seen && made.code[i].code != YT_CODE_SEEN))
            continue;
        if (count == 0 || made.marks[made.mark_count - 1].word != word) {
            made.marks[made.mark_count++] = (yt_program_mark){.word = (uint16_t)word};
            count++;
        }
        made.marks[made.mark_count - 1].bits |= (uint32_t)1 << (made.code_steps[i] % 32);
    }
    return count;
}

static void find_users(void) {
    for (unsigned i = 0; i < made.code_count; i++)
        made.code[i].operand = (uint16_t)value_of(made.operands[i]);
    for (unsigned value = made.constant_count; value < value_count(); value++) {
        yt_program_users *users = &made.users[value - made.constant_count];
        users->first = (uint16_t)made.mark_count;
        users->count = (uint8_t)put_marks(value, false);
        users->seers = (uint8_t)put_marks(value, true);
    }
}

static void put(const void *bytes, size_t size) {
    if (image_size + size + 3 > sizeof image)
        die("the program is too long", (int)(image_size + size));
    memcpy((uint8_t *)image + image_size, bytes, size);
    image_size = (image_size + size + 3) & ~(size_t)3;
}

/* Writes the program: one interface with one report of 32 bytes. */
static void finish(void) {
    static const uint8_t blob[YT_REPORT_BYTES];
    const yt_program_interface interface = {
        .descriptor_bytes = 8, .report_count = 1, .connector = 1};
    const yt_program_report report = {.bytes = 32,
                                      .root_count = (uint8_t)made.root_count,
                                      .switch_count = (uint8_t)made.root_count};
    set_types();
    find_users();
    yt_program_header header = {.magic = YT_PROGRAM_MAGIC,
                                .version = YT_PROGRAM_VERSION,
                                .header_bytes = sizeof header,
                                .groups = (uint16_t)made.groups,
                                .abilities = (uint16_t)made.abilities,
                                .input_count = (uint16_t)made.input_count,
                                .control_count = (uint16_t)made.control_count,
                                .constant_count = (uint16_t)made.constant_count,
                                .step_count = (uint16_t)made.step_count,
                                .instruction_count = (uint16_t)made.code_count,
                                .value_count = (uint16_t)value_count(),
                                .mark_count = (uint16_t)made.mark_count,
                                .state_words = (uint16_t)made.state_words,
                                .timer_count = (uint16_t)made.timer_count,
                                .interface_count = 1,
                                .report_count = 1,
                                .root_count = (uint16_t)made.root_count,
                                .blob_bytes = sizeof blob};
    put(&header, sizeof header);
    put(made.inputs, made.input_count * sizeof *made.inputs);
    put(made.controls, made.control_count * sizeof *made.controls);
    put(made.constants, made.constant_count * sizeof *made.constants);
    put(made.steps, made.step_count * sizeof *made.steps);
    put(made.code, made.code_count * sizeof *made.code);
    put(made.types, value_count());
    put(made.users, (value_count() - made.constant_count) * sizeof *made.users);
    put(made.marks, made.mark_count * sizeof *made.marks);
    put(made.timers, made.timer_count * 2);
    put(&interface, sizeof interface);
    put(&report, sizeof report);
    put(made.roots, made.root_count * sizeof *made.roots);
    put(blob, sizeof blob);
    header.total_bytes = (uint32_t)image_size;
    memcpy(image, &header, sizeof header);
    header.checksum = yt_checksum(0, (uint8_t *)image + 16, image_size - 16);
    memcpy(image, &header, sizeof header);
}

/* So many bytes may still be added to the program, more or less. */
static size_t room_left(void) {
    size_t used = 600 + made.input_count * sizeof *made.inputs +
                  made.control_count * (sizeof *made.controls + 20) +
                  made.step_count * (sizeof *made.steps + 24) +
                  made.code_count * sizeof *made.code + made.root_count * sizeof *made.roots;
    return used < sizeof image ? sizeof image - used : 0;
}

static void load(void) {
    finish();
    yt_status status = yt_engine_init(&engine, memory, sizeof memory, &port);
    if (status == YT_OK)
        status = yt_engine_load(&engine, image, image_size);
    if (status != YT_OK)
        die("load", (int)status);
}

static void describe(const uint8_t *bytes, size_t size) {
    if (descriptor_size + size > sizeof descriptor)
        die("the descriptor is too long", (int)descriptor_size);
    memcpy(descriptor + descriptor_size, bytes, size);
    descriptor_size += size;
}

#define DESCRIBE(...)                                                                              \
    describe((const uint8_t[]){__VA_ARGS__}, sizeof((const uint8_t[]){__VA_ARGS__}))

static unsigned attach(void) {
    yt_device device = {.descriptor = descriptor,
                        .descriptor_size = descriptor_size,
                        .name = "a name that is as long as the one that is asked for",
                        .input = YT_ANY_INPUT};
    unsigned number = 0;
    yt_status status = yt_engine_attach(&engine, &device, &number);
    if (status != YT_OK && status != YT_NO_MATCH)
        die("attach", (int)status);
    return number;
}

static void report(unsigned device, const uint8_t *bytes, size_t size, uint64_t now_us) {
    if (yt_engine_report(&engine, device, bytes, size, now_us) != YT_OK)
        die("report", 0);
}

/* A mouse with a wheel. */
static unsigned attach_mouse(void) {
    DESCRIBE(0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x09, 0x38, 0x15, 0x81, 0x25, 0x7f, 0x75, 0x08,
             0x95, 0x01, 0x81, 0x06, 0x05, 0x07, 0x19, 0x04, 0x29, 0xff, 0x15, 0x00, 0x25, 0x01,
             0x75, 0x01, 0x95, 0xfc, 0x81, 0x02, 0xc0);
    return attach();
}

/* Everything depends on a wheel and is looked at twice: as it moves, and as its pulse is over. */
static void prepare_passes(void) {
    made.input_count = 1;
    unsigned wheel = add_control(1, 0x38, YT_MOTION);
    unsigned zero = add_constant(0), first = made.code_count;
    put_code(YT_CODE_SEEN, 0, wheel);
    put_code(YT_CODE_EQUAL, 0, zero);
    unsigned last = end_step(YT_TYPE_SWITCH, first);
    while (room_left() > 60 && made.step_count + 2 < STEPS_MOST)
        last = add_step(YT_TYPE_SWITCH, YT_CODE_EQUAL, last, zero);
    add_button(last);
    load();
    report(attach_mouse(), (const uint8_t[33]){1}, 33, 1000);
}

static void update_at_1000(void) {
    yt_engine_update(&engine, 1000);
}

/* Switches with as many users as there is room for. */
static void prepare_wide(void) {
    unsigned keys[255], last = 0;
    made.input_count = 1;
    for (unsigned i = 0; i < 255; i++)
        keys[i] = add_control(7, 4 + i % 252, YT_SWITCH);
    while (room_left() > 3600) {
        unsigned first = made.code_count;
        put_code(YT_CODE_LOAD, 0, keys[0]);
        for (unsigned i = 1; i < 255; i++)
            put_code(YT_CODE_OR, 0, keys[i]);
        last = end_step(YT_TYPE_SWITCH, first);
    }
    add_button(last);
    load();
    uint8_t bytes[33];
    memset(bytes, 0xff, sizeof bytes);
    report(attach_mouse(), bytes, sizeof bytes, 1000);
}

/* As many quotients as there is room for, in steps as long as they may be; looked at twice. */
static void prepare_quotients(void) {
    made.input_count = 1;
    unsigned wheel = add_control(1, 0x38, YT_MOTION), small = add_constant(3), last = 0;
    while (room_left() > 1500) {
        unsigned first = made.code_count;
        put_code(YT_CODE_SEEN, 0, wheel);
        for (unsigned i = 0; i < YT_STEP_INSTRUCTIONS - 3; i++)
            put_code(YT_CODE_DIVIDE, 0, small);
        last = end_step(YT_TYPE_NUMBER, first);
    }
    add_button(add_step(YT_TYPE_SWITCH, YT_CODE_EQUAL, last, small));
    load();
    report(attach_mouse(), (const uint8_t[33]){1}, 33, 1000);
}

static void check_again(void) {
    yt_program program;
    if (yt_program_check(&program, image, image_size) != YT_OK)
        die("check", 0);
}

static void load_again(void) {
    if (yt_engine_load(&engine, image, image_size) != YT_OK)
        die("load", 0);
}

/* A button for each of 252 keys: they all go down at once, in a list that is full. */
static void prepare_list(void) {
    made.input_count = 1;
    for (unsigned i = 0; i < 250; i++)
        add_button(add_control(7, 4 + i, YT_SWITCH));
    load();
    unsigned number = attach_mouse();
    uint8_t bytes[33];
    for (unsigned i = 0; i < 9; i++) {
        memset(bytes, i % 2 ? 0 : 0xff, sizeof bytes);
        report(number, bytes, sizeof bytes, 900 + i);
        if (i < 8)
            yt_engine_update(&engine, 900 + i);
    }
}

/* As many devices as there can be at one input, of as many controls as a program can have: whether
 * a key is down follows from all of them. */
static void prepare_shared(void) {
    made.input_count = 1;
    for (unsigned i = 0; i < YT_PROGRAM_CONTROLS; i++)
        add_control(7, 4 + i % 252, YT_SWITCH);
    add_button(CONTROL);
    load();
    unsigned number = attach_mouse();
    for (unsigned i = 1; i < YT_DEVICES; i++) { /* the others keep them in other places */
        descriptor_size = 0;
        DESCRIBE(0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01,
                 0x95, 0x01);
        for (unsigned k = 0; k < 252; k++)
            DESCRIBE(0x09, (uint8_t)(255 - k), 0x81, 0x02);
        DESCRIBE(0xc0);
        attach();
    }
    uint8_t bytes[33];
    memset(bytes, 0xff, sizeof bytes);
    report(number, bytes, sizeof bytes, 1000);
}

/* Many timers of a microsecond, and a clock that is wrong. */
static void prepare_timers(void) {
    made.input_count = 1;
    unsigned key = add_control(7, 4, YT_SWITCH), shortest = add_constant(2);
    unsigned half = add_constant(YT_ONE / 2), none = add_constant(0), last = key;
    while (room_left() > 100 && made.step_count + 2 < STEPS_MOST)
        last = CALL(YT_DO_TURBO, key, key, shortest, shortest, half, none);
    add_button(last);
    load();
    report(attach_mouse(), (const uint8_t[33]){0, 1}, 33, 1000);
    yt_engine_update(&engine, 1000);
}

static void update_at_the_end(void) {
    yt_engine_update(&engine, YT_NEVER);
}

/* What ends at once ends the next one at once. */
static void prepare_chain(void) {
    made.input_count = 1;
    unsigned key = add_control(7, 4, YT_SWITCH), other = add_control(7, 5, YT_SWITCH);
    unsigned alive = add_constant(YT_ONE), first = made.code_count;
    put_code(YT_CODE_PRESS, 0, other);
    unsigned press = end_step(YT_TYPE_EVENT, first);
    while (room_left() > 260 && made.step_count + 4 < STEPS_MOST) {
        unsigned until = CALL(YT_DO_NEXT_PRESS, alive, key, press);
        first = made.code_count;
        put_code(YT_CODE_LOAD, 0, until);
        put_code(YT_CODE_NOT, 0, 0);
        unsigned over = end_step(YT_TYPE_SWITCH, first);
        first = made.code_count;
        put_code(YT_CODE_PRESS, 0, over);
        press = end_step(YT_TYPE_EVENT, first);
    }
    add_button(other);
    load();
    unsigned number = attach_mouse();
    report(number, (const uint8_t[33]){0, 1}, 33, 500);
    report(number, (const uint8_t[33]){0, 0}, 33, 600);
    yt_engine_update(&engine, 600);
    report(number, (const uint8_t[33]){0, 2}, 33, 1000);
}

/* As many collections as a descriptor has room for, and 32 inputs that ask for all there is. */
static void prepare_collections(void) {
    made.input_count = YT_PROGRAM_INPUTS;
    for (unsigned i = 0; i < YT_PROGRAM_INPUTS; i++)
        made.inputs[i] = (yt_program_input){.application_page = 1,
                                            .application_usage = (uint16_t)(6 + i),
                                            .application_other = 6,
                                            .needs_page = 7,
                                            .needs_usage = 0xff00,
                                            .descriptor = 1,
                                            .needs = YT_NEEDS_USAGE};
    for (unsigned i = 0; i < 32; i++)
        made.inputs[i].needs |= i % 2 ? YT_NEEDS_DESCRIPTOR : 0;
    add_button(add_control(7, 4, YT_SWITCH));
    load();
    for (unsigned i = 0; i < YT_HID_COLLECTIONS; i++) {
        DESCRIBE(0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07, 0x75, 0x01, 0x95, 0x01);
        for (unsigned k = 0; k < YT_HID_FIELDS / YT_HID_COLLECTIONS; k++)
            DESCRIBE(0x09, 0x04, 0x81, 0x02);
        DESCRIBE(0xc0);
    }
}

static void attach_now(void) {
    attach();
}

/* A field a byte, and controls that none of them is: every one is compared with every field. */
static void prepare_fields(unsigned controls) {
    made.input_count = 1;
    for (unsigned i = 0; i < controls; i++) {
        unsigned control = add_control(7, 1, YT_SWITCH);
        made.controls[i].occurrence = 0;
        made.controls[i].other_page = 7;
        made.controls[i].other_if = 0xfff;
        if (i == 0)
            add_button(control);
    }
    made.inputs[0].application_page = 1;
    made.inputs[0].application_usage = 6;
    load();
    DESCRIBE(0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x01,
             0x81, 0x02, 0xc0, 0x09, 0x07, 0xa1, 0x01, 0x05, 0x07, 0x96, 0x00, 0x08);
    for (unsigned i = 0; i < YT_HID_FIELDS - 2; i++)
        DESCRIBE(0x09, 0x01);
    DESCRIBE(0x81, 0x02, 0xc0);
}

static void prepare_crane_sized_fields(void) {
    prepare_fields(64);
}

static void prepare_most_fields(void) {
    prepare_fields(YT_PROGRAM_CONTROLS);
}

static const struct scenario {
    const char *name;
    void (*prepare)(void);
    void (*measured)(void);
    unsigned long budget;
    const char *what;
} scenarios[] = {
    {"check", prepare_passes, check_again, 4000000, "checking a program of 64 KiB: a long chain"},
    {"check-wide", prepare_wide, check_again, 20000000,
     "checking a program of 64 KiB: steps that take 255 keys each"},
    {"load", prepare_wide, load_again, 25000000, "loading it"},
    {"passes", prepare_passes, update_at_1000, 2000000,
     "a report that changes every step of a program of 64 KiB, twice"},
    {"wide", prepare_wide, update_at_1000, 1000000,
     "a report in which 252 keys go down, each used by all steps"},
    {"quotients", prepare_quotients, update_at_1000, 20000000,
     "a report that is looked at by 64 KiB of quotients, twice"},
    {"shared", prepare_shared, update_at_1000, 60000000,
     "a report in which 1,024 controls change, of one of eight devices at one input"},
    {"list", prepare_list, update_at_1000, 2500000,
     "a report in which 250 buttons change while the list of changes is full"},
    {"timers", prepare_timers, update_at_the_end, 5000000,
     "an update at the end of time while all steps are turbos of a microsecond"},
    {"chain", prepare_chain, update_at_1000, 200000,
     "a press that ends a chain of 1,000 layers until the next press, each by the one before"},
    {"collections", prepare_collections, attach_now, 2000000,
     "attaching a device of 32 collections with 16 fields each to one of 32 inputs"},
    {"fields", prepare_crane_sized_fields, attach_now, 10000000,
     "attaching a device of 512 fields to a program of 64 controls, none of which it has"},
    {"most-fields", prepare_most_fields, attach_now, 120000000,
     "the same for 1,024 controls, as many as a program can have"}};

__attribute__((noinline)) void measured(const struct scenario *scenario);

__attribute__((noinline)) void measured(const struct scenario *scenario) {
    scenario->measured();
}

int main(int count, char **arguments) {
    for (size_t i = 0; i < sizeof scenarios / sizeof scenarios[0]; i++) {
        const struct scenario *scenario = &scenarios[i];
        if (count < 2) {
            printf("%s %lu %s\n", scenario->name, scenario->budget, scenario->what);
        } else if (strcmp(arguments[1], scenario->name) == 0) {
            scenario->prepare();
            measured(scenario);
            return 0;
        }
    }
    return count < 2 ? 0 : 2;
}
