/* The place of the only bit of a word, by a product (a Cortex-M0 has no instruction for it). */
#include "signal/bits.h"

const uint8_t yt_bit_places[32] = {0,  1,  28, 2,  29, 14, 24, 3, 30, 22, 20, 15, 25, 17, 4,  8,
                                   31, 27, 13, 23, 21, 19, 16, 7, 26, 12, 18, 6,  11, 5,  10, 9};
