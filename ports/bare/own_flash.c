#include "ports/bare/own_flash.h"

#include "ports/bare/bare.h"

extern uint32_t free_flash[]; /* of the linker script */

static int read_flash(void *context, uint32_t offset, void *bytes, size_t size) {
    const uint8_t *from = (const uint8_t *)free_flash + offset;
    uint8_t *to = bytes;
    (void)context;
    while (size-- > 0)
        *to++ = *from++;
    return 0;
}

/* What programs and erases is the port's; it is marked, so that it can be left out. */
static int program_flash(void *context, uint32_t offset, const void *bytes, size_t size) {
    (void)context;
    mark_other();
    flash_write((uint32_t)(uintptr_t)free_flash + offset, bytes, size);
    mark_other();
    return 0;
}

static int erase_flash(void *context, uint32_t sector) {
    (void)context;
    mark_other();
    flash_erase((uint32_t)(uintptr_t)free_flash + sector * OWN_FLASH_SECTOR, OWN_FLASH_SECTOR);
    mark_other();
    return 0;
}

void own_flash_port(yt_port *port, uint32_t sectors) {
    port->version = YT_PORT_VERSION;
    port->flash = (yt_flash){.read = read_flash,
                             .program = program_flash,
                             .erase = erase_flash,
                             .mapped = free_flash,
                             .sector_bytes = OWN_FLASH_SECTOR,
                             .sectors = sectors,
                             .unit_bytes = 4,
                             .erased_value = 0xff};
}
