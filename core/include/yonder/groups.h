/* Groups of functions: what a firmware links of them.
 *
 * Functions of formulas stand in groups (image/functions.def). A firmware that does not say
 * anything has all of them. One that wants less says which when the library is compiled, as in
 * -D'YT_GROUPS_WANTED=YT_WANT(PRESSES) | YT_WANT(STICKS)'; the code of the others is then not
 * linked. Or it defines the table itself, with what it wants at each group's number and NULL at the
 * others:
 *
 *     const yt_group *const yt_groups[YT_GROUPS] = {[YT_GROUP_PRESSES] = &yt_group_presses};
 *
 * A program says which groups it needs; yt_engine_load refuses one that needs more than there is.
 * Nothing here changes while the firmware runs: it may be read from anywhere. */
#ifndef YONDER_GROUPS_H
#define YONDER_GROUPS_H

#include <stddef.h>
#include <stdint.h>

#include "yonder/image/program.h"

#ifdef __cplusplus
extern "C" {
#endif

/* The functions of a group, as a table. */
typedef struct yt_group yt_group;

/* The table of each group: yt_group_sticks, yt_group_presses… */
#define YT_GROUP(NAME, name, meaning) extern const yt_group yt_group_##name;
#include "yonder/image/functions.def"

extern const yt_group *const yt_groups[YT_GROUPS];

/* A group, for YT_GROUPS_WANTED. */
#define YT_WANT(NAME) (1u << YT_GROUP_##NAME)

#ifdef YT_GROUPS_WANTED
#if (YT_GROUPS_WANTED) == 0 || (YT_GROUPS_WANTED) >> YT_GROUPS != 0
#error "YT_GROUPS_WANTED: which groups of functions there are, such as YT_WANT(PRESSES)."
#endif
#endif

/* The groups that this firmware has, a bit each, by their numbers. */
uint32_t yt_groups_linked(void);

/* The groups that a program needs and this firmware does not have, a bit each; 0: none. `image` is
 * the program's beginning, at an address that four divides, `size` what there is of it; of what is
 * no program 0 comes back. */
uint32_t yt_groups_missing(const void *image, size_t size);

/* What a group is called, for messages; "" for a number that is none. */
const char *yt_group_name(unsigned group);

#ifdef __cplusplus
}
#endif

#endif
