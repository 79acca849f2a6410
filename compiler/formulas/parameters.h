/* Parameters: numbers that can be set while the program runs, each with its range. */
#ifndef YONDER_COMPILER_FORMULAS_PARAMETERS_H
#define YONDER_COMPILER_FORMULAS_PARAMETERS_H

#include "compiler/formulas/lowering.h"
#include "yonder/actions.h"

#define PROFILE_PARAMETERS 200
#define PROFILE_FACTS      YT_FACT_COUNT /* that the adapter tells, beside those */

/* A number that can be set while the program runs. */
typedef struct yt_parameter {
    const yt_part *key;
    yt_value value;
} yt_parameter;

struct yt_parameters {
    yt_parameter *all;
    unsigned count;
};

/* Reads `parameters:`; inputs and outputs are read before. */
void read_parameters(yt_scope *scope, const yt_part *parameters);

/* The parameter of that name; NULL if there is none. */
const yt_parameter *parameter_find(const yt_scope *scope, const char *name, size_t length);

/* What a parameter is set to, of its own unit. It sees everything and takes nothing. Nothing: an
 * error was told. */
yt_value lower_setting(yt_scope *scope, const yt_parameter *parameter, const yt_part *text,
                       const yt_term *term);

/* What the adapter tells, as in adapter.slot; `name` is without the adapter's. */
yt_value lower_fact(yt_lowering *lowering, const yt_term *term, const char *name, size_t length);

#endif
