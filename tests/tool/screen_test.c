/* The full screen in a pseudo-terminal: presses do what they say, chance breaks nothing, the
 * terminal is left as it was, and the file is written by nothing but what says so.
 * usage: screen_test YONDER [KEYS]      (from the source folder; KEYS by chance, 1500 if not given)
 */
#include <poll.h>
#include <pty.h>
#include <signal.h>
#include <sys/ioctl.h>
#include <sys/wait.h>
#include <termios.h>
#include <unistd.h>

#include "tests/harness.h"

#define OUTPUT 4000000

static const char *yonder;
static char folder[] = "/tmp/screen.XXXXXX", path[64], beside[80];

#define PLAIN                                                                                      \
    "yonder: 1\ninputs: {keys: keyboard}\noutputs: {pad: gamepad}\n"                               \
    "sheet:\n  pad.south: keys.space   # hook\n  pad.east: turbo(keys.g, 15 Hz)\n"

typedef struct terminal {
    int master;
    pid_t child;
    int status; /* how it ended */
    struct termios before;
    char *output; /* all that was drawn */
    size_t size;
} terminal;

static void write_file(void) {
    FILE *file = fopen(path, "w");
    CHECK(file != NULL && fputs(PLAIN, file) >= 0 && fclose(file) == 0);
    unlink(beside);
}

static char *read_file(void) {
    size_t size = 0;
    char *text = NULL;
    FILE *file = fopen(path, "r");
    CHECK(file != NULL && getdelim(&text, &size, 0, file) > 0);
    if (file)
        fclose(file);
    return text;
}

/* `options`: up to four, with NULL behind them. */
static void begin(terminal *terminal, unsigned columns, unsigned lines,
                  const char *const *options) {
    struct winsize size = {.ws_row = (unsigned short)lines, .ws_col = (unsigned short)columns};
    *terminal = (struct terminal){.output = malloc(OUTPUT)};
    int master, slave; /* of one as it comes */
    CHECK_EQUAL(openpty(&master, &slave, NULL, NULL, NULL), 0);
    CHECK_EQUAL(tcgetattr(slave, &terminal->before), 0);
    close(slave);
    close(master);
    terminal->child = forkpty(&terminal->master, NULL, &terminal->before, &size);
    if (terminal->child == 0) {
        const char *arguments[12] = {yonder, "assign", path};
        unsigned count = 3;
        while (*options)
            arguments[count++] = *options++;
        setenv("TERM", "xterm-256color", 1);
        execv(yonder, (char *const *)arguments);
        _exit(99);
    }
    CHECK(terminal->child > 0);
}

/* Reads what is drawn, until nothing comes for so long. */
static void drain(terminal *terminal, int ms) {
    struct pollfd polled = {terminal->master, POLLIN, 0};
    while (poll(&polled, 1, ms) > 0) {
        ssize_t got = OUTPUT - terminal->size > 1
                          ? read(terminal->master, terminal->output + terminal->size,
                                 OUTPUT - 1 - terminal->size)
                          : -1;
        if (got <= 0)
            break;
        terminal->size += (size_t)got;
    }
    terminal->output[terminal->size] = 0;
}

/* Waits until something is drawn; false: it is not, for ten seconds. */
static bool shows(terminal *terminal, const char *text) {
    for (unsigned i = 0; i < 500 && !strstr(terminal->output, text); i++)
        drain(terminal, 20);
    return strstr(terminal->output, text) != NULL;
}

/* The same of the file beside the profile. */
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
        drain(terminal, 20);
    }
    return false;
}

static void send_keys(terminal *terminal, const char *keys) {
    CHECK(write(terminal->master, keys, strlen(keys)) == (ssize_t)strlen(keys));
    drain(terminal, 60);
}

/* Waits for it to end; its exit status, or -1 where a signal ended it. The terminal is as it was.
 */
static int end(terminal *terminal) {
    for (unsigned i = 0; i < 2000 && waitpid(terminal->child, &terminal->status, WNOHANG) == 0;
         i++) {
        drain(terminal, 5);
        usleep(5000); /* once it has closed its end, nothing is waited for */
    }
    struct termios after;
    drain(terminal, 10);
    CHECK_EQUAL(tcgetattr(terminal->master, &after), 0);
    CHECK(after.c_lflag == terminal->before.c_lflag && after.c_iflag == terminal->before.c_iflag &&
          after.c_oflag == terminal->before.c_oflag);
    CHECK(strstr(terminal->output, "\033[?1049l") != NULL); /* the screen from before is back */
    CHECK(strstr(terminal->output, "\033[?25h") != NULL);   /* and the cursor */
    close(terminal->master);
    free(terminal->output);
    return WIFEXITED(terminal->status) ? WEXITSTATUS(terminal->status) : -1;
}

#define DOWN   "\033OB"
#define UP     "\033OA"
#define RIGHT  "\033OC"
#define ESCAPE "\033"

/* ---- what presses do ---- */

static void check_presses(unsigned columns, unsigned lines) {
    terminal terminal;
    about("%ux%u", columns, lines);
    write_file();
    begin(&terminal, columns, lines, (const char *const[]){NULL});
    CHECK(shows(&terminal, "pad.south"));
    send_keys(&terminal, DOWN "\n"); /* pad.south, */
    send_keys(&terminal, "e");       /* its formula */
    for (unsigned i = 0; i < 10; i++)
        send_keys(&terminal, "\177");
    send_keys(&terminal, "keys.f\n");
    send_keys(&terminal, DOWN "\n"); /* something beside: the third is repeated */
    send_keys(&terminal, DOWN DOWN "\n");
    send_keys(&terminal, RIGHT RIGHT RIGHT);
    CHECK(has_beside(&terminal, "rate=15 Hz"));
    char *text = read_file();
    CHECK_TEXT(text, PLAIN); /* it is not saved yet */
    free(text);
    CHECK_EQUAL(access(beside, F_OK), 0);
    send_keys(&terminal, "s");
    CHECK(shows(&terminal, "saved"));
    send_keys(&terminal, "q");
    CHECK_EQUAL(end(&terminal), 0);
    text = read_file();
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
    CHECK(shows(&terminal, "pad.south"));
    if (scans) { /* the first row is chosen, and in what comes the one that it has gone on to */
        send_keys(&terminal, "x");
        CHECK(shows(&terminal, "another layer"));
        usleep(2500000);
        send_keys(&terminal, "x"); /* it is not at the first one any more, which lists layers */
        drain(&terminal, 300);
        CHECK(!strstr(terminal.output, "which layer is looked at"));
        kill(terminal.child, SIGTERM);
        CHECK_EQUAL(end(&terminal), 0);
        return;
    }
    send_keys(&terminal, "n ");     /* pad.south */
    send_keys(&terminal, "nnnn ");  /* driven by, beside, write, copy, swap: nothing drives it */
    send_keys(&terminal, "q\033s"); /* which do nothing */
    CHECK(shows(&terminal, "is swapped with"));
    kill(terminal.child, SIGTERM);
    CHECK_EQUAL(end(&terminal), 0);
    char *text = read_file();
    CHECK_TEXT(text, PLAIN);
    free(text);
}

/* What is told to end keeps what was done, says so, and fails. */
static void check_told_to_end(void) {
    terminal terminal;
    about("told to end");
    write_file();
    begin(&terminal, 80, 24, (const char *const[]){NULL});
    CHECK(shows(&terminal, "pad.south"));
    send_keys(&terminal, DOWN "d");
    CHECK(has_beside(&terminal, "pad.south: none"));
    kill(terminal.child, SIGTERM);
    CHECK(shows(&terminal, "is not saved; what was done is kept in"));
    CHECK_EQUAL(end(&terminal), 1);
    CHECK_EQUAL(access(beside, F_OK), 0);
}

static void check_colours(void) {
    terminal terminal;
    about("no colours where they are not wanted");
    setenv("NO_COLOR", "1", 1);
    write_file();
    begin(&terminal, 80, 24, (const char *const[]){"crane/recordings/otter-winch.hid", NULL});
    CHECK(shows(&terminal, "pad.south"));
    send_keys(&terminal, " ");
    drain(&terminal, 300);
    CHECK(!strstr(terminal.output, "\033[32m") && !strstr(terminal.output, "\033[1;32m"));
    unsetenv("NO_COLOR");
    send_keys(&terminal, "q");
    CHECK_EQUAL(end(&terminal), 0);
}

/* ---- by chance ---- */

static void check_chance(uint64_t seed, unsigned columns, unsigned lines, unsigned keys) {
    static const char *const all[] = {
        DOWN,   DOWN,       DOWN,      UP,        RIGHT,  "\033OD", "\n", "\n", "\n",
        ESCAPE, "u",        "r",       "l",       "w",    "/",      "n",  "?",  "p",
        "e",    "c",        "x",       "d",       " ",    "\177",   "\t", "7",  "a",
        "(",    "\xc3\xa4", "\033[6~", "\033[5~", "\x01", "\033[Z"};
    dice dice = {seed};
    write_file();
    for (unsigned i = 0; i < keys;) { /* it may be left, and is begun again */
        terminal terminal;
        begin(&terminal, columns, lines,
              (const char *const[]){"crane/recordings/otter-winch.hid", NULL});
        drain(&terminal, 200);
        about("seed %u, %ux%u, %u keys", (unsigned)seed, columns, lines, i);
        bool is_there = true;
        for (; i < keys; i++) {
            is_there = waitpid(terminal.child, &terminal.status, WNOHANG) == 0;
            if (!is_there)
                break;
            const char *key = all[roll_below(&dice, sizeof all / sizeof all[0])];
            if (write(terminal.master, key, strlen(key)) < 0)
                break;
            if (roll_below(&dice, 8) == 0)
                drain(&terminal, 30);
            if (roll_below(&dice, 60) == 0) {
                struct winsize size = {.ws_row = (unsigned short)(1 + roll_below(&dice, 50)),
                                       .ws_col = (unsigned short)(1 + roll_below(&dice, 140))};
                ioctl(terminal.master, TIOCSWINSZ, &size);
            }
            if (terminal.size > OUTPUT / 2)
                terminal.size = 0;
        }
        if (is_there)
            kill(terminal.child, SIGTERM);
        int status = end(&terminal);
        CHECK(status == 0 || status == 1);
    }
    about("seed %u: the file is whole", (unsigned)seed);
    char *text = read_file(); /* that it is only written when it is said, assign_test looks at */
    CHECK(strstr(text, "yonder: 1\ninputs: {keys: keyboard}\noutputs: {pad: gamepad}\n") == text);
    free(text);
}

int main(int count, char **arguments) {
    if (count < 2)
        return 2;
    yonder = arguments[1];
    unsigned keys = count > 2 ? (unsigned)atoi(arguments[2]) : some(1500);
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
    check_chance(1, 60, 20, keys);
    check_chance(2, 130, 40, keys);
    unlink(path);
    unlink(beside);
    rmdir(folder);
    return report_checks();
}
