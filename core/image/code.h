/* The numbers of the instructions of a program's steps (code.def). */
#ifndef YONDER_IMAGE_CODE_H
#define YONDER_IMAGE_CODE_H

typedef enum yt_code_number {
#define YT_CODE(number, NAME, ...) YT_CODE_##NAME = (number),
#include "yonder/image/code.def"
#undef YT_CODE
    YT_CODE_COUNT
} yt_code_number;

#endif
