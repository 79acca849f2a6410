#include "tool/rebind_cost.h"

#include "compiler/profile/cost.h"
#include "tool/check_json.h"
#include "tool/json_text.h"
#include "yonder/rebind.h"

typedef struct rebind_cost {
    unsigned outputs, controls; /* that can be rebound, and chosen; a stick is one */
    size_t flash, memory;       /* bytes */
    uint32_t *instructions;     /* of an update, on each core */
} rebind_cost;

static size_t memory_of(const yt_program *program) {
    static const yt_port port = {.version = YT_PORT_VERSION};
    size_t bytes = yt_engine_bytes(program, &port, CHECK_POINTER_BYTES);
    for (unsigned i = 0; i < program->header->input_count; i++)
        bytes += yt_engine_device_bytes(program, (uint32_t)1 << i);
    return bytes;
}

static uint32_t more(uint32_t with, uint32_t without) {
    return with > without ? with - without : 0;
}

static rebind_cost count_listed(const yt_bindings *bindings) {
    rebind_cost cost = {0};
    for (unsigned i = 0; i < bindings->header->cell_count; i++)
        cost.outputs += bindings->cells[i].kind != YT_BINDING_STICK_Y;
    for (unsigned i = 1; i < bindings->header->choice_count; i++)
        cost.controls += bindings->choices[i].kind != YT_BINDING_STICK_Y;
    return cost;
}

/* False: nothing can be rebound. */
static bool find_cost(const profile *profile, rebind_cost *cost, uint32_t *instructions) {
    const yt_compiled *with = &profile->compiled;
    yt_bindings bindings;
    yt_messages messages;
    yt_compiled without;
    const yt_source *source = &profile->messages.sources[0];
    if (yt_bindings_open(&bindings, &with->program, with->size) != YT_OK)
        return false;
    messages_begin(&messages, source->file, source->text, source->bytes);
    bool good = compile_without_rebinds(&without, &messages);
    messages_free(&messages);
    if (!good)
        return false;
    *cost = count_listed(&bindings);
    cost->flash = with->size - without.size;
    cost->memory = memory_of(&with->program) - memory_of(&without.program);
    cost->instructions = instructions;
    for (unsigned i = 0; i < cost_core_count; i++)
        instructions[i] = more(cost_bound(&cost_cores[i], &with->program).most,
                               cost_bound(&cost_cores[i], &without.program).most);
    pool_free(&without.pool);
    return true;
}

#define MOST_CORES 16

void rebind_cost_print(const profile *profile) {
    rebind_cost cost;
    uint32_t instructions[MOST_CORES];
    if (!find_cost(profile, &cost, instructions))
        return;
    printf("    on the adapter %u of the outputs can be rebound, and %u of the controls be chosen: "
           "that takes %zu bytes stored, %zu of memory, and up to %u instructions of an update on "
           "a %s\n",
           cost.outputs, cost.controls, cost.flash, cost.memory, instructions[0],
           cost_cores[0].name);
}

json_t *rebind_cost_json(const profile *profile) {
    rebind_cost cost;
    uint32_t instructions[MOST_CORES];
    if (!find_cost(profile, &cost, instructions))
        return json_null();
    json_t *cores = json_array();
    for (unsigned i = 0; i < cost_core_count; i++)
        json_array_append_new(cores, json_pack("{s:s, s:I}", "core", cost_cores[i].name,
                                               "instructions", (json_int_t)instructions[i]));
    return json_pack("{s:i, s:i, s:I, s:I, s:o}", "outputs", (int)cost.outputs, "controls",
                     (int)cost.controls, "stored_bytes", (json_int_t)cost.flash, "memory_bytes",
                     (json_int_t)cost.memory, "costs", cores);
}
