/* What comes in and goes out at an adapter that is talked to, by the names of the profile whose
 * program runs there. */
#ifndef YONDER_TOOL_ADAPTER_VALUES_H
#define YONDER_TOOL_ADAPTER_VALUES_H

#include "tool/adapter_names.h"
#include "tool/adapter_tune.h"

#define ADAPTER_SHOWN  800
#define ADAPTER_VALUES 2048

typedef struct adapter_values {
    holder *holder;
    tuned_program tuned;
    profile profile; /* whose text the slot keeps; without one nothing has a name */
    bool has_profile;
    char slot_name[YT_STORE_NAME + 1];
    named_value shown[ADAPTER_SHOWN];
    size_t count; /* of these */
    int32_t values[ADAPTER_VALUES];
    bool other_runs; /* another program by now: end, and begin anew */
} adapter_values;

/* What runs now. False: said on standard error, and it is to be ended all the same. */
bool adapter_values_begin(adapter_values *values, holder *holder);
void adapter_values_end(adapter_values *values);

/* Asks for all of them. False: said on standard error. */
bool adapter_values_read(adapter_values *values);

/* The value of what is shown, in 65536ths. */
int32_t adapter_value(const adapter_values *values, size_t i);

#endif
