/* Any bytes as what a slot holds, the table of what may be rebound among them, with lengths and
 * checksums made right; then presses. Two bytes say how long it is. Each byte behind it is a step:
 * its two lowest bits what is pressed, the next two how much time goes by, the upper four which
 * control of the program turns on or off first, if any; 15: a host begins to wait for a press, or
 * waits no more. */
#include <stddef.h>

#include "fuzz/fuzz.h"
#include "ports/sim/nor.h"
#include "tests/engine/drive.h"
#include "yonder/inspect.h"
#include "yonder/menu.h"

#define SLOTS   3
#define SECTORS 24
#define WAITS   15u

static nor_flash flash;
static yt_port port;
static yt_store_sector sectors[SECTORS];
static yt_store store;
static yt_engine engine;
static uint64_t memory[16384];
static uint8_t settings[YT_SETTINGS_BYTES];
static yt_adapter adapter;
static const yt_adapter_parts adapter_parts = {
    .engine = &engine, .store = &store, .settings = settings, .settings_room = sizeof settings};
static bool waits; /* a host, for a press */

static void let_in(void *context) {
    (void)context;
    INVARIANT(33, waits);
    waits = false;
}

static yt_menu_parts parts = {
    .adapter = &adapter, .texts = &yt_menu_english, .press = let_in, .lines = 2};
static yt_menu menu;
static yt_menu_rebinding rebinding;
static uint64_t now_us;

/* The program's length and checksum, then those of the table behind it. */
static void mend(uint8_t *bytes, size_t size) {
    uint32_t total, length, checksum;
    if (size < sizeof(yt_program_header))
        return;
    memcpy(&total, bytes + offsetof(yt_program_header, total_bytes), sizeof total);
    if (total < sizeof(yt_program_header) || total > size)
        total = (uint32_t)size;
    drive_mend(bytes, total);
    size_t at = (total + 3u) & ~(size_t)3;
    if (at > size || size - at < sizeof(yt_bindings_header))
        return;
    memcpy(&length, bytes + at + 4, sizeof length);
    if (length < 12 || length > size - at)
        return;
    checksum = yt_checksum(0, bytes + at + 12, length - 12);
    memcpy(bytes + at + 8, &checksum, sizeof checksum);
}

/* As many letters as there are columns, each whole. */
static void look_at_lines(void) {
    for (unsigned i = 0; i < parts.lines && yt_menu_is_open(&menu); i++) {
        char line[YT_MENU_LINE_BYTES];
        unsigned count = 0;
        memset(line, 'x', sizeof line);
        yt_menu_line(&menu, i, line);
        INVARIANT(33, memchr(line, 0, sizeof line) != NULL);
        for (const char *at = line; *at; at++) {
            count += ((uint8_t)*at & 0xc0) != 0x80;
            INVARIANT(33, (uint8_t)*at >= 0x20 && *at != 0x7f);
        }
        INVARIANT(33, count == parts.columns);
    }
}

/* What the slots hold is refused, or passes the check. */
static void look_at_slots(void) {
    static yt_program program;
    static uint32_t copy[YT_PROGRAM_BYTES / 2];
    yt_slot info;
    if (yt_store_slot(&store, 0, &info) != YT_OK || info.bytes[YT_SLOT_PROGRAM] > sizeof copy)
        return;
    INVARIANT(33, yt_store_read(&store, 0, YT_SLOT_PROGRAM, 0, copy, info.bytes[YT_SLOT_PROGRAM]) ==
                      YT_OK);
    INVARIANT(33, yt_program_check(&program, copy, info.bytes[YT_SLOT_PROGRAM]) == YT_OK);
}

static void step(uint8_t byte) {
    const yt_program *program = yt_engine_program(&engine);
    unsigned control = byte >> 4;
    if (control > 0 && program && control <= program->header->control_count) {
        yt_q16 value = yt_engine_control(&engine, control - 1);
        yt_inspect_set(&engine, control - 1, value ? 0 : YT_ONE);
        yt_inspect_settle(&engine, now_us);
    }
    if (control == WAITS) {
        waits = byte & 4;
        yt_menu_wants_press(&menu, waits ? 1000u + byte * 30u : 0, now_us);
    }
    if (!yt_menu_is_open(&menu))
        yt_menu_open(&menu, now_us);
    yt_menu_take(&menu, (yt_menu_press)(byte & 3), now_us);
    now_us += 1000u << (byte >> 2 & 3) * 3;
    yt_engine_update(&engine, now_us);
    yt_menu_update(&menu, now_us);
    for (unsigned i = 0; i < 400 && yt_menu_is_busy(&menu); i++)
        (void)!yt_menu_work(&menu, now_us, 8, true);
    look_at_lines();
}

/* Back and back again, and what was changed is dropped. */
static void leave(void) {
    for (unsigned i = 0; i < 12 && yt_menu_is_open(&menu); i++) {
        char line[YT_MENU_LINE_BYTES];
        yt_menu_line(&menu, 0, line);
        bool is_asked = strncmp(line, ">keep", 5) == 0;
        if (is_asked)
            yt_menu_take(&menu, YT_MENU_DOWN, now_us);
        yt_menu_take(&menu, is_asked ? YT_MENU_CHOOSE : YT_MENU_BACK, now_us);
    }
    INVARIANT(33, !yt_menu_is_open(&menu));
}

static void press(const uint8_t *bytes, size_t size) {
    const yt_plugged_in alone = {.position = -1};
    if (yt_engine_init(&engine, memory, sizeof memory, &port) != YT_OK ||
        yt_adapter_start(&adapter, &adapter_parts, &alone, 0) != YT_OK)
        return;
    parts.columns = (uint8_t)(8 + (size ? bytes[0] % 33 : 0));
    INVARIANT(33, yt_menu_init(&menu, &parts) == YT_OK);
    yt_menu_rebinds(&menu, &rebinding);
    for (size_t i = 0; i < size && i < 400; i++)
        step(bytes[i]);
    leave();
    look_at_slots();
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    const nor_facts facts = {.sectors = SECTORS,
                             .sector_bytes = 4096,
                             .unit_bytes = 8,
                             .erased_value = 0xff,
                             .programs = 1,
                             .is_mapped = true};
    size_t length = size >= 2 ? data[0] | (size_t)data[1] << 8 : 0;
    if (size < 2 || length > size - 2)
        return 0;
    uint8_t *bytes = malloc(length + 1);
    memcpy(bytes, data + 2, length);
    mend(bytes, length);
    now_us = 1000000;
    waits = false;
    if (!nor_begin(&flash, &facts, 1))
        abort();
    port = (yt_port){.version = YT_PORT_VERSION};
    nor_port(&flash, &port);
    if (yt_store_open(&store, &port, SLOTS, sectors, SECTORS) == YT_OK &&
        yt_store_write(&store, 0, "Winch", bytes, length, "text", 4) == YT_OK)
        press(data + 2 + length, size - 2 - length);
    nor_end(&flash);
    free(bytes);
    return 0;
}
