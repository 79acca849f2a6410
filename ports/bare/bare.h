/* What the image's files share: files and the console of the machine that runs the emulator. */
#ifndef YONDER_BARE_BARE_H
#define YONDER_BARE_BARE_H

#include <stddef.h>
#include <stdint.h>

/* One operation of the emulator's, with its block of arguments. */
int semihosting_call(int operation, const void *argument);

/* How a file is opened: the modes of fopen, as numbers. */
enum {
    SEMIHOSTING_READ = 1 /* rb */,
    SEMIHOSTING_CHANGE = 3 /* r+b */,
    SEMIHOSTING_WRITE = 5 /* wb */
};

/* Opens a file by its name; a number below 0 where it cannot be. */
int semihosting_open(const char *name, int mode);
void semihosting_close(int file);

/* Goes to a place in it; 0: it is there. */
int semihosting_seek(int file, size_t at);

/* Returns how many bytes were read. */
size_t semihosting_read(int file, void *bytes, size_t size);

/* Returns 0 when all was written. */
int semihosting_write(int file, const void *bytes, size_t size);
void semihosting_print(const char *text);
_Noreturn void semihosting_exit(int status);
_Noreturn void fail(const char *what); /* prints it and exits with 1 */

/* Marks for whoever counts instructions: a step with one report ended, or another step did. */
void mark_one_report(void);
void mark_other(void);

/* The words that the image was started with: replay IN OUT. */
int semihosting_arguments(char *buffer, size_t size, const char **words, int most);

/* Between these calls `size` bytes of flash behind the image can be written, each word once. */
void flash_begin(size_t size);
void flash_end(void);

/* Erases and writes flash behind the image, at multiples of four bytes. */
void flash_erase(uint32_t at, uint32_t size);
void flash_write(uint32_t at, const void *bytes, size_t size);

/* Bytes of stack that were ever used. */
size_t stack_used(void);

int main(void);

#endif
