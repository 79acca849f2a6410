/* What is on an adapter: its slots against the profile, tried, kept, taken back. */
#include "tool/assign/listening.h"
#include "tool/assign/parts.h"

#include <string.h>

typedef bool shelf_call(shelf *shelf, profile *profile, unsigned slot);

/* Does something with the adapter, which may ask for a press meanwhile. */
static bool with_shelf(assign *assign, shelf_call *call, unsigned slot, const char *done) {
    shelf *shelf = assign->shelf;
    profile *profile = &assign->draft.rewriting.profile;
    char said[DRAFT_SAID] = "the adapter did not take it, or there is none";
    bool good;
    if (!shelf->is_open || shelf->holder.is_linked) {
        if (assign->aside)
            assign->aside(true);
        good = call(shelf, profile, slot);
        if (assign->aside)
            assign->aside(false);
    } else {
        listening listening;
        begin_listening(&listening);
        good = call(shelf, profile, slot);
        end_listening(&listening, said, sizeof said);
    }
    assign_say(assign, good ? done : said);
    return good;
}

static bool look(shelf *shelf, profile *profile, unsigned slot) {
    (void)slot;
    return shelf_open(shelf) && shelf_look(shelf, profile);
}

static bool put_it(shelf *shelf, profile *profile, unsigned slot) {
    return shelf_put(shelf, profile, slot);
}

static bool try_it(shelf *shelf, profile *profile, unsigned slot) {
    (void)slot;
    return shelf_try(shelf, profile);
}

static bool take_back(shelf *shelf, profile *profile, unsigned slot) {
    (void)slot;
    return shelf_take_back(shelf) && shelf_look(shelf, profile);
}

/* What was tried is in that slot from now on, and runs. */
static bool keep(shelf *shelf, profile *profile, unsigned slot) {
    bool runs = shelf->tries;
    if (!shelf_put(shelf, profile, slot))
        return false;
    if (!runs)
        return true;
    shelf->before = slot;
    return shelf_take_back(shelf) && shelf_look(shelf, profile);
}

/* What is pressed is told only after a press on the adapter, which is asked for. */
void assign_hear_adapter(assign *assign) {
    if (assign->hands || !assign->spare || !assign->shelf->is_open ||
        !assign->shelf->holder.is_linked)
        return;
    if (assign->aside)
        assign->aside(true);
    if (hands_begin_adapter(assign->spare, draft_compiled(&assign->draft), &assign->shelf->holder))
        assign->hands = assign->spare;
    else
        assign_say(assign, "the adapter does not tell what is pressed");
    if (assign->aside)
        assign->aside(false);
}

void assign_open_box(assign *assign) {
    if (!assign->shelf) {
        assign_say(assign, "there is no adapter here");
    } else if (with_shelf(assign, look, 0, "")) {
        assign_open(assign, SCREEN_BOX);
        assign_hear_adapter(assign);
    }
}

/* ---- all slots ---- */

static unsigned slots_of(const assign *assign) {
    return assign->shelf->holder.slots < SHELF_SLOTS ? assign->shelf->holder.slots : SHELF_SLOTS;
}

static void box_title(const assign *assign, char *text, size_t size) {
    snprintf(text, size, "%s%s", assign->shelf->holder.path,
             assign->shelf->tries ? " (this is tried there)" : "");
}

static unsigned box_rows(const assign *assign) {
    return slots_of(assign) + 2;
}

static void box_row(const assign *assign, unsigned row, assign_row *shown) {
    const shelf *shelf = assign->shelf;
    static const char *const words[] = {[SHELF_EMPTY] = "empty",
                                        [SHELF_SAME] = "holds this",
                                        [SHELF_OTHER] = "holds something else"};
    if (row == 0) {
        put_text(shown->text, sizeof shown->text,
                 shelf->tries ? "take it back: the adapter is as it was"
                              : "try it, without keeping it");
    } else if (row <= slots_of(assign)) {
        unsigned slot = row - 1;
        snprintf(shown->name, sizeof shown->name, "slot %u%s", row,
                 slot == shelf->active ? " *" : "");
        snprintf(shown->text, sizeof shown->text, "%s%s%s",
                 shelf->tries && slot == shelf->tried ? "where it is tried"
                                                      : words[shelf->states[slot]],
                 *shelf->names[slot] ? ": " : "", shelf->names[slot]);
        shown->is_part = true;
    } else {
        put_text(shown->text, sizeof shown->text, "back");
    }
}

static void box_choose(assign *assign, unsigned row) {
    if (row == 0 && assign->shelf->tries)
        with_shelf(assign, take_back, 0, "taken back");
    else if (row == 0)
        with_shelf(assign, try_it, 0, "the adapter runs it, until it is taken back");
    else if (row > slots_of(assign))
        assign_back(assign);
    else if (assign->shelf->states[row - 1] == SHELF_SAME && !assign->shelf->tries)
        assign_say(assign, "it holds this already");
    else {
        assign->slot = row - 1;
        assign_open(assign, SCREEN_SLOT);
    }
}

const assign_shown assign_box_screen = {box_title, box_rows, box_row, box_choose, NULL};

/* ---- one of them ---- */

/* Whether something else than this is in the slot. */
static bool is_other(const assign *assign) {
    const shelf *shelf = assign->shelf;
    bool is_tried = shelf->tries && shelf->tried == assign->slot;
    return shelf->states[assign->slot] == SHELF_OTHER && !is_tried;
}

static void slot_title(const assign *assign, char *text, size_t size) {
    const shelf *shelf = assign->shelf;
    snprintf(text, size, "slot %u%s%s", assign->slot + 1,
             is_other(assign) ? " holds something else: " : "",
             is_other(assign) ? shelf->names[assign->slot] : "");
}

static unsigned slot_rows(const assign *assign) {
    (void)assign;
    return 2;
}

static void slot_row(const assign *assign, unsigned row, assign_row *shown) {
    put_text(shown->text, sizeof shown->text,
             row == 0           ? "back"
             : is_other(assign) ? "keep it there, and what is there is lost"
                                : "keep it there");
}

static void slot_choose(assign *assign, unsigned row) {
    assign_back(assign);
    if (row > 0 && assign->shelf->tries && assign->slot == assign->shelf->tried) {
        if (with_shelf(assign, put_it, assign->slot, "kept"))
            assign->shelf->tries = false;
    } else if (row > 0) {
        with_shelf(assign, keep, assign->slot, "kept");
    }
}

const assign_shown assign_slot_screen = {slot_title, slot_rows, slot_row, slot_choose, NULL};
