#include "tool/playing.h"

#include <signal.h>
#include <stddef.h>
#include <time.h>

static volatile sig_atomic_t stopped;

static void stop(int signal) {
    (void)signal;
    stopped = 1;
}

uint64_t clock_us(void) {
    struct timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    return (uint64_t)now.tv_sec * 1000000 + (uint64_t)now.tv_nsec / 1000;
}

void stop_by_signals(void) {
    struct sigaction action = {.sa_handler = stop};
    sigaction(SIGINT, &action, NULL);
    sigaction(SIGTERM, &action, NULL);
}

bool is_stopped(void) {
    return stopped != 0;
}
