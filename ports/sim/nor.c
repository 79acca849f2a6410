#include "ports/sim/nor.h"

#include <errno.h>
#include <fcntl.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#define MILLION 1000000u

static uint32_t next_random(nor_flash *flash) {
    flash->random = flash->random * 1664525u + 1013904223u;
    return flash->random >> 8;
}

/* Bits that look random, the same for the same numbers. */
static uint32_t mixed(uint32_t a, uint32_t b) {
    uint32_t hash = (a ^ b * 0x9e3779b9u) * 0x85ebca6bu;
    hash = (hash ^ hash >> 15) * 0xc2b2ae35u;
    return hash ^ hash >> 13;
}

static size_t first_byte(const nor_flash *flash) {
    return (size_t)flash->facts.reserved * flash->facts.sector_bytes;
}

/* ---- reading ---- */

/* Whether a torn unit that turns has done so. */
static bool has_turned(const nor_flash *flash, const nor_unit *unit) {
    return flash->power_ons - unit->torn_on >= unit->turns_at;
}

/* A byte of a torn unit whose bits are old or new, as `seed` says. */
static uint8_t one_of_both(const nor_flash *flash, size_t at, uint32_t seed) {
    uint8_t choose = (uint8_t)mixed(seed, (uint32_t)at);
    return (uint8_t)((flash->now[at] & choose) | (flash->before[at] & ~choose));
}

/* False: it cannot be read. */
static bool read_byte(nor_flash *flash, size_t at, uint8_t *byte) {
    const nor_unit *unit = &flash->units[at / flash->facts.unit_bytes];
    *byte = flash->now[at];
    if (!unit->torn)
        return true;
    switch ((nor_torn)(unit->torn - 1)) {
    case NOR_OLD:
        *byte = flash->before[at];
        return true;
    case NOR_MIXED:
        *byte = one_of_both(flash, at, unit->seed);
        return true;
    case NOR_UNSTABLE:
        *byte = one_of_both(flash, at, next_random(flash));
        return true;
    case NOR_BY_POWER_ON:
        *byte = one_of_both(flash, at, unit->seed + flash->power_ons);
        return true;
    case NOR_COMES_BACK:
        *byte = has_turned(flash, unit) ? flash->before[at] : flash->now[at];
        return true;
    case NOR_FADES:
        *byte = has_turned(flash, unit) ? flash->now[at] : flash->before[at];
        return true;
    case NOR_UNREADABLE:
        return false;
    default:
        return true;
    }
}

/* Reading a sector very often turns a bit of it. */
static void disturb(nor_flash *flash, uint32_t sector, size_t bytes) {
    nor_sector *of = &flash->sectors[sector];
    of->reads += (uint32_t)bytes;
    if (flash->facts.disturb == 0 || of->reads < flash->facts.disturb)
        return;
    of->reads = 0;
    nor_rot(flash,
            (size_t)sector * flash->facts.sector_bytes +
                next_random(flash) % flash->facts.sector_bytes,
            next_random(flash) % 8);
}

static int flash_read(void *context, uint32_t offset, void *bytes, size_t size) {
    nor_flash *flash = context;
    size_t begin = first_byte(flash) + offset;
    uint8_t *out = bytes;
    if (flash->off || begin > flash->size || size > flash->size - begin)
        return -1;
    for (size_t i = 0; i < size; i++)
        if (!read_byte(flash, begin + i, &out[i]))
            return -1;
    flash->bytes_read += size;
    if (size > 0)
        disturb(flash, (uint32_t)(begin / flash->facts.sector_bytes), size);
    return 0;
}

/* ---- changing ---- */

/* One operation more; true where the power goes during it. */
static bool power_goes(nor_flash *flash) {
    flash->operations++;
    if (flash->until_cut == NOR_NO_CUT || flash->until_cut-- > 0)
        return false;
    flash->off = true;
    return true;
}

static bool happens(nor_flash *flash, uint32_t of_a_million) {
    return of_a_million > 0 && next_random(flash) % MILLION < of_a_million;
}

/* A unit is torn: what it reads as is one of the kinds that there are. */
static void tear(nor_flash *flash, size_t unit) {
    nor_unit *of = &flash->units[unit];
    uint32_t kinds = flash->facts.torn & NOR_ALL_KINDS, kind = next_random(flash) % NOR_TORN_KINDS;
    while (kinds && !(kinds >> kind & 1))
        kind = (kind + 1) % NOR_TORN_KINDS;
    of->torn = (uint8_t)(1 + (kinds ? kind : (uint32_t)NOR_MIXED));
    of->turns_at = (uint8_t)(1 + next_random(flash) % 4);
    of->torn_on = flash->power_ons;
    of->seed = next_random(flash);
}

/* What a torn unit is before it is changed once more: what it reads as at that moment. */
static void settle(nor_flash *flash, size_t unit) {
    size_t at = unit * flash->facts.unit_bytes;
    for (uint32_t i = 0; i < flash->facts.unit_bytes; i++) {
        uint8_t byte;
        if (!read_byte(flash, at + i, &byte))
            byte = one_of_both(flash, at + i, flash->units[unit].seed);
        flash->before[at + i] = byte;
    }
    flash->units[unit].torn = 0;
}

/* A bit can only go away from what an erase makes of it. */
static uint8_t programmed(const nor_flash *flash, uint8_t before, uint8_t byte) {
    return flash->facts.erased_value ? before & byte : before | byte;
}

static bool may_be_programmed(const nor_flash *flash, size_t unit, const uint8_t *bytes) {
    const nor_unit *of = &flash->units[unit];
    bool clears = flash->facts.may_be_cleared;
    for (uint32_t i = 0; i < flash->facts.unit_bytes; i++)
        clears = clears && bytes[i] == (flash->facts.erased_value ? 0x00 : 0xff);
    return clears || flash->facts.programs == 0 || of->programs < flash->facts.programs;
}

static void keep_stuck(nor_flash *flash) {
    for (unsigned i = 0; i < flash->stuck_count; i++) {
        const nor_stuck *stuck = &flash->stuck[i];
        uint8_t *byte = &flash->now[stuck->at];
        *byte = (uint8_t)((*byte & ~stuck->mask) | stuck->value);
    }
}

static int program_unit(nor_flash *flash, size_t unit, const uint8_t *bytes) {
    size_t at = unit * flash->facts.unit_bytes;
    nor_unit *of = &flash->units[unit];
    if (flash->off)
        return -1;
    if (!may_be_programmed(flash, unit, bytes)) {
        flash->breaches++;
        return -1;
    }
    settle(flash, unit);
    of->programs = (uint8_t)(of->programs + (of->programs < UINT8_MAX));
    flash->time_us += flash->facts.program_us;
    flash->bytes_programmed += flash->facts.unit_bytes;
    for (uint32_t i = 0; i < flash->facts.unit_bytes; i++)
        flash->now[at + i] = programmed(flash, flash->before[at + i], bytes[i]);
    if (power_goes(flash)) {
        tear(flash, unit);
        return -1;
    }
    if (happens(flash, flash->facts.silent)) {
        uint32_t byte = next_random(flash) % flash->facts.unit_bytes;
        uint8_t bit = (uint8_t)(1u << next_random(flash) % 8);
        flash->now[at + byte] =
            (uint8_t)((flash->now[at + byte] & ~bit) | (flash->before[at + byte] & bit));
    }
    keep_stuck(flash);
    if (!happens(flash, flash->facts.loud))
        return 0;
    tear(flash, unit);
    return -1;
}

static int flash_program(void *context, uint32_t offset, const void *bytes, size_t size) {
    nor_flash *flash = context;
    uint32_t unit = flash->facts.unit_bytes;
    size_t begin = first_byte(flash) + offset;
    if (begin > flash->size || size > flash->size - begin || offset % unit || size % unit)
        return -1;
    for (size_t done = 0; done < size; done += unit)
        if (program_unit(flash, (begin + done) / unit, (const uint8_t *)bytes + done) != 0)
            return -1;
    return 0;
}

/* A worn sector keeps some bits as they were. */
static void wear(nor_flash *flash, uint32_t sector) {
    const nor_sector *of = &flash->sectors[sector];
    size_t begin = (size_t)sector * flash->facts.sector_bytes;
    if (flash->facts.endurance == 0 || of->erases <= flash->facts.endurance)
        return;
    uint32_t stuck = 1 + (of->erases - flash->facts.endurance) / 16;
    for (uint32_t i = 0; i < stuck; i++) {
        uint32_t hash = mixed(sector + 1, i);
        flash->now[begin + hash % flash->facts.sector_bytes] ^= (uint8_t)(1u << (hash >> 24) % 8);
    }
}

static int flash_erase(void *context, uint32_t number) {
    nor_flash *flash = context;
    uint32_t sector = number + flash->facts.reserved, unit = flash->facts.unit_bytes;
    if (flash->off)
        return -1;
    if (sector >= flash->facts.sectors) {
        flash->breaches++;
        return -1;
    }
    size_t begin = (size_t)sector * flash->facts.sector_bytes, first = begin / unit,
           count = flash->facts.sector_bytes / unit;
    for (size_t i = first; i < first + count; i++)
        settle(flash, i);
    memset(flash->now + begin, flash->facts.erased_value, flash->facts.sector_bytes);
    flash->sectors[sector].erases++;
    flash->sectors[sector].reads = 0;
    flash->time_us += flash->facts.erase_us;
    if (flash->facts.stops_code && flash->stopped_us < flash->facts.erase_us)
        flash->stopped_us = flash->facts.erase_us;
    bool is_cut = power_goes(flash), fails = !is_cut && happens(flash, flash->facts.loud);
    for (size_t i = first; i < first + count; i++) {
        if (is_cut || fails)
            tear(flash, i);
        else
            flash->units[i] = (nor_unit){0};
    }
    if (!is_cut && !fails)
        wear(flash, sector);
    keep_stuck(flash);
    return is_cut || fails ? -1 : 0;
}

/* ---- the flash as a whole ---- */

static bool makes_sense(const nor_facts *facts) {
    bool is_power = facts->unit_bytes && !(facts->unit_bytes & (facts->unit_bytes - 1));
    return is_power && facts->unit_bytes <= 32 && facts->sector_bytes >= 1024 &&
           facts->sector_bytes <= 131072 && facts->sector_bytes % facts->unit_bytes == 0 &&
           facts->sectors > facts->reserved && facts->sectors <= 65536 &&
           (facts->erased_value == 0xff || facts->erased_value == 0);
}

static bool take_memory(nor_flash *flash) {
    if (!flash->now)
        flash->now = malloc(flash->size);
    flash->before = malloc(flash->size);
    flash->units = calloc(flash->size / flash->facts.unit_bytes, sizeof *flash->units);
    flash->sectors = calloc(flash->facts.sectors, sizeof *flash->sectors);
    if (flash->now && flash->before && flash->units && flash->sectors)
        return true;
    nor_end(flash);
    return false;
}

static bool begin(nor_flash *flash, const nor_facts *facts, uint32_t seed) {
    *flash = (nor_flash){.facts = *facts, .random = seed, .until_cut = NOR_NO_CUT, .file = -1};
    flash->size = (size_t)facts->sectors * facts->sector_bytes;
    errno = EINVAL;
    return makes_sense(facts);
}

bool nor_begin(nor_flash *flash, const nor_facts *facts, uint32_t seed) {
    if (!begin(flash, facts, seed) || !take_memory(flash))
        return false;
    memset(flash->now, facts->erased_value, flash->size);
    memset(flash->before, facts->erased_value, flash->size);
    return true;
}

/* ---- in a file ---- */

static bool map_file(nor_flash *flash, const char *path, bool *is_new) {
    struct stat status;
    flash->file = open(path, O_RDWR | O_CREAT | O_CLOEXEC, 0666);
    if (flash->file < 0 || fstat(flash->file, &status) != 0)
        return false;
    *is_new = status.st_size == 0;
    if (!*is_new && (size_t)status.st_size != flash->size) {
        errno = EFBIG;
        return false;
    }
    if (*is_new && ftruncate(flash->file, (off_t)flash->size) != 0)
        return false;
    void *mapped = mmap(NULL, flash->size, PROT_READ | PROT_WRITE, MAP_SHARED, flash->file, 0);
    if (mapped == MAP_FAILED)
        return false;
    flash->now = mapped;
    return true;
}

void nor_fill(nor_flash *flash, const uint8_t *bytes) {
    memmove(flash->now, bytes, flash->size);
    memcpy(flash->before, flash->now, flash->size);
    for (size_t i = 0; i < flash->size; i++)
        if (flash->now[i] != flash->facts.erased_value)
            flash->units[i / flash->facts.unit_bytes].programs = 1;
}

bool nor_open(nor_flash *flash, const nor_facts *facts, uint32_t seed, const char *path) {
    bool is_new = false;
    if (!begin(flash, facts, seed))
        return false;
    if (!map_file(flash, path, &is_new)) {
        int error = errno;
        nor_end(flash);
        errno = error;
        return false;
    }
    if (!take_memory(flash))
        return false;
    if (is_new)
        memset(flash->now, facts->erased_value, flash->size);
    nor_fill(flash, flash->now);
    return true;
}

static void close_file(nor_flash *flash) {
    if (flash->now) {
        for (size_t i = 0; flash->units && i < flash->size / flash->facts.unit_bytes; i++)
            if (flash->units[i].torn) {
                size_t at = i * flash->facts.unit_bytes;
                settle(flash, i);
                memcpy(flash->now + at, flash->before + at, flash->facts.unit_bytes);
            }
        munmap(flash->now, flash->size);
    }
    if (flash->file >= 0)
        close(flash->file);
}

void nor_end(nor_flash *flash) {
    if (flash->file >= 0)
        close_file(flash);
    else
        free(flash->now);
    free(flash->before);
    free(flash->units);
    free(flash->sectors);
    flash->now = flash->before = NULL;
    flash->units = NULL;
    flash->sectors = NULL;
    flash->file = -1;
}

bool nor_copy(nor_flash *copy, const nor_flash *flash) {
    *copy = *flash;
    copy->file = -1;
    copy->now = NULL;
    if (!take_memory(copy))
        return false;
    memcpy(copy->now, flash->now, flash->size);
    memcpy(copy->before, flash->before, flash->size);
    memcpy(copy->units, flash->units, flash->size / flash->facts.unit_bytes * sizeof *flash->units);
    memcpy(copy->sectors, flash->sectors, flash->facts.sectors * sizeof *flash->sectors);
    return true;
}

void nor_power_on(nor_flash *flash) {
    flash->off = false;
    flash->until_cut = NOR_NO_CUT;
    flash->power_ons++;
}

void nor_rot(nor_flash *flash, size_t offset, unsigned bit) {
    flash->now[offset] ^= (uint8_t)(1u << bit);
    flash->before[offset] ^= (uint8_t)(1u << bit);
}

void nor_stick(nor_flash *flash, size_t offset, unsigned bit) {
    uint8_t mask = (uint8_t)(1u << bit);
    if (flash->stuck_count < NOR_STUCK)
        flash->stuck[flash->stuck_count++] =
            (nor_stuck){offset, mask, (uint8_t)(flash->now[offset] & mask)};
}

void nor_port(nor_flash *flash, yt_port *port) {
    port->context = flash;
    port->version = YT_PORT_VERSION;
    port->flash =
        (yt_flash){.read = flash_read,
                   .program = flash_program,
                   .erase = flash_erase,
                   .mapped = flash->facts.is_mapped ? flash->now + first_byte(flash) : NULL,
                   .sector_bytes = flash->facts.sector_bytes,
                   .sectors = flash->facts.sectors - flash->facts.reserved,
                   .unit_bytes = flash->facts.unit_bytes,
                   .erased_value = flash->facts.erased_value};
}
