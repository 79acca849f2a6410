/* A second, slow model of layers, written from the rules of docs/semantics.md alone. It looks at
 * everything, each millisecond and after each report. */
#ifndef YONDER_TESTS_LAYERS_MODEL_H
#define YONDER_TESTS_LAYERS_MODEL_H

#include <stdbool.h>
#include <stdint.h>

#define LAYERS  5 /* with the sheet, which is the lowest */
#define OUTPUTS 4
#define KEYS    10 /* six keys, two keys that are conditions more often, two buttons of the ball */
#define PARTS   9  /* of a formula */

typedef enum form { KEY, NOT, AND, OR, TOGGLE, TURBO, HOLD, TAP, CHORD, NEXT_PRESS, BELOW } form;

#define HALF_MS   2 /* of a turbo's period */
#define HOLD_MS   4
#define WITHIN_MS 3
#define TAP_ON_MS 3
#define NEVER_MS  (-1000000)

/* A formula's part and, of a function, what it remembers. */
typedef struct part_of {
    form form;
    int key;
    int first, second; /* operands: places in the formula's parts */
    bool was_on[2];
    long since[2]; /* when it was pressed, in milliseconds */
    long fired;
    bool value;
    bool has_changed; /* of a key: in this update, as far as this formula sees it */
} part_of;

typedef struct formula_of {
    part_of parts[PARTS];
    int count; /* 0: there is no cell; the last part is the whole */
    bool is_none;
} formula_of;

typedef struct model {
    int layers;
    formula_of conditions[LAYERS];
    formula_of cells[LAYERS][OUTPUTS];
    int axis[LAYERS]; /* 0: no cell; 1 slate.x, 2 0 - slate.x, 3 below * 50%, 4 none */
    int shared[LAYERS];
    bool axis_shared[LAYERS];
    /* What goes on: */
    long now;
    bool raw[KEYS], was_raw[KEYS];
    int owner[KEYS]; /* -1: it is up */
    bool on[LAYERS], alive[LAYERS];
    bool next_over; /* a layer for the next press has had it */
    int driver[LAYERS + 1][OUTPUTS];
    bool driven[LAYERS + 1][OUTPUTS]; /* by the layers below a number */
    int32_t slate, axis_value;
    bool leaving[2]; /* keyboard, ball: in this update */
} model;

/* Whether a layer's cells name a key. */
bool model_names_key(const model *model, int layer, int key);

/* One update. A layer for the next press that has had it ends right behind it. */
void update_model(model *model);

#endif
