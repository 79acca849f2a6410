/* The check of a program: an image of up to 600 bytes, of which nothing is known. */
#include <stdint.h>

#include "__fc_builtin.h"
#include "image/check.h"

int main(void) {
    static uint32_t image[150];
    yt_program program;
    Frama_C_make_unknown((char *)image, sizeof image);
    size_t size = (size_t)Frama_C_interval(0, sizeof image);
    return yt_program_check(&program, image, size);
}
