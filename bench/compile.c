/* How long compiling takes: a large profile, and profiles that are meant to be too much. Prints a
 * line for each: milliseconds (the best of some tries), and what was said of it first. */
#include <stdlib.h>
#include <string.h>
#include <sys/resource.h>
#include <time.h>

#include "compiler/profile/compile.h"

static double now_ms(void) {
    struct timespec time;
    clock_gettime(CLOCK_MONOTONIC, &time);
    return (double)time.tv_sec * 1000 + (double)time.tv_nsec / 1e6;
}

static void measure(const char *what, const char *profile, int tries) {
    double best = 1e9;
    char said[100] = "compiles";
    for (int i = 0; i < tries; i++) {
        yt_messages messages;
        yt_compiled compiled;
        double begin = now_ms();
        messages_begin(&messages, "crane/p.yaml", profile, strlen(profile));
        if (compile_profile(&compiled, &messages)) {
            snprintf(said, sizeof said, "compiles: %u nodes, %zu bytes", compiled.node_count,
                     compiled.size);
            pool_free(&compiled.pool);
        } else {
            snprintf(said, sizeof said, "%.90s", messages.list[0].text);
        }
        messages_free(&messages);
        double took = now_ms() - begin;
        best = took < best ? took : best;
    }
    printf("%-44s %9.1f ms  %s\n", what, best, said);
}

static const char head[] = "yonder: 1\ninputs: {keys: keyboard, ball: mouse}\n"
                           "outputs: {pad: gamepad, typed: keyboard}\n";

/* A profile of `head` and `times` repetitions; `pattern` may hold one %d. */
static void repeat(const char *what, const char *begin, const char *pattern, int times,
                   const char *end, int tries) {
    char *profile = NULL;
    size_t size;
    FILE *file = open_memstream(&profile, &size);
    fprintf(file, "%s%s", head, begin);
    for (int i = 0; i < times; i++) {
        const char *number = strstr(pattern, "%d");
        if (number)
            fprintf(file, "%.*s%d%s", (int)(number - pattern), pattern, i, number + 2);
        else
            fputs(pattern, file);
    }
    fputs(end, file);
    fclose(file);
    measure(what, profile, tries);
    free(profile);
}

static const char *const keys[] = {
    "a",       "b",       "c",       "d",       "e",       "f",       "g",       "h",
    "i",       "j",       "k",       "l",       "m",       "n",       "o",       "p",
    "q",       "r",       "s",       "t",       "u",       "v",       "w",       "x",
    "y",       "z",       "digit_1", "digit_2", "digit_3", "digit_4", "digit_5", "digit_6",
    "digit_7", "digit_8", "digit_9", "digit_0", "f1",      "f2",      "f3",      "f4"};

#define KEYS (sizeof keys / sizeof keys[0])

/* Keys to the keys of eight keyboards, with five layers over each. */
static void measure_cells(void) {
    char *profile = NULL;
    size_t size;
    unsigned cells = 0;
    FILE *file = open_memstream(&profile, &size);
    fprintf(file, "yonder: 1\ninputs: {keys: keyboard}\noutputs:\n");
    for (int k = 0; k < 8; k++)
        fprintf(file, "  t%d: {kind: keyboard, connector: %d}\n", k, k + 1);
    for (int layer = 0; layer <= 5; layer++) {
        if (layer == 0)
            fprintf(file, "sheet:\n");
        else
            fprintf(file, "%s  - while: keys.f%d\n    sheet:\n", layer == 1 ? "layers:\n" : "",
                    layer + 4);
        for (int k = 0; k < 8; k++)
            for (size_t i = 0; i < KEYS + 2; i++, cells++)
                fprintf(file, "%st%d.%s: keys.%s%s\n", layer ? "      " : "  ", k,
                        i < KEYS    ? keys[i]
                        : i == KEYS ? "enter"
                                    : "space",
                        keys[(i + (size_t)layer) % KEYS],
                        layer == 0 && i % 3 == 0 ? " or keys.right_shift" : "");
    }
    fclose(file);
    char what[60];
    snprintf(what, sizeof what, "%u cells in a sheet and 5 layers", cells);
    measure(what, profile, 20);
    free(profile);
}

int main(void) {
    measure_cells();
    repeat("100,000 cells (more than 1 MiB)", "sheet:\n", "  pad.b%d: keys.a\n", 100000, "", 3);
    repeat("50,000 cells, all wrong", "sheet:\n", "  pad.b%d: keys.a\n", 50000, "", 3);
    repeat("10,000 layers", "sheet: {pad.south: keys.a}\nlayers:\n",
           "  - {while: keys.z, sheet: {pad.south: keys.b}}\n", 10000, "", 3);
    repeat("10,000 parentheses", "sheet:\n  pad.south: ", "(", 10000, "\n", 3);
    repeat("10,000 maps inside one another", "sheet: ", "{a: ", 10000, "\n", 3);
    repeat("a name of a megabyte", "sheet:\n  pad.south: keys.", "aaaaaaaaaa", 104000, "\n", 3);
    repeat("a key of a megabyte", "sheet:\n  pad.", "aaaaaaaaaa", 104000, ": keys.a\n", 3);
    repeat("a formula of 100,000 operators", "sheet:\n  pad.south: keys.a", " or keys.b", 90000,
           "\n", 3);
    repeat("aliases that multiply", "a0: &a0 [x, x]\n", "b%d: &b [*a0, *a0, *a0]\n", 20000, "", 3);
    repeat("10,000 named formulas", "sheet: {pad.south: keys.a}\nnamed:\n", "  f%d: keys.a\n",
           10000, "", 3);
    repeat("1,000 named formulas, each twice the last",
           "sheet: {pad.south: f60}\nnamed:\n  f0: keys.a\n", "  g%d: f0 or f0 and f0\n", 900,
           "  f60: f0\n", 3);
    repeat("10,000 macros", "sheet: {pad.south: keys.a}\nmacros:\n",
           "  m%d: {when: keys.b, steps: [{press: pad.east, for: 20 ms}]}\n", 10000, "", 3);
    repeat("10,000 tests", "sheet: {pad.south: keys.a}\ntests:\n",
           "  - {name: t%d, expect: {at: 1 ms, pressed: pad.south}}\n", 10000, "", 3);
    struct rusage usage;
    getrusage(RUSAGE_SELF, &usage);
    printf("memory at its most: %ld KiB\n", usage.ru_maxrss);
    return 0;
}
