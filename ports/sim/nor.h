/* A model of NOR flash that tears, wears and forgets: what a store must live through. It is kept in
 * memory, or in a file, which keeps its content when the program ends.
 *
 * A unit is firm once it was programmed while the power stayed; one whose programming was cut is
 * torn, and so is each unit of a sector whose erase was cut. What a torn unit reads as is one of
 * the kinds below, drawn for each of them from those that the facts allow. Time is virtual: what
 * takes time adds to `time_us`. The same facts, seed and calls give the same flash.
 *
 * What the facts forbid (a unit programmed more often than it may be, one that was not erased, a
 * reserved sector) is refused and counted in `breaches`: a store must not do it at all. */
#ifndef YONDER_SIM_NOR_H
#define YONDER_SIM_NOR_H

#include <stdbool.h>

#include "yonder/port.h"

/* What a torn unit reads as. */
typedef enum nor_torn {
    NOR_OLD,         /* as if nothing had begun */
    NOR_NEW,         /* as if it had been finished */
    NOR_MIXED,       /* any bit old or new, always the same */
    NOR_UNSTABLE,    /* the same, other at each read */
    NOR_BY_POWER_ON, /* the same, other after each power-on */
    NOR_COMES_BACK,  /* new, and old again some power-ons later */
    NOR_FADES,       /* old, and new some power-ons later */
    NOR_UNREADABLE,  /* the read fails */
    NOR_TORN_KINDS
} nor_torn;

#define NOR_ALL_KINDS ((1u << NOR_TORN_KINDS) - 1)
#define NOR_NO_CUT    UINT64_MAX

typedef struct nor_facts {
    uint32_t sectors, sector_bytes; /* 1 KiB to 128 KiB each */
    uint32_t unit_bytes;            /* 1 to 32, a power of two */
    uint8_t erased_value;           /* 0xff or 0x00 */
    uint8_t programs;               /* of a unit, between two erases; 0: any number */
    bool may_be_cleared;            /* a unit may be programmed to the full opposite at any time */
    uint32_t reserved;              /* so many sectors, the first ones, are others' */
    uint32_t torn;                  /* kinds that happen, a bit each */
    uint32_t program_us, erase_us;  /* of a unit, of a sector */
    bool stops_code;                /* nothing runs from this flash while it erases */
    uint32_t endurance;             /* erases after which a sector wears out; 0: it never does */
    uint32_t disturb; /* bytes read of a sector after which a bit of it rots; 0: none does */
    uint32_t loud;    /* of a million programs or erases, so many fail and say so, */
    uint32_t silent;  /* and so many leave a bit as it was and say nothing */
    bool is_mapped;   /* programs may run in place */
} nor_facts;

/* A bit that no erase and no programming changes any more. */
typedef struct nor_stuck {
    size_t at;
    uint8_t mask, value;
} nor_stuck;

#define NOR_STUCK 16

typedef struct nor_sector {
    uint32_t erases;
    uint32_t reads; /* since it was erased */
} nor_sector;

/* A unit; its bytes stand in `now` and, while it is torn, in `before`. */
typedef struct nor_unit {
    uint8_t programs; /* since it was erased */
    uint8_t torn;     /* 1 + nor_torn; 0: it is firm */
    uint8_t turns_at; /* power-ons after which one that comes back, or fades, has done so */
    uint32_t torn_on; /* the power-on in which it was torn */
    uint32_t seed;
} nor_unit;

typedef struct nor_flash {
    nor_facts facts;
    size_t size;
    uint8_t *now, *before; /* erased is erased_value */
    nor_unit *units;
    nor_sector *sectors;
    uint64_t until_cut; /* programs of a unit and erases, until the power goes; NOR_NO_CUT: never */
    uint64_t operations;
    uint64_t bytes_read, bytes_programmed;
    uint64_t time_us, stopped_us; /* of the latter: no code could run, the longest at once */
    uint32_t power_ons, random;
    uint32_t breaches;
    nor_stuck stuck[NOR_STUCK];
    unsigned stuck_count;
    bool off;
    int file; /* -1: it is in memory only */
} nor_flash;

/* A flash as it comes, erased. False: the facts make no sense, or there is no memory. */
bool nor_begin(nor_flash *flash, const nor_facts *facts, uint32_t seed);

/* The same in a file, which is made where there is none. False: errno says why; EFBIG: the file has
 * another size, EINVAL: the facts make no sense. What is torn when it ends stays as it reads then.
 */
bool nor_open(nor_flash *flash, const nor_facts *facts, uint32_t seed, const char *path);
void nor_end(nor_flash *flash);

/* Puts in what an erased flash is to hold: as many bytes as it has, each unit programmed once. */
void nor_fill(nor_flash *flash, const uint8_t *bytes);

/* A copy that goes its own way. False: there is no memory. */
bool nor_copy(nor_flash *copy, const nor_flash *flash);

/* The power was away, and is back; no cut is planned. */
void nor_power_on(nor_flash *flash);

/* A bit of what is there becomes the other one. */
void nor_rot(nor_flash *flash, size_t offset, unsigned bit);

/* A bit stays as it is for good. Of more than NOR_STUCK the first ones. */
void nor_stick(nor_flash *flash, size_t offset, unsigned bit);

/* Fills the flash part of a port, whose context becomes the flash. Offsets count from behind the
 * reserved sectors. */
void nor_port(nor_flash *flash, yt_port *port);

#endif
