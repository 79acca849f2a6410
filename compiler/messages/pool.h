/* Memory that is given back all at once: everything that a compilation makes. */
#ifndef YONDER_COMPILER_MESSAGES_POOL_H
#define YONDER_COMPILER_MESSAGES_POOL_H

#include <stddef.h>

typedef struct yt_pool_chunk yt_pool_chunk;

typedef struct yt_pool {
    yt_pool_chunk *chunks;
} yt_pool;

/* Zeroed memory, aligned for anything. Ends the program where the machine has none left. */
void *pool_take(yt_pool *pool, size_t bytes);

/* A copy of `bytes` bytes with a 0 behind them. */
char *pool_text(yt_pool *pool, const char *text, size_t bytes);

/* Text as printf makes it. */
char *pool_print(yt_pool *pool, const char *format, ...) __attribute__((format(printf, 2, 3)));

/* Room for one more element of `size` bytes behind `count` of them: the array itself, or a larger
 * one with the same in it. */
void *pool_grow(yt_pool *pool, void *array, unsigned count, unsigned *room, size_t size);

void pool_free(yt_pool *pool);

#endif
