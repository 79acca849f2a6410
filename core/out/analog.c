/* Axes, levels and motion on their way to the host. Of axes the last value counts; of motion the
 * sum: what was sent is taken off what is owed. */
#include "image/code.h"
#include "in/device.h"
#include "out/sending.h"
#include "run/evaluate.h"
#include "signal/fixed.h"

static unsigned analog_of(const yt_sending *sending, unsigned index) {
    return index - sending->report->switch_count;
}

static void touch(yt_sending *sending, unsigned analog) {
    sending->touched |= (uint32_t)1 << analog;
    sending->endpoint->ready = true;
}

static YT_ALWAYS_INLINE void wake(yt_engine *engine, const yt_sending *sending) {
    if (sending->endpoint->rare & YT_ENDPOINT_SUSPENDED)
        yt_endpoint_wake(engine, sending->endpoint);
}

/* Shifted in halves: a Cortex-M0 has to call a function for the whole. */
static uint64_t counts_of(int64_t owed) {
    uint64_t size = owed < 0 ? 0u - (uint64_t)owed : (uint64_t)owed;
    uint32_t high = (uint32_t)(size >> 32), low = (uint32_t)size;
    return (uint64_t)(high >> 16) << 32 | (high << 16 | low >> 16);
}

uint32_t yt_owed_counts(int64_t owed) {
    uint64_t counts = counts_of(owed);
    return counts > UINT32_MAX ? UINT32_MAX : (uint32_t)counts;
}

/* What is owed saturates here, at 2^40 counts, long before the sum could go over. */
#define OWED_MOST ((int64_t)1 << 56)
#define OWED_HIGH ((uint32_t)(OWED_MOST >> 32))

void yt_drop_motion(yt_sending *sending, int64_t *owed) {
    sending->motion_dropped += counts_of(*owed);
    *owed = 0;
}

static void saturate(yt_sending *sending, int64_t *owed) {
    int64_t most = *owed < 0 ? -OWED_MOST : OWED_MOST;
    int64_t over = *owed - most;
    *owed = most;
    yt_drop_motion(sending, &over);
}

void yt_sending_drop_motion(yt_sending *sending) {
    unsigned first = sending->report->switch_count;
    for (unsigned k = first; k < sending->report->root_count; k++)
        if (sending->roots[k].kind == YT_ROOT_MOTION)
            yt_drop_motion(sending, &sending->analogs[k - first].owed);
}

/* Whether the host has asked for a wheel's high resolution. */
static bool tells_120ths(const yt_endpoint *endpoint, const yt_program_root *root) {
    return root->multiplier && !(endpoint->rare & YT_ENDPOINT_BOOT) &&
           (endpoint->features >> (root->multiplier - 1) & 1);
}

/* A host that sleeps, or has asked for finer wheels; so much is owed that it may saturate. */
static YT_NEVER_INLINE void tell_rarely(yt_engine *engine, yt_sending *sending, unsigned index,
                                        int64_t *owed, yt_q16 value) {
    const yt_endpoint *endpoint = sending->endpoint;
    if (tells_120ths(endpoint, &sending->roots[index]))
        *owed += (int64_t)value * 119; /* beside the one that was added */
    if (endpoint->rare & YT_ENDPOINT_SUSPENDED)
        yt_drop_motion(sending, owed);
    else if (*owed > OWED_MOST || *owed < -OWED_MOST)
        saturate(sending, owed);
    wake(engine, sending);
}

void yt_tell_motion(yt_engine *engine, yt_sending *sending, unsigned index, yt_q16 value) {
    const yt_endpoint *endpoint = sending->endpoint;
    unsigned analog = analog_of(sending, index);
    int64_t *owed = &sending->analogs[analog].owed;
    *owed += value;
    /* At least a whole count; less waits for more. Mostly what is told now is that much. */
    if (value >= YT_ONE || value <= -YT_ONE || (uint64_t)*owed + 0xffff > 0x1fffe)
        touch(sending, analog);
    /* of what is owed a look at the upper half is enough to see that it is not near its most */
    uint32_t high = (uint32_t)((uint64_t)*owed >> 32) + OWED_HIGH;
    if (endpoint->rare || high >= 2 * OWED_HIGH)
        tell_rarely(engine, sending, index, owed, value);
    if (endpoint->armed && yt_endpoint_was_left(engine, endpoint))
        yt_drop_motion(sending, owed);
}

/* A cell that is only a control's name, between equal raw ranges, copies the raw number. */
static bool copy_raw(yt_engine *engine, const yt_program_step *step, yt_sending *sending) {
    const yt_program *program = &engine->evaluator->program;
    const yt_program_root *root = &sending->roots[step->number];
    const yt_instruction *at = &program->code[step->code];
    unsigned first = yt_first_control(program), analog = analog_of(sending, step->number);
    int32_t raw;
    if (root->at.bits <= 16 || at[0].code != YT_CODE_LOAD || at[1].code != YT_CODE_END ||
        at->operand < first || at->operand >= yt_first_step_value(program) ||
        !yt_device_raw_number(engine, at->operand - first, &program->ranges[root->range], &raw))
        return false;
    sending->analogs[analog].raw = raw;
    sending->raw |= (uint32_t)1 << analog;
    touch(sending, analog);
    wake(engine, sending);
    return true;
}

void yt_tell_axis(yt_engine *engine, const yt_program_step *step, yt_q16 value) {
    yt_sending *sending = engine->sendings[step->report];
    unsigned analog = analog_of(sending, step->number);
    if (sending->roots[step->number].at.bits > 16 && copy_raw(engine, step, sending))
        return;
    sending->analogs[analog].value =
        yt_q16_clamp(value, step->tells == YT_TELLS_LEVEL ? 0 : -YT_ONE, YT_ONE);
    sending->raw &= ~((uint32_t)1 << analog);
    touch(sending, analog);
    wake(engine, sending);
}

void yt_tell_finer(yt_engine *engine, const yt_program_step *step) {
    (void)copy_raw(engine, step, engine->sendings[step->report]);
}

int32_t yt_pay_counts(int64_t *owed, int32_t least, int32_t most) {
    uint32_t counts = yt_owed_counts(*owed);
    uint32_t room = *owed < 0 ? 0u - (uint32_t)least : (uint32_t)most;
    int32_t taken = (int32_t)(counts < room ? counts : room);
    if (*owed < 0)
        taken = -taken;
    *owed -= (int64_t)taken * 65536;
    return taken;
}
