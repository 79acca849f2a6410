/* From nodes to steps: which values are kept, and the code of each step.
 *
 * Kept are the values of controls and parameters, of functions and what the layers make of presses,
 * of formulas that are used twice, and what outputs were told. Any other formula is a part of the
 * code of the one that uses it. */
#ifndef YONDER_COMPILER_BUILDING_STEPS_H
#define YONDER_COMPILER_BUILDING_STEPS_H

#include "compiler/building/build.h"

/* What a step is made of, before the numbers of values are known: each operand is one of these,
 * with its index. */
typedef enum yt_operand_kind {
    OPERAND_CONSTANT,
    OPERAND_PARAMETER,
    OPERAND_CONTROL,
    OPERAND_STEP, /* the value of a step, counted from the first of such */
    OPERAND_TEMPORARY,
    OPERAND_FUNCTION,
    OPERAND_HERE, /* a number, in place of a value */
    OPERAND_NONE
} yt_operand_kind;

typedef struct yt_operand {
    yt_operand_kind kind;
    unsigned index;
} yt_operand;

typedef struct yt_made_instruction {
    uint8_t code;
    uint8_t count;
    yt_operand operand;
} yt_made_instruction;

typedef struct yt_made_steps {
    yt_program_step *steps; /* `value` is counted from the first value of a step */
    unsigned step_count, step_room;
    yt_made_instruction *code;
    unsigned code_count, code_room;
    yt_q16 *constants;
    unsigned constant_count, constant_room;
    uint8_t *value_types; /* of the values of steps */
    unsigned value_count, value_room;
    uint16_t *timers; /* the step of each */
    unsigned timer_count, timer_room;
    unsigned state_words;
    uint32_t groups;
    unsigned *root_steps;   /* of each root */
    unsigned *socket_steps; /* of each SOCKET, by its data */
    yt_operand *values;     /* of each node: where its value is kept; OPERAND_NONE: nowhere */
} yt_made_steps;

/* Makes the steps of the sorted nodes of a build and its roots. False: there is too much of
 * something.
 */
bool steps_make(const yt_build *build, yt_made_steps *made);

#endif
