/* The usual spacing of what people write in YAML: two spaces for each level, one behind a colon and
 * a comma, formulas with spaces around what stands between two things, no blanks at the end of a
 * line and at most one empty line in a row, but inside of a text that goes over several lines.
 *
 * Nothing else changes: comments, order, quotes, and where lines end stay. What comes out is read
 * again and held to what went in. */
#ifndef YONDER_COMPILER_READING_SPACING_H
#define YONDER_COMPILER_READING_SPACING_H

#include "compiler/reading/document.h"

/* The text of source 0 of the messages in the usual spacing, which the caller frees. NULL: it
 * cannot be read, and the messages say why. */
char *spacing_usual(yt_messages *messages, size_t *size);

/* A formula in the usual spacing; false, and `out` is of no use: it holds what no formula has. */
bool spacing_of_formula(FILE *out, const char *text);

#endif
