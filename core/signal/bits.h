/* Bits of a word. */
#ifndef YONDER_SIGNAL_BITS_H
#define YONDER_SIGNAL_BITS_H

#include <stdint.h>

extern const uint8_t yt_bit_places[32];

/* The number of the lowest bit that is set, by a multiplication that puts a different number into
 * the top five bits for each (de Bruijn); a Cortex-M0 has no instruction for it. `bits` is not 0.
 */
static inline unsigned yt_lowest_bit(uint32_t bits) {
    return yt_bit_places[(bits & (0u - bits)) * 0x077cb531u >> 27];
}

#endif
