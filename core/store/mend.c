/* One bit that rotted is found from what two checksums differ in: each place of a bit makes another
 * difference, which is that of the place behind it, shifted once (CRC-32 is linear). */
#include "store/parts.h"

#define POLYNOMIAL 0xedb88320u /* IEEE 802.3, with the lowest bit first */

void yt_bit_finder_begin(yt_bit_finder *search, uint32_t syndrome, uint32_t bytes) {
    *search = (yt_bit_finder){.syndrome = syndrome, .shifted = POLYNOMIAL, .bits = bytes * 8};
}

int yt_bit_finder_go(yt_bit_finder *search, uint32_t steps) {
    while (steps-- > 0) {
        if (search->passed == search->bits)
            return -1;
        if (search->shifted == search->syndrome)
            return 1;
        search->shifted = search->shifted >> 1 ^ (POLYNOMIAL & (0u - (search->shifted & 1)));
        search->passed++;
    }
    return 0;
}

bool yt_mend(void *bytes, uint32_t size, uint32_t checksum_now, uint32_t checksum) {
    yt_bit_finder search;
    uint32_t syndrome = checksum_now ^ checksum;
    if ((syndrome & (syndrome - 1)) == 0)
        return true; /* it fits, or the bit is one of the checksum itself */
    yt_bit_finder_begin(&search, syndrome, size);
    if (yt_bit_finder_go(&search, search.bits + 1) != 1)
        return false;
    uint32_t bit = search.bits - 1 - search.passed;
    ((uint8_t *)bytes)[bit / 8] ^= (uint8_t)(1u << bit % 8);
    return true;
}
