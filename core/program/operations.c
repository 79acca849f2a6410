#include "program/operations.h"

#include <stddef.h>

#define YT_OPERATION(number, name, result, arguments, state, meaning)                              \
    {(number), (result), (state), arguments},
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
