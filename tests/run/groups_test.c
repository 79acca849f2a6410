/* A firmware that links one group of functions: its table takes the place of the one with all, what
 * it leaves out is not there, and a program that needs more is refused. usage: groups_test
 * PROGRAM-OF-PRESSES PROGRAM-OF-MORE */
#include "tests/harness.h"
#include "yonder/yonder.h"

const yt_group *const yt_groups[YT_GROUPS] = {[YT_GROUP_PRESSES] = &yt_group_presses};

static uint64_t memory[2048];

/* The program, at an address that eight divides, in a block of its exact size. */
static void *read_program(const char *path, size_t *size) {
    return read_test_file(path, size);
}

static void check_presses(yt_engine *engine, const char *path) {
    size_t size;
    void *program = read_program(path, &size);
    about("a program of presses only");
    CHECK_EQUAL(yt_groups_missing(program, size), 0);
    CHECK_EQUAL(yt_engine_load(engine, program, size), YT_OK);
    CHECK_EQUAL(yt_groups_missing(program, 10), 0);
    CHECK_EQUAL(
        yt_groups_missing("no program, but bytes enough to be a header of one, or what ", 60), 0);
}

static void check_more(yt_engine *engine, const char *path) {
    size_t size;
    yt_program checked;
    void *program = read_program(path, &size);
    about("a program that needs sticks and macros too");
    uint32_t missing = 1u << YT_GROUP_STICKS | 1u << YT_GROUP_MACROS;
    CHECK_EQUAL(yt_groups_missing(program, size), missing);
    CHECK_EQUAL(yt_program_check(&checked, program, size), YT_PROGRAM_GROUP);
    uint32_t layout = yt_engine_layout(engine);
    CHECK_EQUAL(yt_engine_load(engine, program, size), YT_PROGRAM_GROUP);
    CHECK_EQUAL(yt_engine_layout(engine), layout); /* the one before goes on */
    free(program);
}

int main(int count, char **arguments) {
    yt_engine engine;
    yt_port port = {.version = YT_PORT_VERSION};
    if (count != 3)
        return 2;
    CHECK_EQUAL(yt_groups_linked(), 1u << YT_GROUP_PRESSES);
    CHECK_EQUAL(yt_engine_init(&engine, memory, sizeof memory, &port), YT_OK);
    check_presses(&engine, arguments[1]);
    check_more(&engine, arguments[2]);
    return report_checks();
}
