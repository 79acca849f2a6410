/* Layers: sheets laid over the first while a condition holds.
 *
 * While formulas are read, a control in a cell is only noted as seen by that cell's layer. When all
 * are read, it is known which layers name which control, and the notes become nodes that follow the
 * rules of docs/semantics.md. */
#ifndef YONDER_COMPILER_LAYERS_H
#define YONDER_COMPILER_LAYERS_H

#include "compiler/lowering.h"

#define PROFILE_LAYERS 120

/* Reads the heads of layers: names, conditions, what they share. May be called for several lists.
 */
void read_layers(scope *scope, const part *list);

/* The node of a control as the formula on its way sees it. */
unsigned layer_view(lowering *lowering, yt_program_control record);

/* The node that is 1 while a layer is on or owns a press; 1 always for the sheet. */
unsigned layer_alive(const scope *scope, int layer);

/* The node that is 1 while a layer is on; 1 always for the sheet. */
unsigned layer_on(const scope *scope, int layer);

/* Whether a control alone is the condition of a layer. */
bool is_layer_condition(const scope *scope, const yt_program_control *record);

/* The pulse that NEXT_PRESS waits for: what the layer names. */
unsigned layer_presses(const scope *scope, int layer);

/* Makes nodes of all that was noted. False: said. */
bool resolve_layers(scope *scope);

#endif
