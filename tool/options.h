/* Options that several commands have, read in one way. Each is an argp of its own, which a command
 * takes among its children:
 *
 *     static error_t parse(int key, char *argument, struct argp_state *state) {
 *         options *options = state->input;
 *         switch (key) {
 *         case ARGP_KEY_INIT:
 *             state->child_inputs[0] = &options->played;
 *             return 0;
 *         ...
 *         default:
 *             return only_argument(key, argument, state, &options->profile, "profile");
 */
#ifndef YONDER_TOOL_OPTIONS_H
#define YONDER_TOOL_OPTIONS_H

#include <argp.h>
#include <stdint.h>

#include "tool/calibrations.h"
#include "yonder/engine.h"

#define LIMIT_REPORTS UINT64_C(1000000) /* reports out, where --limit says nothing */

/* Keys of options, which have no letter, of commands' own begin here. */
#define OPTION_OWN 300

/* How a profile is played: --in, --calibration, --poll and --limit. */
typedef struct played_options {
    const char *inputs[YT_DEVICES]; /* [NAME=]RECORDING; see played_check */
    unsigned input_count;
    uint64_t poll_us; /* 8 ms where --poll says nothing */
    bool has_poll;    /* it does */
    uint64_t limit;   /* reports out */
    calibration_files calibrations;
} played_options;

/* Its input is a played_options. */
extern const struct argp played_argp;

/* --calibration: its input is a calibration_files. */
extern const struct argp calibration_argp;

/* --out: its input is a const char *, which stays as it is where the option is not given. */
extern const struct argp out_argp;

/* Ends the program where nothing comes in. */
void played_check(struct argp_state *state, const played_options *options);

/* Ends the program where what is given for a profile is what an adapter's slots say themselves. */
void played_by_slots_check(struct argp_state *state, const played_options *options);

/* Ends the program: `word` is none of these. `what` begins the sentence, as in "there is no
 * command"; `otherwise` ends it where none is near. */
void unknown_word(struct argp_state *state, const char *what, const char *word,
                  const char *const names[], size_t count, const char *otherwise);

/* The number that --limit takes; ends the program where it is none. */
uint64_t limit_argument(struct argp_state *state, const char *argument);

/* --speed: how fast a recording is played, 0.01 to 1000; 0 for "max". Its option: */
#define SPEED_HELP                                                                                 \
    "how fast a recording is played: 1 is real time; max, with --plain, does not wait"
double speed_argument(struct argp_state *state, const char *argument);

/* Ends the program where a speed was given for a device that is plugged in: it has its own. */
void speed_of_device(struct argp_state *state, bool is_given, const char *path);

/* --device: which device of a recording. */
#define DEVICE_HELP                                                                                \
    "which device of a recording with several, from 1 in the order of `yonder describe`"
unsigned device_argument(struct argp_state *state, const char *argument);

/* Ends the program where a terminal would be drawn on and nothing waits. */
void speed_check(struct argp_state *state, bool plain, double speed);

/* A number from `least` to `most`, of an option such as "--notches". */
unsigned number_argument(struct argp_state *state, const char *option, const char *argument,
                         unsigned least, unsigned most);

/* "8ms", "125us", "1.5s" as microseconds; 0 where it is no time. */
uint64_t parse_time(const char *text);

/* The time that --poll takes; ends the program where it is none. */
uint64_t poll_argument(struct argp_state *state, const char *argument);

/* The one argument of a command, which must be there: a `what`. Gives what a parser gives for keys
 * that are not its own. */
error_t only_argument(int key, const char *argument, struct argp_state *state, const char **kept,
                      const char *what);

#endif
