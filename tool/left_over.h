/* What a profile leaves alone: controls of outputs that nothing drives, inputs that nothing reads.
 * Each is gathered as `--json` gives it, and printed for people from there. */
#ifndef YONDER_TOOL_LEFT_OVER_H
#define YONDER_TOOL_LEFT_OVER_H

#include <jansson.h>

#include "tool/tool.h"

/* For each output the controls that no cell, copy or macro drives: "output", "controls". */
json_t *undriven_of(profile *profile);
void print_undriven(FILE *file, const json_t *list);

/* What each copy leaves out: "output", "layer" (null: the sheet), "has_no_place_for" in the output,
 * and "nothing_goes_to". */
json_t *copies_of(const profile *profile);
void print_copies(FILE *file, const json_t *list);

/* For each input whether anything reads it and, of a described one, the controls that are not read:
 * "input", "is_read", "controls". */
json_t *unused_of(const profile *profile);
void print_unused(FILE *file, const json_t *list);

#endif
