/* All groups: for a firmware that has no table of its own, which then takes this one's place. */
#include "run/functions.h"

#if defined(__GNUC__)
__attribute__((weak))
#endif
const yt_group *const yt_groups[YT_GROUPS] = {
#define YT_GROUP(NAME, name, meaning) [YT_GROUP_##NAME] = &yt_group_##name,
#include "yonder/image/functions.def"
};
