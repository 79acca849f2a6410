/* Looking into an engine, and moving its controls without a device: for tools and tests, such as
 * those that stand in profiles. A firmware needs none of it.
 *
 *     yt_inspect_set(&engine, control, YT_ONE);
 *     yt_inspect_settle(&engine, now_us);
 *
 * Called from where the engine's calls are made. Controls, values and steps are counted as in the
 * program; what is out of range is 0, or not done. */
#ifndef YONDER_INSPECT_H
#define YONDER_INSPECT_H

#include "yonder/engine.h"

#ifdef __cplusplus
extern "C" {
#endif

/* A value now, by its number. All of them, `value_count` of the program: yt_inspect_values. */
yt_q16 yt_inspect_value(const yt_engine *engine, unsigned index);
const yt_q16 *yt_inspect_values(const yt_engine *engine);

/* Of a step that drives a switch by layers: whose turn it is, as the index of the layer's switch
 * among its operands. */
unsigned yt_inspect_turn(const yt_engine *engine, unsigned step);

/* What a light or a motor is driven with, 0 to 1. */
yt_q16 yt_inspect_target(const yt_engine *engine, unsigned target);

/* A control is set, a switch to on where it is not 0; one that is motion moves by as much. What
 * follows is looked at by yt_inspect_settle, all as one view. */
void yt_inspect_set(yt_engine *engine, unsigned control, yt_q16 value);
void yt_inspect_settle(yt_engine *engine, uint64_t now_us);

/* All controls of an input are let go, as when its device leaves. */
void yt_inspect_let_go(yt_engine *engine, unsigned input, uint64_t now_us);

#ifdef __cplusplus
}
#endif

#endif
