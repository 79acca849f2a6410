/* The queue with a real second thread in the place of the interrupt. Built with ThreadSanitizer
 * where the tests of the release build are (tests/CMakeLists.txt). */
#include <pthread.h>
#include <stdatomic.h>

#include "tests/engine/descriptors.h"
#include "tests/engine/rig.h"
#include "tests/harness.h"
#include "tests/engine/lengths.h"

static rig r;

/* A second thread that never stops sending, as an interrupt would: every update ends, and each
 * report that was taken in is seen once and in its order. */
typedef struct sender {
    unsigned number;
    atomic_bool stop;
    atomic_uint sent;
} sender;

static void *send_all(void *context) {
    sender *sender = context;
    while (!atomic_load(&sender->stop)) {
        const uint8_t report[4] = {(uint8_t)(sender->sent & 1), 1, 0, 0};
        if (yt_engine_report(&r.engine, sender->number, report, sizeof report, sender->sent) ==
            YT_OK)
            sender->sent++;
    }
    return NULL;
}

static void check_second_thread(void) {
    pthread_t thread;
    static sender sender;
    uint64_t now_us = 0, told = 0;
    about("a device that sends without end from another thread");
    rig_begin(&r, "inputs: {ball: mouse}\noutputs: {view: mouse}\n"
                  "sheet: {view.motion: ball.motion, view.button1: ball.button1}\n");
    sender.number = RIG_ATTACH(&r, mouse);
    CHECK_EQUAL(pthread_create(&thread, NULL, send_all, &sender), 0);
    while (atomic_load(&sender.sent) < 50000) {
        uint8_t bytes[YT_REPORT_BYTES + 1];
        uint64_t due_us = yt_engine_update(&r.engine, now_us);
        if (due_us < now_us)
            CHECK(due_us >= now_us);
        while (next_report(&r.engine, 0, bytes, sizeof bytes) > 0) {
            told += (uint64_t)(int64_t)(int16_t)(bytes[1] | bytes[2] << 8);
            yt_interface_taken(&r.engine, 0, now_us);
        }
        now_us++;
    }
    atomic_store(&sender.stop, true);
    pthread_join(thread, NULL);
    for (unsigned i = 0; i < 64; i++) {
        uint8_t bytes[YT_REPORT_BYTES + 1];
        yt_engine_update(&r.engine, now_us);
        while (next_report(&r.engine, 0, bytes, sizeof bytes) > 0) {
            told += (uint64_t)(int64_t)(int16_t)(bytes[1] | bytes[2] << 8);
            yt_interface_taken(&r.engine, 0, now_us);
        }
    }
    CHECK_EQUAL(told, sender.sent);
    rig_end(&r);
}

int main(void) {
    check_second_thread();
    return report_checks();
}
