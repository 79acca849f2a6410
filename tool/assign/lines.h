/* What the screens about a profile's parts share. */
#ifndef YONDER_TOOL_LINES_H
#define YONDER_TOOL_LINES_H

#include "compiler/formulas/camera.h"
#include "tool/assign/parts.h"

#define STEP_TIME "100 ms" /* how long the first step of a macro is, and a pause */

/* The map that the lines stand in, and the key of the one that the screens are about, or "". */
draft_place lines_place(const assign *assign);
const char *lines_key(const assign *assign);

/* The steps of that one, where it is a macro. */
draft_list lines_steps(const assign *assign);

#endif
