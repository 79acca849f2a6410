/* For bench/costs: the terms' names, then what profiles are counted in, a line for each input. */
#include "compiler/profile/cost.h"
#include "tool/tool.h"

int main(int count, char **arguments) {
    for (unsigned t = 0; t < COST_COUNT; t++)
        printf("%s%s", t ? " " : "", cost_names[t]);
    printf("\n");
    for (int i = 1; i < count; i++) {
        profile profile;
        if (!profile_open(&profile, arguments[i]))
            return 1;
        for (unsigned k = 0; k < profile.compiled.input_count; k++) {
            yt_cost_terms terms;
            cost_count(&profile.compiled.program, k, &terms);
            printf("%s", arguments[i]);
            for (unsigned t = 0; t < COST_COUNT; t++)
                printf(" %u", terms.count[t]);
            printf("\n");
        }
        profile_close(&profile);
    }
    return 0;
}
