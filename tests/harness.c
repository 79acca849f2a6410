#include "tests/harness.h"

#include <stdarg.h>

unsigned checks_done, checks_failed;
static char subject[512];
static bool subject_told;

#define FAILURES_SHOWN 30

void about(const char *format, ...) {
    va_list arguments;
    va_start(arguments, format);
    vsnprintf(subject, sizeof subject, format, arguments);
    va_end(arguments);
    subject_told = false;
}

static bool tell(const char *file, int line, const char *what) {
    checks_failed++;
    if (checks_failed > FAILURES_SHOWN)
        return false;
    if (!subject_told && *subject)
        fprintf(stderr, "about: %s\n", subject);
    subject_told = true;
    fprintf(stderr, "%s:%d: %s\n", file, line, what);
    return true;
}

void check_number(const char *file, int line, const char *what, int64_t got, int64_t expected) {
    checks_done++;
    if (got != expected && tell(file, line, what))
        fprintf(stderr, "    expected %" PRId64 ", came %" PRId64 "\n", expected, got);
}

void check_text(const char *file, int line, const char *what, const char *got,
                const char *expected) {
    checks_done++;
    if (strcmp(got, expected) != 0 && tell(file, line, what))
        fprintf(stderr, "    expected: %s\n    came:     %s\n", expected, got);
}

int report_checks(void) {
    printf("%u checks, %u failed\n", checks_done, checks_failed);
    if (checks_done == 0) {
        fprintf(stderr, "this test checked nothing\n");
        return 1;
    }
    return checks_failed ? 1 : 0;
}

/* A linear congruential generator of 64 bits, of which the high ones are good. */
uint32_t roll(dice *dice) {
    dice->state = dice->state * UINT64_C(6364136223846793005) + UINT64_C(1442695040888963407);
    return (uint32_t)(dice->state >> 33);
}

uint32_t roll_below(dice *dice, uint32_t sides) {
    return roll(dice) % sides;
}

char *read_test_file(const char *path, size_t *size) {
    FILE *file = fopen(path, "rb");
    char *text = NULL;
    size_t room = 0;
    *size = 0;
    if (!file) {
        perror(path);
        exit(1);
    }
    for (;;) {
        room += 65536;
        text = realloc(text, room + 1);
        size_t got = text ? fread(text + *size, 1, room - *size, file) : 0;
        *size += got;
        if (!text || *size < room)
            break;
    }
    fclose(file);
    if (!text)
        exit(1);
    text[*size] = 0;
    return text;
}
