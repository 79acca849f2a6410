/* What goes on until somebody stops it: this machine's clock, and the signals that end it. */
#ifndef YONDER_TOOL_PLAYING_H
#define YONDER_TOOL_PLAYING_H

#include <stdbool.h>
#include <stdint.h>

/* Microseconds of a clock that is never set. */
uint64_t clock_us(void);

/* From here on an interrupt, or a request to end, is only noted. */
void stop_by_signals(void);
bool is_stopped(void);

#endif
