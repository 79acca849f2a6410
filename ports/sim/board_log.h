/* Logs of a board's pins, ADC channels and sensors, as CSV: what a logic analyser or a small
 * firmware writes. Played through the board's description they become the board's reports.
 *
 *     time,pin4,pin5,adc0,sensor0
 *     0.000,1,1,2048,0
 *     0.120,0,1,2048,0
 *
 * Times are seconds. A pin is its electrical level, 0 or 1; a line's values hold until the next
 * line. Pins that no column is of are high, as with a pull-up. */
#ifndef YONDER_SIM_BOARD_LOG_H
#define YONDER_SIM_BOARD_LOG_H

#include "ports/sim/recording.h"
#include "yonder/board.h"

#define BOARD_SCAN_US 1000 /* how often the simulated board samples */

/* Makes a recording of one device, the board that is input `input` of the program, out of a log.
 * False: `error` of the recording says what is wrong, with the line. */
bool board_log_read(recording *recording, const char *path, const yt_program *program,
                    unsigned input, const char *name);

/* The same from memory. */
bool board_log_parse(recording *recording, const char *path, const char *text, size_t size,
                     const yt_program *program, unsigned input, const char *name);

#endif
