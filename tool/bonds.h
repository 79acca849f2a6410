/* The hosts that were let in over Bluetooth, in a file: their keys are secret, so only its owner
 * may read it. */
#ifndef YONDER_TOOL_BONDS_H
#define YONDER_TOOL_BONDS_H

#include "ports/linux/radio.h"

/* A file that is not there yet is of no hosts. False: it was said what is wrong with it. */
bool bonds_read(radio_bond bonds[RADIO_BONDS], const char *path);

/* The whole file or what was there before; false: it was said. */
bool bonds_write(const radio_bond bonds[RADIO_BONDS], const char *path);

#endif
