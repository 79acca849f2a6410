/* A judge of the store: it changes this and that at random, cuts the power in the middle of it and
 * of what is done when it is back, and compares what the store says with a plain model in which
 * each change happens at once or not at all. */
#ifndef YONDER_TESTS_STORE_JUDGE_H
#define YONDER_TESTS_STORE_JUDGE_H

#include "ports/sim/nor.h"
#include "tests/harness.h"
#include "yonder/store.h"

#define JUDGE_SLOTS   6u
#define JUDGE_SECTORS 64u

/* What a slot holds: content that is made from its seed. */
typedef struct held {
    uint32_t seed; /* 0: it is empty */
    uint32_t bytes[YT_SLOT_PARTS];
    char name[YT_STORE_NAME + 1];
} held;

/* All that a store holds, as it should. */
typedef struct plain {
    held slots[JUDGE_SLOTS];
    held settings;
    unsigned active;
} plain;

typedef enum deed {
    DEED_WRITE,
    DEED_COPY,
    DEED_RENAME,
    DEED_SWAP,
    DEED_ERASE,
    DEED_ACTIVATE,
    DEED_SET,
    DEED_WORK,
    DEEDS
} deed;

typedef struct judge {
    const char *kind;
    nor_flash flash;
    yt_port port;
    yt_store store;
    yt_store_sector sectors[JUDGE_SECTORS];
    plain now;
    dice dice;
    uint32_t largest; /* content that is written, bytes */
    bool is_hot;      /* the first slot is written most often, so that wear is uneven */
    uint64_t cuts, bad, refused, changes;
} judge;

typedef struct judge_kind {
    const char *name;
    nor_facts facts;
    uint32_t largest;
} judge_kind;

extern const judge_kind judge_kinds[];
extern const unsigned judge_kind_count;

void judge_begin(judge *judge, const judge_kind *kind, uint32_t seed);
void judge_end(judge *judge);

/* A change with no cut; what cannot be made for want of room is counted in `refused`. */
void judge_change(judge *judge);

/* The same, cut at random, and so is what comes then, up to `depth` times in a row. */
void judge_cut(judge *judge, unsigned depth);

/* A power-on in which nothing is changed. */
void judge_restart(judge *judge);

/* Whether the store says what it should; else it is counted in `bad`, with a line of what is
 * wrong. */
void judge_compare(judge *judge, const char *when);

#endif
