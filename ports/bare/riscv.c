/* What is RISC-V's: where it begins, how the emulator is called. Code stands in RAM. */
#include "ports/bare/bare.h"

void reset(void);
void fault(void);

__attribute__((naked, section(".vectors"), used)) void reset(void) {
    __asm__("la sp, stack_top\n\t"
            "la t0, fault\n\t"
            ".option push\n\t"
            ".option arch, +zicsr\n\t"
            "csrw mtvec, t0\n\t"
            ".option pop\n\t"
            "mv a0, sp\n\t"
            "j startup");
}

/* Where any trap goes; its address is to be a multiple of four. */
__attribute__((aligned(4), used)) void fault(void) {
    semihosting_print("fault\n");
    semihosting_exit(3);
}

/* Three instructions that the emulator knows, in one page (RISC-V Semihosting, section 2). */
__attribute__((naked, aligned(16))) int semihosting_call(int operation, const void *argument) {
    (void)operation, (void)argument;
    __asm__(".option push\n\t"
            ".option norvc\n\t"
            "slli x0, x0, 0x1f\n\t"
            "ebreak\n\t"
            "srai x0, x0, 7\n\t"
            "ret\n\t"
            ".option pop");
}

void flash_erase(uint32_t at, uint32_t size) {
    for (uint32_t *word = (uint32_t *)(uintptr_t)at; size > 0; size -= 4)
        *word++ = UINT32_MAX;
}

void flash_begin(size_t size) {
    (void)size;
}

void flash_end(void) {
}
