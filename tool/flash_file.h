/* The flash of a simulated adapter in a file: what the commands about slots work on. A command
 * reads it whole, changes it in memory, and writes it whole at the end, or not at all. */
#ifndef YONDER_TOOL_FLASH_FILE_H
#define YONDER_TOOL_FLASH_FILE_H

#include <argp.h>

#include "ports/sim/nor.h"
#include "yonder/store.h"

/* --flash and what says what it is like; 0 where it was not given. */
typedef struct flash_options {
    const char *path;
    unsigned sectors, sector_bytes, unit_bytes, slots;
} flash_options;

extern const struct argp flash_argp; /* its input is a flash_options */

/* Ends the program where none was given. */
void flash_check(struct argp_state *state, const flash_options *options);

typedef struct flash_file {
    const flash_options *options;
    nor_flash flash;
    yt_port port;
    yt_store store;
    yt_store_sector *sectors;
    uint8_t *before; /* as the file was; NULL: there was none */
    unsigned slots;
} flash_file;

/* Opens the store in a file; `makes` one where there is none. False: said on standard error. */
bool flash_file_open(flash_file *file, const flash_options *options, bool makes);

/* A new one that is nowhere but in memory, and never saved; `options` as of a call without --flash.
 * False: said. */
bool flash_file_in_memory(flash_file *file, const flash_options *options);

/* Writes what was changed, if anything was. False: said, and the file is as it was. */
bool flash_file_save(flash_file *file);
void flash_file_close(flash_file *file);

#endif
