/* Few bytes, moved without a call of the library: most of what moves here is shorter than a call is
 * long. */
#ifndef YONDER_HID_BYTES_H
#define YONDER_HID_BYTES_H

#include <stdint.h>

static inline void yt_bytes_copy(uint8_t *to, const uint8_t *from, unsigned count) {
    while (count-- > 0) {
        *to++ = *from++;
#if defined(__GNUC__)
        __asm__ volatile(""); /* else a compiler makes a call of it after all */
#endif
    }
}

#endif
