#include "compiler/profile/compile.h"
#include "compiler/reading/keys.h"

#include <string.h>

#include "compiler/formulas/camera.h"
#include "compiler/formulas/chords.h"
#include "compiler/formulas/layers.h"
#include "compiler/formulas/named.h"
#include "compiler/formulas/parameters.h"
#include "compiler/formulas/sequences.h"
#include "compiler/profile/cells.h"
#include "compiler/profile/copy.h"
#include "compiler/profile/devices.h"
#include "compiler/profile/profile_tests.h"
#include "compiler/profile/rebinds.h"
#include "image/check.h"

typedef struct yt_compiling {
    yt_scope scope;
    yt_build build;
    struct yt_profile_devices devices;
    struct yt_named_formulas named;
    struct yt_parameters parameters;
    struct yt_camera camera;
    struct yt_layers layers;
    struct yt_macros macros;
    struct yt_whole_chords chords;
    struct yt_lowered_terms terms;
    struct yt_cell_records cells;
    struct yt_copy_records copies;
    struct yt_rebinds rebinds;
    yt_messages *messages;
    yt_pool *pool;
    bool leaves_rebinds;
    const char *name;
    yt_input_texts texts[PROFILE_INPUTS];
} yt_compiling;

static const char *const top_keys[] = {"yonder",     "name",   "include", "inputs", "outputs",
                                       "relays",     "named",  "copy",    "sheet",  "layers",
                                       "parameters", "camera", "macros",  "rebind", "tests"};

static void check_top(const yt_compiling *compiling, const yt_part *top) {
    size_t known = sizeof top_keys / sizeof top_keys[0];
    for (const yt_part *key = top->first; key; key = key->next->next)
        if (!is_among(key->text, top_keys, known))
            unknown_key(compiling->messages, key, top_keys, known);
    const yt_part *version = find_value(top, "yonder");
    if (!version)
        messages_add(compiling->messages, top->place, "a profile begins with the line: yonder: 1");
    else if (version->kind != PART_TEXT || strcmp(version->text, "1") != 0)
        messages_add(compiling->messages, version->place,
                     "this version of yonder reads profiles of version 1; write: yonder: 1");
}

static void read_name(yt_compiling *compiling, const yt_part *top) {
    const yt_part *name = find_value(top, "name");
    compiling->name = "";
    if (!name || !check_kind(compiling->messages, name, PART_TEXT, "the name is a text"))
        return;
    if (name->bytes > NAME_BYTES)
        messages_add(compiling->messages, name->place, "the name is longer than %d bytes",
                     NAME_BYTES);
    compiling->name = name->text;
}

/* The text of the program, as it grows. */
typedef struct yt_names {
    char *text;
    unsigned bytes;
} yt_names;

static void append_name(yt_names *names, const char *name, uint16_t *offset, uint8_t *length) {
    *offset = 0;
    *length = 0;
    if (!name)
        return;
    *offset = (uint16_t)names->bytes;
    *length = (uint8_t)strlen(name);
    memcpy(names->text + names->bytes, name, *length);
    names->bytes += *length;
}

static void collect_names(yt_compiling *compiling) {
    yt_build *build = &compiling->build;
    yt_names names = {.text = pool_take(compiling->pool, (2 + 3 * PROFILE_INPUTS + PROFILE_OUTPUTS +
                                                          compiling->parameters.count) *
                                                             128)};
    uint16_t start;
    uint8_t length;
    append_name(&names, compiling->name, &start, &length);
    build->name_bytes = length;
    for (unsigned i = 0; i < build->input_count; i++) {
        yt_program_input *input = &build->inputs[i];
        append_name(&names, compiling->devices.inputs[i].name, &input->name_offset,
                    &input->name_bytes);
        append_name(&names, compiling->texts[i].device_name, &input->device_name_offset,
                    &input->device_name_bytes);
        append_name(&names, compiling->texts[i].serial, &input->serial_offset,
                    &input->serial_bytes);
    }
    for (unsigned i = 0; i < build->output_count; i++)
        append_name(&names, compiling->devices.outputs[i].name, &build->outputs[i].name_offset,
                    &build->outputs[i].name_bytes);
    for (unsigned i = 0; i < compiling->parameters.count; i++)
        append_name(&names, compiling->parameters.all[i].key->text,
                    &build->parameters[i].name_offset, &build->parameters[i].name_bytes);
    build->text = names.text;
    build->text_bytes = names.bytes;
}

/* The header says what the check finds. */
static void tell_abilities(yt_program_header *header, size_t size) {
    yt_checking checking;
    bool done = false;
    if (yt_checking_begin(&checking, header, size) != YT_OK ||
        yt_checking_go_on(&checking, UINT16_MAX * 64u, &done) != YT_PROGRAM_ABILITY)
        return;
    header->abilities = yt_checking_abilities(&checking);
    header->checksum = yt_checksum_between(0, (const uint8_t *)header, 16, size);
}

static bool make_image(yt_compiling *compiling, yt_compiled *compiled) {
    yt_program program;
    collect_names(compiling);
    compiled->image = build_image(&compiling->build, &compiled->size);
    if (!compiled->image) {
        messages_add(compiling->messages, (yt_text_place){0, 0, 1, 0},
                     "the program would be longer than %u bytes", YT_PROGRAM_BYTES);
        return false;
    }
    tell_abilities((yt_program_header *)compiled->image, compiled->size);
    yt_status status = yt_program_check(&program, compiled->image, compiled->size);
    if (status == YT_OK)
        compiled->image = rebinds_append(&compiling->scope, compiled->image, &compiled->size);
    if (status != YT_OK)
        messages_add(compiling->messages, (yt_text_place){0, 0, 1, 0},
                     "the compiler made a program that its own check refuses (%d); please report "
                     "this profile",
                     status);
    return compiling->messages->count == 0;
}

typedef void yt_read_part(yt_scope *scope, const yt_part *part);

/* A key of each file that has it, in their order. */
static void read_each(yt_scope *scope, const yt_files *files, const char *key, yt_read_part *read) {
    for (unsigned i = 0; i < files->count; i++)
        if (find_value(files->tops[i], key))
            read(scope, find_value(files->tops[i], key));
}

/* Lines that begin with a letter and a colon: a HID recording, or its comment in front. */
static bool is_recording(const char *text, size_t bytes) {
    const char *end = text + bytes;
    while (text < end && (*text == '#' || *text == '\n')) {
        while (text < end && *text != '\n')
            text++;
        text += text < end;
    }
    return end - text > 3 && memchr("DNPIR", text[0], 5) && text[1] == ':' && text[2] == ' ';
}

static bool is_description(const yt_part *top) {
    bool has_parts = find_value(top, "controls") || find_value(top, "pins");
    return !find_value(top, "inputs") && !find_value(top, "sheet") &&
           (has_parts || find_value(top, "device") || find_value(top, "board"));
}

static void read_profile(yt_compiling *compiling, yt_compiled *compiled) {
    yt_messages *messages = compiling->messages;
    yt_scope *scope = &compiling->scope;
    yt_files files;
    if (is_recording(messages->sources[0].text, messages->sources[0].bytes)) {
        messages_add(messages, (yt_text_place){1, 1, 1, 0},
                     "this is a recording of a device, not a profile; `yonder describe` shows its "
                     "controls, and `yonder run PROFILE --in` plays it");
        return;
    }
    yt_part *top = document_read(compiling->pool, messages, 0);
    if (messages->count > 0)
        return;
    if (!top || top->kind != PART_MAP) {
        messages_add(messages, top ? top->place : (yt_text_place){0, 0, 1, 0},
                     "a profile is a list of keys, the first of them: yonder: 1");
        return;
    }
    if (is_description(top)) {
        messages_add(messages, top->place,
                     "this is the description of a device, not a profile; a profile names it under "
                     "inputs:, and `yonder describe --with` shows what it says");
        return;
    }
    check_top(compiling, top);
    read_name(compiling, top);
    read_includes(compiling->pool, messages, top, &files);
    read_inputs(scope, top, compiling->texts);
    read_outputs(scope, top);
    read_relays(scope, top);
    read_each(scope, &files, "parameters", read_parameters);
    read_each(scope, &files, "camera", read_camera);
    read_each(scope, &files, "named", collect_named);
    read_each(scope, &files, "macros", collect_macros);
    for (unsigned i = 0; i < files.count; i++)
        collect_chords(scope, files.tops[i]);
    make_chords(scope);
    read_named(scope);
    read_each(scope, &files, "layers", read_layers);
    read_sequences(scope);
    if (find_value(top, "rebind") && !compiling->leaves_rebinds)
        read_rebinds(scope, find_value(top, "rebind"));
    read_sheet(scope, &files);
    check_rebinds(scope);
    if (find_value(top, "tests"))
        read_tests(scope, find_value(top, "tests"), &compiled->tests);
    if (messages->count > 0 || !resolve_layers(scope) || !make_image(compiling, compiled))
        return;
    place_tests(&compiling->build, &compiled->tests);
    compiled->scope = scope;
    compiled->numbers = compiling->build.numbers;
    compiled->nodes = compiling->build.nodes;
    compiled->node_count = compiling->build.node_count;
    compiled->roots = compiling->build.roots;
    compiled->name = compiling->name;
    memcpy(compiled->inputs, compiling->devices.inputs, sizeof compiled->inputs);
    memcpy(compiled->outputs, compiling->devices.outputs, sizeof compiled->outputs);
    compiled->input_count = compiling->devices.input_count;
    compiled->output_count = compiling->devices.output_count;
    compiled->control_count = compiling->build.control_count;
    yt_status status = yt_program_check(&compiled->program, compiled->image, compiled->size);
    (void)status; /* checked in make_image */
    compiled->step_count = compiled->program.header->step_count;
}

static bool compile(yt_compiled *compiled, yt_messages *messages, bool leaves_rebinds) {
    memset(compiled, 0, sizeof *compiled);
    yt_pool *pool = &compiled->pool;
    yt_compiling *compiling = pool_take(pool, sizeof *compiling);
    compiling->messages = messages;
    compiling->leaves_rebinds = leaves_rebinds;
    compiling->pool = pool;
    compiling->build.pool = pool;
    compiling->build.inputs = pool_take(pool, PROFILE_INPUTS * sizeof(yt_program_input));
    compiling->build.outputs = pool_take(pool, PROFILE_OUTPUTS * sizeof(yt_program_output));
    compiling->scope = (yt_scope){.pool = pool,
                                  .messages = messages,
                                  .build = &compiling->build,
                                  .devices = &compiling->devices,
                                  .named = &compiling->named,
                                  .parameters = &compiling->parameters,
                                  .camera = &compiling->camera,
                                  .layers = &compiling->layers,
                                  .macros = &compiling->macros,
                                  .chords = &compiling->chords,
                                  .terms = &compiling->terms,
                                  .cells = &compiling->cells,
                                  .copies = &compiling->copies,
                                  .rebinds = &compiling->rebinds};
    read_profile(compiling, compiled);
    if (messages->count > 0) {
        pool_free(pool);
        return false;
    }
    return true;
}

bool compile_profile(yt_compiled *compiled, yt_messages *messages) {
    return compile(compiled, messages, false);
}

bool compile_without_rebinds(yt_compiled *compiled, yt_messages *messages) {
    return compile(compiled, messages, true);
}
