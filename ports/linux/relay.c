#include "ports/linux/relay.h"

#include <errno.h>
#include <signal.h>
#include <string.h>
#include <sys/eventfd.h>
#include <unistd.h>

static void carry_out(relay_asked *asked) {
    long status = asked->to_host ? hidraw_get_feature(asked->file, asked->bytes, asked->size)
                                 : hidraw_write(asked->file, asked->direction, asked->has_id,
                                                asked->bytes, asked->size);
    asked->error = status < 0 ? (int)-status : 0;
    if (asked->to_host)
        asked->size = status > 0 ? (size_t)status : 0;
    close(asked->file);
}

static void *work(void *context) {
    relay *relay = context;
    uint64_t count;
    while (read(relay->wanted, &count, sizeof count) == sizeof count && !relay->leaves) {
        carry_out(&relay->asked);
        count = 1;
        if (write(relay->answered, &count, sizeof count) < 0)
            break;
    }
    return NULL;
}

int relay_begin(relay *relay) {
    sigset_t all, before;
    memset(relay, 0, sizeof *relay);
    relay->wanted = eventfd(0, EFD_CLOEXEC);
    relay->answered = eventfd(0, EFD_NONBLOCK | EFD_CLOEXEC);
    if (relay->wanted < 0 || relay->answered < 0)
        return errno;
    sigfillset(&all); /* signals are the loop's */
    pthread_sigmask(SIG_SETMASK, &all, &before);
    int error = pthread_create(&relay->thread, NULL, work, relay);
    pthread_sigmask(SIG_SETMASK, &before, NULL);
    relay->has_thread = error == 0;
    return error;
}

static void wake(const relay *relay) {
    const uint64_t one = 1;
    (void)!write(relay->wanted, &one, sizeof one);
}

void relay_end(relay *relay) {
    if (relay->has_thread) {
        relay->leaves = true;
        wake(relay);
        pthread_join(relay->thread, NULL);
    }
    if (relay->wanted > 0)
        close(relay->wanted);
    if (relay->answered > 0)
        close(relay->answered);
    memset(relay, 0, sizeof *relay);
}

bool relay_ask(relay *relay, const relay_asked *asked) {
    if (relay->is_busy || !relay->has_thread)
        return false;
    relay->asked = *asked;
    relay->is_busy = true;
    wake(relay);
    return true;
}

const relay_asked *relay_answer(relay *relay) {
    uint64_t count;
    if (!relay->is_busy || read(relay->answered, &count, sizeof count) != sizeof count)
        return NULL;
    relay->is_busy = false;
    return &relay->asked;
}
