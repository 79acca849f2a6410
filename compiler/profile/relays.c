/* Reports of a host that another device answers. */
#include <string.h>

#include "compiler/formulas/controls.h"
#include "compiler/profile/devices.h"
#include "compiler/reading/keys.h"

static bool find_named(const yt_scope *scope, const yt_part *part, bool is_input, unsigned *index) {
    unsigned count = is_input ? scope->devices->input_count : scope->devices->output_count;
    for (unsigned i = 0; part->kind == PART_TEXT && i < count; i++)
        if (strcmp(is_input ? scope->devices->inputs[i].name : scope->devices->outputs[i].name,
                   part->text) == 0) {
            *index = i;
            return true;
        }
    messages_add(scope->messages, part->place, "there is no %s of that name",
                 is_input ? "input" : "output");
    return false;
}

/* The host's report must be one that the output's report descriptor has. */
static bool has_report(const yt_scope *scope, const yt_program_relay *relay) {
    const yt_build *build = scope->build;
    for (unsigned i = 0; i < build->report_count; i++)
        if (build->reports[i].interface == relay->interface &&
            build->reports[i].direction == relay->direction && build->reports[i].id == relay->id)
            return true;
    return false;
}

static void read_relay(yt_scope *scope, const yt_part *map) {
    static const char *const keys[] = {"output", "report", "type", "to", "as"};
    static const char *const types[] = {"output", "feature"};
    const yt_part *values[5] = {NULL};
    yt_program_relay relay = {0};
    unsigned output = 0, input = 0, type = 1;
    int64_t id = 0, device_id = 0;
    yt_messages *messages = scope->messages;
    if (!check_kind(messages, map, PART_MAP,
                    "a relay is a map, as in {output: pad, report: 5, to: desk}"))
        return;
    for (const yt_part *key = map->first; key; key = key->next->next) {
        size_t i = 0;
        while (i < 5 && strcmp(keys[i], key->text) != 0)
            i++;
        if (i == 5)
            unknown_key(messages, key, keys, 5);
        else
            values[i] = key->next;
    }
    if (!values[0] || !values[1] || !values[3]) {
        messages_add(messages, map->place,
                     "a relay says which output's report goes to which input, as in {output: pad, "
                     "report: 5, to: desk}");
        return;
    }
    if (!find_named(scope, values[0], false, &output) ||
        !read_whole(messages, values[1], 0, 255, &id) ||
        (values[2] && !read_word(messages, values[2], types, 2, &type)) ||
        !find_named(scope, values[3], true, &input))
        return;
    device_id = id;
    if (values[4] && !read_whole(messages, values[4], 0, 255, &device_id))
        return;
    relay.interface = (uint8_t)scope->devices->outputs[output].interface;
    relay.direction = type ? YT_HID_FEATURE : YT_HID_OUTPUT;
    relay.id = (uint8_t)id;
    relay.input = (uint8_t)input;
    relay.device_id = (uint8_t)device_id;
    if (has_report(scope, &relay))
        build_add_relay(scope->build, relay);
    else
        messages_add(messages, values[1]->place, "%s has no %s report %d",
                     scope->devices->outputs[output].name, types[type], (int)id);
}

void read_relays(yt_scope *scope, const yt_part *top) {
    const yt_part *relays = find_value(top, "relays");
    if (!relays || !check_kind(scope->messages, relays, PART_LIST,
                               "relays: is a list, as in [{output: pad, report: 5, to: desk}]"))
        return;
    for (const yt_part *map = relays->first; map; map = map->next)
        read_relay(scope, map);
}
