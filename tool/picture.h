/* A picture of a run. */
#ifndef YONDER_TOOL_PICTURE_H
#define YONDER_TOOL_PICTURE_H

#include "tool/inside.h"

typedef struct picture {
    const char *path; /* ends in .svg: SVG; else PNG */
    const char *title;
    uint64_t from_us, to_us; /* the part that is drawn; `to_us` 0: to the end */
    inside *inside;          /* NULL: nothing is known of what went on inside */
} picture;

/* Draws what came in, what went on inside and what went out on one time axis. False: said on
 * standard error. */
bool draw_picture(const picture *picture, const profile *profile, const sim_plug *plugs,
                  const change_list *changes);

#endif
