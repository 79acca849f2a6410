/* What a running program asks of the adapter, and what the adapter tells it.
 *
 * The engine carries out nothing of it: the firmware takes what was asked, one at a time, after an
 * update, and does it.
 *
 *     while (yt_engine_action(&engine, &action))
 *         carry_out(&action); */
#ifndef YONDER_ACTIONS_H
#define YONDER_ACTIONS_H

#include <stdbool.h>
#include <stdint.h>

#include "yonder/engine.h"

#ifdef __cplusplus
extern "C" {
#endif

/* How it is answered: yt_action_pulses of a light or a motor, each on and off for this long. */
#define YT_ACTION_PULSE_US 80000u

/* The oldest thing that was asked and not yet taken; false: there is none. Up to YT_ACTIONS wait;
 * what comes then is dropped and counted (yt_counts.actions_dropped). Of a light only the last that
 * was told waits. */
bool yt_engine_action(yt_engine *engine, yt_action *action);

/* Its name, "next_slot", and by how many short pulses it is answered. "" and 0 for what is none. */
const char *yt_action_name(unsigned kind);
unsigned yt_action_pulses(unsigned kind);

/* What a program may know of its adapter, as numbers that formulas read: adapter.slot, from 1;
 * adapter.battery, 0 to 1; adapter.locked, 0 or 1. */
typedef enum yt_fact { YT_FACT_SLOT, YT_FACT_BATTERY, YT_FACT_LOCKED, YT_FACT_COUNT } yt_fact;

/* Tells the program that runs; it counts from now on. A number out of range is taken as the end of
 * it. Without effect where the program does not read it. Tell all again after each load. */
void yt_engine_tell(yt_engine *engine, yt_fact fact, yt_q16 value);

/* "slot", "battery", "locked". */
const char *yt_fact_name(unsigned fact);

#ifdef __cplusplus
}
#endif

#endif
