/* All groups, or those that are wanted: for a firmware that has no table of its own, which then
 * takes this one's place. */
#include "run/functions.h"

#ifndef YT_GROUPS_WANTED
#define YT_GROUPS_WANTED ((1u << YT_GROUPS) - 1)
#endif

#if defined(__GNUC__)
extern const yt_group *const yt_groups[YT_GROUPS] __attribute__((weak));
#endif
const yt_group *const yt_groups[YT_GROUPS] = {
#define YT_GROUP(NAME, name, meaning)                                                              \
    [YT_GROUP_##NAME] = (YT_GROUPS_WANTED)&YT_WANT(NAME) ? &yt_group_##name : NULL,
#include "yonder/image/functions.def"
};
