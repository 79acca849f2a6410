/* A menu on a microcontroller, closed, then open and pressed through. For whoever counts what a
 * turn of the loop costs with it.
 *
 * usage: presser IN OUT     both are not used */
#include "ports/bare/bare.h"
#include "ports/bare/own_flash.h"
#include "yonder/menu.h"

#define ENGINE_BYTES 6144
#define SECTORS      16u
#define COLUMNS      16
#define LINES        2
#define TURN_US      100000u

extern const unsigned char demo_program[];
extern const unsigned long demo_program_size;

static uint64_t memory[ENGINE_BYTES / 8];
static yt_engine engine;
static yt_store store;
static yt_store_sector sectors[SECTORS];
static yt_adapter adapter;
static uint8_t settings[64];
static yt_port port;
static yt_menu menu;
static uint64_t now_us;

static const yt_adapter_parts parts = {
    .engine = &engine, .store = &store, .settings = settings, .settings_room = sizeof settings};
static const yt_menu_parts menu_parts = {.adapter = &adapter,
                                         .texts = &yt_menu_english,
                                         .columns = COLUMNS,
                                         .lines = LINES,
                                         .buttons = 4};

/* What a firmware does for the menu in each turn of its loop, and what it shows. */
static void turn(void) {
    char line[YT_MENU_LINE_BYTES];
    mark_other();
    yt_menu_update(&menu, now_us);
    bool has_changed = yt_menu_changed(&menu);
    for (unsigned i = 0; has_changed && i < LINES; i++)
        yt_menu_line(&menu, i, line);
    mark_one_report();
    now_us += TURN_US;
}

int main(void) {
    const yt_plugged_in alone = {.position = -1};
    now_us = 1000;
    own_flash_port(&port, SECTORS);
    if (yt_store_format(&store, &port, 4, sectors, SECTORS) != YT_OK ||
        yt_store_write(&store, 0, "crane", demo_program, demo_program_size, NULL, 0) != YT_OK ||
        yt_engine_init(&engine, memory, sizeof memory, &port) != YT_OK ||
        yt_adapter_start(&adapter, &parts, &alone, 0) != YT_OK ||
        yt_menu_init(&menu, &menu_parts) != YT_OK)
        fail("the slot does not run\n");
    turn(); /* closed, */
    turn(); /* and once more: nothing has changed */
    yt_menu_open(&menu, now_us);
    for (unsigned i = 0; i < 400; i++) {
        turn();
        yt_menu_take(&menu,
                     (yt_menu_press)(i % 7 == 6   ? YT_MENU_BACK
                                     : i % 3 == 2 ? YT_MENU_CHOOSE
                                                  : YT_MENU_DOWN),
                     now_us);
        if (!yt_menu_is_open(&menu))
            yt_menu_open(&menu, now_us);
    }
    return 0;
}
