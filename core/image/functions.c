/* The functions that there are: by number, and what their letters say of arguments and memory. */
#include "image/functions.h"

#include <stddef.h>
#include <string.h>

/* (`split` is for tests/proof: each group has a count of its own.) */
const yt_function *yt_function_of(uint32_t groups, unsigned number) {
    unsigned group = yt_function_group(number), index = number & 15;
    if (group >= YT_GROUPS || !(groups >> group & 1) || !yt_groups[group])
        return NULL;
    //@ split group;
    return index < yt_groups[group]->count ? &yt_groups[group]->functions[index] : NULL;
}

/* The number of arguments in front of the |; `any`: whether there may be more. */
static unsigned fixed_arguments(const yt_function *function, bool *any) {
    unsigned fixed = 0;
    while (function->takes[fixed] && function->takes[fixed] != '|')
        fixed++;
    *any = function->takes[fixed] != 0;
    return fixed;
}

bool yt_function_takes(const yt_function *function, unsigned count) {
    bool any;
    unsigned fixed = fixed_arguments(function, &any);
    if (function->most && count > function->most)
        return false;
    return any ? count > fixed : count == fixed;
}

char yt_function_argument(const yt_function *function, unsigned index) {
    bool any;
    unsigned fixed = fixed_arguments(function, &any);
    return function->takes[index < fixed ? index : fixed + 1];
}

unsigned yt_function_words(const yt_function *function, unsigned count) {
    bool any;
    unsigned fixed = fixed_arguments(function, &any);
    return function->state_words + function->words_each * (count - fixed);
}
