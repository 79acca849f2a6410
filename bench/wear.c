/* What slots cost their flash: how often each sector is erased when one slot in ten is written
 * again and again, how many bytes are programmed for each that was given, and what is read.
 * usage: wear [CHANGES]     a table, a line for each kind of flash */
#include <inttypes.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "ports/sim/nor.h"
#include "yonder/store.h"

#define SLOTS   10u
#define SECTORS 64u

typedef struct kind {
    const char *name;
    uint32_t sectors, sector_bytes, unit_bytes, program_us, erase_us;
} kind;

static const kind kinds[] = {{"units of 2, 64 sectors of 1 KiB", 64, 1024, 2, 60, 22000},
                             {"units of 8, 48 sectors of 2 KiB", 48, 2048, 8, 85, 25000},
                             {"units of 4, 32 sectors of 4 KiB", 32, 4096, 4, 40, 85000},
                             {"units of 16, 32 sectors of 8 KiB", 32, 8192, 16, 90, 2000},
                             {"units of 32, 8 sectors of 128 KiB", 8, 131072, 32, 120, 1000000}};

static nor_flash flash;
static yt_port port;
static yt_store store;
static yt_store_sector sectors[SECTORS];
static uint8_t content[3000];
static uint32_t seed;

static uint32_t roll(uint32_t below) {
    seed = seed * 1664525u + 1013904223u;
    return (seed >> 8) % below;
}

static void must(yt_status status, const char *what) {
    if (status == YT_OK)
        return;
    fprintf(stderr, "%s: status %d\n", what, status);
    exit(1);
}

static void begin(const kind *kind) {
    const nor_facts facts = {.sectors = kind->sectors,
                             .sector_bytes = kind->sector_bytes,
                             .unit_bytes = kind->unit_bytes,
                             .erased_value = 0xff,
                             .programs = 1,
                             .program_us = kind->program_us,
                             .erase_us = kind->erase_us};
    memset(&port, 0, sizeof port);
    seed = 1;
    if (!nor_begin(&flash, &facts, 1))
        exit(1);
    nor_port(&flash, &port);
    must(yt_store_open(&store, &port, SLOTS, sectors, SECTORS), "open");
    for (unsigned slot = 0; slot < SLOTS; slot++)
        must(yt_store_write(&store, slot, "a cold slot", content, 900 + 150 * slot, content, 400),
             "write");
}

static uint32_t roll_change(uint32_t *program, uint32_t *text) {
    *program = 500 + roll(1500);
    *text = roll(800);
    return *program + *text;
}

static void run(const kind *kind, unsigned changes) {
    uint64_t given = 0, programmed, read, erases = 0, time;
    uint32_t lowest = UINT32_MAX, highest = 0;
    begin(kind);
    programmed = flash.bytes_programmed;
    read = flash.bytes_read;
    time = flash.time_us;
    for (unsigned i = 0; i < changes; i++) {
        uint32_t program, text;
        given += roll_change(&program, &text);
        must(yt_store_write(&store, 3, NULL, content, program, content, text), "write");
    }
    for (unsigned slot = 0; slot < SLOTS; slot++)
        must(yt_store_verify(&store, slot), "verify");
    for (unsigned i = 0; i < kind->sectors; i++) {
        uint32_t one = flash.sectors[i].erases;
        erases += one;
        lowest = one < lowest ? one : lowest;
        highest = one > highest ? one : highest;
    }
    printf("| %s | %u / %u | %.2f | %.2f | %.0f | %.1f |\n", kind->name, lowest, highest,
           (double)(erases - kind->sectors) / changes,
           (double)(flash.bytes_programmed - programmed) / (double)given,
           (double)(flash.bytes_read - read) / changes,
           (double)(flash.time_us - time) / changes / 1000);
    nor_end(&flash);
}

int main(int count, char **words) {
    unsigned changes = count > 1 ? (unsigned)strtoul(words[1], NULL, 10) : 100000;
    printf(
        "| flash | erases of a sector, lowest / highest | erases a write | bytes programmed for a "
        "byte given | bytes read a write | ms a write |\n|---|---|---|---|---|---|\n");
    for (size_t i = 0; i < sizeof kinds / sizeof *kinds; i++)
        run(&kinds[i], changes);
    return 0;
}
