/* Where the tables of a program stand. */
#ifndef YONDER_IMAGE_LAYOUT_H
#define YONDER_IMAGE_LAYOUT_H

#include "yonder/image/program.h"

/* Lays the tables over the image, one behind the other; returns where they end. */
size_t yt_program_lay_out(yt_program *program, const yt_program_header *header);

#endif
