/* Where all text of the command goes. Standard output and standard error let no character through
 * that could steer a terminal (compiler/messages/plain.h), whatever prints; only bytes that are no
 * text go past that. */
#ifndef YONDER_TOOL_OUTPUT_H
#define YONDER_TOOL_OUTPUT_H

#include <stdbool.h>
#include <stdio.h>

void output_begin(void);

/* The exit status: as it is, or 1 where standard output could not be written; that is said then. */
int output_end(int status);

/* Standard output for bytes that are no text, such as a program. */
FILE *output_bytes(void);

/* The colour of what is printed next. */
typedef enum paint { PAINT_NONE, PAINT_ERROR, PAINT_WARNING, PAINT_MARK, PAINT_ON } paint;

/* From here on standard output or standard error has a colour; only on a terminal, and where
 * NO_COLOR is not set (or is empty). Other streams have none. */
void output_paint(FILE *file, paint paint);

/* Whether standard output has colours. */
bool output_has_colours(void);

/* How many characters of standard output were replaced so far. */
size_t output_replaced(void);

#endif
