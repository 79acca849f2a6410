/* What `yonder new` writes compiles without a word, for every kind of output, from made-up devices,
 * several of them at once, and from descriptions; and it does what it says: a cell that is only a
 * name has a control of the device. */
#include <unistd.h>

#include "compiler/profile/compile.h"
#include "tests/compiler/made_device.h"
#include "tests/harness.h"
#include "tool/tool.h"

enum { DEVICES = 120 };

static char folder[] = "/tmp/yonder-new-XXXXXX";
static unsigned cells, profiles;

static const char *path_of(const char *name) {
    static char paths[4][200];
    static unsigned next;
    char *path = paths[next++ % 4];
    snprintf(path, sizeof paths[0], "%s/%s", folder, name);
    return path;
}

static void write_device(const char *path, dice *dice) {
    growing growing;
    FILE *file = fopen(path, "w");
    CHECK(file != NULL);
    make_device(&growing, dice);
    recording_write_device(file, 0, "Made up", 3, 0x1209, 1, growing.bytes, growing.size);
    fclose(file);
}

static void check_profile(const char *path) {
    size_t size;
    char *text = read_test_file(path, &size);
    yt_compiled compiled;
    yt_messages messages;
    messages_begin(&messages, path, text, size);
    bool good = compile_profile(&compiled, &messages);
    CHECK(good);
    CHECK_EQUAL(messages.count, 0);
    CHECK_EQUAL(messages.warnings, 0);
    if (messages.count + messages.warnings > 0) {
        messages_print(&messages, stderr);
        fprintf(stderr, "%s", text);
    }
    if (good) {
        cells += compiled.program.header->root_count;
        profiles++;
        pool_free(&compiled.pool);
    }
    messages_free(&messages);
    free(text);
}

/* From two of them if `second` is one. */
static void check_all_kinds(const char *first, const char *second, const char *what) {
    static const char *const kinds[] = {"gamepad", "joystick", "keyboard", "mouse", "consumer"};
    const char *out = path_of("new.yaml");
    for (size_t i = 0; i < sizeof kinds / sizeof kinds[0]; i++) {
        const char *words[10] = {"yonder new", "--to", kinds[i], "--out", out,
                                 "--from",     first,  "--from", second};
        about("%s as a %s", what, kinds[i]);
        remove(out);
        CHECK_EQUAL(command_new(second ? 9 : 7, (char **)words), 0);
        check_profile(out);
    }
}

static void copy_descriptions(void) {
    static const char *const names[] = {"heron-trackball", "odd-pad", "otter-desk", "skua-pedal"};
    char from[100], to[100];
    for (size_t i = 0; i < sizeof names / sizeof names[0]; i++) {
        size_t size;
        snprintf(from, sizeof from, "crane/devices/%s.yaml", names[i]);
        snprintf(to, sizeof to, "%s.yaml", names[i]);
        char *text = read_test_file(from, &size);
        FILE *file = fopen(path_of(to), "w");
        CHECK(file && fwrite(text, 1, size, file) == size);
        fclose(file);
        free(text);
    }
    for (size_t i = 0; i < sizeof names / sizeof names[0]; i++) {
        snprintf(to, sizeof to, "%s.yaml", names[i]);
        check_all_kinds(path_of(to), NULL, names[i]);
        check_all_kinds(path_of(to), "crane/recordings/otter-keyboard.hid", names[i]);
    }
}

int main(void) {
    dice dice = {29};
    char clear[120];
    CHECK(mkdtemp(folder) != NULL);
    for (unsigned i = 0; i < DEVICES; i++) {
        char what[40];
        write_device(path_of("one.hid"), &dice);
        write_device(path_of("two.hid"), &dice);
        snprintf(what, sizeof what, "device %u", i);
        check_all_kinds(path_of("one.hid"), i % 3 ? NULL : path_of("two.hid"), what);
    }
    copy_descriptions();
    CHECK(profiles > 5 * DEVICES);
    CHECK(cells > 10 * DEVICES);
    snprintf(clear, sizeof clear, "rm -r %s", folder);
    CHECK_EQUAL(system(clear), 0);
    return report_checks();
}
