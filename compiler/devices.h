/* The inputs and outputs of a profile, and what is relayed between them. */
#ifndef YONDER_COMPILER_DEVICES_H
#define YONDER_COMPILER_DEVICES_H

#include "compiler/lower.h"

#define PROFILE_CONNECTORS 8

/* What an input asks of a device, as texts, until they have their places in the program's text. */
typedef struct input_texts {
    const char *device_name;
    const char *serial;
} input_texts;

/* Whether an input, an output or a formula may have a key as its name: they share their names, as
 * formulas know them by nothing else. False: said. */
bool check_name(const scope *scope, const part *key);

/* Reads `inputs:`; fills the scope and the program's inputs. */
void read_inputs(scope *scope, const part *top, input_texts *texts);

/* Reads `outputs:`, and builds their interfaces. */
void read_outputs(scope *scope, const part *top);

/* Reads `relays:`; outputs are built before. */
void read_relays(scope *scope, const part *top);

#endif
