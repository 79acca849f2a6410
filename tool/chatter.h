/* Whether switches bounce, and encoders turn back, by when they changed. Numbers in, numbers out.
 */
#ifndef YONDER_TOOL_CHATTER_H
#define YONDER_TOOL_CHATTER_H

#include <stdbool.h>
#include <stdint.h>

/* No hand presses and lets go within it. */
#define CHATTER_US 20000

/* What a switch did. Changes within CHATTER_US of the one before are of one press, or one release.
 */
typedef struct switch_chatter {
    unsigned changes; /* that a person meant */
    unsigned bounces; /* in so many of them it changed more than once */
    uint64_t longest_us;
    uint64_t first_us, last_us; /* of the changes that are close together so far */
    unsigned close;
} switch_chatter;

/* The switch changes. Times never go back; where they do the change counts by itself. */
void switch_changes(switch_chatter *chatter, uint64_t time_us);

/* There are no more. */
void switch_ends(switch_chatter *chatter);

/* What an encoder or a wheel did: counts that go against those before and behind them, closer than
 * CHATTER_US to both. */
typedef struct turn_chatter {
    unsigned turns; /* reports in which it turned */
    unsigned back;  /* of them */
    int64_t counts[2];
    uint64_t times_us[2];
} turn_chatter;

void turn_moves(turn_chatter *chatter, uint64_t time_us, int64_t counts);

#endif
