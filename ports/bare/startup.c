#include "ports/bare/bare.h"

extern uint32_t bss_begin, bss_end, stack_top;

#define PAINT 0x5a5a5a5au

void reset(void);
static void fault(void);

__attribute__((section(".vectors"), used)) static const void *const vectors[16] = {
    &stack_top,
    (const void *)reset,
    (const void *)fault,
    (const void *)fault,
    [11] = (const void *)fault,
    [14] = (const void *)fault,
    [15] = (const void *)fault};

/* The stack is painted first, so that one can see later how far it went. */
__attribute__((used)) static void begin(void) {
    register uint32_t *stack __asm__("sp");
    for (uint32_t *at = &bss_begin; at < &bss_end; at++)
        *at = 0;
    for (uint32_t *at = &bss_end; at < stack - 16; at++)
        *at = PAINT;
    semihosting_exit(main());
}

__attribute__((naked)) void reset(void) {
    __asm__("bl begin");
}

static void fault(void) {
    semihosting_print("fault\n");
    semihosting_exit(3);
}

size_t stack_used(void) {
    const uint32_t *at = &bss_end;
    while (at < &stack_top && *at == PAINT)
        at++;
    return (size_t)(&stack_top - at) * sizeof *at;
}
