#include "ports/linux/bond.h"

#include <string.h>

static bool is_of(const radio_bond *bond, uint32_t layout, const uint8_t address[7]) {
    const uint8_t *whose = bond->has_key ? bond->key : bond->identity;
    return (bond->has_key || bond->has_identity) && bond->layout == layout &&
           memcmp(whose, address, 7) == 0;
}

radio_bond *bond_find(radio_bond bonds[RADIO_BONDS], uint32_t layout, const uint8_t address[7]) {
    for (unsigned i = 0; i < RADIO_BONDS; i++)
        if (is_of(&bonds[i], layout, address))
            return &bonds[i];
    return NULL;
}

radio_bond *bond_make(radio_bond bonds[RADIO_BONDS], uint32_t layout, const uint8_t address[7]) {
    radio_bond *found = bond_find(bonds, layout, address), *last = &bonds[RADIO_BONDS - 1];
    if (found)
        return found;
    memmove(bonds, bonds + 1, (RADIO_BONDS - 1) * sizeof bonds[0]);
    memset(last, 0, sizeof *last);
    last->layout = layout;
    return last;
}

bool bond_any(const radio_bond bonds[RADIO_BONDS], uint32_t layout) {
    bool any = false;
    for (unsigned i = 0; i < RADIO_BONDS; i++)
        any |= bonds[i].has_key && bonds[i].layout == layout;
    return any;
}
