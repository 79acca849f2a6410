#include "ports/loop.h"

#define POLLS_COUNTED 10000

void loop_begin(loop *loop) {
    loop->has_waiting = loop->next(loop->context, &loop->waiting);
    loop->now_us = loop->due_us = 0;
    loop->wake_us = YT_NEVER;
    loop->far_us = POLLS_COUNTED * loop->poll_us;
    for (unsigned i = 0; i < YT_INTERFACES; i++) {
        loop->take_at_us[i] = YT_NEVER;
        loop->next_poll_us[i] = 0;
    }
}

/* The host's next question from `now_us` on; it asks once at each of its times. After a short pause
 * it is counted up to, since a division of 64 bits takes a microcontroller longer. */
static uint64_t next_poll(loop *loop, unsigned interface, uint64_t now_us) {
    uint64_t *next_us = &loop->next_poll_us[interface];
    if (*next_us < now_us && now_us - *next_us > loop->far_us)
        *next_us += (now_us - *next_us) / loop->poll_us * loop->poll_us;
    while (*next_us < now_us)
        *next_us += loop->poll_us;
    return *next_us;
}

/* When the report that is ready gets through: a radio that lost it tries again at its next time. */
static uint64_t arrival(loop *loop, unsigned interface, uint64_t now_us) {
    uint64_t time_us = next_poll(loop, interface, now_us);
    while (loop->loss) {
        loop->dice ^= loop->dice << 13;
        loop->dice ^= loop->dice >> 17;
        loop->dice ^= loop->dice << 5;
        if (loop->dice % 1000 >= loop->loss)
            break;
        time_us += loop->poll_us;
    }
    return time_us;
}

static uint64_t next_time(const loop *loop) {
    uint64_t time_us = loop->due_us < loop->wake_us ? loop->due_us : loop->wake_us;
    if (loop->has_waiting && loop->waiting.time_us < time_us)
        time_us = loop->waiting.time_us;
    for (unsigned i = 0; i < YT_INTERFACES; i++)
        if (loop->take_at_us[i] < time_us)
            time_us = loop->take_at_us[i];
    return time_us;
}

/* Gives the engine all that devices send at this moment. */
static yt_status give(loop *loop, const loop_report *report) {
    if (!report->from_host && loop->direct) {
        loop->due_us = yt_engine_give(loop->engine, report->device, report->bytes, report->size,
                                      report->time_us);
        return YT_OK;
    }
    if (!report->from_host)
        return yt_engine_report(loop->engine, report->device, report->bytes, report->size,
                                report->time_us);
    yt_status status =
        yt_interface_receive(loop->engine, report->device, (yt_hid_direction)report->direction,
                             report->bytes, report->size, report->time_us);
    return status == YT_FULL ? YT_OK : status;
}

static unsigned feed(loop *loop, uint64_t now_us) {
    unsigned reports = 0;
    while (loop->has_waiting && loop->waiting.time_us <= now_us) {
        const loop_report *report = &loop->waiting;
        yt_status status = give(loop, report);
        if (status == YT_FULL)
            break; /* the device is asked again in the next step, at the same time */
        reports += !report->from_host;
        loop->has_waiting = loop->next(loop->context, &loop->waiting);
    }
    return reports;
}

static void take_reports(loop *loop, uint64_t now_us) {
    for (unsigned i = 0; i < YT_INTERFACES; i++) {
        if (loop->take_at_us[i] != now_us)
            continue;
        loop->taken(loop->context, i, now_us, loop->report[i], loop->report_size[i]);
        yt_interface_taken(loop->engine, i, now_us);
        loop->take_at_us[i] = YT_NEVER;
        loop->next_poll_us[i] = now_us + loop->poll_us;
    }
}

static void make_reports(loop *loop, uint64_t now_us) {
    for (unsigned i = 0; i < loop->engine->interface_count && !loop->elsewhere; i++) {
        if (loop->take_at_us[i] != YT_NEVER)
            continue;
        yt_status status = yt_interface_report(loop->engine, i, loop->report[i],
                                               sizeof loop->report[i], &loop->report_size[i]);
        if (status == YT_OK && loop->report_size[i] > 0)
            loop->take_at_us[i] = arrival(loop, i, now_us);
    }
}

void loop_run(loop *loop, uint64_t until_us) {
    for (;;) {
        uint64_t now_us = next_time(loop);
        if (now_us == YT_NEVER || now_us > until_us || loop->stopped)
            return;
        loop->now_us = now_us;
        unsigned reports = feed(loop, now_us);
        if (reports == 0 || !loop->direct)
            loop->due_us = yt_engine_update(loop->engine, now_us);
        take_reports(loop, now_us);
        make_reports(loop, now_us);
        if (loop->step)
            loop->step(loop->context, reports);
    }
}
