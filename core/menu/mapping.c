/* Rebinding in the menu: a control is pressed or stepped to, then what it shall drive. */
#include "image/code.h"
#include "menu/parts.h"

#define MOST_NAMES 4u  /* of a formula's controls that are told */
#define MOST_DEPTH 3u  /* of its steps that are followed, */
#define MOST_LOOKS 64u /* and of their instructions */
#define HALF       (YT_ONE / 2)

static const yt_binding_cell *cell_at(const yt_menu *menu, unsigned cell) {
    return &menu->rebinding->bindings.cells[cell];
}
static const yt_binding_choice *choice_at(const yt_menu *menu, unsigned choice) {
    return &menu->rebinding->bindings.choices[choice];
}
static unsigned cells(const yt_menu *menu) {
    return menu->rebinding->has_table ? menu->rebinding->bindings.header->cell_count : 0;
}
static unsigned choices(const yt_menu *menu) {
    return menu->rebinding->has_table ? menu->rebinding->bindings.header->choice_count : 0;
}

/* ---- what drives what, with what was changed and is not kept yet ---- */

static unsigned driver_of(const yt_menu *menu, unsigned cell) {
    const yt_menu_rebinding *room = menu->rebinding;
    for (unsigned i = 0; i < room->count; i++)
        if (room->changes[i].cell == cell)
            return room->changes[i].choice;
    return yt_binding_of(&room->bindings, cell);
}

/* False: there is no room for more. */
static bool rebind(yt_menu *menu, unsigned cell, unsigned choice) {
    yt_menu_rebinding *room = menu->rebinding;
    unsigned i = 0;
    while (i < room->count && room->changes[i].cell != cell)
        i++;
    if (i == YT_MENU_REBINDS)
        return false;
    if (i == room->count)
        room->count++;
    room->changes[i] = (yt_rebind){(uint16_t)cell, (uint16_t)choice};
    if (yt_binding_of(&room->bindings, cell) == choice) /* as it was */
        room->changes[i] = room->changes[--room->count];
    return true;
}

/* The same as driver_of, for one choice, without a look at all others. */
static bool is_driven_by(const yt_menu *menu, unsigned cell, unsigned choice) {
    const yt_menu_rebinding *room = menu->rebinding;
    const yt_binding_cell *at = cell_at(menu, cell);
    for (unsigned i = 0; i < room->count; i++)
        if (room->changes[i].cell == cell)
            return room->changes[i].choice == choice;
    return choice_at(menu, choice)->kind == at->kind &&
           choice_at(menu, choice)->value == yt_binding_value(&room->bindings, cell);
}

/* The first output that a control drives, from `from` on; cells(menu): none. */
static unsigned driven_by(const yt_menu *menu, unsigned choice, unsigned from) {
    while (from < cells(menu) &&
           (cell_at(menu, from)->kind == YT_BINDING_STICK_Y || !is_driven_by(menu, from, choice)))
        from++;
    return from;
}

/* ---- words ---- */

static void put_table_text(const yt_menu *menu, menu_line *line, unsigned offset, unsigned bytes) {
    menu_put(line, menu->rebinding->bindings.text + offset, bytes);
}

static void put_choice(const yt_menu *menu, menu_line *line, unsigned choice) {
    const yt_binding_choice *at = choice_at(menu, choice);
    if (choice == YT_BINDING_NONE)
        menu_put_word(menu, line, YT_MENU_NONE);
    else
        put_table_text(menu, line, at->name_offset, at->name_bytes);
}

/* A button's number, as HID counts them; and as hosts show it that count from 0. */
static void put_cell(const yt_menu *menu, menu_line *line, unsigned cell) {
    const yt_binding_cell *at = cell_at(menu, cell);
    put_table_text(menu, line, at->name_offset, at->name_bytes);
    if (at->number == 0)
        return;
    menu_put(line, " #", 2);
    menu_put_number(line, at->number);
    menu_put(line, "/", 1);
    menu_put_number(line, at->number - 1u);
}

static bool put_name(const yt_menu *menu, menu_line *line, unsigned control) {
    for (unsigned i = 1; i < choices(menu); i++)
        if (choice_at(menu, i)->control == control) {
            put_choice(menu, line, i);
            return true;
        }
    return false;
}

/* How far it is looked for what a value follows from: a program may be made to take for ever. */
typedef struct search {
    unsigned found, looks;
} search;

/* The controls that a value follows from, up to a few. */
static void put_controls(const yt_menu *menu, menu_line *line, unsigned value, unsigned depth,
                         search *search) {
    const yt_program *program = menu_program(menu);
    unsigned first = yt_first_control(program), behind = yt_first_step_value(program), step = 0;
    if (value >= first && value < behind) {
        if (search->found++ < MOST_NAMES) {
            menu_put_text(line, search->found > 1 ? ", " : " ");
            menu_put_control(menu, line, value - first);
        }
        return;
    }
    while (step < program->header->step_count && yt_step_at(program, step)->value != value)
        step++;
    if (value < behind || depth == MOST_DEPTH || step == program->header->step_count)
        return;
    for (unsigned at = yt_step_at(program, step)->code;; at++) {
        const yt_instruction *code = yt_code_at(program, at);
        if (code->code == YT_CODE_END || search->looks == MOST_LOOKS)
            return;
        search->looks++;
        if (code->code != YT_CODE_CALL && code->code != YT_CODE_HERE &&
            code->code != YT_CODE_STORE && code->operand != value &&
            code->operand < program->header->value_count && code->code != YT_CODE_NOT)
            put_controls(menu, line, code->operand, depth + 1, search);
    }
}

static void put_driver(const yt_menu *menu, menu_line *line, unsigned cell) {
    unsigned choice = driver_of(menu, cell);
    search search = {0};
    if (choice != YT_BINDING_USUAL) {
        put_choice(menu, line, choice);
        return;
    }
    menu_put_word(menu, line, YT_MENU_FORMULA);
    put_controls(menu, line, cell_at(menu, cell)->usual, 0, &search);
    if (search.found > MOST_NAMES || search.looks == MOST_LOOKS)
        menu_put(line, "...", 3);
}

/* ---- lists of some of the table's choices, or of its cells ---- */

typedef bool (*is_in)(const yt_menu *menu, unsigned index);

static unsigned count_below(const yt_menu *menu, is_in is_in, unsigned end) {
    unsigned count = 0;
    for (unsigned i = 0; i < end; i++)
        count += is_in(menu, i);
    return count;
}

static unsigned nth(const yt_menu *menu, is_in is_in, unsigned end, unsigned row) {
    unsigned i = 0;
    while (i + 1 < end && !(is_in(menu, i) && row-- == 0))
        i++;
    return i;
}

/* ---- which control ---- */

/* Of a stick, one of the two. */
static bool is_active(const yt_menu *menu, unsigned choice) {
    const yt_binding_choice *at = choice_at(menu, choice);
    yt_q16 value = yt_engine_control(menu_engine(menu), at->control);
    return at->kind == YT_SWITCH
               ? value != 0
               : value > HALF || value < -HALF ||
                     (at->kind == YT_BINDING_STICK && is_active(menu, choice + 1));
}

/* Behind the first, which is nothing; a stick's y goes with its x. */
static bool is_listed(const yt_menu *menu, unsigned choice) {
    return choice > 0 && choice_at(menu, choice)->kind != YT_BINDING_STICK_Y;
}

static unsigned choice_of_row(const yt_menu *menu, unsigned row) {
    return nth(menu, is_listed, choices(menu), row);
}

static unsigned row_of_choice(const yt_menu *menu, unsigned choice) {
    return count_below(menu, is_listed, choice);
}

static unsigned mapping_rows(const yt_menu *menu) {
    return row_of_choice(menu, choices(menu));
}

static void mapping_row(yt_menu *menu, unsigned row, menu_line *line) {
    unsigned choice = choice_of_row(menu, row), cell = driven_by(menu, choice, 0);
    put_choice(menu, line, choice);
    menu_put(line, " >", 2);
    if (cell == cells(menu))
        menu_put(line, " -", 2);
    for (; cell < cells(menu); cell = driven_by(menu, choice, cell + 1)) {
        menu_put(line, " ", 1);
        put_cell(menu, line, cell);
    }
}

static void mapping_choose(yt_menu *menu, unsigned row) {
    menu->rebinding->choice = (uint16_t)choice_of_row(menu, row);
    menu_go(menu, MENU_TARGET, 0);
}

/* ---- for what ---- */

static bool is_target(const yt_menu *menu, unsigned cell) {
    return yt_binding_fits(&menu->rebinding->bindings, cell, menu->rebinding->choice);
}

/* The first row is nothing. */
static unsigned cell_of_row(const yt_menu *menu, unsigned row) {
    return nth(menu, is_target, cells(menu), row - 1);
}

static unsigned row_of_cell(const yt_menu *menu, unsigned cell) {
    return 1 + count_below(menu, is_target, cell);
}

static unsigned target_rows(const yt_menu *menu) {
    return row_of_cell(menu, cells(menu));
}

static void target_row(yt_menu *menu, unsigned row, menu_line *line) {
    if (row == 0)
        menu_put_word(menu, line, YT_MENU_NONE);
    else
        put_cell(menu, line, cell_of_row(menu, row));
}

/* What the chosen control drives, it drives no more; but for `but`. */
static bool release_all(yt_menu *menu, unsigned but) {
    unsigned choice = menu->rebinding->choice;
    for (unsigned cell = driven_by(menu, choice, 0); cell < cells(menu);
         cell = driven_by(menu, choice, cell + 1))
        if (cell != but && !rebind(menu, cell, YT_BINDING_NONE))
            return false;
    return true;
}

static void end_rebinding(yt_menu *menu, bool good) {
    while (menu_level(menu)->screen != MENU_MAPPING && menu->depth > 0)
        menu_back(menu);
    if (!good)
        menu_say(menu, YT_MENU_FULL);
}

static void target_choose(yt_menu *menu, unsigned row) {
    if (row == 0) {
        end_rebinding(menu, release_all(menu, cells(menu)));
        return;
    }
    menu->rebinding->cell = (uint16_t)cell_of_row(menu, row);
    menu_go(menu, MENU_HOW, 0);
}

/* ---- how: what drives it now is said first ---- */

static bool is_way(const yt_menu *menu, unsigned word) {
    const yt_menu_rebinding *room = menu->rebinding;
    unsigned now = driver_of(menu, room->cell);
    switch (word) {
    case YT_MENU_SWAP:
        return now != YT_BINDING_USUAL && now != YT_BINDING_NONE && now != room->choice &&
               driven_by(menu, room->choice, 0) < cells(menu);
    case YT_MENU_AS_WRITTEN: {
        unsigned usual = cell_at(menu, room->cell)->usual;
        return now == YT_BINDING_USUAL ? false : choice_at(menu, now)->value != usual;
    }
    default:
        return true;
    }
}

/* The word of a row, or where there is none how many there are. */
static unsigned way_of(const yt_menu *menu, unsigned row, bool *is_there) {
    unsigned count = 1;
    for (unsigned word = YT_MENU_INSTEAD; word <= YT_MENU_AS_WRITTEN; word++)
        if (is_way(menu, word) && count++ == row) {
            *is_there = true;
            return word;
        }
    *is_there = false;
    return count;
}

static unsigned how_rows(const yt_menu *menu) {
    bool is_there;
    return way_of(menu, UINT32_MAX, &is_there);
}

static void how_row(yt_menu *menu, unsigned row, menu_line *line) {
    bool is_there;
    if (row > 0) {
        menu_put_word(menu, line, way_of(menu, row, &is_there));
        return;
    }
    put_cell(menu, line, menu->rebinding->cell);
    menu_put(line, ": ", 2);
    put_driver(menu, line, menu->rebinding->cell);
}

static void how_choose(yt_menu *menu, unsigned row) {
    yt_menu_rebinding *room = menu->rebinding;
    unsigned cell = room->cell, choice = room->choice, now = driver_of(menu, cell);
    bool is_there, good = true;
    unsigned word = way_of(menu, row, &is_there), first = driven_by(menu, choice, 0);
    if (row == 0 || !is_there)
        return;
    if (word == YT_MENU_AS_WRITTEN)
        choice = YT_BINDING_USUAL;
    if (word == YT_MENU_INSTEAD)
        good = release_all(menu, cell);
    if (word == YT_MENU_SWAP)
        good = rebind(menu, first, now);
    end_rebinding(menu, good && rebind(menu, cell, choice));
}

/* ---- the part ---- */

/* A control that is pressed is gone to: as what is chosen, or as what it drives. */
static void update(yt_menu *menu) {
    yt_menu_rebinding *room = menu->rebinding;
    unsigned screen = menu_level(menu)->screen, pressed = 0;
    bool was_watching = room->is_watching;
    room->is_watching = screen == MENU_MAPPING || screen == MENU_TARGET;
    if (!room->is_watching)
        return;
    for (unsigned i = choices(menu); i-- > 1;) {
        uint32_t bit = (uint32_t)1 << i % 32, *bits = &room->active[i / 32];
        bool is_on = is_listed(menu, i) && is_active(menu, i);
        if (is_on && !(*bits & bit))
            pressed = i;
        *bits = is_on ? *bits | bit : *bits & ~bit;
    }
    if (!was_watching || pressed == 0) /* what is held all the time says nothing */
        return;
    menu->touched_us = (uint32_t)menu->now_us;
    unsigned cell = driven_by(menu, pressed, 0);
    if (screen == MENU_MAPPING)
        menu_move(menu, row_of_choice(menu, pressed));
    else if (cell < cells(menu) && is_target(menu, cell))
        menu_move(menu, row_of_cell(menu, cell));
}

static YT_NEVER_INLINE uint32_t slot_bytes(const yt_menu *menu, bool both) {
    yt_slot info;
    const yt_adapter *adapter = menu->parts->adapter;
    if (adapter->slot == YT_NO_SLOT ||
        yt_store_slot(menu_store(menu), adapter->slot, &info) != YT_OK ||
        info.checksum[YT_SLOT_PROGRAM] != adapter->checksum)
        return 0;
    return info.bytes[YT_SLOT_PROGRAM] + (both ? info.bytes[YT_SLOT_TEXT] : 0);
}

static uint32_t all_bytes(const yt_menu *menu) {
    return slot_bytes(menu, true);
}

static void drop(yt_menu *menu) {
    yt_menu_rebinding *room = menu->rebinding;
    const yt_program *program = menu_program(menu);
    uint32_t bytes = program ? slot_bytes(menu, false) : 0;
    room->count = 0;
    room->is_watching = false;
    room->has_table = bytes > 0 && yt_bindings_open(&room->bindings, program, bytes) == YT_OK &&
                      room->bindings.header->cell_count > 0;
}

static bool is_offered(const yt_menu *menu) {
    return menu->rebinding->has_table && choices(menu) > 1;
}

static bool has_changes(const yt_menu *menu) {
    return menu->rebinding->count > 0;
}

static yt_status work(yt_menu *menu) {
    yt_menu_rebinding *room = menu->rebinding;
    yt_adapter *adapter = menu->parts->adapter;
    unsigned slot = adapter->slot;
    yt_status status;
    if (!menu->job_begun) {
        status = yt_rebinding_begin(&room->rebinding, &room->bindings, menu_store(menu), slot,
                                    room->changes, room->count);
        return status == YT_OK ? YT_END : status;
    }
    status = yt_rebinding_go_on(&room->rebinding);
    if (status != YT_OK)
        return status;
    bool closes = menu->closes;
    room->count = 0;
    status = yt_adapter_go(adapter, slot, menu->now_us);
    menu_look_at_program(menu);
    menu->closes = closes; /* it is what was asked for */
    return status;
}

void yt_menu_rebinds(yt_menu *menu, yt_menu_rebinding *room) {
    static const menu_screen screens[] = {
        [MENU_MAPPING - MENU_MAPPING] = {mapping_rows, mapping_row, mapping_choose, .is_live = true,
                                         .is_list = true},
        [MENU_TARGET - MENU_MAPPING] = {target_rows, target_row, target_choose, .is_live = true,
                                        .is_list = true},
        [MENU_HOW - MENU_MAPPING] = {how_rows, how_row, how_choose, .is_list = true}};
    static const struct yt_menu_calls calls = {.screens = screens,
                                               .is_offered = is_offered,
                                               .update = update,
                                               .work = work,
                                               .has_changes = has_changes,
                                               .drop = drop,
                                               .put_name = put_name,
                                               .bytes = all_bytes};
    *room = (yt_menu_rebinding){.has_table = false};
    menu->rebinding = room;
    menu->rebinds = &calls;
}
