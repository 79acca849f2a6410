/* Slots in the flash behind the image, which is mapped. */
#ifndef YONDER_BARE_OWN_FLASH_H
#define YONDER_BARE_OWN_FLASH_H

#include "yonder/port.h"

#define OWN_FLASH_SECTOR 1024u /* bytes */

/* A port that has this flash, and nothing else. Programming and erasing are marked (mark_other), so
 * that whoever counts instructions can leave them out. */
void own_flash_port(yt_port *port, uint32_t sectors);

#endif
