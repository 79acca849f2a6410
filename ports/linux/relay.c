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

static void ring(int file) {
    const uint64_t one = 1;
    (void)!write(file, &one, sizeof one);
}

/* One for each that was asked, and one more to leave. */
static void *work(void *context) {
    relay *relay = context;
    uint64_t count;
    while (read(relay->wanted, &count, sizeof count) == sizeof count) {
        unsigned done = atomic_load(&relay->done);
        if (atomic_load(&relay->leaves) && done == atomic_load(&relay->end))
            break;
        carry_out(&relay->asked[done % RELAY_WAITING]);
        atomic_store(&relay->done, done + 1);
        ring(relay->answered);
    }
    return NULL;
}

int relay_begin(relay *relay) {
    sigset_t all, before;
    memset(relay, 0, sizeof *relay);
    relay->wanted = eventfd(0, EFD_CLOEXEC | EFD_SEMAPHORE);
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

void relay_end(relay *relay) {
    if (relay->has_thread) {
        atomic_store(&relay->leaves, true);
        ring(relay->wanted);
        pthread_join(relay->thread, NULL);
    }
    if (relay->wanted > 0)
        close(relay->wanted);
    if (relay->answered > 0)
        close(relay->answered);
    memset(relay, 0, sizeof *relay);
}

bool relay_has_room(const relay *relay) {
    return relay->has_thread && atomic_load(&relay->end) - relay->begin < RELAY_WAITING;
}

bool relay_ask(relay *relay, int file, const relay_asked *asked) {
    unsigned end = atomic_load(&relay->end);
    relay_asked *place = &relay->asked[end % RELAY_WAITING];
    int own = relay_has_room(relay) ? dup(file) : -1;
    if (own < 0)
        return false;
    *place = *asked;
    place->file = own;
    atomic_store(&relay->end, end + 1);
    ring(relay->wanted);
    return true;
}

const relay_asked *relay_answer(relay *relay) {
    uint64_t count;
    (void)!read(relay->answered, &count, sizeof count);
    if (!relay->has_thread || relay->begin == atomic_load(&relay->done))
        return NULL;
    return &relay->asked[relay->begin++ % RELAY_WAITING];
}
