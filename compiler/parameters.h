/* Parameters: numbers that can be set while the program runs, each with its range. */
#ifndef YONDER_COMPILER_PARAMETERS_H
#define YONDER_COMPILER_PARAMETERS_H

#include "compiler/lower.h"

#define PROFILE_PARAMETERS 200

/* Reads `parameters:`; inputs and outputs are read before. */
void read_parameters(scope *scope, const part *parameters);

/* The parameter of that name; NULL if there is none. */
const parameter *parameter_find(const scope *scope, const char *name, size_t length);

#endif
