/* Semihosting (Semihosting for AArch32 and AArch64, section 6): what the emulator does for the
 * image. RISC-V has the same operations. */
#include "ports/bare/bare.h"

enum {
    SYS_OPEN = 0x01,
    SYS_CLOSE = 0x02,
    SYS_WRITE0 = 0x04,
    SYS_WRITE = 0x05,
    SYS_READ = 0x06,
    SYS_SEEK = 0x0a,
    SYS_GET_CMDLINE = 0x15,
    SYS_EXIT_EXTENDED = 0x20
};
#define APPLICATION_EXIT 0x20026

static size_t length_of(const char *text) {
    size_t length = 0;
    while (text[length])
        length++;
    return length;
}

int semihosting_open(const char *name, int mode) {
    uintptr_t block[3] = {(uintptr_t)name, (uintptr_t)mode, length_of(name)};
    return semihosting_call(SYS_OPEN, block);
}

void semihosting_close(int file) {
    uintptr_t block[1] = {(uintptr_t)file};
    semihosting_call(SYS_CLOSE, block);
}

int semihosting_seek(int file, size_t at) {
    uintptr_t block[2] = {(uintptr_t)file, at};
    return semihosting_call(SYS_SEEK, block);
}

size_t semihosting_read(int file, void *bytes, size_t size) {
    uintptr_t block[3] = {(uintptr_t)file, (uintptr_t)bytes, size};
    return size - (size_t)semihosting_call(SYS_READ, block);
}

int semihosting_write(int file, const void *bytes, size_t size) {
    uintptr_t block[3] = {(uintptr_t)file, (uintptr_t)bytes, size};
    return semihosting_call(SYS_WRITE, block);
}

void semihosting_print(const char *text) {
    semihosting_call(SYS_WRITE0, text);
}

_Noreturn void semihosting_exit(int status) {
    uintptr_t block[2] = {APPLICATION_EXIT, (uintptr_t)status};
    semihosting_call(SYS_EXIT_EXTENDED, block);
    for (;;)
        ;
}

_Noreturn void fail(const char *what) {
    semihosting_print(what);
    semihosting_exit(1);
}

int semihosting_arguments(char *buffer, size_t size, const char **words, int most) {
    uintptr_t block[2] = {(uintptr_t)buffer, size};
    int count = 0;
    if (semihosting_call(SYS_GET_CMDLINE, block) != 0)
        return 0;
    for (char *at = buffer; *at && count < most;) {
        words[count++] = at;
        while (*at && *at != ' ')
            at++;
        if (*at)
            *at++ = 0;
    }
    return count;
}

__attribute__((noinline)) void mark_one_report(void) {
    __asm__ volatile("nop");
}

__attribute__((noinline)) void mark_other(void) {
    __asm__ volatile("nop");
}
