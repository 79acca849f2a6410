/* Plays sessions that are made of seeds (tests/golden/play.h) on a microcontroller: programs and
 * seeds from a file in, what came of each into another. A program that is too long is told as
 * YT_MEMORY. */
#include "ports/bare/bare.h"
#include "tests/golden/play.h"

#define ENGINE_BYTES  6144
#define PROGRAM_BYTES 6400

static uint64_t memory[ENGINE_BYTES / 8];
static uint64_t program[PROGRAM_BYTES / 8];

/* Reads past so many bytes. */
static void skip(int in, uint32_t size) {
    while (size > 0) {
        size_t part = size < sizeof program ? size : sizeof program;
        if (semihosting_read(in, program, part) != part)
            fail("the input is cut short\n");
        size -= (uint32_t)part;
    }
}

int main(void) {
    static char buffer[256];
    const char *words[3];
    uint32_t head[2]; /* bytes of the program, seed */
    if (semihosting_arguments(buffer, sizeof buffer, words, 3) != 3)
        fail("usage: golden IN OUT\n");
    int in = semihosting_open(words[1], SEMIHOSTING_READ),
        out = semihosting_open(words[2], SEMIHOSTING_WRITE);
    if (in < 0 || out < 0)
        fail("a file cannot be opened\n");
    while (semihosting_read(in, head, sizeof head) == sizeof head) {
        played played = {.status = YT_MEMORY};
        skip(in, head[0]);
        if (head[0] <= sizeof program)
            played = play(program, head[0], memory, sizeof memory, head[1], NULL, NULL);
        if (semihosting_write(out, &played, sizeof played) != 0)
            fail("the output cannot be written\n");
    }
    return 0;
}
