/* Reports on their way from an interrupt to the update. Entries are never torn by the end of the
 * buffer: where one does not fit there, the rest is skipped. */
#ifndef YONDER_ENGINE_QUEUE_H
#define YONDER_ENGINE_QUEUE_H

#include "yonder/engine.h"

/* The head of an entry; the report's bytes follow it. */
typedef struct YT_OVERLAY yt_queued {
    uint32_t happened_low;
    uint32_t happened_high;
    uint16_t size;
    uint16_t device;
} yt_queued;

void yt_queue_begin(yt_queue *queue, uint8_t *bytes, uint32_t size);

/* The longest report that can always be queued once the queue is empty. */
size_t yt_queue_longest(const yt_queue *queue);

/* By the producer. False: no room. */
bool yt_queue_put(yt_queue *queue, unsigned device, const uint8_t *bytes, size_t size,
                  uint64_t happened_us);

/* By the consumer: where the queue ends now. What comes later is behind that. */
uint32_t yt_queue_end(const yt_queue *queue);

/* By the consumer: whether there is none. */
static inline bool yt_queue_is_empty(const yt_queue *queue) {
    return atomic_load_explicit(&queue->begin, memory_order_relaxed) ==
           atomic_load_explicit(&queue->end, memory_order_acquire);
}

/* By the consumer: the oldest report, where it stands in the queue, until yt_queue_drop; NULL if
 * there is none before `end`. */
const yt_queued *yt_queue_look(const yt_queue *queue, uint32_t end);
void yt_queue_drop(yt_queue *queue);

#endif
