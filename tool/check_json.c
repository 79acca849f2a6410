#include "tool/check_json.h"

#include "compiler/formulas/chords.h"
#include "compiler/profile/cost.h"
#include "compiler/profile/rules.h"
#include "tool/json_text.h"
#include "yonder/abilities.h"
#include "yonder/groups.h"

/* The names of what a bit each stands for. */
static json_t *names_of(uint32_t bits, unsigned count, const char *(*name)(unsigned number)) {
    json_t *list = json_array();
    for (unsigned i = 0; i < count; i++)
        if (bits >> i & 1)
            json_array_append_new(list, json_text(name(i)));
    return list;
}

json_t *groups_of(uint32_t groups) {
    return names_of(groups, YT_GROUPS, yt_group_name);
}

json_t *abilities_of(uint32_t abilities) {
    return names_of(abilities, YT_ABILITY_COUNT, yt_ability_name);
}

static json_t *memory_of(const yt_program *program) {
    static const yt_port port = {.version = YT_PORT_VERSION};
    json_t *memory = json_object(), *inputs = json_array();
    json_object_set_new(
        memory, "engine_bytes",
        json_integer((json_int_t)yt_engine_bytes(program, &port, CHECK_POINTER_BYTES)));
    for (unsigned i = 0; i < program->header->input_count; i++) {
        json_t *one = json_object();
        json_object_set_new(one, "input",
                            json_text_of(program->text + program->inputs[i].name_offset,
                                         program->inputs[i].name_bytes));
        json_object_set_new(
            one, "device_bytes",
            json_integer((json_int_t)yt_engine_device_bytes(program, (uint32_t)1 << i)));
        json_array_append_new(inputs, one);
    }
    json_object_set_new(memory, "inputs", inputs);
    json_object_set_new(memory, "attaching_bytes",
                        json_integer((json_int_t)yt_engine_spare_bytes(program)));
    return memory;
}

static json_t *costs_of(const yt_compiled *compiled) {
    json_t *list = json_array();
    for (unsigned i = 0; compiled->input_count > 0 && i < cost_core_count; i++) {
        yt_cost_bounds bounds = cost_bound(&cost_cores[i], &compiled->program);
        json_t *one = json_object();
        json_object_set_new(one, "core", json_text(cost_cores[i].name));
        json_object_set_new(one, "clock_mhz", json_integer(cost_cores[i].clock_mhz));
        json_object_set_new(one, "instructions", json_integer(bounds.most));
        json_object_set_new(one, "instructions_all_keys", json_integer(bounds.all_keys));
        json_object_set_new(one, "input", json_text(compiled->inputs[bounds.input].name));
        json_array_append_new(list, one);
    }
    return list;
}

json_t *program_as_json(const yt_program *program, size_t stored, const yt_compiled *compiled) {
    const yt_program_header *header = program->header;
    json_t *one = json_object();
    json_object_set_new(one, "bytes", json_integer((json_int_t)stored));
    json_object_set_new(one, "inputs", json_integer(header->input_count));
    json_object_set_new(one, "outputs", json_integer(header->output_count));
    json_object_set_new(one, "controls", json_integer(header->control_count));
    json_object_set_new(one, "steps", json_integer(header->step_count));
    json_object_set_new(one, "memory", memory_of(program));
    json_object_set_new(one, "groups", groups_of(header->groups));
    json_object_set_new(one, "abilities", abilities_of(header->abilities));
    json_object_set_new(one, "costs", compiled ? costs_of(compiled) : json_array());
    return one;
}

json_t *held_of(const yt_compiled *compiled) {
    const struct yt_whole_chords *chords = compiled->scope->chords;
    json_t *list = json_array();
    for (unsigned i = 0; i < chords->count; i++) {
        json_t *one = json_object(), *controls = json_array();
        for (unsigned k = 0; k < chords->held_count; k++)
            if (chords->held[k].chord == &chords->all[i])
                json_array_append_new(controls, json_text(chords->held[k].name));
        json_object_set_new(one, "controls", controls);
        json_object_set_new(one, "later_us", json_integer(chords->all[i].within));
        json_object_set_new(one, "line", json_integer(chords->all[i].part->place.line));
        if (json_array_size(controls) > 0)
            json_array_append(list, one);
        json_decref(one);
    }
    return list;
}

json_t *typed_of(profile *profile) {
    unsigned count;
    const yt_typed_key *keys = typed_keys(&profile->compiled, &count);
    json_t *list = json_array();
    for (unsigned i = 0; i < count; i++) {
        const char *file = profile->messages.sources[keys[i].place.source].file;
        json_t *one = json_object();
        json_object_set_new(one, "key", json_text(keys[i].key));
        json_object_set_new(one, "by", json_text(keys[i].by));
        json_object_set_new(one, "is_macro", json_boolean(keys[i].is_macro));
        json_object_set_new(one, "file", json_text(file));
        json_object_set_new(one, "line", json_integer(keys[i].place.line));
        json_array_append_new(list, one);
    }
    return list;
}

json_t *messages_as_json(const yt_messages *messages) {
    json_t *list = json_array();
    for (int i = 0; i < messages->shown; i++) {
        const yt_finding *finding = &messages->list[i];
        json_t *one = json_object();
        json_object_set_new(one, "file", json_text(messages->sources[finding->place.source].file));
        json_object_set_new(one, "line", json_integer(finding->place.line));
        json_object_set_new(one, "column", json_integer(finding->place.column));
        json_object_set_new(one, "width", json_integer(finding->place.width));
        json_object_set_new(one, "is_warning", json_boolean(finding->is_warning));
        json_object_set_new(one, "text", json_text(finding->text));
        json_array_append_new(list, one);
    }
    return list;
}
