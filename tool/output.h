/* Where all text of the command goes. Standard output and standard error let no character through
 * that could steer a terminal (compiler/messages/plain.h), whatever prints; only bytes that are no
 * text go past that. */
#ifndef YONDER_TOOL_OUTPUT_H
#define YONDER_TOOL_OUTPUT_H

#include <stdio.h>

void output_begin(void);

/* The exit status: as it is, or 1 where standard output could not be written; that is said then. */
int output_end(int status);

/* Standard output for bytes that are no text, such as a program. */
FILE *output_bytes(void);

/* How many characters of standard output were replaced so far. */
size_t output_replaced(void);

#endif
