/* What a profile leaves alone: controls of outputs that nothing drives, inputs that nothing reads.
 */
#ifndef YONDER_TOOL_LEFT_OVER_H
#define YONDER_TOOL_LEFT_OVER_H

#include "tool/tool.h"

/* For each output a line with the controls that no cell, copy or macro drives. */
void print_undriven(profile *profile, FILE *file);

/* What the copies of a profile leave out: what has no place in the output, and what nothing goes
 * to.
 */
void print_copies(const profile *profile, FILE *file);

/* For each input that nothing reads a line; of a described one, with the controls that are not
 * read. */
void print_unused(const profile *profile, FILE *file);

#endif
