/* An explanation for people: cells, macros and their formulas as trees, out of what was gathered.
 */
#ifndef YONDER_TOOL_EXPLAIN_TEXT_H
#define YONDER_TOOL_EXPLAIN_TEXT_H

#include <jansson.h>
#include <stdio.h>

/* `all` is what `yonder explain --json` gives (schema/output/explain.schema.json). */
void print_explanation(FILE *file, const json_t *all);

#endif
