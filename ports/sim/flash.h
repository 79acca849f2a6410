/* Simulated NOR flash in a file: it keeps its content when the power goes.
 *
 * Units can be programmed once after an erase; programming one again is refused, as some real
 * flash does. The power can be cut after any number of units: the unit under way then holds random
 * bits, an erase under way leaves a random mixture, and nothing works until power is back. */
#ifndef YONDER_SIM_FLASH_H
#define YONDER_SIM_FLASH_H

#include <stdbool.h>

#include "yonder/port.h"

#define SIM_NO_CUT UINT64_MAX

typedef struct sim_flash {
    uint8_t *bytes;      /* the content, mapped */
    uint8_t *programmed; /* a byte a unit: it was programmed since its erase */
    size_t size;
    uint32_t sector_bytes;
    uint32_t unit_bytes;
    uint64_t units_until_cut; /* SIM_NO_CUT: the power stays */
    uint64_t units_done;      /* programmed, and an erase counts as one: to choose a cut by */
    uint32_t random;
    bool off;
    int file; /* -1: the flash is in memory only */
} sim_flash;

/* Opens the flash in `path`, made new and erased where there is no such file; `path` NULL keeps it
 * in memory. False: errno says why; EFBIG where the file has another size. */
bool sim_flash_open(sim_flash *flash, const char *path, uint32_t sectors, uint32_t sector_bytes,
                    uint32_t unit_bytes);
void sim_flash_close(sim_flash *flash);

/* Power is back; what was torn stays torn. */
void sim_flash_power_on(sim_flash *flash);

/* Fills the flash part of a port whose context pointer is the flash. */
void sim_flash_port(sim_flash *flash, yt_port *port);

#endif
