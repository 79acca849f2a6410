/* The adapter's own menu: what a computer would be used for, with a few buttons and a line of text.
 *
 * It has no display code: a firmware gives it the buttons, and asks it for lines of text. It can
 * tell all by counted pulses of a light or of motors as well, or by these alone.
 *
 *     static const yt_menu_parts menu_parts = {.adapter = &adapter,
 *                                              .texts = &yt_menu_english,
 *                                              .columns = 16,
 *                                              .lines = 2,
 *                                              .buttons = 4};
 *     static yt_menu menu;
 *     status = yt_menu_init(&menu, &menu_parts);
 *     yt_menu_button(&menu, 0, is_down, now_us);     // a button went down, or up
 *     if (yt_menu_is_open(&menu))                    // beside yt_engine_report
 *         yt_menu_report(&menu, number, bytes, size, now_us);
 *     due_us = yt_menu_update(&menu, now_us);        // in the loop
 *     if (yt_menu_changed(&menu))
 *         for (line = 0; line < 2; line++)
 *             yt_menu_line(&menu, line, text);       // put it on the display
 *     status = yt_menu_work(&menu, now_us, 8, false); // in place of yt_adapter_work
 *
 * What is changed counts at once. It is kept after "keep" and not before; but what a person asks
 * for by its name and confirms (a slot is copied, erased, renamed) is done then. All calls come
 * from one place, the engine's. */
#ifndef YONDER_MENU_H
#define YONDER_MENU_H

#include "yonder/adapter.h"
#include "yonder/rebind.h"

#ifdef __cplusplus
extern "C" {
#endif

#define YT_MENU_COLUMNS     40u
#define YT_MENU_LINE_BYTES  (4u * YT_MENU_COLUMNS + 1u)
#define YT_MENU_LEVELS      6u
#define YT_MENU_NARROW      7u  /* characters of a narrow text, at most */
#define YT_MENU_WIDE        15u /* of a wide one */
#define YT_MENU_WIDE_FROM   16u /* columns from which the wide texts are used */
#define YT_MENU_TICK_US     50000u
#define YT_MENU_PATIENCE_US 10000000u /* so long a change waits for the flash */

/* See yonder/menu_texts.def. */
typedef enum yt_menu_text {
#define YT_MENU_TEXT(NAME, narrow, wide) YT_MENU_##NAME,
#include "yonder/menu_texts.def"
    YT_MENU_TEXT_COUNT
} yt_menu_text;

/* What the menu says, in one language. `letters` are those that names are put together from, each
 * once, the first of them a space. */
typedef struct yt_menu_texts {
    const char *narrow[YT_MENU_TEXT_COUNT];
    const char *wide[YT_MENU_TEXT_COUNT];
    const char *letters;
} yt_menu_texts;

extern const yt_menu_texts yt_menu_english;

/* What a person does. */
typedef enum yt_menu_press {
    YT_MENU_UP,
    YT_MENU_DOWN,
    YT_MENU_CHOOSE,
    YT_MENU_BACK,
    YT_MENU_PRESSES
} yt_menu_press;

/* What is asked of the firmware. */
typedef enum yt_menu_restart {
    YT_MENU_RESTARTS,
    YT_MENU_RESTARTS_IN_SETUP,
    YT_MENU_RESTARTS_IN_BOOTLOADER
} yt_menu_restart;

/* What a firmware gives. Its memory, which must stay; all but the first may be 0. */
typedef struct yt_menu_parts {
    yt_adapter *adapter;        /* started */
    const yt_menu_texts *texts; /* must, where there is a display */
    void *context;
    const char *build; /* what the firmware calls itself */
    /* Restarts the adapter, or its bootloader. NULL: it cannot, and nothing of it is offered. */
    void (*restart)(void *context, yt_menu_restart how);
    /* A person lets the host in that waits for a press: yt_link_press. NULL: there is no link. */
    void (*press)(void *context);
    /* A device that is attached, by its number; NULL: there is none. */
    const yt_device *(*device)(void *context, unsigned number);
    uint8_t columns; /* of the display, 8 to 40; 0: there is none, and pulses tell all */
    uint8_t lines;   /* 1 to 16 */
    /* 1: it goes through the rows by itself; the button chooses, or goes back where it is held.
     * 2: the first goes down or, held, up; the second chooses or, held, goes back.
     * 3: up, down, choose or, held, back.
     * 4: up, down, choose, back. A fifth one opens and closes the menu, a sixth keeps.
     * Else the last two together open it, held for `open_us`, or the only one. */
    uint8_t buttons;
    /* By what rows are told, YT_PULSE_…: its number, each time that the cursor comes to one. */
    uint8_t counts;
    /* Microseconds; 0: as usual. */
    uint32_t open_us;   /* 800,000 */
    uint32_t long_us;   /* how long a button is held to count as held: 500,000 */
    uint32_t repeat_us; /* up and down, again and again while they are held: 120,000 */
    uint32_t scan_us;   /* with one button, from one row to the next: 1,200,000 */
    /* Without a press, until it closes; ten times that where it shows what a person does:
     * 30,000,000 */
    uint32_t close_us;
} yt_menu_parts;

/* Where a person is: a screen, what it is about, and the row. */
typedef struct yt_menu_level {
    uint8_t screen;
    uint8_t about;
    uint16_t cursor;
} yt_menu_level;

/* The caller's memory; not to be touched. */
typedef struct yt_menu {
    const yt_menu_parts *parts;
    const struct yt_menu_calls *calibrates, *rebinds; /* else they are not linked */
    struct yt_menu_calibration *calibration;
    struct yt_menu_rebinding *rebinding;
    bool is_open, has_changed;
    bool closes;  /* once what was asked is done */
    uint8_t over; /* letters of the row that the line has no room for */
    uint8_t depth;
    yt_menu_level levels[YT_MENU_LEVELS];
    uint8_t down;    /* buttons that are down, a bit each */
    uint8_t ignored; /* of these, those that do nothing more, */
    uint8_t acted;   /* and those that did something while they were held */
    uint8_t held;    /* the button that went down last */
    uint8_t job;     /* what the flash is to do */
    uint8_t job_slot, job_other;
    bool job_begun, has_cleared;
    uint8_t letter;     /* that is changed, of a name */
    uint8_t said;       /* yt_menu_text: how it went */
    uint8_t is_pressed; /* of the tester: how many switches were on */
    bool has_tried;     /* settings were changed, and are not kept */
    yt_status status;   /* of what failed */
    uint64_t now_us;
    uint32_t held_us, touched_us, moved_us, told_us, job_us; /* their lower halves */
    uint32_t reports, reports_a_second, second_us;
    uint32_t changed[8]; /* parameters that were changed, a bit each */
    uint64_t loaded_us;  /* the program that it is about: when it was loaded, */
    uint32_t loaded;     /* its checksum, */
    uint8_t loaded_slot; /* and the slot */
    uint32_t ready_before;
    uint16_t waiting; /* the number of the host that waits for a press; 0: none does */
    char name[YT_STORE_NAME + 1];
} yt_menu;

#define YT_MENU_REBINDS 32u /* outputs that are changed before they are kept */

/* Room to calibrate in the menu: the caller's memory. */
typedef struct yt_menu_calibration {
    yt_calibrating gathering;
    yt_calibration record;
    uint8_t number; /* of the device */
    uint8_t told;   /* yt_calibrating_state, that was told by pulses */
    bool is_on;
} yt_menu_calibration;

/* Room to rebind in the menu: the caller's memory. */
typedef struct yt_menu_rebinding {
    yt_bindings bindings;
    yt_rebinding rebinding;
    yt_rebind changes[YT_MENU_REBINDS];
    uint8_t count;
    bool has_table;
    bool is_watching; /* what is pressed */
    uint16_t choice;  /* that a person has chosen, */
    uint16_t cell;    /* and for what */
    /* What was pressed when it was last looked, a bit each. */
    uint32_t active[YT_BINDING_CHOICES / 32];
} yt_menu_rebinding;

/* Begins, closed. YT_ARGUMENT: the parts make no sense. */
YT_MUST_USE yt_status yt_menu_init(yt_menu *menu, const yt_menu_parts *parts);

/* Offers to calibrate, or to rebind; each is linked only where it is called, behind yt_menu_init.
 * Calibrating takes yt_menu_parts.device. */
void yt_menu_calibrates(yt_menu *menu, yt_menu_calibration *room);
void yt_menu_rebinds(yt_menu *menu, yt_menu_rebinding *room);

/* A button, from 0 on, is down or up; each change of one, with its bouncing taken out. */
void yt_menu_button(yt_menu *menu, unsigned button, bool is_down, uint64_t now_us);

/* The same for what tells by itself what is meant: a dial, or five keys of a larger keyboard.
 * Nothing happens while it is closed. */
void yt_menu_take(yt_menu *menu, yt_menu_press press, uint64_t now_us);

/* Opens it, or closes it; what was changed and not kept counts on, until another slot runs. */
void yt_menu_open(yt_menu *menu, uint64_t now_us);
void yt_menu_close(yt_menu *menu);

/* A host waits for a press, and shows a number, 1000 to 9999 (yt_link_parts.wants_press): the
 * menu opens and asks whether that is the host that the person means. 0: none waits any more. */
void yt_menu_wants_press(yt_menu *menu, unsigned number, uint64_t now_us);

/* While it is closed nothing is to be done but to tell it of its buttons. */
static inline bool yt_menu_is_open(const yt_menu *menu) {
    return menu->is_open;
}

/* A device sent a report, with its ID in front where it uses IDs. */
void yt_menu_report(yt_menu *menu, unsigned number, const uint8_t *bytes, size_t size,
                    uint64_t now_us);

/* Goes on. Returns when it is to be called next, YT_NEVER: when a button changes. */
uint64_t yt_menu_update(yt_menu *menu, uint64_t now_us);

/* Whether the flash has something to do for it. */
bool yt_menu_is_busy(const yt_menu *menu);

/* Does a bounded part of that; else as yt_adapter_work. A firmware with a link calls it while
 * yt_menu_is_busy, in place of yt_link_work. */
YT_MUST_USE yt_status yt_menu_work(yt_menu *menu, uint64_t now_us, unsigned units, bool may_erase);

/* Whether other lines are to be shown than those that were asked for last. */
bool yt_menu_changed(yt_menu *menu);

/* A line, from 0 on: as many characters as the display has columns, UTF-8, with a 0 behind them; ""
 * while it is closed. `text` has room for YT_MENU_LINE_BYTES. */
void yt_menu_line(yt_menu *menu, unsigned line, char *text);

/* Where a cursor belongs, for displays that have one; false: nowhere. */
bool yt_menu_cursor(const yt_menu *menu, unsigned *line, unsigned *column);

#ifdef __cplusplus
}
#endif

#endif
