/* What the parts of the menu share. */
#ifndef YONDER_MENU_PARTS_H
#define YONDER_MENU_PARTS_H

#include "inlining.h"
#include "image/layout.h"
#include "yonder/menu.h"

/* ---- a line on its way ---- */

typedef struct menu_line {
    char *to;
    unsigned left;  /* characters that there is room for */
    unsigned skip;  /* characters that are left out at first */
    unsigned count; /* all that it would have */
} menu_line;

/* Puts text, which may come from anywhere: what is no UTF-8 or no letter becomes a question mark.
 */
void menu_put(menu_line *line, const char *text, size_t bytes);
void menu_put_text(menu_line *line, const char *text);
/* Bytes of a text that a 0 ends; the core takes nothing of the C library but what copies memory. */
size_t menu_length(const char *text);
/* Bytes of the letter that `text` begins with; 0: it is none that may be shown. */
unsigned menu_letter(const char *text, size_t bytes);
void menu_put_word(const yt_menu *menu, menu_line *line, unsigned word);
void menu_put_number(menu_line *line, uint32_t number);
/* A number of formulas, in its unit: as profiles write it. */
void menu_put_value(menu_line *line, yt_q16 value, yt_unit unit);
void menu_put_percent(menu_line *line, yt_q16 value);
/* An input control of the program, "keys.a": by its name where that is known. */
void menu_put_control(const yt_menu *menu, menu_line *line, unsigned control);

/* ---- screens ---- */

typedef enum menu_screen_number {
    MENU_MAIN,
    MENU_SLOTS,
    MENU_SLOT,
    MENU_COPY,
    MENU_NAME, /* `about`: a slot, or YT_NO_SLOT: the adapter */
    MENU_ADAPTER,
    MENU_RESTART,
    MENU_KEEP, /* what was changed: before it closes, or before another slot runs */
    MENU_SAID, /* how it went */
    /* From here on a person is asked: no, or that which is to be done. */
    MENU_ASKED,
    MENU_ERASE,
    MENU_OVERWRITE, /* `about`: the slot that is copied to; that of MENU_COPY is copied */
    MENU_KEEP_NAME,
    MENU_SURE, /* `about`: a row of MENU_RESTART */
    MENU_REALLY,
    MENU_LET_IN, /* the host that waits for a press */
    /* Of numbers (values.c): */
    MENU_TUNE = 24,
    MENU_PARAMETER,
    MENU_TESTER,
    MENU_SETTING, /* `about`: which of the items of MENU_ADAPTER */
    MENU_ABOUT,
    /* Of parts that are linked where they are wanted: */
    MENU_CALIBRATE = 32,
    MENU_CALIBRATING,
    MENU_KEEP_CALIBRATION,
    MENU_MAPPING = 64,
    MENU_TARGET,
    MENU_HOW
} menu_screen_number;

/* A screen: rows, of which one is the one that the cursor is at. */
typedef struct menu_screen {
    unsigned (*rows)(const yt_menu *menu);
    void (*row)(yt_menu *menu, unsigned row, menu_line *line);
    void (*choose)(yt_menu *menu, unsigned row);
    /* NULL: up and down move the cursor. Else they do this, by `by`. */
    void (*step)(yt_menu *menu, int by);
    /* NULL: it goes back. Else this, where a person goes back. */
    void (*back)(yt_menu *menu);
    bool is_live; /* what it shows changes by itself */
    bool is_list; /* its rows have a mark in front of the one with the cursor */
} menu_screen;

/* A row of a list of words. */
typedef struct menu_item {
    uint8_t word;
    uint8_t index; /* of a motor */
} menu_item;

menu_item menu_adapter_item(unsigned index);
extern const menu_screen menu_value_screens[];
void menu_choose_back(yt_menu *menu, unsigned row);

/* What a part brings that is linked where it is wanted. */
struct yt_menu_calls {
    const menu_screen *screens;
    unsigned first; /* of their numbers */
    bool (*is_offered)(const yt_menu *menu);
    void (*update)(yt_menu *menu);
    void (*report)(yt_menu *menu, unsigned number, const uint8_t *bytes, size_t size,
                   uint64_t now_us);
    /* The job of the part: as the store's calls; YT_END: not yet. */
    yt_status (*work)(yt_menu *menu);
    bool (*has_changes)(const yt_menu *menu);
    /* What was changed is no more; another program may run. */
    void (*drop)(yt_menu *menu);
    bool (*put_name)(const yt_menu *menu, menu_line *line, unsigned control);
    uint32_t (*bytes)(const yt_menu *menu); /* of flash that the job takes */
};

const menu_screen *menu_screen_of(const yt_menu *menu);

/* Microseconds since a moment whose lower half is known. */
static inline uint32_t menu_since(const yt_menu *menu, uint32_t us) {
    return (uint32_t)menu->now_us - us;
}
static inline yt_menu_level *menu_level(yt_menu *menu) {
    return &menu->levels[menu->depth];
}
static inline unsigned menu_about(const yt_menu *menu) {
    return menu->levels[menu->depth].about;
}
static inline yt_engine *menu_engine(const yt_menu *menu) {
    return menu->parts->adapter->parts->engine;
}
static inline yt_store *menu_store(const yt_menu *menu) {
    return menu->parts->adapter->parts->store;
}
static inline const yt_program *menu_program(const yt_menu *menu) {
    return yt_engine_program(menu_engine(menu));
}

static inline bool menu_is_without_display(const yt_menu *menu) {
    return menu->parts->columns == 0;
}

void menu_go(yt_menu *menu, unsigned screen, unsigned about);
void menu_back(yt_menu *menu);
/* Back to the main screen: other rows may be offered than before. */
void menu_home(yt_menu *menu);
void menu_move(yt_menu *menu, unsigned row);
/* Where only pulses tell: one for each switch that goes on. */
void menu_count_pressed(yt_menu *menu);
/* Says how something went. */
void menu_say(yt_menu *menu, unsigned word);
/* So many pulses, that can be counted. */
void menu_count(const yt_menu *menu, unsigned count);
/* Adds to a number within its range. Where there are only one or two buttons, behind its end comes
 * its other one. */
int64_t menu_stepped(const yt_menu *menu, int64_t number, int64_t by, int64_t least, int64_t most);

/* ---- what is kept ---- */

typedef enum menu_job {
    MENU_NO_JOB,
    MENU_JOB_PARAMETERS,
    MENU_JOB_SETTINGS,
    MENU_JOB_GO,
    MENU_JOB_COPY,
    MENU_JOB_ERASE,
    MENU_JOB_RENAME,
    MENU_JOB_RESET,
    MENU_JOB_CALIBRATION,
    MENU_JOB_REBIND
} menu_job;

void menu_begin_job(yt_menu *menu, menu_job job, unsigned slot, unsigned other);
/* How a call went, in words. */
void menu_say_status(yt_menu *menu, yt_status status);
/* Another program runs than before: what was changed of that one is no more. */
void menu_look_at_program(yt_menu *menu);
void menu_go_to_slot(yt_menu *menu, unsigned slot);
bool menu_has_changes(const yt_menu *menu);
/* Keeps all that was changed, then closes or goes to a slot, as it was asked. */
void menu_keep(yt_menu *menu);
void menu_drop(yt_menu *menu);
/* Nothing that is kept may be changed: an event's lock is on. It is said. */
bool menu_is_locked(yt_menu *menu);

static inline void menu_mark_changed(yt_menu *menu, unsigned parameter) {
    menu->changed[parameter / 32] |= (uint32_t)1 << parameter % 32;
}

#endif
