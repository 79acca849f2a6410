/* The table of functions: every example compiles, what is left out is what the table says, and
 * docs/functions.md is what the command writes. */
#include "compiler/formulas/functions.h"
#include "compiler/profile/compile.h"
#include "image/functions.h"
#include "tests/harness.h"

static const char head[] =
    "yonder: 1\ninputs: {keys: keyboard, ball: mouse, slate: tablet, desk: otter-desk}\n"
    "outputs: {pad: gamepad, view: mouse}\n";

/* A cell, or the condition of a layer, in a profile; the image's CRC. 0: it is wrong. */
static uint32_t compile(const char *line) {
    char profile[1000];
    yt_messages messages;
    yt_compiled compiled;
    uint32_t sum = 0;
    if (strncmp(line, "while: ", 7) == 0)
        snprintf(profile, sizeof profile,
                 "%ssheet: {pad.south: keys.a}\nlayers:\n  - %s\n    sheet: {pad.east: keys.b}\n",
                 head, line);
    else
        snprintf(profile, sizeof profile, "%ssheet:\n  %s\n", head, line);
    messages_begin(&messages, "crane/p.yaml", profile, strlen(profile));
    if (compile_profile(&compiled, &messages)) {
        sum = yt_checksum(0, compiled.image, compiled.size) | 1;
        pool_free(&compiled.pool);
    }
    messages_print(&messages, stdout);
    messages_free(&messages);
    return sum;
}

static void check_examples(void) {
    for (unsigned i = 0; i < FUNCTION_COUNT; i++) {
        about("the example of %s", functions[i].usage);
        CHECK(compile(functions[i].example) != 0);
        CHECK(strstr(functions[i].example, functions[i].name) != NULL);
        CHECK(strncmp(functions[i].usage, functions[i].name, strlen(functions[i].name)) == 0);
        CHECK(functions[i].number == FUNCTION_MADE ||
              yt_function_of(YT_ANY_GROUP, functions[i].number) != NULL);
        for (unsigned k = 0; k < function_argument_count(&functions[i]); k++) {
            const yt_listed_argument *argument = &functions[i].arguments[k];
            about("%s of %s", argument->label, functions[i].usage);
            CHECK(argument->low <= argument->high);
            CHECK(!argument->otherwise ||
                  (argument->low <= argument->otherwise && argument->otherwise <= argument->high));
        }
    }
}

/* A call with what may be left out, written as the table has it, is the call without. */
static void check_defaults(void) {
    static const char *const pairs[][2] = {
        {"pad.south: turbo(keys.a)", "pad.south: turbo(keys.a, rate=%s)"},
        {"pad.south: hold(keys.a)", "pad.south: hold(keys.a, after=%s)"},
        {"pad.south: tap(keys.a)", "pad.south: tap(keys.a, within=%s)"},
        {"pad.south: tap(keys.a)", "pad.south: tap(keys.a, on=%s)"},
        {"pad.south: chord(keys.a, keys.b)", "pad.south: chord(keys.a, keys.b, within=%s)"},
        {"pad.south: pulse(keys.a)", "pad.south: pulse(keys.a, on=%s)"},
        {"pad.south: steady(keys.a)", "pad.south: steady(keys.a, after=%s)"},
        {"pad.south: at_least(keys.a)", "pad.south: at_least(keys.a, on=%s)"},
        {"pad.south: at_most(keys.a)", "pad.south: at_most(keys.a, on=%s)"},
        {"pad.south: spaced(keys.a)", "pad.south: spaced(keys.a, by=%s)"},
        {"pad.south: multi_press(keys.a)", "pad.south: multi_press(keys.a, count=%s)"},
        {"pad.south: multi_press(keys.a)", "pad.south: multi_press(keys.a, within=%s)"},
        {"pad.south: exactly(keys.a)", "pad.south: exactly(keys.a, count=%s)"},
        {"pad.south: exactly(keys.a)", "pad.south: exactly(keys.a, on=%s)"},
        {"pad.south: lasted(keys.a)", "pad.south: lasted(keys.a, from=%s)"},
        {"pad.south: lasted(keys.a)", "pad.south: lasted(keys.a, to=%s)"},
        {"pad.south: cycle(keys.a) == 1", "pad.south: cycle(keys.a, count=%s) == 1"},
        {"pad.south: pressed(slate.x)", "pad.south: pressed(slate.x, at=%s)"},
        {"pad.south: pressed(slate.x)", "pad.south: pressed(slate.x, back=%s)"},
        {"pad.south: delayed(keys.a)", "pad.south: delayed(keys.a, by=%s)"},
        {"pad.south: taps(ball.wheel)", "pad.south: taps(ball.wheel, each=%s)"},
        {"pad.south: taps(ball.wheel)", "pad.south: taps(ball.wheel, off=%s)"}};
    static const yt_listed_argument *arguments[] = {&functions[FUNCTION_TURBO].arguments[1],
                                                    &functions[FUNCTION_HOLD].arguments[1],
                                                    &functions[FUNCTION_TAP].arguments[1],
                                                    &functions[FUNCTION_TAP].arguments[2],
                                                    &functions[FUNCTION_CHORD].arguments[0],
                                                    &functions[FUNCTION_PULSE].arguments[1],
                                                    &functions[FUNCTION_STEADY].arguments[1],
                                                    &functions[FUNCTION_AT_LEAST].arguments[1],
                                                    &functions[FUNCTION_AT_MOST].arguments[1],
                                                    &functions[FUNCTION_SPACED].arguments[1],
                                                    &functions[FUNCTION_MULTI_PRESS].arguments[1],
                                                    &functions[FUNCTION_MULTI_PRESS].arguments[2],
                                                    &functions[FUNCTION_EXACTLY].arguments[1],
                                                    &functions[FUNCTION_EXACTLY].arguments[3],
                                                    &functions[FUNCTION_LASTED].arguments[1],
                                                    &functions[FUNCTION_LASTED].arguments[2],
                                                    &functions[FUNCTION_CYCLE].arguments[1],
                                                    &functions[FUNCTION_PRESSED].arguments[1],
                                                    &functions[FUNCTION_PRESSED].arguments[2],
                                                    &functions[FUNCTION_DELAYED].arguments[1],
                                                    &functions[FUNCTION_TAPS].arguments[1],
                                                    &functions[FUNCTION_TAPS].arguments[3]};
    for (size_t i = 0; i < sizeof pairs / sizeof pairs[0]; i++) {
        char amount[40], line[200];
        argument_text(arguments[i], arguments[i]->otherwise, amount, sizeof amount);
        snprintf(line, sizeof line, pairs[i][1], amount);
        about("%s is %s", pairs[i][0], line);
        CHECK_EQUAL(compile(pairs[i][0]), compile(line));
    }
}

static void check_page(const char *command, const char *path) {
    char call[400];
    size_t size, length = 0;
    char *page = read_test_file(path, &size);
    char *written = calloc(1, size + 4096);
    snprintf(call, sizeof call, "%s functions --page", command);
    FILE *pipe = popen(call, "r");
    while (pipe && length < size + 4000) {
        size_t more = fread(written + length, 1, size + 4000 - length, pipe);
        if (more == 0)
            break;
        length += more;
    }
    about("docs/functions.md is what `yonder functions --page` writes");
    CHECK(pipe && pclose(pipe) == 0);
    CHECK_TEXT(written, page);
    free(written);
    free(page);
}

int main(int count, char **arguments) {
    if (count != 3)
        return 2;
    check_examples();
    check_defaults();
    check_page(arguments[1], arguments[2]);
    return report_checks();
}
