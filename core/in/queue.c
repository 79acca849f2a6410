/* One writer and one reader: an interrupt puts reports in at `end`, an update takes them out at
 * `begin`, and neither waits for the other. Each writes only its own place, after what it is for.
 *
 *     | free | report | report | SKIP (too short for the next) |     bytes
 *            ^ begin                                                  the reader's
 *       ^ end, after it went round                                    the writer's */
#include "in/queue.h"

#include <string.h>

#define SKIP UINT16_MAX

void yt_queue_begin(yt_queue *queue, uint8_t *bytes, uint32_t size) {
    queue->bytes = bytes;
    queue->size = size & ~(uint32_t)3;
    atomic_init(&queue->begin, 0);
    atomic_init(&queue->end, 0);
    atomic_init(&queue->refused, 0);
}

/* Entries stand at multiples of four, so they can be looked at in place. */
static yt_queued *entry_at(const yt_queue *queue, uint32_t at) {
    return (yt_queued *)(queue->bytes + at);
}

static uint32_t room_of(size_t size) {
    return (uint32_t)((sizeof(yt_queued) + size + 3) & ~(size_t)3);
}

/* An empty queue may begin in its middle, so an entry can count on half of it only; and its length
 * must have room beside SKIP. */
size_t yt_queue_longest(const yt_queue *queue) {
    size_t half = queue->size / 2, most = half - sizeof(yt_queued) - 3;
    if (half < sizeof(yt_queued) + 4)
        return 0;
    return most < SKIP ? most : SKIP - 1;
}

/* Where an entry of `room` bytes goes; UINT32_MAX if nowhere. The queue is empty when begin and end
 * are equal, so an entry never fills it up to `begin`. */
static uint32_t place_for(yt_queue *queue, uint32_t begin, uint32_t end, uint32_t room) {
    if (end < begin)
        return begin - end > room ? end : UINT32_MAX;
    uint32_t left = queue->size - end;
    if (left > room || (left == room && begin > 0))
        return end;
    if (begin <= room)
        return UINT32_MAX;
    if (left >= sizeof(yt_queued))
        entry_at(queue, end)->size = SKIP;
    return 0;
}

bool yt_queue_put(yt_queue *queue, unsigned device, const uint8_t *bytes, size_t size,
                  uint64_t happened_us) {
    uint32_t begin = atomic_load_explicit(&queue->begin, memory_order_acquire);
    uint32_t end = atomic_load_explicit(&queue->end, memory_order_relaxed);
    uint32_t room = room_of(size);
    uint32_t place = place_for(queue, begin, end, room);
    if (place == UINT32_MAX)
        return false;
    yt_queued *entry = entry_at(queue, place);
    entry->happened_low = (uint32_t)happened_us;
    entry->happened_high = (uint32_t)(happened_us >> 32);
    entry->size = (uint16_t)size;
    entry->device = (uint16_t)device;
    memcpy(entry + 1, bytes, size);
    uint32_t after = place + room;
    atomic_store_explicit(&queue->end, after == queue->size ? 0 : after, memory_order_release);
    return true;
}

/* The place of the oldest entry, past what was skipped; the queue is not empty. */
static uint32_t oldest(const yt_queue *queue, uint32_t begin) {
    if (queue->size - begin < sizeof(yt_queued) || entry_at(queue, begin)->size == SKIP)
        return 0;
    return begin;
}

uint32_t yt_queue_end(const yt_queue *queue) {
    return atomic_load_explicit(&queue->end, memory_order_acquire);
}

const yt_queued *yt_queue_look(const yt_queue *queue, uint32_t end) {
    uint32_t begin = atomic_load_explicit(&queue->begin, memory_order_relaxed);
    if (begin == end)
        return NULL;
    return entry_at(queue, oldest(queue, begin));
}

void yt_queue_drop(yt_queue *queue) {
    uint32_t begin = atomic_load_explicit(&queue->begin, memory_order_relaxed);
    begin = oldest(queue, begin);
    begin += room_of(entry_at(queue, begin)->size);
    atomic_store_explicit(&queue->begin, begin == queue->size ? 0 : begin, memory_order_release);
}
