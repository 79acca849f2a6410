/* A program in a pseudo-terminal: started, sent keys, read, and looked at when it has ended. */
#ifndef YONDER_TESTS_TERMINAL_H
#define YONDER_TESTS_TERMINAL_H

#include <poll.h>
#include <pty.h>
#include <signal.h>
#include <sys/ioctl.h>
#include <sys/wait.h>
#include <termios.h>
#include <time.h>
#include <unistd.h>

#include "tests/harness.h"

#define TERMINAL_OUTPUT 4000000

#define KEY_DOWN_AS   "\033OB"
#define KEY_UP_AS     "\033OA"
#define KEY_RIGHT_AS  "\033OC"
#define KEY_LEFT_AS   "\033OD"
#define KEY_ESCAPE_AS "\033"

typedef struct terminal {
    int master;
    pid_t child;
    int status; /* how it ended */
    struct termios before;
    char *output; /* all that was drawn */
    size_t size;
} terminal;

/* `arguments`: the program's path first, NULL behind the last. `kind`: as in TERM. */
static inline void terminal_begin(terminal *terminal, unsigned columns, unsigned lines,
                                  const char *kind, const char *const *arguments) {
    struct winsize size = {.ws_row = (unsigned short)lines, .ws_col = (unsigned short)columns};
    *terminal = (struct terminal){.output = malloc(TERMINAL_OUTPUT)};
    int master, slave; /* of one as it comes */
    CHECK(terminal->output != NULL);
    CHECK_EQUAL(openpty(&master, &slave, NULL, NULL, NULL), 0);
    CHECK_EQUAL(tcgetattr(slave, &terminal->before), 0);
    close(slave);
    close(master);
    terminal->child = forkpty(&terminal->master, NULL, &terminal->before, &size);
    if (terminal->child == 0) {
        setenv("TERM", kind, 1);
        execv(arguments[0], (char *const *)arguments);
        _exit(99);
    }
    CHECK(terminal->child > 0);
}

/* Reads what is drawn, until nothing comes for so long; or for ten times as long, where something
 * goes on all the time. */
static inline void terminal_drain(terminal *terminal, int ms) {
    struct pollfd polled = {terminal->master, POLLIN, 0};
    struct timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    int64_t until_ms = now.tv_sec * 1000 + now.tv_nsec / 1000000 + 10 * ms;
    while (now.tv_sec * 1000 + now.tv_nsec / 1000000 < until_ms && poll(&polled, 1, ms) > 0) {
        clock_gettime(CLOCK_MONOTONIC, &now);
        ssize_t got = TERMINAL_OUTPUT - terminal->size > 1
                          ? read(terminal->master, terminal->output + terminal->size,
                                 TERMINAL_OUTPUT - 1 - terminal->size)
                          : -1;
        if (got <= 0)
            break;
        terminal->size += (size_t)got;
    }
    terminal->output[terminal->size] = 0;
}

/* Waits until something is drawn; false: it is not, for ten seconds. */
static inline bool terminal_shows(terminal *terminal, const char *text) {
    for (unsigned i = 0; i < 500 && !strstr(terminal->output, text); i++)
        terminal_drain(terminal, 20);
    return strstr(terminal->output, text) != NULL;
}

static inline void terminal_send(terminal *terminal, const char *keys) {
    CHECK(write(terminal->master, keys, strlen(keys)) == (ssize_t)strlen(keys));
    terminal_drain(terminal, 60);
}

/* Waits for it to end; its exit status, or -1 where a signal ended it. The terminal is as it was;
 * `has_screens`: it has another screen to go back to, and a cursor that can be hidden. */
static inline int terminal_end(terminal *terminal, bool has_screens) {
    for (unsigned i = 0; i < 2000 && waitpid(terminal->child, &terminal->status, WNOHANG) == 0;
         i++) {
        terminal_drain(terminal, 5);
        usleep(5000); /* once it has closed its end, nothing is waited for */
    }
    struct termios after;
    terminal_drain(terminal, 10);
    CHECK_EQUAL(tcgetattr(terminal->master, &after), 0);
    CHECK(after.c_lflag == terminal->before.c_lflag && after.c_iflag == terminal->before.c_iflag &&
          after.c_oflag == terminal->before.c_oflag);
    if (has_screens) {
        CHECK(strstr(terminal->output, "\033[?1049l") != NULL);
        CHECK(strstr(terminal->output, "\033[?25h") != NULL);
    }
    close(terminal->master);
    free(terminal->output);
    return WIFEXITED(terminal->status) ? WEXITSTATUS(terminal->status) : -1;
}

#endif
