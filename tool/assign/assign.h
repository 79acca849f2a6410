/* Setting a profile up by pressing: screens of rows, each of which can be chosen, without a word of
 * how they are drawn. A full screen, questions and answers, and two switches all work it by the
 * same few calls. */
#ifndef YONDER_TOOL_ASSIGN_H
#define YONDER_TOOL_ASSIGN_H

#include "tool/assign/shelf.h"
#include "tool/assign/draft.h"
#include "tool/assign/witness.h"
#include "tool/assign/testing.h"
#include "tool/assign/effects.h"

#define ASSIGN_LEVELS  12
#define ASSIGN_TARGETS 1024
#define ASSIGN_SOURCES 640
#define ASSIGN_KINDS   64
#define ASSIGN_TEXT    EFFECT_TEXT
#define ASSIGN_ENTRY   400 /* of what is typed */
#define ASSIGN_PRESSES 4   /* of a stick made of switches */
#define ASSIGN_CHOICES 12
#define ASSIGN_HELD    4

typedef enum assign_screen {
    SCREEN_SHEET,    /* the outputs' controls with their cells */
    SCREEN_MORE,     /* what can be done with the whole */
    SCREEN_CELL,     /* one cell */
    SCREEN_LISTEN,   /* press or move what shall drive it */
    SCREEN_CHOICES,  /* which of what that may mean */
    SCREEN_SOURCES,  /* the same from lists: an input, named formulas …, */
    SCREEN_CONTROLS, /* and one of what these have */
    SCREEN_WAYS,     /* what it shall do beside */
    SCREEN_WAY,      /* one thing that it does, and its numbers, */
    SCREEN_NUMBER,   /* and one of these, */
    SCREEN_TUNED,    /* which may be a parameter */
    SCREEN_TARGETS,  /* another cell: to copy to, to swap with; a control for a step of a macro */
    SCREEN_LAYERS,   /* all of them, */
    SCREEN_LAYER,    /* and one */
    SCREEN_PARTS,    /* what the profile has beside its sheet: */
    SCREEN_LINES,    /* one part of it, */
    SCREEN_LINE,     /* a line of that, */
    SCREEN_KINDS,    /* and which kind it may be */
    SCREEN_STEP,     /* a step of a macro */
    SCREEN_AMOUNT,   /* a number of a line */
    SCREEN_TESTS,
    SCREEN_TEST,     /* one of them */
    SCREEN_DOING,    /* what is done now is a test */
    SCREEN_FINDINGS, /* warnings, and what is not driven or used twice */
    SCREEN_BOX,      /* an adapter, and what is in its slots, */
    SCREEN_SLOT,     /* and one of them */
    SCREEN_TEXT,     /* something is typed, or put together from letters */
    SCREEN_LEAVE,    /* what to do with what is not saved */
    SCREEN_SAVE,     /* somebody else changed the file */
    SCREEN_FOUND     /* somebody's work that was not saved */
} assign_screen;

typedef enum assign_asked {
    ASKED_FORMULA,
    ASKED_SEARCH,
    ASKED_LAYER,
    ASKED_NUMBER,    /* of an effect, or of a line of the profile */
    ASKED_NAMED,     /* the name of a formula, */
    ASKED_PARAMETER, /* of a parameter that a number becomes, */
    ASKED_MACRO,     /* of a macro, */
    ASKED_LINE,      /* of a line of a part, */
    ASKED_TEST,      /* and of a test */
    ASKED_WRITTEN,   /* what a line has, */
    ASKED_AMOUNT     /* which is a number */
} assign_asked;

/* What a movement is wanted for. */
typedef enum assign_wanted {
    FOR_CELL,  /* it shall drive it */
    FOR_WAY,   /* of a way: the other control */
    FOR_LAYER, /* while it is held, a layer is on */
    FOR_LIST,  /* it goes into a list of the profile's */
    FOR_NAMED, /* a formula with a name begins with it */
    FOR_MACRO  /* it sets a macro off */
} assign_wanted;

/* What another cell, or a control, is wanted for. */
typedef enum assign_purpose { TO_COPY, TO_SWAP, TO_PRESS } assign_purpose;

/* Where a formula may stand: the cell of an output's control, or of a stick as a whole; a named
 * formula; the condition of a layer or of a macro. */
typedef struct assign_target {
    const char *name;  /* "pad.south", "named slow" */
    const char *key;   /* in its map */
    draft_place place; /* 0: the sheet of the layer that is looked at */
    bool is_output;    /* a control of an output: it is missed where nothing drives it */
    yt_formula_type type;
    unsigned number; /* of a button, from 1; 0: none */
} assign_target;

typedef struct assign_level {
    assign_screen screen;
    unsigned cursor;
} assign_level;

/* What may drive something: a control, a named formula, what lies below. */
typedef struct assign_source {
    char name[HANDS_NAME];
    yt_formula_type type;
    bool is_up;             /* of what moved: to its upper end */
    char whole[HANDS_NAME]; /* the stick, the motion or the gyro that it is a direction of; "" */
    yt_formula_type whole_type;
} assign_source;

/* What a movement may mean. */
typedef struct assign_choice {
    char words[80];
    char formula[ASSIGN_ENTRY];
} assign_choice;

typedef struct assign {
    draft draft;
    hands *hands;    /* NULL: there are no devices */
    hands *spare;    /* for those of an adapter that is talked to, where there are none; or NULL */
    testing testing; /* of the tests in it */
    shelf *shelf;    /* an adapter; NULL: there is none */
    /* An adapter is talked to, which may have to say something; NULL: it may at any time. */
    void (*aside)(bool begins);
    yt_pool pool; /* of names of controls that are listed */
    yt_pool target_pool;
    assign_target *targets;
    unsigned target_count;
    assign_level levels[ASSIGN_LEVELS];
    unsigned depth;
    unsigned layer;
    unsigned target;        /* that the screens are about */
    assign_source *sources; /* that are listed */
    unsigned source_count;
    char kinds[ASSIGN_KINDS][64]; /* that are listed */
    unsigned kind_count;
    unsigned slot;
    unsigned part, line; /* of the profile: which one, and of what it has */
    unsigned shown_layer;
    unsigned step;                 /* of a macro */
    bool adds_to_step;             /* what is chosen is pressed with it */
    char macro_when[ASSIGN_ENTRY]; /* what sets a macro off that is not there yet */
    draft_place list_place;        /* of a list that a control goes into, */
    char list_key[100];            /* and its key */
    draft_place amount_place;      /* of a number, */
    char amount_key[100];          /* and its key */
    char new_name[60]; /* of a formula, a macro, a line or a test that comes with what is asked next
                        */
    unsigned effect, number;   /* of the cell, and of the way */
    unsigned inside;           /* of which effect another one is put, from 1; 0: around all */
    const effect_kind *adding; /* a way that wants another control; NULL: none is */
    assign_purpose purpose;
    witness witness; /* of what is done for a test */
    assign_wanted wanted;
    char pressed[ASSIGN_PRESSES][100]; /* of a stick made of switches: so far */
    unsigned pressed_count;
    assign_choice choices[ASSIGN_CHOICES];
    unsigned choice_count;
    char condition[ASSIGN_ENTRY]; /* of a layer that comes with its first cell; "": there is none */
    char layer_name[60];
    assign_asked asked;
    char entry[ASSIGN_ENTRY];
    char found[ASSIGN_ENTRY]; /* what was looked for last */
    char said[DRAFT_SAID];    /* of the last call; "": nothing */
    bool is_changed;          /* there is something new to be shown */
    bool leaves;
    bool keeps; /* what was done stays in the file beside it */
} assign;

/* A row, as it is shown. */
typedef struct assign_row {
    char name[120];  /* "pad.south" */
    char number[24]; /* "1/0": a button's, as HID and hosts that count from 0 have it */
    char text[ASSIGN_TEXT];
    char now[40]; /* what it is now */
    bool is_on;
    bool is_part; /* of what the rows are about; else it is something to do */
} assign_row;

/* Begins with a profile that is there, or with a text that a new one begins with. False: said on
 * standard error. */
bool assign_begin(assign *assign, const char *path, const char *text, hands *hands);
void assign_end(assign *assign);

static inline assign_screen assign_screen_of(const assign *assign) {
    return assign->levels[assign->depth].screen;
}
static inline unsigned assign_cursor(const assign *assign) {
    return assign->levels[assign->depth].cursor;
}

/* What a screen is about, in a line, or what is asked. */
void assign_title(const assign *assign, char *text, size_t size);
unsigned assign_rows(const assign *assign);
void assign_row_of(const assign *assign, unsigned row, assign_row *shown);

/* What a person does. Behind the last row comes the first one. */
void assign_move(assign *assign, int by);
void assign_choose(assign *assign);
void assign_back(assign *assign);
/* A number so many steps on; false: the cursor is at none. */
bool assign_step(assign *assign, int by);
/* A character is typed: where a text is asked for it goes there; '\b' takes one back. */
void assign_type(assign *assign, const char *text);
/* Goes to the first row, from the next one on, that has a text in it. */
bool assign_search(assign *assign, const char *text);
void assign_undo(assign *assign);
void assign_redo(assign *assign);
void assign_save(assign *assign);
void assign_open(assign *assign, assign_screen screen);

/* Where there are no devices, an adapter that is talked to tells what is pressed. */
void assign_hear_adapter(assign *assign);

/* Whether it waits for something to be pressed or moved. */
bool assign_listens(const assign *assign);
/* Looks at the devices. */
void assign_look(assign *assign);

/* Of the control that the screens are about, or the cursor is at; NULL: there is none. */
const assign_target *assign_target_of(const assign *assign);
/* Whether the screen is about that one. */
bool assign_is_about_cell(const assign *assign);

/* The map that its line stands in. */
draft_place assign_place(const assign *assign, const assign_target *target);
/* The formula that drives it in the layer, and whether a copy does; NULL: none does. */
const char *assign_formula(const assign *assign, const assign_target *target, bool *is_copy);

#endif
