/* A pass over the steps that are marked: each one's code, then what its value marks and tells. */
#include "run/evaluate.h"

#include <string.h>

#include "image/code.h"
#include "out/sending.h"
#include "run/functions.h"
#include "signal/bits.h"
#include "signal/fixed.h"

static size_t words_for(size_t bits) {
    return (bits + 31) / 32;
}

static size_t count_pulses(const yt_program *program) {
    size_t count = 0;
    for (unsigned i = 0; i < program->header->value_count; i++)
        count += program->types[i] >= YT_TYPE_PULSE;
    return count;
}

size_t yt_evaluator_bytes(const yt_program *program) {
    const yt_program_header *header = program->header;
    size_t words = words_for(header->step_count);
    size_t bytes =
        header->timer_count * (sizeof(yt_timer) + sizeof(uint16_t)) +
        (header->value_count + YT_TEMPORARIES) * sizeof(yt_q16) +
        (header->state_words + words + words_for(words) + words_for(header->value_count)) *
            sizeof(uint32_t) +
        count_pulses(program) * sizeof(uint16_t);
    return (bytes + 7) & ~(size_t)7;
}

void yt_evaluator_begin(yt_evaluator *evaluator, const yt_program *program, void *memory) {
    const yt_program_header *header = program->header;
    size_t words = words_for(header->step_count);
    memset(memory, 0, yt_evaluator_bytes(program));
    memset(evaluator, 0, sizeof *evaluator);
    evaluator->program = *program;
    evaluator->values = (yt_q16 *)memory;
    evaluator->timers = (yt_timer *)(evaluator->values + header->value_count + YT_TEMPORARIES);
    evaluator->state = (uint32_t *)(evaluator->timers + header->timer_count);
    evaluator->words = evaluator->state + header->state_words;
    evaluator->filled = evaluator->words + words;
    evaluator->moved = evaluator->filled + words_for(words);
    evaluator->heap = (uint16_t *)(evaluator->moved + words_for(header->value_count));
    evaluator->pulses = evaluator->heap + header->timer_count;
    evaluator->pulse_room = (uint16_t)count_pulses(program);
    evaluator->filled_words = (uint16_t)words_for(words);
    for (unsigned i = 0; i < header->constant_count; i++)
        evaluator->values[i] = program->constants[i];
    for (unsigned i = 0; i < header->parameter_count; i++)
        evaluator->values[yt_first_parameter(program) + i] = program->parameters[i].value;
    for (unsigned i = 0; i < header->timer_count; i++)
        evaluator->timers[i].place = YT_NOT_RUNNING;
    yt_evaluator_touch_all(evaluator);
}

void yt_evaluator_touch_all(yt_evaluator *evaluator) {
    for (unsigned i = 0; i < evaluator->program.header->step_count; i++)
        yt_mark_step(evaluator, i);
}

static YT_ALWAYS_INLINE const yt_program_users *users_of(const yt_evaluator *evaluator,
                                                         unsigned index) {
    return &evaluator->program.users[index - evaluator->program.header->constant_count];
}

static YT_ALWAYS_INLINE void mark(yt_evaluator *evaluator, const yt_program_mark *mark,
                                  unsigned count) {
    for (; count > 0; count--, mark++) {
        unsigned word = mark->word;
        uint32_t before = evaluator->words[word];
        evaluator->words[word] = before | mark->bits;
        if (before == 0)
            evaluator->filled[word / 32] |= (uint32_t)1 << (word % 32);
    }
}

void yt_mark_users(yt_evaluator *evaluator, unsigned index) {
    const yt_program_users *users = users_of(evaluator, index);
    mark(evaluator, &evaluator->program.marks[users->first], users->count);
}

void yt_value_set(yt_evaluator *evaluator, unsigned index, yt_q16 value) {
    if (evaluator->values[index] == value)
        return;
    evaluator->values[index] = value;
    yt_mark_users(evaluator, index);
}

YT_NEVER_INLINE yt_q16 yt_cut(yt_evaluator *evaluator, yt_q16 result) {
    evaluator->cut++;
    return result;
}

YT_NEVER_INLINE yt_q16 yt_multiply_large(yt_evaluator *evaluator, yt_q16 a, yt_q16 b) {
    int64_t product = ((int64_t)a * b + 0x8000) >> 16;
    yt_q16 result = yt_q16_saturate(product);
    return result == product ? result : yt_cut(evaluator, result);
}

static YT_ALWAYS_INLINE yt_q16 add(yt_evaluator *evaluator, yt_q16 a, yt_q16 b) {
    return yt_q16_sum_is_over(a, b) ? yt_cut(evaluator, yt_q16_limit(a)) : yt_q16_add(a, b);
}

static YT_ALWAYS_INLINE yt_q16 subtract(yt_evaluator *evaluator, yt_q16 a, yt_q16 b) {
    return yt_q16_difference_is_over(a, b) ? yt_cut(evaluator, yt_q16_limit(a))
                                           : yt_q16_subtract(a, b);
}

static yt_q16 divide(yt_evaluator *evaluator, yt_q16 a, yt_q16 b) {
    yt_q16 result = yt_q16_divide(a, b);
    return result == INT32_MAX || result == INT32_MIN ? yt_cut(evaluator, result) : result;
}

/* A pulse begins or grows: the end of the pass will make it 0 again. It is told even if it equals
 * the last one, since it has been 0 in between. */
static void add_pulse(yt_evaluator *evaluator, unsigned index, yt_q16 value) {
    yt_q16 before = evaluator->values[index];
    if (value == 0)
        return;
    if (before == 0 && evaluator->pulse_count < evaluator->pulse_room)
        evaluator->pulses[evaluator->pulse_count++] = (uint16_t)index;
    evaluator->values[index] = add(evaluator, before, value);
    if (users_of(evaluator, index)->count) /* it may only have wires */
        yt_mark_users(evaluator, index);
}

void yt_control_add(yt_evaluator *evaluator, unsigned control, yt_q16 value) {
    add_pulse(evaluator, yt_first_control(&evaluator->program) + control, value);
}

void yt_control_finer(yt_evaluator *evaluator, unsigned control) {
    evaluator->finer = true;
    yt_mark_users(evaluator, yt_first_control(&evaluator->program) + control);
}

/* A press and layers, the topmost first: the number of the first that is on when it goes down,
 * from 1; behind the last layer stands the sheet. It stays until the press is over. */
static yt_q16 owner(const yt_q16 *values, const yt_instruction *at, yt_q16 before) {
    unsigned k = 1;
    if (values[at->operand] == 0 || before != 0)
        return values[at->operand] ? before : 0;
    while (k <= at->count && values[at[k].operand] == 0)
        k++;
    return (yt_q16)k * YT_ONE;
}

/* Pairs of a layer and its cell, the topmost first. The cell that turned the switch on keeps it on
 * until it lets go; then the topmost layer that is on has its way. */
static yt_q16 drive(const yt_q16 *values, const yt_instruction *at, yt_q16 before, uint32_t *turn) {
    if (before != 0 && values[at[*turn + 1].operand] != 0)
        return YT_ONE;
    for (unsigned k = 0; k <= at->count; k += 2)
        if (values[at[k].operand] != 0) {
            *turn = k;
            return values[at[k + 1].operand];
        }
    return 0;
}

/* A pulse that is only told is not kept. */
static void give_pulse(yt_engine *engine, const yt_program_step *step, yt_q16 value) {
    yt_evaluator *evaluator = engine->evaluator;
    if (step->value == YT_NO_VALUE) {
        if (value != 0)
            yt_tell_motion(engine, engine->sendings[step->report], step->number, value);
        return;
    }
    add_pulse(evaluator, step->value, value);
    if (evaluator->leaving)
        yt_step_carries(evaluator, step);
}

static void tell(yt_engine *engine, const yt_program_step *step, yt_q16 value) {
    switch (step->tells) {
    case YT_TELLS_SWITCH:
        yt_tell_switch(engine, engine->sendings[step->report], step->number, value != 0);
        break;
    case YT_TELLS_HAT:
        yt_tell_hat(engine, engine->sendings[step->report], step->number, value != 0);
        break;
    case YT_TELLS_TARGET:
        if (engine->evaluator->program.targets[step->number].from_host == YT_FOR_ADAPTER)
            yt_tell_action(engine, &engine->evaluator->program.targets[step->number], value);
        else
            yt_tell_target(engine, step->number, value);
        break;
    default:
        yt_tell_axis(engine, step, value);
    }
}

/* The value is as it was: of interest only while a device leaves, or to who copies raw numbers. */
static void give_again(yt_engine *engine, const yt_program_step *step) {
    yt_evaluator *evaluator = engine->evaluator;
    bool is_analog = step->tells == YT_TELLS_AXIS || step->tells == YT_TELLS_LEVEL;
    if (evaluator->leaving && step->tells == YT_TELLS_NOTHING)
        yt_step_carries(evaluator, step);
    if (evaluator->finer && is_analog)
        yt_tell_finer(engine, step);
}

static YT_ALWAYS_INLINE void give(yt_engine *engine, const yt_program_step *step, yt_q16 value) {
    yt_evaluator *evaluator = engine->evaluator;
    if (step->type >= YT_TYPE_PULSE) {
        give_pulse(engine, step, value);
        return;
    }
    yt_q16 *kept = &evaluator->values[step->value];
    if (*kept == value) {
        if (evaluator->leaving || evaluator->finer)
            give_again(engine, step);
        return;
    }
    *kept = value;
    if (step->tells != YT_TELLS_NOTHING) {
        tell(engine, step, value);
        return;
    }
    if (evaluator->leaving)
        yt_value_moved(evaluator, step->value);
    yt_mark_users(evaluator, step->value);
}

/* Instructions follow one another by a jump of their own where the compiler can do that, else
 * through a switch. */
#if defined(__GNUC__)
#define BEGIN             goto *labels[at->code];
#define INSTRUCTION(NAME) code_##NAME
#define NEXT                                                                                       \
    at++;                                                                                          \
    goto *labels[at->code]
#define FINISH
#else
#define BEGIN                                                                                      \
    for (;;)                                                                                       \
        switch (at->code) {
#define INSTRUCTION(NAME) case YT_CODE_##NAME
#define NEXT                                                                                       \
    at++;                                                                                          \
    continue
#define FINISH }
#endif

/* Goes through the marked steps of a word in order: the code of each, with one number at hand, then
 * what it gives. Looking at one only marks later ones, in this word or in one behind it, so a word
 * is done when it is empty. */
static void run_word(yt_engine *engine, unsigned word) {
#if defined(__GNUC__)
    static const void *const labels[] = {
#define YT_CODE(number, NAME, ...) [number] = &&code_##NAME,
#include "yonder/image/code.def"
#undef YT_CODE
    };
#endif
    yt_evaluator *evaluator = engine->evaluator;
    const yt_program_step *steps = &evaluator->program.steps[word * 32], *step;
    yt_q16 *const values = evaluator->values, now;
    uint32_t *marks = &evaluator->words[word], left;
    while ((left = *marks) != 0) {
        step = &steps[yt_lowest_bit(left)];
        const yt_instruction *at = &evaluator->program.code[step->code];
        *marks = left & (left - 1);
        now = 0;
        BEGIN
        INSTRUCTION(LOAD) : INSTRUCTION(SEEN) : INSTRUCTION(PRESS) : now = values[at->operand];
        NEXT;
        INSTRUCTION(STORE) : values[at->operand] = now;
        NEXT;
        INSTRUCTION(NOT) : now = now ? 0 : YT_ONE;
        NEXT;
        INSTRUCTION(AND) : now &= values[at->operand];
        NEXT;
        INSTRUCTION(OR) : INSTRUCTION(ANY) : now |= values[at->operand];
        NEXT;
        INSTRUCTION(ADD) : now = add(evaluator, now, values[at->operand]);
        NEXT;
        INSTRUCTION(SUBTRACT) : now = subtract(evaluator, now, values[at->operand]);
        NEXT;
        INSTRUCTION(MULTIPLY) : now = yt_multiply(evaluator, now, values[at->operand]);
        NEXT;
        INSTRUCTION(DIVIDE) : now = divide(evaluator, now, values[at->operand]);
        NEXT;
        INSTRUCTION(LESS) : now = now < values[at->operand] ? YT_ONE : 0;
        NEXT;
        INSTRUCTION(LESS_OR_EQUAL) : now = now <= values[at->operand] ? YT_ONE : 0;
        NEXT;
        INSTRUCTION(EQUAL) : now = now == values[at->operand] ? YT_ONE : 0;
        NEXT;
        INSTRUCTION(GATE) : now = values[at->operand] ? now : 0;
        NEXT;
        INSTRUCTION(OVER) : now = values[at->operand] ? values[at[1].operand] : now;
        at++;
        NEXT;
        INSTRUCTION(ELSE) : now = values[at->operand] ? now : values[at[1].operand];
        at++;
        NEXT;
        INSTRUCTION(OWNER) : now = owner(values, at, values[step->value]);
        goto given;
        INSTRUCTION(DRIVE)
            : now = drive(values, at, values[step->value], &evaluator->state[step->state]);
        goto given;
        INSTRUCTION(CALL) : now = yt_function_call(evaluator, step, at);
        INSTRUCTION(MORE) : INSTRUCTION(HERE) : INSTRUCTION(END) : goto given;
        FINISH
    given:
        give(engine, step, now);
    }
}

/* All pulses become 0; what compares one is to be looked at once more. Those that depend on others
 * are in the list too, and are 0 by themselves, since no instruction makes a pulse out of none. */
static bool end_pulses(yt_engine *engine) {
    yt_evaluator *evaluator = engine->evaluator;
    const uint16_t *number = evaluator->pulses, *end = number + evaluator->pulse_count;
    bool again = false;
    for (; number < end; number++) {
        const yt_program_users *users = users_of(evaluator, *number);
        yt_q16 value = evaluator->values[*number];
        evaluator->values[*number] = 0;
        if (users->wires && value != 0)
            yt_run_wires(engine, users, value);
        if (users->seers == 0)
            continue;
        mark(evaluator, &evaluator->program.marks[users->first + users->count], users->seers);
        again = true;
    }
    evaluator->pulse_count = 0;
    return again;
}

bool yt_evaluator_pass(yt_engine *engine) {
    yt_evaluator *evaluator = engine->evaluator;
    uint32_t *filled = evaluator->filled, left;
    for (unsigned k = 0; k < evaluator->filled_words; k++, filled++)
        while ((left = *filled) != 0) {
            run_word(engine, k * 32 + yt_lowest_bit(left));
            *filled &= *filled - 1; /* looking at a word only fills later ones */
        }
    evaluator->finer = false;
    return evaluator->pulse_count && end_pulses(engine);
}
