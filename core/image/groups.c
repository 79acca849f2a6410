/* Which groups of functions there are here, and which a program needs. */
#include "yonder/abilities.h"
#include "yonder/groups.h"

uint32_t yt_groups_linked(void) {
    uint32_t linked = 0;
    for (unsigned group = 0; group < YT_GROUPS; group++)
        if (yt_groups[group])
            linked |= (uint32_t)1 << group;
    return linked;
}

uint32_t yt_groups_missing(const void *image, size_t size) {
    const yt_program_header *header = (const yt_program_header *)image;
    if (size < sizeof *header || header->magic != YT_PROGRAM_MAGIC ||
        header->version != YT_PROGRAM_VERSION)
        return 0;
    return header->groups & ~yt_groups_linked();
}

const char *yt_group_name(unsigned group) {
    static const char *const names[YT_GROUPS] = {
#define YT_GROUP(NAME, name, meaning) #name,
#include "yonder/image/functions.def"
    };
    return group < YT_GROUPS ? names[group] : "";
}

const char *yt_ability_name(unsigned ability) {
    static const char *const names[YT_ABILITY_COUNT] = {
#define YT_ABILITY_NAME(NAME, name, meaning) #name,
        YT_ABILITIES(YT_ABILITY_NAME)
#undef YT_ABILITY_NAME
    };
    return ability < YT_ABILITY_COUNT ? names[ability] : "";
}
