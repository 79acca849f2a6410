/* An adapter with four buttons and a display of two lines: its own menu. A parameter is turned and
 * kept.
 *
 * The board's flash is a file here: build/release/example_menu examples/menu.txt menu.bin */
#include <stdio.h>
#include <stdlib.h>

#include "board.h"
#include "menu_program.h"
#include "yonder/yonder.h"

#define FIRST_PIN   2 /* up, down, choose, back: low while they are pressed */
#define BUTTONS     4
#define DEBOUNCE_MS 5
#define COLUMNS     16
#define LINES       2

static const yt_port port = {.version = YT_PORT_VERSION,
                             .flash = {.read = board_flash_read,
                                       .program = board_flash_program,
                                       .erase = board_flash_erase,
                                       .sector_bytes = BOARD_SECTOR_BYTES,
                                       .sectors = BOARD_SECTORS,
                                       .unit_bytes = 8,
                                       .erased_value = 0xff}};

static yt_engine engine;
static uint64_t memory[512], copy[512]; /* the flash is not mapped, so what runs is copied */
static yt_store store;
static yt_store_sector sectors[BOARD_SECTORS];
static uint8_t settings[256];
static yt_adapter adapter;
static const yt_adapter_parts parts = {.engine = &engine,
                                       .store = &store,
                                       .settings = settings,
                                       .settings_room = sizeof settings,
                                       .copy = copy,
                                       .copy_room = sizeof copy};

static yt_menu menu;
static yt_menu_rebinding rebinding;
static const yt_menu_parts menu_parts = {.adapter = &adapter,
                                         .texts = &yt_menu_english,
                                         .build = "example",
                                         .columns = COLUMNS,
                                         .lines = LINES,
                                         .buttons = BUTTONS};

/* Each millisecond: a button that has another level for a while is another way now. */
static void look_at_buttons(void) {
    static unsigned since_ms[BUTTONS];
    static bool is_down[BUTTONS];
    for (unsigned i = 0; i < BUTTONS; i++) {
        since_ms[i] = board_pin(FIRST_PIN + i) == is_down[i] ? since_ms[i] + 1 : 0;
        if (since_ms[i] < DEBOUNCE_MS)
            continue;
        is_down[i] = !is_down[i];
        since_ms[i] = 0;
        yt_menu_button(&menu, i, is_down[i], board_us());
    }
}

/* A display would be written here. */
static void show(void) {
    char line[YT_MENU_LINE_BYTES];
    for (unsigned i = 0; i < LINES && yt_menu_is_open(&menu); i++) {
        yt_menu_line(&menu, i, line);
        board_say(line);
    }
    if (!yt_menu_is_open(&menu))
        board_say("the display is dark");
}

static const board_calls calls = {.sampled = look_at_buttons};

static yt_status begin(const char *flash) {
    const yt_plugged_in plugged_in = {.position = -1};
    yt_slot slot;
    if (!board_flash_begin(flash))
        return YT_FLASH;
    yt_status status = yt_store_open(&store, &port, 4, sectors, BOARD_SECTORS);
    if (status == YT_OK && yt_store_slot(&store, 0, &slot) == YT_SLOT_EMPTY)
        status = yt_store_write(&store, 0, "Hoist", menu_program, menu_program_size, NULL, 0);
    if (status == YT_OK)
        status = yt_engine_init(&engine, memory, sizeof memory, &port);
    if (status == YT_OK)
        status = yt_adapter_start(&adapter, &parts, &plugged_in, 0);
    if (status == YT_OK)
        status = yt_menu_init(&menu, &menu_parts);
    yt_menu_rebinds(&menu, &rebinding);
    return status;
}

int main(int count, char **arguments) {
    uint64_t due_us, menu_us;
    yt_status status = count == 3 ? begin(arguments[2]) : YT_ARGUMENT;
    if (status != YT_OK) {
        fprintf(stderr, "usage: example_menu STORY FLASH (status %d)\n", (int)status);
        return 1;
    }
    board_begin(count - 1, arguments, &calls);
    do {
        uint64_t now_us = board_us();
        due_us = yt_engine_update(&engine, now_us);
        menu_us = yt_menu_update(&menu, now_us);
        if (yt_menu_changed(&menu))
            show();
        status = yt_menu_work(&menu, now_us, 8, true);
        (void)status; /* what failed is on the display */
        if (yt_menu_is_busy(&menu))
            menu_us = now_us;
    } while (board_sleep(menu_us < due_us ? menu_us : due_us));
    printf("the hold is %ld ms now\n", (long)yt_engine_parameter(&engine, 0) / 1000);
    return 0;
}
