#include "program/operations.h"

#include <stddef.h>
#include <string.h>

#define YT_OPERATION(number, name, result, arguments, state, each, timers, meaning)                \
    {(number), (result), (state), (each), (timers), arguments},
static const yt_operation operations[] = {
#include "yonder/operations.def"
};
#undef YT_OPERATION

const yt_operation *yt_operation_of(unsigned number) {
    for (size_t i = 0; i < sizeof operations / sizeof operations[0]; i++)
        if (operations[i].number == number)
            return &operations[i];
    return NULL;
}

/* The number of arguments in front of the | and how many come together behind it; 0: none do. */
static unsigned fixed_arguments(const yt_operation *operation, unsigned *together) {
    const char *at = operation->arguments;
    unsigned fixed = 0;
    while (at[fixed] && at[fixed] != '|')
        fixed++;
    *together = at[fixed] ? (unsigned)strlen(&at[fixed + 1]) : 0;
    return fixed;
}

/* Those behind the | come in ones or in twos. */
bool yt_operation_takes(const yt_operation *operation, unsigned count) {
    unsigned together, fixed = fixed_arguments(operation, &together);
    if (together == 0 || count < fixed + together)
        return together == 0 && count == fixed;
    return together == 1 || ((count - fixed) & 1) == 0;
}

char yt_operation_argument(const yt_operation *operation, unsigned index) {
    unsigned together, fixed = fixed_arguments(operation, &together);
    if (index < fixed)
        return operation->arguments[index];
    return operation->arguments[fixed + 1 + (together == 2 ? (index - fixed) & 1 : 0)];
}

unsigned yt_operation_words(const yt_operation *operation, unsigned count) {
    unsigned together, fixed = fixed_arguments(operation, &together);
    return operation->state_words + operation->words_each * (count - fixed);
}
