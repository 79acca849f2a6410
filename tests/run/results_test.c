/* A function of three results, as a gyro's axes are: a group of this test's own with one such
 * function, and a program by hand that calls it and adds its results up. */
#include "image/functions.h"
#include "image/layout.h"
#include "run/functions.h"
#include "tests/harness.h"
#include "yonder/inspect.h"
#include "yonder/yonder.h"

/* Arguments: alive, a number. Gives it, twice that, and three times that. */
static yt_q16 three(const yt_call *call) {
    yt_q16 number = yt_argument(call, 1);
    yt_give(call, 1, 2 * number);
    yt_give(call, 2, 3 * number);
    return number;
}

/* The last number that a group has, which is above those of the program's values. */
#define NUMBER 15
static const yt_function functions[NUMBER + 1] = {
    [NUMBER] = {three, 'n', 3, 0, 0, 0, 0, 0, "sn", true}};
static const yt_group own = {functions, NUMBER + 1};
const yt_group *const yt_groups[YT_GROUPS] = {[YT_GROUP_MACROS] = &own};

enum { ALIVE, CONTROL, FIRST, SECOND, THIRD, SUM, VALUES };
enum { CALLS, ADDS, STEPS };
#define CODE 8

static uint64_t image[256], memory[1024];

static yt_program_header *header_of(void) {
    return (yt_program_header *)image;
}

/* The tables, to write into. */
#define WRITE(table) ((void *)(uintptr_t)(table))

static void sum_up(void) {
    header_of()->checksum = yt_checksum(0, (uint8_t *)image + 16, header_of()->total_bytes - 16);
}

/* Value: constant, control, three results, their sum. Marks: the control's, and those of each
 * result. */
static void write_program(yt_program *program) {
    memset(image, 0, sizeof image);
    *header_of() = (yt_program_header){.magic = YT_PROGRAM_MAGIC,
                                       .version = YT_PROGRAM_VERSION,
                                       .header_bytes = sizeof(yt_program_header),
                                       .total_bytes = sizeof image,
                                       .groups = 1u << YT_GROUP_MACROS,
                                       .input_count = 1,
                                       .control_count = 1,
                                       .constant_count = 1,
                                       .step_count = STEPS,
                                       .instruction_count = CODE,
                                       .value_count = VALUES,
                                       .mark_count = 4};
    header_of()->total_bytes = (uint32_t)yt_program_lay_out(program, header_of());
    *(yt_q16 *)WRITE(program->constants) = YT_ONE;
    *(yt_program_control *)WRITE(program->controls) =
        (yt_program_control){.page = 1, .usage = 0x30, .place = YT_NO_PLACE, .kind = YT_AXIS};
    static const yt_program_step steps[STEPS] = {
        {.code = 0, .value = FIRST, .type = YT_TYPE_NUMBER},
        {.code = 4, .value = SUM, .type = YT_TYPE_NUMBER}};
    memcpy(WRITE(program->steps), steps, sizeof steps);
    static const yt_instruction code[CODE] = {{21, 2, 16 * YT_GROUP_MACROS + NUMBER},
                                              {0, 0, ALIVE},
                                              {0, 0, CONTROL},
                                              {1, 0, 0},
                                              {2, 0, FIRST},
                                              {7, 0, SECOND},
                                              {7, 0, THIRD},
                                              {1, 0, 0}};
    memcpy(WRITE(program->code), code, sizeof code);
    static const uint8_t types[VALUES] = {YT_TYPE_SWITCH, YT_TYPE_NUMBER, YT_TYPE_NUMBER,
                                          YT_TYPE_NUMBER, YT_TYPE_NUMBER, YT_TYPE_NUMBER};
    memcpy(WRITE(program->types), types, sizeof types);
    yt_program_users *users = WRITE(program->users);
    yt_program_mark *marks = WRITE(program->marks);
    for (unsigned i = 0; i < 5; i++)
        users[i] = (yt_program_users){.first = (uint16_t)i, .count = i < 4};
    for (unsigned i = 0; i < 4; i++)
        marks[i] = (yt_program_mark){.bits = i == 0 ? 1u << CALLS : 1u << ADDS};
    sum_up();
}

static void check_values(const yt_engine *engine, yt_q16 number) {
    CHECK_EQUAL(yt_inspect_value(engine, FIRST), number);
    CHECK_EQUAL(yt_inspect_value(engine, SECOND), 2 * number);
    CHECK_EQUAL(yt_inspect_value(engine, THIRD), 3 * number);
    CHECK_EQUAL(yt_inspect_value(engine, SUM), 6 * number);
}

static void check_running(void) {
    yt_engine engine;
    yt_port port = {.version = YT_PORT_VERSION};
    CHECK_EQUAL(yt_engine_init(&engine, memory, sizeof memory, &port), YT_OK);
    CHECK_EQUAL(yt_engine_load(&engine, image, sizeof image), YT_OK);
    for (int k = -3; k <= 3; k++) {
        about("the control is %d eighths", k);
        yt_inspect_set(&engine, 0, k * YT_ONE / 8);
        yt_inspect_settle(&engine, 1000);
        check_values(&engine, k * YT_ONE / 8);
    }
    about("its device leaves: all three rest");
    yt_inspect_let_go(&engine, 0, 2000);
    check_values(&engine, 0);
    about("another one leaves: nothing changes");
    yt_inspect_let_go(&engine, 0, 3000);
    check_values(&engine, 0);
}

/* One thing in the program is another; it is refused. */
static void refuse(const char *what, void *place, unsigned bytes, uint32_t value,
                   yt_status status) {
    yt_program program;
    uint32_t before = 0;
    about("%s", what);
    memcpy(&before, place, bytes);
    memcpy(place, &value, bytes);
    sum_up();
    CHECK_EQUAL(yt_program_check(&program, image, sizeof image), status);
    memcpy(place, &before, bytes);
    sum_up();
    CHECK_EQUAL(yt_program_check(&program, image, sizeof image), YT_OK);
}

static void check_refusals(const yt_program *program) {
    uint8_t *types = WRITE(program->types);
    yt_program_mark *marks = WRITE(program->marks);
    yt_program_users *users = WRITE(program->users);
    yt_program_step *steps = WRITE(program->steps);
    refuse("the second result is a switch", &types[SECOND], 1, YT_TYPE_SWITCH, YT_PROGRAM_STEP);
    refuse("the third result is a pulse", &types[THIRD], 1, YT_TYPE_PULSE, YT_PROGRAM_STEP);
    refuse("the first result is a switch", &types[FIRST], 1, YT_TYPE_SWITCH, YT_PROGRAM_STEP);
    refuse("the third result marks the function itself", &marks[3].bits, 4, 1u << CALLS,
           YT_PROGRAM_STEP);
    refuse("the third result marks nothing, though it is taken", &users[3].count, 1, 0,
           YT_PROGRAM_USERS);
    refuse("a function of three results that tells one", &steps[CALLS].tells, 1, YT_TELLS_AXIS,
           YT_PROGRAM_STEP);
    refuse("the next value is the third result", &steps[ADDS].value, 2, THIRD, YT_PROGRAM_STEP);
}

int main(void) {
    yt_program program;
    write_program(&program);
    about("a function of three results");
    CHECK_EQUAL(yt_program_check(&program, image, sizeof image), YT_OK);
    check_running();
    check_refusals(&program);
    return report_checks();
}
