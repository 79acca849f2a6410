/* The checker: a program that has more than something in it uses is refused: an instruction of no
 * step, a mark of no value, a light without a root. */
#include "tests/harness.h"
#include "tests/image/changed.h"

/* A table with some bytes more, and one entry of its count more in the header; the rest moves. */
static void check_longer(const yt_compiled *compiled, size_t count_at, size_t offset, size_t more,
                         const void *bytes, yt_status status, const char *what) {
    uint8_t *copy = (uint8_t *)changed_copy;
    uint32_t size = (uint32_t)(compiled->size + more);
    uint16_t count;
    yt_program program;
    about("%s", what);
    memset(copy, 0, size);
    memcpy(copy, compiled->image, offset);
    memcpy(copy + offset, bytes, more);
    memcpy(copy + offset + more, compiled->image + offset, compiled->size - offset);
    memcpy(&count, copy + count_at, 2);
    count++;
    memcpy(copy + count_at, &count, 2);
    memcpy(copy + AT(yt_program_header, total_bytes), &size, 4);
    changed_sum(copy, size);
    CHECK_EQUAL(yt_program_check(&program, copy, size), status);
}

/* Where a table of `count` entries ends. */
#define END_OF(compiled, table, count)                                                             \
    changed_offset(&(compiled)->program, &(compiled)->program.table[count])

/* What is there is used by something; and a light that is driven has a root. */
static void check_more_than_used(void) {
    static const uint8_t nothing[20];
    yt_compiled made;
    changed_compile(&made, "crane/more",
                    "yonder: 1\ninputs: {keys: keyboard}\noutputs: {pad: gamepad}\n"
                    "named: {both: keys.b or keys.c}\nsheet:\n  pad.south: keys.a\n"
                    "  pad.east: both and keys.d\n  pad.west: both and keys.e\n");
    const yt_program *program = &made.program;
    const yt_program_header *header = program->header;
    check_longer(&made, AT(yt_program_header, instruction_count),
                 END_OF(&made, code, header->instruction_count), 4, nothing, YT_PROGRAM_STEP,
                 "an instruction of no step");
    const yt_program_mark mark = {.bits = 1};
    check_longer(&made, AT(yt_program_header, mark_count), END_OF(&made, marks, header->mark_count),
                 sizeof mark, &mark, YT_PROGRAM_USERS, "a mark of no value");
    struct {
        yt_program_control target;
        uint16_t padding;
    } driven = {program->controls[0], 0};
    driven.target.from_host = 0;
    check_longer(&made, AT(yt_program_header, target_count), END_OF(&made, targets, 0),
                 sizeof driven, &driven, YT_PROGRAM_ROOT, "a light without a root");
    /* The last step but one tells; its value marks the last one, which does not take it. */
    static uint64_t image[YT_PROGRAM_BYTES / 8];
    unsigned last = header->step_count - 1u;
    const yt_program_mark shared = {.bits = (uint32_t)1 << last};
    const yt_program_users *users =
        &program->users[program->steps[last - 1].value - header->constant_count];
    size_t at = changed_offset(program, users);
    uint16_t first = (uint16_t)(users->first + 1);
    CHECK(program->steps[last - 1].tells && users->count == 0 && last < 32);
    memcpy(image, made.image, made.size);
    ((uint8_t *)image)[at + AT(yt_program_users, count)] = 1;
    memcpy((uint8_t *)image + at + sizeof *users, &first, sizeof first);
    yt_compiled other = made;
    other.image = (uint8_t *)image;
    check_longer(&other, AT(yt_program_header, mark_count),
                 END_OF(&made, marks, header->mark_count), sizeof shared, &shared, YT_PROGRAM_STEP,
                 "what is told is used by another step");
    pool_free(&made.pool);
}

int main(void) {
    check_more_than_used();
    return report_checks();
}
