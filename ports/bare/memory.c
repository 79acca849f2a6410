/* The C library's memory functions, all that the core needs of one, for a compiler that comes
 * without a library. Byte by byte: a loop that the compiler must not make a call of itself of. */
#include <stddef.h>
#include <stdint.h>
#include <string.h>

void *memcpy(void *restrict to, const void *restrict from, size_t size) {
    uint8_t *bytes = to;
    for (size_t i = 0; i < size; i++)
        bytes[i] = ((const uint8_t *)from)[i];
    return to;
}

void *memmove(void *to, const void *from, size_t size) {
    uint8_t *bytes = to;
    if ((uintptr_t)to <= (uintptr_t)from)
        return memcpy(to, from, size);
    while (size-- > 0)
        bytes[size] = ((const uint8_t *)from)[size];
    return to;
}

void *memset(void *to, int value, size_t size) {
    uint8_t *bytes = to;
    for (size_t i = 0; i < size; i++)
        bytes[i] = (uint8_t)value;
    return to;
}

int memcmp(const void *one, const void *other, size_t size) {
    const uint8_t *a = one, *b = other;
    for (size_t i = 0; i < size; i++)
        if (a[i] != b[i])
            return a[i] < b[i] ? -1 : 1;
    return 0;
}
