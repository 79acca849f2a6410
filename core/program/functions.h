/* The functions of the sheet that have a state. */
#ifndef YONDER_PROGRAM_FUNCTIONS_H
#define YONDER_PROGRAM_FUNCTIONS_H

#include "program/evaluate.h"

/* A step of `stick_from_motion`, and how far it goes towards the speed: an eighth a step. */
#define YT_STICK_STEP_US 4000u
#define YT_STICK_SHARE   8

/* Evaluates a function's node; gives its first result. The second, where there is one, is in the
 * state's word YT_SECOND_WORD. */
yt_q16 yt_function_evaluate(yt_evaluator *evaluator, unsigned number);

#define YT_SECOND_WORD 1

#endif
