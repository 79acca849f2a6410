/* The full screen in a pseudo-terminal: presses do what they say, the terminal is left as it was,
 * and the file is written by nothing but what says so. usage: screen_test YONDER      (from the
 * source folder) */
#include "tests/tool/files.h"
#include "tests/tool/terminal.h"

static const char *yonder;
static char folder[] = "/tmp/screen.XXXXXX", path[64], beside[80];

#define PLAIN                                                                                      \
    "yonder: 1\ninputs: {keys: keyboard}\noutputs: {pad: gamepad}\n"                               \
    "sheet:\n  pad.south: keys.space   # hook\n  pad.east: turbo(keys.g, 15 Hz)\n"

static void write_file(void) {
    write_text(path, PLAIN);
    unlink(beside);
}

/* `options`: up to four, with NULL behind them. */
static void begin(terminal *terminal, unsigned columns, unsigned lines,
                  const char *const *options) {
    const char *arguments[12] = {yonder, "assign", path};
    unsigned count = 3;
    while (*options)
        arguments[count++] = *options++;
    terminal_begin(terminal, columns, lines, "xterm-256color", arguments);
}

/* Waits until something stands in the file beside the profile; false: it does not. */
static bool has_beside(terminal *terminal, const char *text) {
    for (unsigned i = 0; i < 500; i++) {
        char kept[2000] = "";
        FILE *file = fopen(beside, "r");
        if (file && fread(kept, 1, sizeof kept - 1, file) > 0 && strstr(kept, text)) {
            fclose(file);
            return true;
        }
        if (file)
            fclose(file);
        terminal_drain(terminal, 20);
    }
    return false;
}

#define DOWN  KEY_DOWN_AS
#define RIGHT KEY_RIGHT_AS

/* ---- what presses do ---- */

static void check_presses(unsigned columns, unsigned lines) {
    terminal terminal;
    about("%ux%u", columns, lines);
    write_file();
    begin(&terminal, columns, lines, (const char *const[]){NULL});
    CHECK(terminal_shows(&terminal, "pad.south"));
    terminal_send(&terminal, DOWN "\n"); /* pad.south, */
    terminal_send(&terminal, "e");       /* its formula */
    for (unsigned i = 0; i < 10; i++)
        terminal_send(&terminal, "\177");
    terminal_send(&terminal, "keys.f\n");
    terminal_send(&terminal, DOWN "\n"); /* something beside: the third is repeated */
    terminal_send(&terminal, DOWN DOWN "\n");
    terminal_send(&terminal, RIGHT RIGHT RIGHT);
    CHECK(has_beside(&terminal, "rate=15 Hz"));
    char *text = read_text(path, NULL);
    CHECK_TEXT(text, PLAIN); /* it is not saved yet */
    free(text);
    CHECK_EQUAL(access(beside, F_OK), 0);
    terminal_send(&terminal, "s");
    CHECK(terminal_shows(&terminal, "saved"));
    terminal_send(&terminal, "q");
    CHECK_EQUAL(terminal_end(&terminal, true), 0);
    text = read_text(path, NULL);
    CHECK(strstr(text, "  pad.south: turbo(keys.f, rate=15 Hz)  # hook\n"));
    free(text);
    CHECK(access(beside, F_OK) != 0);
}

/* By two keys, of which one goes on; and by one, where it goes on by itself. */
static void check_switches(bool scans) {
    terminal terminal;
    const char *const one[] = {"--keys", "choose=x", "--scan", "2s", NULL};
    const char *const two[] = {"--keys", "down=n choose=space", NULL};
    about(scans ? "one switch" : "two switches");
    write_file();
    begin(&terminal, 80, 24, scans ? one : two);
    CHECK(terminal_shows(&terminal, "pad.south"));
    if (scans) { /* the first row is chosen, and in what comes the one that it has gone on to */
        terminal_send(&terminal, "x");
        CHECK(terminal_shows(&terminal, "another layer"));
        usleep(2500000);
        terminal_send(&terminal, "x"); /* it is not at the first one any more, which lists layers */
        terminal_drain(&terminal, 300);
        CHECK(!strstr(terminal.output, "which layer is looked at"));
        kill(terminal.child, SIGTERM);
        CHECK_EQUAL(terminal_end(&terminal, true), 0);
        return;
    }
    terminal_send(&terminal, "n ");    /* pad.south */
    terminal_send(&terminal, "nnnn "); /* driven by, beside, write, copy, swap: nothing drives it */
    terminal_send(&terminal, "q\033s"); /* which do nothing */
    CHECK(terminal_shows(&terminal, "is swapped with"));
    kill(terminal.child, SIGTERM);
    CHECK_EQUAL(terminal_end(&terminal, true), 0);
    char *text = read_text(path, NULL);
    CHECK_TEXT(text, PLAIN);
    free(text);
}

/* Keys for a cell do nothing where no cell is looked at. */
static void check_elsewhere(void) {
    terminal terminal;
    about("elsewhere");
    write_file();
    begin(&terminal, 80, 24, (const char *const[]){NULL});
    CHECK(terminal_shows(&terminal, "pad.south"));
    terminal_send(&terminal, DOWN "\n" KEY_ESCAPE_AS); /* it was looked at */
    terminal_drain(&terminal, 100);
    terminal_send(&terminal, KEY_UP_AS "\n"); /* more */
    CHECK(terminal_shows(&terminal, "another layer"));
    terminal_send(&terminal, "dcxpe");
    terminal_send(&terminal, "\n"); /* the first row of it still */
    CHECK(terminal_shows(&terminal, "which layer is looked at"));
    CHECK(!strstr(terminal.output, "none"));
    terminal_send(&terminal, "q");
    CHECK_EQUAL(terminal_end(&terminal, true), 0);
    CHECK(access(beside, F_OK) != 0);
}

/* What is told to end keeps what was done, says so, and fails. */
static void check_told_to_end(void) {
    terminal terminal;
    about("told to end");
    write_file();
    begin(&terminal, 80, 24, (const char *const[]){NULL});
    CHECK(terminal_shows(&terminal, "pad.south"));
    terminal_send(&terminal, DOWN "d");
    CHECK(has_beside(&terminal, "pad.south: none"));
    kill(terminal.child, SIGTERM);
    CHECK(terminal_shows(&terminal, "is not saved; what was done is kept in"));
    CHECK_EQUAL(terminal_end(&terminal, true), 1);
    CHECK_EQUAL(access(beside, F_OK), 0);
}

static void check_colours(void) {
    terminal terminal;
    about("no colours where they are not wanted");
    setenv("NO_COLOR", "1", 1);
    write_file();
    begin(&terminal, 80, 24, (const char *const[]){"crane/recordings/otter-winch.hid", NULL});
    CHECK(terminal_shows(&terminal, "pad.south"));
    terminal_send(&terminal, " ");
    terminal_drain(&terminal, 300);
    CHECK(!strstr(terminal.output, "\033[32m") && !strstr(terminal.output, "\033[1;32m"));
    unsetenv("NO_COLOR");
    terminal_send(&terminal, "q");
    CHECK_EQUAL(terminal_end(&terminal, true), 0);
}

int main(int count, char **arguments) {
    if (count < 2)
        return 2;
    yonder = arguments[1];
    CHECK(mkdtemp(folder) != NULL);
    snprintf(path, sizeof path, "%s/p.yaml", folder);
    snprintf(beside, sizeof beside, "%s.draft", path);
    check_presses(60, 20);
    check_presses(80, 24);
    check_presses(130, 50);
    check_switches(false);
    check_switches(true);
    check_colours();
    check_told_to_end();
    check_elsewhere();
    unlink(path);
    unlink(beside);
    rmdir(folder);
    return report_checks();
}
