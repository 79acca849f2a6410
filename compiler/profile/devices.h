/* The inputs and outputs of a profile, and what is relayed between them. */
#ifndef YONDER_COMPILER_PROFILE_DEVICES_H
#define YONDER_COMPILER_PROFILE_DEVICES_H

#include "compiler/formulas/scope.h"

#define PROFILE_CONNECTORS 8

/* What an input asks of a device, as texts, until they have their places in the program's text. */
typedef struct yt_input_texts {
    const char *device_name;
    const char *serial;
} yt_input_texts;

/* Reads `inputs:`; fills the scope and the program's inputs. */
void read_inputs(yt_scope *scope, const yt_part *top, yt_input_texts *texts);

/* Reads `outputs:`, and builds their interfaces. */
void read_outputs(yt_scope *scope, const yt_part *top);

/* Reads `relays:`; outputs are built before. */
void read_relays(yt_scope *scope, const yt_part *top);

#endif
