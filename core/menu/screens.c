/* The screens: what their rows say, and what choosing one does. */
#include <string.h>

#include "menu/parts.h"

#define LETTER_BYTES 4u /* of UTF-8, at most */

/* ---- lists of words, of which some are offered ---- */

static const menu_item main_items[] = {
    {YT_MENU_SLOTS, 0},     {YT_MENU_MAPPING, 0}, {YT_MENU_TUNE, 0},
    {YT_MENU_CALIBRATE, 0}, {YT_MENU_TESTER, 0},  {YT_MENU_ADAPTER, 0},
    {YT_MENU_UNLOCK, 0},    {YT_MENU_KEEP, 0},    {YT_MENU_CLOSE, 0}};
/* Where only pulses tell: the same number for the same thing, whether it is offered or not. */
static const menu_item counted_items[] = {{YT_MENU_SLOTS, 0},
                                          {YT_MENU_CALIBRATE, 0},
                                          {YT_MENU_UNLOCK, 0},
                                          {YT_MENU_TESTER, 0},
                                          {YT_MENU_CLOSE, 0}};
static const menu_item adapter_items[] = {
    {YT_MENU_BRIGHTNESS, 0}, {YT_MENU_MOTOR, 0}, {YT_MENU_MOTOR, 1},  {YT_MENU_MOTOR, 2},
    {YT_MENU_MOTOR, 3},      {YT_MENU_LOCK, 0},  {YT_MENU_START, 0},  {YT_MENU_KEEPS, 0},
    {YT_MENU_NAME, 0},       {YT_MENU_ABOUT, 0}, {YT_MENU_RESTART, 0}};
static const menu_item restart_items[] = {
    {YT_MENU_RESTART, 0}, {YT_MENU_SETUP, 0}, {YT_MENU_BOOTLOADER, 0}, {YT_MENU_FACTORY_RESET, 0}};

typedef struct items {
    const menu_item *all;
    unsigned count;
} items;
#define ITEMS(list)                                                                                \
    (items) {                                                                                      \
        list, sizeof(list) / sizeof(list)[0]                                                       \
    }

static items items_of(const yt_menu *menu, unsigned screen) {
    return screen == MENU_ADAPTER          ? ITEMS(adapter_items)
           : screen == MENU_RESTART        ? ITEMS(restart_items)
           : menu_is_without_display(menu) ? ITEMS(counted_items)
                                           : ITEMS(main_items);
}

menu_item menu_adapter_item(unsigned index) {
    return adapter_items[index];
}

static unsigned motors(const yt_menu *menu) {
    const yt_program *program = menu_program(menu);
    unsigned count = 0;
    for (unsigned i = 0; program && i < program->header->target_count; i++) {
        const yt_program_control *target = yt_target_at(program, i);
        count += target->kind == YT_LEVEL && target->from_host != YT_FOR_ADAPTER;
    }
    return count;
}

static bool is_offered(const yt_menu *menu, menu_item item) {
    const yt_adapter *adapter = menu->parts->adapter;
    const yt_program *program = menu_program(menu);
    switch (item.word) {
    case YT_MENU_MAPPING:
        return menu->rebinds && menu->rebinds->is_offered(menu);
    case YT_MENU_CALIBRATE:
        return menu->calibrates && menu->calibrates->is_offered(menu);
    case YT_MENU_TUNE:
        return program && program->header->parameter_count > 0;
    case YT_MENU_UNLOCK:
        return adapter->lock == YT_LOCK_PRESS && !adapter->is_event &&
               (!menu->parts->press || menu->waiting);
    case YT_MENU_KEEP:
        return menu_has_changes(menu);
    case YT_MENU_BRIGHTNESS:
        return adapter->slot != YT_NO_SLOT && adapter->parts->light;
    case YT_MENU_KEEPS:
        return adapter->slot != YT_NO_SLOT;
    case YT_MENU_MOTOR:
        return item.index < motors(menu);
    case YT_MENU_SETUP:
    case YT_MENU_BOOTLOADER:
        return menu->parts->restart != NULL;
    case YT_MENU_RESTART: /* of the adapter, where a reset of its settings is, too */
    default:
        return true;
    }
}

/* The `row`th of those that are offered; without one, how many there are is in `index`. */
static bool find_item(const yt_menu *menu, unsigned screen, unsigned row, unsigned *index) {
    items items = items_of(menu, screen);
    unsigned count = 0;
    bool is_counted = items.all == counted_items;
    for (unsigned i = 0; i < items.count; i++) {
        bool is_first = screen == MENU_RESTART && i == 0 && !menu->parts->restart;
        if (!is_counted && (is_first || !is_offered(menu, items.all[i])))
            continue;
        if (count++ == row) {
            *index = i;
            return true;
        }
    }
    *index = count;
    return false;
}

static unsigned item_rows(const yt_menu *menu) {
    unsigned count;
    find_item(menu, menu->levels[menu->depth].screen, UINT32_MAX, &count);
    return count;
}

static menu_item item_at(const yt_menu *menu, unsigned row) {
    unsigned screen = menu->levels[menu->depth].screen, index;
    return find_item(menu, screen, row, &index) ? items_of(menu, screen).all[index]
                                                : (menu_item){YT_MENU_CLOSE, 0};
}

static void item_row(yt_menu *menu, unsigned row, menu_line *line) {
    menu_item item = item_at(menu, row);
    unsigned word = item.word;
    if (word == YT_MENU_UNLOCK && menu->parts->adapter->is_unlocked)
        word = YT_MENU_LOCK_AGAIN;
    menu_put_word(menu, line, word);
    if (word == YT_MENU_MOTOR) {
        menu_put(line, " ", 1);
        menu_put_number(line, item.index + 1u);
    }
}

/* ---- the main screen ---- */

static void let_in(yt_menu *menu) {
    menu->waiting = 0;
    menu->parts->press(menu->parts->context);
    if (menu_is_without_display(menu))
        menu_count(menu, 2);
}

/* With a link, the host that waits; without one, all that ask the adapter whether they may. */
static void unlock(yt_menu *menu) {
    yt_adapter *adapter = menu->parts->adapter;
    if (menu->parts->press && menu_is_without_display(menu)) {
        let_in(menu);
        return;
    }
    if (menu->parts->press) {
        menu_go(menu, MENU_LET_IN, 0);
        return;
    }
    yt_adapter_unlock(adapter, !adapter->is_unlocked);
    if (menu_is_without_display(menu))
        menu_count(menu, adapter->is_unlocked ? 2 : 1);
}

void yt_menu_wants_press(yt_menu *menu, unsigned number, uint64_t now_us) {
    bool is_asked = menu->is_open && menu_level(menu)->screen == MENU_LET_IN;
    menu->now_us = now_us;
    if (is_asked && number != menu->waiting)
        menu_move(menu, 0); /* what was about to be chosen was about another host */
    menu->waiting = (uint16_t)number;
    menu->has_changed = true;
    if (number == 0 && is_asked)
        menu_back(menu);
    if (number == 0 || is_asked || menu_is_without_display(menu) || menu->job != MENU_NO_JOB)
        return;
    yt_menu_open(menu, now_us);
    menu->touched_us = (uint32_t)now_us;
    menu_go(menu, MENU_LET_IN, 0);
}

static void main_choose(yt_menu *menu, unsigned row) {
    menu_item item = item_at(menu, row);
    if (!is_offered(menu, item)) {
        menu_say(menu, YT_MENU_REFUSED);
        return;
    }
    switch (item.word) {
    case YT_MENU_SLOTS:
        menu_go(menu, MENU_SLOTS, 0);
        break;
    case YT_MENU_MAPPING:
        menu_go(menu, MENU_MAPPING, 0);
        break;
    case YT_MENU_TUNE:
        menu_go(menu, MENU_TUNE, 0);
        break;
    case YT_MENU_CALIBRATE:
        menu_go(menu, MENU_CALIBRATE, 0);
        break;
    case YT_MENU_TESTER:
        menu_go(menu, MENU_TESTER, 0);
        break;
    case YT_MENU_ADAPTER:
        menu_go(menu, MENU_ADAPTER, 0);
        break;
    case YT_MENU_UNLOCK:
        unlock(menu);
        break;
    case YT_MENU_KEEP:
        menu_keep(menu);
        break;
    default:
        yt_menu_take(menu, YT_MENU_BACK, menu->now_us);
    }
}

/* ---- slots ---- */

static unsigned slot_count(const yt_menu *menu) {
    return menu_store(menu)->slots;
}

static YT_NEVER_INLINE yt_status put_slot_name(const yt_menu *menu, unsigned slot,
                                               menu_line *line) {
    yt_slot info;
    yt_status status = yt_store_slot(menu_store(menu), slot, &info);
    if (line && status == YT_OK)
        menu_put(line, info.name, info.name_bytes);
    return status;
}

static void slots_row(yt_menu *menu, unsigned row, menu_line *line) {
    menu_put_number(line, row + 1);
    menu_put(line, menu->parts->adapter->slot == row ? "*" : " ", 1);
    yt_status status = put_slot_name(menu, row, line);
    if (status != YT_OK)
        menu_put_word(menu, line, status == YT_SLOT_EMPTY ? YT_MENU_EMPTY : YT_MENU_DAMAGED);
}

static void go_asking(yt_menu *menu, unsigned slot) {
    if (menu_has_changes(menu) && slot != menu->parts->adapter->slot)
        menu_go(menu, MENU_KEEP, slot);
    else
        menu_go_to_slot(menu, slot);
}

static void slots_choose(yt_menu *menu, unsigned row) {
    if (menu_is_without_display(menu))
        go_asking(menu, row);
    else
        menu_go(menu, MENU_SLOT, row);
}

static const uint8_t slot_words[] = {YT_MENU_GO, YT_MENU_RENAME, YT_MENU_COPY, YT_MENU_ERASE};

/* Of one that cannot be read, only erasing it is offered; of an empty one, nothing. */
static unsigned slot_first(const yt_menu *menu) {
    yt_status status = put_slot_name(menu, menu_about(menu), NULL);
    return status == YT_OK ? 0 : status == YT_SLOT_EMPTY ? 4 : 3;
}

static unsigned slot_rows(const yt_menu *menu) {
    unsigned rows = 4 - slot_first(menu);
    return rows ? rows : 1;
}

static void slot_row(yt_menu *menu, unsigned row, menu_line *line) {
    unsigned at = slot_first(menu) + row;
    menu_put_word(menu, line, at < 4 ? slot_words[at] : YT_MENU_EMPTY);
}

static YT_NEVER_INLINE void take_name(yt_menu *menu, unsigned slot) {
    yt_slot info;
    memset(menu->name, 0, sizeof menu->name);
    if (slot == YT_NO_SLOT)
        yt_adapter_name(menu->parts->adapter, menu->name);
    else if (yt_store_slot(menu_store(menu), slot, &info) == YT_OK)
        memcpy(menu->name, info.name, info.name_bytes);
    menu->letter = 0;
}

static void begin_name(yt_menu *menu, unsigned slot) {
    if (menu_is_locked(menu))
        return;
    if (slot == YT_NO_SLOT && menu->has_tried) {
        menu_go(menu, MENU_KEEP, YT_NO_SLOT); /* a setting that is set ends what was tried */
        return;
    }
    take_name(menu, slot);
    menu_go(menu, MENU_NAME, slot);
}

static void slot_choose(yt_menu *menu, unsigned row) {
    unsigned slot = menu_about(menu);
    switch (slot_first(menu) + row) {
    case 0:
        go_asking(menu, slot);
        break;
    case 1:
        begin_name(menu, slot);
        break;
    case 2:
        menu_go(menu, MENU_COPY, slot);
        break;
    case 3:
        menu_go(menu, MENU_ERASE, slot);
        break;
    default:
        menu_back(menu);
    }
}

static void copy_choose(yt_menu *menu, unsigned row) {
    unsigned slot = menu_about(menu);
    if (row == slot || menu_is_locked(menu))
        return;
    if (put_slot_name(menu, row, NULL) == YT_SLOT_EMPTY)
        menu_begin_job(menu, MENU_JOB_COPY, slot, row);
    else
        menu_go(menu, MENU_OVERWRITE, row);
}

/* ---- what is asked: no, or that which is to be done ---- */

static unsigned two_rows(const yt_menu *menu) {
    (void)menu;
    return 2;
}

static unsigned asked_word(const yt_menu *menu) {
    switch (menu->levels[menu->depth].screen) {
    case MENU_ERASE:
        return YT_MENU_ERASE;
    case MENU_OVERWRITE:
        return YT_MENU_COPY;
    case MENU_SURE:
        return menu_about(menu);
    case MENU_REALLY:
        return YT_MENU_REALLY;
    case MENU_LET_IN:
        return YT_MENU_YES;
    default:
        return YT_MENU_KEEP;
    }
}

static void ask_row(yt_menu *menu, unsigned row, menu_line *line) {
    if (menu_level(menu)->screen == MENU_LET_IN) {
        menu_put_number(line, menu->waiting);
        menu_put(line, " ", 1);
    }
    menu_put_word(menu, line, row == 0 ? YT_MENU_NO : asked_word(menu));
}

static void restart(yt_menu *menu, unsigned word) {
    const yt_menu_parts *parts = menu->parts;
    if (word == YT_MENU_FACTORY_RESET) {
        menu_go(menu, MENU_REALLY, 0);
        return;
    }
    yt_menu_close(menu);
    parts->restart(parts->context, word == YT_MENU_SETUP        ? YT_MENU_RESTARTS_IN_SETUP
                                   : word == YT_MENU_BOOTLOADER ? YT_MENU_RESTARTS_IN_BOOTLOADER
                                                                : YT_MENU_RESTARTS);
}

static void trim_name(yt_menu *menu) {
    size_t size = menu_length(menu->name);
    while (size > 0 && menu->name[size - 1] == ' ')
        menu->name[--size] = 0;
}

static void ask_choose(yt_menu *menu, unsigned row) {
    unsigned screen = menu_level(menu)->screen, about = menu_about(menu);
    if (row == 0) {
        menu_back(menu);
        if (screen == MENU_KEEP_NAME)
            menu_back(menu);
        return;
    }
    if (screen != MENU_SURE && screen != MENU_LET_IN && menu_is_locked(menu))
        return;
    switch (screen) {
    case MENU_ERASE:
        menu_begin_job(menu, MENU_JOB_ERASE, about, 0);
        break;
    case MENU_OVERWRITE:
        menu_begin_job(menu, MENU_JOB_COPY, menu->levels[menu->depth - 1].about, about);
        break;
    case MENU_SURE:
        restart(menu, about);
        break;
    case MENU_REALLY:
        menu_begin_job(menu, MENU_JOB_RESET, 0, 0);
        break;
    case MENU_LET_IN:
        let_in(menu);
        menu_back(menu);
        break;
    default:
        trim_name(menu);
        menu_begin_job(menu, MENU_JOB_RENAME, about, 0);
    }
}

/* ---- a name, letter by letter ---- */

/* Bytes up to the next letter; what is none goes byte by byte. 0: at the end. */
static unsigned letter_size(const char *letter) {
    size_t left = 0;
    while (left < LETTER_BYTES && letter[left])
        left++;
    unsigned size = menu_letter(letter, left);
    return left > 0 && size == 0 ? 1 : size;
}

/* Where the letter that is changed begins; behind the last one there is one more, a space. */
static char *letter_at(yt_menu *menu) {
    char *at = menu->name;
    for (unsigned i = 0; i < menu->letter; i++)
        at += letter_size(at);
    return at;
}

static unsigned one_row(const yt_menu *menu) {
    (void)menu;
    return 1;
}

static void name_row(yt_menu *menu, unsigned row, menu_line *line) {
    const char *at = letter_at(menu);
    unsigned size = letter_size(at);
    (void)row;
    menu_put(line, menu->name, (size_t)(at - menu->name));
    menu_put(line, "[", 1);
    menu_put(line, size ? at : " ", size ? size : 1);
    menu_put(line, "]", 1);
    menu_put_text(line, at + size);
}

static void name_step(yt_menu *menu, int by) {
    const char *letters = menu->parts->texts->letters, *next = letters, *last = letters, *old;
    char *at = letter_at(menu);
    size_t left = menu_length(menu->name), size = letter_size(at);
    for (old = letters; *old; old += letter_size(old)) {
        last = old;
        if (size ? letter_size(old) == size && memcmp(old, at, size) == 0 : *old == ' ')
            break;
        next = old;
    }
    if (!*old)
        next = letters; /* none of them: the first */
    else if (by > 0)
        next = *(old + letter_size(old)) ? old + letter_size(old) : letters;
    else if (old == letters) /* from the first one to the last */
        for (next = last; *(next + letter_size(next));)
            next += letter_size(next);
    size_t new_size = letter_size(next);
    if (left - size + new_size > YT_STORE_NAME)
        return;
    memmove(at + new_size, at + size, left - size - (size_t)(at - menu->name) + 1);
    memcpy(at, next, new_size);
    menu->has_changed = true;
}

static void name_choose(yt_menu *menu, unsigned row) {
    (void)row;
    bool is_last = *letter_at(menu) == 0 || menu_length(menu->name) == YT_STORE_NAME;
    menu->letter = is_last && *(letter_at(menu) + letter_size(letter_at(menu))) == 0
                       ? 0
                       : (uint8_t)(menu->letter + 1);
}

static void name_back(yt_menu *menu) {
    unsigned slot = menu_about(menu);
    menu_back(menu);
    if (menu->is_open)
        menu_go(menu, MENU_KEEP_NAME, slot);
}

/* ---- the adapter ---- */

static void adapter_choose(yt_menu *menu, unsigned row) {
    unsigned index = 0;
    if (!find_item(menu, MENU_ADAPTER, row, &index))
        return;
    switch (adapter_items[index].word) {
    case YT_MENU_NAME:
        begin_name(menu, YT_NO_SLOT);
        break;
    case YT_MENU_ABOUT:
        menu_go(menu, MENU_ABOUT, 0);
        break;
    case YT_MENU_RESTART:
        menu_go(menu, MENU_RESTART, 0);
        break;
    default:
        menu_go(menu, MENU_SETTING, index);
    }
}

/* ---- restart ---- */

static void restart_choose(yt_menu *menu, unsigned row) {
    if (menu_has_changes(menu))
        menu_go(menu, MENU_KEEP, YT_NO_SLOT); /* it would be lost */
    else
        menu_go(menu, MENU_SURE, item_at(menu, row).word);
}

/* ---- keep, or drop ---- */

static unsigned three_rows(const yt_menu *menu) {
    (void)menu;
    return 3;
}

static void keep_row(yt_menu *menu, unsigned row, menu_line *line) {
    menu_put_word(menu, line, YT_MENU_KEEP + row);
}

static void keep_back(yt_menu *menu) {
    menu->closes = false;
    menu_back(menu);
}

static void keep_choose(yt_menu *menu, unsigned row) {
    unsigned slot = menu_about(menu);
    if (row == 0) {
        menu_keep(menu);
        return;
    }
    if (row == 2) {
        keep_back(menu);
        return;
    }
    menu_drop(menu);
    if (menu->closes)
        yt_menu_close(menu);
    else if (slot != YT_NO_SLOT)
        menu_go_to_slot(menu, slot);
    else
        menu_home(menu);
}

/* ---- how it went ---- */

void menu_choose_back(yt_menu *menu, unsigned row) {
    (void)row;
    menu_back(menu);
}

static void said_row(yt_menu *menu, unsigned row, menu_line *line) {
    (void)row;
    menu_put_word(menu, line, menu->said);
    if (menu->said != YT_MENU_ERROR)
        return;
    menu_put(line, " ", 1);
    menu_put_number(line, menu->status);
}

void menu_say(yt_menu *menu, unsigned word) {
    menu->said = (uint8_t)word;
    if (menu_is_without_display(menu))
        menu_count(menu, word == YT_MENU_DONE ? 2 : 6);
    else
        menu_go(menu, MENU_SAID, 0);
}

static const menu_screen screens[MENU_ASKED + 1] = {
    [MENU_MAIN] = {item_rows, item_row, main_choose, .is_list = true},
    [MENU_SLOTS] = {slot_count, slots_row, slots_choose, .is_list = true},
    [MENU_SLOT] = {slot_rows, slot_row, slot_choose, .is_list = true},
    [MENU_COPY] = {slot_count, slots_row, copy_choose, .is_list = true},
    [MENU_NAME] = {one_row, name_row, name_choose, name_step, name_back, .is_list = false},
    [MENU_ADAPTER] = {item_rows, item_row, adapter_choose, .is_list = true},
    [MENU_RESTART] = {item_rows, item_row, restart_choose, .is_list = true},
    [MENU_KEEP] = {three_rows, keep_row, keep_choose, .back = keep_back, .is_list = true},
    [MENU_SAID] = {one_row, said_row, menu_choose_back, .is_list = false},
    [MENU_ASKED] = {two_rows, ask_row, ask_choose, .is_list = true}};

const menu_screen *menu_screen_of(const yt_menu *menu) {
    unsigned screen = menu->levels[menu->depth].screen;
    if (screen >= MENU_MAPPING)
        return &menu->rebinds->screens[screen - MENU_MAPPING];
    if (screen >= MENU_CALIBRATE)
        return &menu->calibrates->screens[screen - MENU_CALIBRATE];
    if (screen >= MENU_TUNE)
        return &menu_value_screens[screen - MENU_TUNE];
    return &screens[screen > MENU_ASKED ? MENU_ASKED : screen];
}
