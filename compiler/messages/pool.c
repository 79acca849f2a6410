#include "compiler/messages/pool.h"

#include <stdalign.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define CHUNK_BYTES 65536

struct yt_pool_chunk {
    struct yt_pool_chunk *next;
    size_t used;
    size_t size;
    alignas(max_align_t) unsigned char bytes[];
};

void *pool_take(yt_pool *pool, size_t bytes) {
    size_t align = alignof(max_align_t);
    bytes = (bytes + align - 1) / align * align;
    yt_pool_chunk *chunk = pool->chunks;
    if (!chunk || chunk->size - chunk->used < bytes) {
        size_t size = bytes > CHUNK_BYTES ? bytes : CHUNK_BYTES;
        chunk = calloc(1, sizeof *chunk + size);
        if (!chunk) {
            perror("yonder");
            exit(1);
        }
        chunk->size = size;
        chunk->next = pool->chunks;
        pool->chunks = chunk;
    }
    void *taken = chunk->bytes + chunk->used;
    chunk->used += bytes;
    return taken;
}

char *pool_text(yt_pool *pool, const char *text, size_t bytes) {
    char *copy = pool_take(pool, bytes + 1);
    memcpy(copy, text, bytes);
    return copy;
}

char *pool_print(yt_pool *pool, const char *format, ...) {
    va_list arguments, again;
    va_start(arguments, format);
    va_copy(again, arguments);
    int length = vsnprintf(NULL, 0, format, arguments);
    char *text = pool_take(pool, (size_t)length + 1);
    vsnprintf(text, (size_t)length + 1, format, again);
    va_end(again);
    va_end(arguments);
    return text;
}

void *pool_grow(yt_pool *pool, void *array, unsigned count, unsigned *room, size_t size) {
    if (count < *room)
        return array;
    *room = *room ? 2 * *room : 16;
    void *larger = pool_take(pool, *room * size);
    if (count > 0)
        memcpy(larger, array, count * size);
    return larger;
}

void pool_free(yt_pool *pool) {
    while (pool->chunks) {
        yt_pool_chunk *next = pool->chunks->next;
        free(pool->chunks);
        pool->chunks = next;
    }
}
