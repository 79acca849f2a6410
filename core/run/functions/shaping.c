/* Sticks, triggers and axes through dead zones, curves and gates: one function, whose stages stand
 * in the program. A stick becomes a distance and a direction once, whatever its stages are, and is
 * rounded once, at the end.
 *
 * A program may come from anywhere: a stage that is not known, or whose numbers are missing, is the
 * end; each takes numbers as they come (signal/shape.h). So a call is as long as its arguments. */
#include "run/functions.h"
#include "signal/shape.h"

/* What a stage takes stands at `at`; it leaves the shape as it makes it. */
typedef void run_stage(const yt_call *call, const yt_instruction *at, yt_shape *shape);

/* A number of 22 bits behind the point as one of 24. What is beyond, the stages cut. */
static YT_ALWAYS_INLINE uint32_t size_at(const yt_call *call, const yt_instruction *at) {
    return (uint32_t)yt_number(call, at) << 2;
}

static uint32_t between(const yt_call *call, const yt_instruction *at, uint32_t size) {
    return yt_size_between(size, size_at(call, at), size_at(call, at + 1),
                           (uint32_t)yt_number(call, at + 2));
}

static void run_between(const yt_call *call, const yt_instruction *at, yt_shape *shape) {
    yt_shape_need_reach(shape);
    yt_shape_set_out(shape, between(call, at, shape->out));
}

static void run_sides_between(const yt_call *call, const yt_instruction *at, yt_shape *shape) {
    yt_shape_need_sides(shape);
    yt_shape_set_sides(shape, between(call, at, shape->x), between(call, at, shape->y));
}

static void run_beside(const yt_call *call, const yt_instruction *at, yt_shape *shape) {
    uint32_t zone = size_at(call, at) << 2, grows = size_at(call, at + 1) << 2;
    yt_shape_need_sides(shape);
    yt_shape_set_sides(shape, yt_size_beside(shape->x, shape->y, zone, grows),
                       yt_size_beside(shape->y, shape->x, zone, grows));
}

#define CURVE_PART 5 /* numbers of a part of a curve */

/* One at least, so that there is one to read. */
static inline unsigned parts_at(const yt_instruction *at) {
    unsigned parts = (uint8_t)yt_here(at);
    return parts ? parts : 1;
}

/* The last part that begins before the size; the first, where none does. */
static void run_curve(const yt_call *call, const yt_instruction *at, yt_shape *shape) {
    (void)call;
    yt_shape_need_reach(shape);
    uint32_t size = shape->out, whole = size < YT_Q24_ONE ? size : YT_Q24_ONE;
    unsigned left = parts_at(at++);
    for (; left > 1 && (uint32_t)yt_here(at + CURVE_PART) << 2 < whole; left--)
        at += CURVE_PART;
    uint32_t start = (uint32_t)yt_here(at + 1);
    const yt_curve_part part = {(uint32_t)yt_here(at) << 2,
                                start >> 20 & 7,
                                (int32_t)(start & 0xfffff),
                                yt_here(at + 2),
                                yt_here(at + 3),
                                yt_here(at + 4)};
    yt_shape_set_out(shape, yt_size_on_curve(whole, &part) + (size - whole));
}

static void run_power(const yt_call *call, const yt_instruction *at, yt_shape *shape) {
    yt_shape_need_reach(shape);
    yt_shape_set_out(shape, yt_size_power(shape->out, yt_number(call, at)));
}

static void run_s(const yt_call *call, const yt_instruction *at, yt_shape *shape) {
    yt_shape_need_reach(shape);
    yt_shape_set_out(shape, yt_size_s(shape->out, yt_number(call, at)));
}

static void run_steps(const yt_call *call, const yt_instruction *at, yt_shape *shape) {
    (void)call;
    yt_shape_need_reach(shape);
    yt_shape_set_out(shape, yt_size_steps(shape->out, (uint8_t)yt_here(at),
                                          ((uint32_t)yt_here(at + 1) & 0x7fffff) << 2));
}

static void run_least(const yt_call *call, const yt_instruction *at, yt_shape *shape) {
    yt_shape_need_reach(shape);
    yt_shape_set_out(shape, yt_size_at_least(shape->out, size_at(call, at)));
}

static void run_sides_least(const yt_call *call, const yt_instruction *at, yt_shape *shape) {
    uint32_t least = size_at(call, at);
    yt_shape_need_sides(shape);
    yt_shape_set_sides(shape, yt_size_at_least(shape->x, least), yt_size_at_least(shape->y, least));
}

static void run_to_square(const yt_call *call, const yt_instruction *at, yt_shape *shape) {
    (void)call, (void)at;
    yt_shape_to_square(shape);
}

static void run_from_square(const yt_call *call, const yt_instruction *at, yt_shape *shape) {
    (void)call, (void)at;
    yt_shape_from_square(shape);
}

static void run_to_octagon(const yt_call *call, const yt_instruction *at, yt_shape *shape) {
    (void)call, (void)at;
    yt_shape_to_octagon(shape);
}

static void run_from_octagon(const yt_call *call, const yt_instruction *at, yt_shape *shape) {
    (void)call, (void)at;
    yt_shape_from_octagon(shape);
}

static void run_to_square_evenly(const yt_call *call, const yt_instruction *at, yt_shape *shape) {
    (void)call, (void)at;
    yt_shape_to_square_evenly(shape);
}

static void run_from_square_evenly(const yt_call *call, const yt_instruction *at, yt_shape *shape) {
    (void)call, (void)at;
    yt_shape_from_square_evenly(shape);
}

static void run_snap(const yt_call *call, const yt_instruction *at, yt_shape *shape) {
    yt_shape_snap(shape, size_at(call, at), size_at(call, at + 1),
                  (uint32_t)yt_number(call, at + 2));
}

/* How many numbers stand behind a stage's own, and what it does. */
static const struct {
    run_stage *run;
    uint32_t takes;
} stages[] = {
#define YT_STAGE(number, NAME, name, takes, meaning) [number] = {run_##name, takes},
#include "yonder/image/stages.def"
#undef YT_STAGE
};

#define STAGES      (sizeof stages / sizeof stages[0])
#define STAGE_CURVE 3

/* Arguments: x, y, then the stages. */
static yt_q16 yt_do_shape(const yt_call *call) {
    yt_shape shape;
    yt_q16 x, y;
    const yt_instruction *at = call->arguments + 2, *end = call->arguments + call->count;
    yt_shape_begin(&shape, yt_argument(call, 0), yt_argument(call, 1));
    while (at < end) {
        uint32_t stage = (uint32_t)yt_here(at++), takes;
        if (stage >= STAGES)
            break;
        takes = stages[stage].takes;
        if (stage == STAGE_CURVE && at < end)
            takes += CURVE_PART * parts_at(at);
        if (takes > (uint32_t)(end - at))
            break;
        stages[stage].run(call, at, &shape);
        at += takes;
    }
    yt_shape_end(&shape, &x, &y);
    yt_give(call, 1, y);
    return x;
}

#define YT_ONLY_GROUP YT_GROUP_SHAPING
#include "run/functions/table.h"

const yt_group yt_group_shaping = {functions, sizeof functions / sizeof functions[0]};
