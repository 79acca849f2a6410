/* How much can be rebound: what fits is in the table, and one more is refused. What is said of
 * wrong lines of `rebind:` is in messages.txt, and that a rebind does what the sheet would in
 * tests/menu/rebind_test.c. */
#include <stdarg.h>

#include "compiler/profile/compile.h"
#include "tests/harness.h"
#include "yonder/rebind.h"

static char profile[200000];
static size_t used;

static void add(const char *format, ...) __attribute__((format(printf, 1, 2)));

static void add(const char *format, ...) {
    va_list arguments;
    va_start(arguments, format);
    used += (size_t)vsnprintf(profile + used, sizeof profile - used, format, arguments);
    va_end(arguments);
    CHECK(used < sizeof profile);
}

/* The table of what was added; all 0 where it is refused, as `wrong` says. */
static yt_bindings_header compile_added(const char *wrong) {
    yt_bindings_header header = {0};
    yt_compiled compiled;
    yt_bindings bindings;
    yt_messages messages;
    char *printed = NULL;
    size_t size;
    messages_begin(&messages, "p.yaml", profile, used);
    bool is_good = compile_profile(&compiled, &messages);
    FILE *file = open_memstream(&printed, &size);
    messages_print(&messages, file);
    fclose(file);
    messages_free(&messages);
    CHECK_EQUAL(is_good, !wrong);
    CHECK_TEXT(printed, wrong && strncmp(printed, wrong, strlen(wrong)) == 0 ? printed
                        : wrong                                              ? wrong
                                                                             : "");
    free(printed);
    if (!is_good)
        return header;
    CHECK_EQUAL(yt_bindings_open(&bindings, &compiled.program, compiled.size), YT_OK);
    header = *bindings.header;
    pool_free(&compiled.pool);
    return header;
}

/* A list of so many buttons of a device. */
static void add_buttons(const char *device, unsigned count) {
    for (unsigned i = 0; i < count; i++)
        add("    - %s.button%u\n", device, i + 1);
}

static void check_choices_of_a_cell(unsigned count, const char *wrong) {
    used = 0;
    add("yonder: 1\ninputs: {desk: device}\noutputs: {pad: gamepad}\nrebind:\n  pad:\n");
    add_buttons("desk", count);
    add("    - desk.button1\nsheet:\n  pad.south: desk.button1\n"); /* again: it takes no place */
    about("%u controls for a cell", count);
    CHECK_EQUAL(compile_added(wrong).choice_count, wrong ? 0 : count + 1);
}

/* Five outputs, each with devices of its own, of which names have so many letters. */
static void check_all(unsigned count, unsigned letters, const char *wrong) {
    used = 0;
    add("yonder: 1\ninputs:\n");
    for (unsigned i = 0; i < 5; i++)
        add("  d%u%0*u: device\n", i, (int)letters - 2, 0);
    add("outputs: {pad0: gamepad, pad1: gamepad, pad2: gamepad, pad3: gamepad, pad4: gamepad}\n"
        "rebind:\n");
    for (unsigned i = 0; i < 5; i++) {
        char name[80];
        snprintf(name, sizeof name, "d%u%0*u", i, (int)letters - 2, 0);
        add("  pad%u:\n", i);
        add_buttons(name, i < 4 ? 200 : count - 4 * 200);
    }
    add("sheet:\n");
    for (unsigned i = 0; i < 5; i++)
        add("  pad%u.south: none\n", i);
    about("%u controls of five devices, names of %u letters", count, letters);
    CHECK_EQUAL(compile_added(wrong).choice_count, wrong ? 0 : count + 1);
}

/* Buttons of eight joysticks, 32 each. */
static void check_cells(unsigned count, const char *wrong) {
    used = 0;
    add("yonder: 1\ninputs: {keys: keyboard}\noutputs:\n");
    for (unsigned i = 0; i < 8; i++)
        add("  pad%u: joystick\n", i);
    add("rebind:\n");
    for (unsigned i = 0; i < 8; i++)
        add("  pad%u: keys.a\n", i);
    add("sheet:\n");
    for (unsigned i = 0; i < count; i++)
        add("  pad%u.button%u: none\n", i / 32, i % 32 + 1);
    about("%u cells", count);
    CHECK_EQUAL(compile_added(wrong).cell_count, wrong ? 0 : count);
}

int main(void) {
    check_choices_of_a_cell(1, NULL);
    check_choices_of_a_cell(253, NULL);
    check_choices_of_a_cell(254, "p.yaml:5:3: more than 253 controls to choose from for a cell; ");
    check_all(1023, 8, NULL);
    check_all(1024, 8, "p.yaml:814:3: more than 1023 controls to choose from in all; name those ");
    check_all(1023, 60, "p.yaml:10:3: the names of what can be rebound and chosen take ");
    check_cells(255, NULL);
    check_cells(256, "p.yaml:20:3: more than 255 cells that can be rebound; ");
    return report_checks();
}
