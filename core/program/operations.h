/* What each operation takes and gives: operations.def as a table. */
#ifndef YONDER_PROGRAM_OPERATIONS_H
#define YONDER_PROGRAM_OPERATIONS_H

#include <stdint.h>

#define YT_OPERATION(number, name, result, arguments, state, meaning) YT_OP_##name = (number),
typedef enum yt_operation_number {
#include "yonder/operations.def"
} yt_operation_number;
#undef YT_OPERATION

/* From this number on, operations are functions with a state and a timer. */
#define YT_OP_FIRST_FUNCTION 64

typedef struct yt_operation {
    uint8_t number;
    char result;
    uint8_t state_words;
    char arguments[5]; /* the types, as letters; ended by 0 */
} yt_operation;

/* NULL where there is no such operation. */
const yt_operation *yt_operation_of(unsigned number);

#endif
