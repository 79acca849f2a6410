/* What each operation takes and gives: operations.def as a table. */
#ifndef YONDER_PROGRAM_OPERATIONS_H
#define YONDER_PROGRAM_OPERATIONS_H

#include <stdbool.h>
#include <stdint.h>

#define YT_OPERATION(number, name, result, arguments, state, each, timers, meaning)                \
    YT_OP_##name = (number),
typedef enum yt_operation_number {
#include "yonder/operations.def"
} yt_operation_number;
#undef YT_OPERATION

/* From the first of these numbers on, operations have a state; up to the second, a second result.
 */
#define YT_OP_FIRST_FUNCTION 64
#define YT_OP_FIRST_SINGLE   72

#define YT_CHORD_KEYS 8 /* that a CHORD may join */

typedef struct yt_operation {
    uint8_t number;
    char result;
    uint8_t state_words : 4;
    uint8_t words_each : 2;
    uint8_t timers : 1;
    char arguments[6]; /* the types, as letters; ended by 0 */
} yt_operation;

/* NULL where there is no such operation. */
const yt_operation *yt_operation_of(unsigned number);

/* Whether it takes so many arguments. */
bool yt_operation_takes(const yt_operation *operation, unsigned count);

/* The type of its argument `index`, as a letter. */
char yt_operation_argument(const yt_operation *operation, unsigned index);

/* Words of state of a node with so many arguments. */
unsigned yt_operation_words(const yt_operation *operation, unsigned count);

static inline bool yt_operation_has_second(unsigned number) {
    return number >= YT_OP_FIRST_FUNCTION && number < YT_OP_FIRST_SINGLE;
}

#endif
