/* The small Linux machine of tests/linux/machine, started from a test. */
#ifndef YONDER_TESTS_LINUX_MACHINE_H
#define YONDER_TESTS_LINUX_MACHINE_H

#include <stdio.h>
#include <sys/wait.h>

/* Runs a job on it, to read its answers; NULL: there is none, and `*status` is for main to return
 * (77: the kernel cannot be had). `script` and `init` are the test's arguments. */
static inline FILE *machine_start(const char *script, const char *init, const char *job,
                                  int *status) {
    char command[1600];
    snprintf(command, sizeof command, "%s %s %s", script, init, job);
    FILE *machine = popen(command, "r");
    int first = machine ? fgetc(machine) : EOF;
    *status = 1;
    if (machine && first != EOF) {
        ungetc(first, machine);
        return machine;
    }
    int ended = machine ? pclose(machine) : -1;
    if (ended != -1 && WIFEXITED(ended) && WEXITSTATUS(ended) == 77)
        *status = 77;
    return NULL;
}

#endif
