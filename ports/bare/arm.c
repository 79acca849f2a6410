/* What is Arm's: where it begins, how the emulator is called, and the flash of one board. */
#include "ports/bare/bare.h"

extern uint32_t stack_top, free_flash[];

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

__attribute__((naked)) void reset(void) {
    __asm__("mov r0, sp\n\tbl startup");
}

static void fault(void) {
    semihosting_print("fault\n");
    semihosting_exit(3);
}

/* A breakpoint that the emulator answers (Semihosting for AArch32 and AArch64, section 3). */
int semihosting_call(int operation, const void *argument) {
    register int r0 __asm__("r0") = operation;
    register const void *r1 __asm__("r1") = argument;
    __asm__ volatile("bkpt 0xab" : "+r"(r0) : "r"(r1) : "memory");
    return r0;
}

/* The flash controller of the nRF51 in QEMU's "microbit"; on the other board code stands in RAM. */
#if __ARM_ARCH == 6
#define FLASH_MODE       (*(volatile uint32_t *)0x4001e504)
#define FLASH_ERASE_PAGE (*(volatile uint32_t *)0x4001e508)
#define FLASH_PAGE       1024u
enum { FLASH_READS, FLASH_WRITES, FLASH_ERASES };

void flash_begin(size_t size) {
    FLASH_MODE = FLASH_ERASES;
    for (size_t at = 0; at < size; at += FLASH_PAGE)
        FLASH_ERASE_PAGE = (uint32_t)(uintptr_t)free_flash + at;
    FLASH_MODE = FLASH_WRITES;
}

void flash_end(void) {
    FLASH_MODE = FLASH_READS;
}

void flash_erase(uint32_t at, uint32_t size) {
    FLASH_MODE = FLASH_ERASES;
    for (uint32_t end = at + size; at < end; at += FLASH_PAGE)
        FLASH_ERASE_PAGE = at;
    FLASH_MODE = FLASH_READS;
}
#else
void flash_erase(uint32_t at, uint32_t size) {
    for (uint32_t *word = (uint32_t *)(uintptr_t)at; size > 0; size -= 4)
        *word++ = UINT32_MAX;
}

void flash_begin(size_t size) {
    (void)size;
}

void flash_end(void) {
}
#endif
