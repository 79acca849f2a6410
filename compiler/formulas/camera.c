#include "compiler/formulas/camera.h"

#include "compiler/formulas/calls.h"
#include "compiler/reading/keys.h"

const yt_camera_key camera_keys[] = {{"rate", CAMERA_RATE},         {"dead", CAMERA_DEAD},
                                     {"power", CAMERA_POWER},       {"frames", CAMERA_FRAMES},
                                     {"vertical", CAMERA_VERTICAL}, {NULL, 0}};

/* A number of it is what the argument of that name takes: one that is written, or parameters. */
static void read_number(yt_scope *scope, const yt_part *key, unsigned argument) {
    yt_lowering lowering = {scope, key->next, LAYER_ALL, NULL, NULL};
    yt_written_call call = {.lowering = &lowering, .function = &functions[FUNCTION_CAMERA_STICK]};
    const yt_part *other = scope->camera->keys[argument];
    if (other) {
        messages_add(scope->messages, key->place, "camera: has a %s already, in %s:%d", key->text,
                     scope->messages->sources[other->place.source].file, other->place.line);
        return;
    }
    scope->camera->keys[argument] = key;
    if (!check_kind(scope->messages, key->next, PART_TEXT, "a number belongs here"))
        return;
    call.arguments[argument] = formula_parse(scope->pool, scope->messages, key->next);
    if (call.arguments[argument])
        scope->camera->values[argument] = take_quantity(&call, argument, 0);
}

void read_camera(yt_scope *scope, const yt_part *camera) {
    const char *names[CAMERA_ARGUMENTS];
    size_t count = 0;
    for (; camera_keys[count].name; count++)
        names[count] = camera_keys[count].name;
    if (!check_kind(scope->messages, camera, PART_MAP,
                    "camera: is a map of how the host turns its view, as in: {rate: 240 deg/s, "
                    "dead: 12%, power: 1.5, frames: 60 Hz, vertical: 80%}"))
        return;
    if (!scope->camera->at)
        scope->camera->at = camera;
    for (const yt_part *key = camera->first; key; key = key->next->next) {
        size_t which = 0;
        while (which < count && !is_name(names[which], key->text, key->bytes))
            which++;
        if (which < count)
            read_number(scope, key, camera_keys[which].argument);
        else
            unknown_key(scope->messages, key, names, count);
    }
}
