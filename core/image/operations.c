#include "image/operations.h"

#include <stddef.h>
#include <string.h>

static const yt_operation operations[] = {
#define YT_OPERATION(number, NAME, result, arguments, state, meaning)                              \
    [number] = {(result), 1, (state), 0, 0, 0, arguments},
#include "yonder/image/operations.def"
#undef YT_OPERATION
};

const yt_function *yt_function_of(unsigned number) {
    unsigned group = yt_operation_group(number), index = number & 15;
    if (number < YT_OP_FUNCTIONS || group >= YT_GROUPS || !yt_groups[group] ||
        index >= yt_groups[group]->count)
        return NULL;
    return &yt_groups[group]->functions[index];
}

const yt_operation *yt_operation_of(unsigned number) {
    if (number >= YT_OP_FUNCTIONS) {
        const yt_function *function = yt_function_of(number);
        return function ? &function->shape : NULL;
    }
    bool is_known = number > 0 && number < sizeof operations / sizeof operations[0];
    return is_known ? &operations[number] : NULL;
}

bool yt_operation_has_second(unsigned number) {
    const yt_function *function = number >= YT_OP_FUNCTIONS ? yt_function_of(number) : NULL;
    return function && function->shape.results == 2;
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
    if (operation->most && count > operation->most)
        return false;
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
