/* The test harness: checks that tell what was tried, what was expected and what came. */
#ifndef YONDER_TESTS_HARNESS_H
#define YONDER_TESTS_HARNESS_H

#include <inttypes.h>
#include <stdbool.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

extern unsigned checks_done, checks_failed;

/* Says what the checks that follow are about: printed with the first failure among them. */
void about(const char *format, ...) __attribute__((format(printf, 1, 2)));

void check_number(const char *file, int line, const char *what, int64_t got, int64_t expected);
void check_text(const char *file, int line, const char *what, const char *got,
                const char *expected);

#define CHECK(condition) check_number(__FILE__, __LINE__, #condition, !!(condition), 1)
#define CHECK_EQUAL(got, expected)                                                                 \
    check_number(__FILE__, __LINE__, #got, (int64_t)(got), (int64_t)(expected))
#define CHECK_TEXT(got, expected) check_text(__FILE__, __LINE__, #got, got, expected)

/* How many of `all` rounds that chance chooses are played: a quarter of them where each access is
 * looked at (AddressSanitizer), which takes six times as long; all of them elsewhere. */
#if defined(__has_feature)
#if __has_feature(address_sanitizer)
#define SOME_ROUNDS 4u
#endif
#endif
#ifndef SOME_ROUNDS
#define SOME_ROUNDS 1u
#endif
static inline unsigned some(unsigned all) {
    return all / SOME_ROUNDS > 0 ? all / SOME_ROUNDS : 1;
}

/* Prints the sum and gives the exit status. */
int report_checks(void);

/* Numbers that look random, the same each time for a seed. */
typedef struct dice {
    uint64_t state;
} dice;

uint32_t roll(dice *dice); /* of 31 bits */
/* From 0 to below `sides`. */
uint32_t roll_below(dice *dice, uint32_t sides);

/* A whole file in memory, with a 0 behind it; ends the test where it cannot be read. */
char *read_test_file(const char *path, size_t *size);

#endif
