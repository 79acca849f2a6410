/* Layers: sheets laid over the first while a condition holds.
 *
 * While formulas are read, a control in a cell is only noted as seen by that cell's layer. When all
 * are read, it is known which layers name which control, and the notes become nodes that follow the
 * rules of docs/semantics.md. */
#ifndef YONDER_COMPILER_FORMULAS_LAYERS_H
#define YONDER_COMPILER_FORMULAS_LAYERS_H

#include "compiler/formulas/lowering.h"

#define PROFILE_LAYERS 120

/* A second sheet laid over the first while a condition holds. */
typedef struct yt_layer {
    const char *name;
    const yt_part *head;      /* for messages: where it begins */
    const yt_part *condition; /* NULL: it has none, which was told */
    const yt_term *condition_term;
    const yt_part *cells;  /* NULL: it has none */
    const yt_part *copies; /* the same */
    unsigned on;           /* the node of its condition */
    bool is_bare;          /* its condition is a control and nothing else: */
    yt_program_control bare;
    yt_program_control *shared; /* controls that it names without taking */
    unsigned shared_count;
} yt_layer;

struct yt_layers {
    yt_layer *all; /* the lowest first */
    unsigned count;
};

/* Reads the heads of layers: names, conditions, what they share. May be called for several lists.
 */
void read_layers(yt_scope *scope, const yt_part *list);

/* The node of a control as the formula on its way sees it. */
unsigned layer_view(yt_lowering *lowering, yt_program_control record);

/* The node that is 1 while a layer is on or owns a press; 1 always for the sheet. */
unsigned layer_alive(const yt_scope *scope, int layer);

/* The node that is 1 while a layer is on; 1 always for the sheet. */
unsigned layer_on(const yt_scope *scope, int layer);

/* Whether a control alone is the condition of a layer. */
bool is_layer_condition(const yt_scope *scope, const yt_program_control *record);

/* The pulse that NEXT_PRESS waits for: what the layer names. */
unsigned layer_presses(const yt_scope *scope, int layer);

/* Makes nodes of all that was noted. False: said. */
bool resolve_layers(yt_scope *scope);

#endif
