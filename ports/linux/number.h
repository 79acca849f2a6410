/* Numbers of 16 bits, the lowest byte first, as Bluetooth has them. */
#ifndef YONDER_LINUX_NUMBER_H
#define YONDER_LINUX_NUMBER_H

#include <stdint.h>

static inline uint16_t number_at(const uint8_t *bytes) {
    return (uint16_t)(bytes[0] | bytes[1] << 8);
}

static inline void put_number(uint8_t *bytes, unsigned number) {
    bytes[0] = (uint8_t)number;
    bytes[1] = (uint8_t)(number >> 8);
}

#endif
