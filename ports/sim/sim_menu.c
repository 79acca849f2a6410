#include "ports/sim/sim_menu.h"

#include <string.h>

#include "ports/sim/linked.h"

static void restart(void *context, yt_menu_restart how) {
    ((sim_menu *)context)->restarts = (int)how;
}

static void press(void *context) {
    const sim_menu *menu = context;
    if (menu->linked)
        sim_link_press(menu->linked, menu->simulation->loop.now_us);
}

static const yt_device *device(void *context, unsigned number) {
    const simulation *simulation = ((sim_menu *)context)->simulation;
    for (unsigned i = 0; i < simulation->device_count; i++)
        if (simulation->devices[i].engine_number == number)
            return &simulation->devices[i].device;
    return NULL;
}

bool sim_menu_begin(sim_menu *menu, simulation *simulation, unsigned columns, unsigned lines,
                    unsigned buttons) {
    memset(menu, 0, sizeof *menu);
    menu->simulation = simulation;
    menu->restarts = -1;
    menu->parts = (yt_menu_parts){.adapter = &simulation->adapter,
                                  .texts = &yt_menu_english,
                                  .context = menu,
                                  .build = SIM_BUILD,
                                  .restart = restart,
                                  .press = press,
                                  .device = device,
                                  .columns = (uint8_t)columns,
                                  .lines = (uint8_t)lines,
                                  .buttons = (uint8_t)buttons};
    if (yt_menu_init(&menu->menu, &menu->parts) != YT_OK)
        return false;
    yt_menu_calibrates(&menu->menu, &menu->calibration);
    yt_menu_rebinds(&menu->menu, &menu->rebinding);
    simulation->menu = &menu->menu;
    return true;
}
