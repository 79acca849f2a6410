#include "ports/sim/flash.h"

#include <errno.h>
#include <fcntl.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#define ERASED 0xff

static uint32_t next_random(sim_flash *flash) {
    flash->random = flash->random * 1664525u + 1013904223u;
    return flash->random >> 16;
}

/* Counts one step of work; true where the power goes during it. */
static bool power_goes(sim_flash *flash) {
    flash->units_done++;
    if (flash->units_until_cut == SIM_NO_CUT || flash->units_until_cut-- > 0)
        return false;
    flash->off = true;
    return true;
}

static int flash_read(void *context, uint32_t offset, void *bytes, size_t size) {
    sim_flash *flash = context;
    if (flash->off || offset > flash->size || size > flash->size - offset)
        return -1;
    memcpy(bytes, flash->bytes + offset, size);
    return 0;
}

static int program_unit(sim_flash *flash, uint32_t offset, const uint8_t *bytes) {
    uint8_t *programmed = &flash->programmed[offset / flash->unit_bytes];
    if (flash->off || *programmed)
        return -1;
    *programmed = 1;
    bool torn = power_goes(flash);
    for (uint32_t i = 0; i < flash->unit_bytes; i++)
        flash->bytes[offset + i] = torn ? bytes[i] | (uint8_t)next_random(flash) : bytes[i];
    return torn ? -1 : 0;
}

static int flash_program(void *context, uint32_t offset, const void *bytes, size_t size) {
    sim_flash *flash = context;
    if (offset > flash->size || size > flash->size - offset || offset % flash->unit_bytes ||
        size % flash->unit_bytes)
        return -1;
    for (size_t done = 0; done < size; done += flash->unit_bytes)
        if (program_unit(flash, offset + (uint32_t)done, (const uint8_t *)bytes + done) != 0)
            return -1;
    return 0;
}

static int flash_erase(void *context, uint32_t sector) {
    sim_flash *flash = context;
    if (flash->off || sector >= flash->size / flash->sector_bytes)
        return -1;
    size_t offset = (size_t)sector * flash->sector_bytes;
    bool torn = power_goes(flash);
    for (size_t i = 0; i < flash->sector_bytes; i++)
        if (!torn || next_random(flash) % 2)
            flash->bytes[offset + i] = ERASED;
    if (!torn)
        memset(flash->programmed + offset / flash->unit_bytes, 0,
               flash->sector_bytes / flash->unit_bytes);
    return torn ? -1 : 0;
}

static void *map_file(sim_flash *flash, const char *path, bool *is_new) {
    struct stat status;
    flash->file = open(path, O_RDWR | O_CREAT | O_CLOEXEC, 0666);
    if (flash->file < 0 || fstat(flash->file, &status) != 0)
        return NULL;
    *is_new = status.st_size == 0;
    if (!*is_new && (size_t)status.st_size != flash->size) {
        errno = EFBIG;
        return NULL;
    }
    if (*is_new && ftruncate(flash->file, (off_t)flash->size) != 0)
        return NULL;
    void *mapped = mmap(NULL, flash->size, PROT_READ | PROT_WRITE, MAP_SHARED, flash->file, 0);
    return mapped == MAP_FAILED ? NULL : mapped;
}

bool sim_flash_open(sim_flash *flash, const char *path, uint32_t sectors, uint32_t sector_bytes,
                    uint32_t unit_bytes) {
    bool is_new = true;
    *flash = (sim_flash){.size = (size_t)sectors * sector_bytes,
                         .sector_bytes = sector_bytes,
                         .unit_bytes = unit_bytes,
                         .units_until_cut = SIM_NO_CUT,
                         .random = 1,
                         .file = -1};
    flash->programmed = calloc(flash->size / unit_bytes, 1);
    flash->bytes = path ? map_file(flash, path, &is_new) : calloc(flash->size, 1);
    if (!flash->bytes || !flash->programmed) {
        int error = errno;
        sim_flash_close(flash);
        errno = error;
        return false;
    }
    if (is_new)
        memset(flash->bytes, ERASED, flash->size);
    for (size_t i = 0; i < flash->size; i++)
        if (flash->bytes[i] != ERASED)
            flash->programmed[i / unit_bytes] = 1;
    return true;
}

void sim_flash_close(sim_flash *flash) {
    if (flash->file >= 0) {
        if (flash->bytes)
            munmap(flash->bytes, flash->size);
        close(flash->file);
    } else {
        free(flash->bytes);
    }
    free(flash->programmed);
    flash->bytes = flash->programmed = NULL;
    flash->file = -1;
}

void sim_flash_power_on(sim_flash *flash) {
    flash->off = false;
    flash->units_until_cut = SIM_NO_CUT;
}

void sim_flash_port(sim_flash *flash, yt_port *port) {
    port->context = flash;
    port->version = YT_PORT_VERSION;
    port->flash = (yt_flash){.read = flash_read,
                             .program = flash_program,
                             .erase = flash_erase,
                             .mapped = flash->bytes,
                             .sector_bytes = flash->sector_bytes,
                             .sectors = (uint32_t)(flash->size / flash->sector_bytes),
                             .unit_bytes = flash->unit_bytes,
                             .erased_value = ERASED};
}
