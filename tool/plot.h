/* Pictures by gnuplot. Its commands go into a stream; texts never stand in what it reads as
 * commands, and no path is told to it. */
#ifndef YONDER_TOOL_PLOT_H
#define YONDER_TOOL_PLOT_H

#include <stdbool.h>
#include <stdio.h>

typedef struct plot {
    FILE *commands;
    char *command_text;
    size_t command_bytes;
    FILE *texts;
    char *text;
    size_t text_bytes;
    unsigned characters; /* of the texts; gnuplot counts those, not bytes */
} plot;

/* Begins a picture of 1280 by `height` pixels, a PNG or, where the path ends in .svg, an SVG. */
void plot_begin(plot *plot, const char *path, unsigned height);

/* Puts a text in place of a string of a command. */
void plot_text(plot *plot, const char *text);

/* Draws it. False: said on standard error; nothing is left of the file. */
bool plot_end(plot *plot, const char *path);

#endif
