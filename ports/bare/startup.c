/* The beginning that all boards have, once there is a stack. */
#include "ports/bare/bare.h"

extern uint32_t bss_begin, bss_end, stack_top;

#define PAINT 0x5a5a5a5au

void startup(uint32_t *stack);

/* The stack is painted first, so that one can see later how far it went. */
__attribute__((used)) void startup(uint32_t *stack) {
    for (uint32_t *at = &bss_begin; at < &bss_end; at++)
        *at = 0;
    for (uint32_t *at = &bss_end; at < stack - 16; at++)
        *at = PAINT;
    semihosting_exit(main());
}

void flash_write(uint32_t at, const void *bytes, size_t size) {
    volatile uint32_t *to = (volatile uint32_t *)(uintptr_t)at;
    const uint8_t *from = bytes;
    flash_begin(0);
    for (size_t i = 0; i < size; i += 4, from += 4)
        *to++ = (uint32_t)from[0] | (uint32_t)from[1] << 8 | (uint32_t)from[2] << 16 |
                (uint32_t)from[3] << 24;
    flash_end();
}

size_t stack_used(void) {
    const uint32_t *at = &bss_end;
    while (at < &stack_top && *at == PAINT)
        at++;
    return (size_t)(&stack_top - at) * sizeof *at;
}
