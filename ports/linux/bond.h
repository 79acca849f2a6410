/* The hosts that were let in over Bluetooth: eight at most, each of a layout (yt_engine_layout). */
#ifndef YONDER_LINUX_BOND_H
#define YONDER_LINUX_BOND_H

#include "ports/linux/att.h"

#define RADIO_BONDS    8
#define RADIO_KEY      36 /* bytes of a long term key, as the kernel gives it, */
#define RADIO_IDENTITY 23 /* and of an identity resolving key */

/* All 0: there is none. */
typedef struct radio_bond {
    uint32_t layout;
    uint8_t has_key, has_identity;
    uint8_t key[RADIO_KEY];           /* it begins with the host's address and its type, */
    uint8_t identity[RADIO_IDENTITY]; /* as this does */
    att_choices choices;
} radio_bond;

/* The bond of a host, by its address and its type; NULL: there is none. */
radio_bond *bond_find(radio_bond bonds[RADIO_BONDS], uint32_t layout, const uint8_t address[7]);

/* The same, or a new one, which is the last: where there is no room the oldest goes. It has neither
 * a key nor an identity yet, so it is to be given one. */
radio_bond *bond_make(radio_bond bonds[RADIO_BONDS], uint32_t layout, const uint8_t address[7]);

/* Whether any host is bonded with this layout. */
bool bond_any(const radio_bond bonds[RADIO_BONDS], uint32_t layout);

#endif
