/* Memory that is given back all at once: everything that a compilation makes. */
#ifndef YONDER_COMPILER_POOL_H
#define YONDER_COMPILER_POOL_H

#include <stddef.h>

typedef struct pool_chunk pool_chunk;

typedef struct pool {
    pool_chunk *chunks;
} pool;

/* Zeroed memory, aligned for anything. Ends the program where the machine has none left. */
void *pool_take(pool *pool, size_t bytes);

/* A copy of `bytes` bytes with a 0 behind them. */
char *pool_text(pool *pool, const char *text, size_t bytes);

/* Text as printf makes it. */
char *pool_print(pool *pool, const char *format, ...) __attribute__((format(printf, 2, 3)));

/* Room for one more element of `size` bytes behind `count` of them: the array itself, or a larger
 * one with the same in it. */
void *pool_grow(pool *pool, void *array, unsigned count, unsigned *room, size_t size);

void pool_free(pool *pool);

#endif
