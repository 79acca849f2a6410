/* A menu on a simulated adapter: what a firmware gives to yonder/menu.h. */
#ifndef YONDER_SIM_SIM_MENU_H
#define YONDER_SIM_SIM_MENU_H

#include "ports/sim/simulation.h"
#include "yonder/menu.h"

typedef struct sim_menu {
    yt_menu menu;
    yt_menu_parts parts;
    yt_menu_calibration calibration;
    yt_menu_rebinding rebinding;
    simulation *simulation;
    struct sim_link *linked; /* hosts talk to it; NULL: none do */
    int restarts;            /* yt_menu_restart, that was asked for; -1: none */
} sim_menu;

/* Begins with a simulation that has slots; both must stay. `columns` and `lines` of its display,
 * and so many buttons. False: they make no sense. */
bool sim_menu_begin(sim_menu *menu, simulation *simulation, unsigned columns, unsigned lines,
                    unsigned buttons);

#endif
