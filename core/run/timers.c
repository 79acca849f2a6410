/* The running timers as a heap: the earliest is first; timers due together come in the order of
 * their steps. */
#include "run/evaluate.h"

static bool earlier(const yt_evaluator *evaluator, unsigned a, unsigned b) {
    int32_t ahead = (int32_t)(evaluator->timers[a].due_us - evaluator->timers[b].due_us);
    return ahead < 0 || (ahead == 0 && a < b);
}

static void put(yt_evaluator *evaluator, unsigned place, unsigned timer) {
    evaluator->heap[place] = (uint16_t)timer;
    evaluator->timers[timer].place = (uint16_t)place;
}

static YT_NEVER_INLINE void rise(yt_evaluator *evaluator, unsigned place, unsigned timer) {
    while (place > 0 && earlier(evaluator, timer, evaluator->heap[(place - 1) / 2])) {
        put(evaluator, place, evaluator->heap[(place - 1) / 2]);
        place = (place - 1) / 2;
    }
    put(evaluator, place, timer);
}

static YT_NEVER_INLINE void sift_down(yt_evaluator *evaluator, unsigned place, unsigned timer) {
    for (;;) {
        unsigned child = 2 * place + 1;
        if (child >= evaluator->running)
            break;
        if (child + 1 < evaluator->running &&
            earlier(evaluator, evaluator->heap[child + 1], evaluator->heap[child]))
            child++;
        if (!earlier(evaluator, evaluator->heap[child], timer))
            break;
        put(evaluator, place, evaluator->heap[child]);
        place = child;
    }
    put(evaluator, place, timer);
}

static void remove_at(yt_evaluator *evaluator, unsigned place) {
    evaluator->timers[evaluator->heap[place]].place = YT_NOT_RUNNING;
    unsigned last = evaluator->heap[--evaluator->running];
    if (place == evaluator->running)
        return;
    if (place > 0 && earlier(evaluator, last, evaluator->heap[(place - 1) / 2]))
        rise(evaluator, place, last);
    else
        sift_down(evaluator, place, last);
}

void yt_timer_stop(yt_evaluator *evaluator, unsigned timer) {
    if (evaluator->timers[timer].place != YT_NOT_RUNNING)
        remove_at(evaluator, evaluator->timers[timer].place);
}

/* Few run at a time: the first one is put where it goes. */
void yt_timer_start(yt_evaluator *evaluator, unsigned timer, uint32_t due_us) {
    yt_timer *started = &evaluator->timers[timer];
    if (started->place != YT_NOT_RUNNING)
        remove_at(evaluator, started->place);
    started->due_us = due_us;
    if (evaluator->running == 0)
        put(evaluator, evaluator->running++, timer);
    else
        rise(evaluator, evaluator->running++, timer);
}

unsigned yt_timers_expire(yt_evaluator *evaluator, uint32_t now_us) {
    unsigned count = 0;
    while (yt_timers_due(evaluator, now_us)) {
        unsigned timer = evaluator->heap[0], last = evaluator->heap[--evaluator->running];
        evaluator->timers[timer].place = YT_NOT_RUNNING;
        if (evaluator->running > 0)
            sift_down(evaluator, 0, last);
        count++;
        yt_mark_step(evaluator, evaluator->program.timers[timer]);
    }
    return count;
}
