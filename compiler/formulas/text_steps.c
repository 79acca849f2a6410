#include "compiler/formulas/text_steps.h"

#include <string.h>

#include "compiler/formulas/controls.h"
#include "compiler/names/layouts.h"
#include "compiler/reading/keys.h"

/* A part as it would be read at the place of another. */
static yt_part *make_part(yt_scope *scope, const yt_part *where, part_kind kind, const char *text) {
    yt_part *part = pool_take(scope->pool, sizeof *part);
    *part = *where;
    part->kind = kind;
    part->text = text;
    part->bytes = text ? strlen(text) : 0;
    part->first = part->next = NULL;
    return part;
}

/* {KEY: value, for: time}, or {wait: time} where there is no value. */
static yt_part *make_step(yt_scope *scope, const yt_part *where, yt_part *value, const char *time) {
    yt_part *map = make_part(scope, where, PART_MAP, NULL);
    yt_part *time_key = make_part(scope, where, PART_TEXT, value ? "for" : "wait");
    time_key->next = make_part(scope, where, PART_TEXT, time);
    map->first = time_key;
    if (value) {
        map->first = make_part(scope, where, PART_TEXT, "press");
        map->first->next = value;
        value->next = time_key;
    }
    return map;
}

/* The output that is typed on: the one that `to:` names, or the only keyboard. */
static const char *find_keyboard(yt_scope *scope, const yt_part *step) {
    const yt_part *to = find_value(step, "to");
    const char *found = NULL;
    unsigned count = 0;
    for (unsigned i = 0; i < scope->devices->output_count; i++) {
        const yt_profile_output *output = &scope->devices->outputs[i];
        if (output->what != OUTPUT_KEYBOARD)
            continue;
        count++;
        if (!to || (to->kind == PART_TEXT && strcmp(output->name, to->text) == 0))
            found = output->name;
    }
    if (found && (to || count == 1))
        return found;
    messages_add(scope->messages, to ? to->place : step->place,
                 count == 0 ? "text is typed by a keyboard, and no output is one"
                 : to       ? "to: names an output that is a keyboard"
                            : "which keyboard? write to: and its name beside type:");
    return NULL;
}

static const char *find_layout(yt_scope *scope, const yt_part *step) {
    const yt_part *layout = find_value(step, "layout");
    if (layout && layout->kind == PART_TEXT && layout_is_known(layout->text))
        return layout->text;
    messages_add(scope->messages, layout ? layout->place : step->place,
                 "layout: is that of the host, as keys are places and no letters: one of %s",
                 layout_list());
    return NULL;
}

static yt_part *make_presses(yt_scope *scope, const yt_part *where, const char *output,
                             const yt_layout_key *key) {
    yt_part *pressed =
        make_part(scope, where, PART_TEXT, pool_print(scope->pool, "%s.%s", output, key->key));
    if (!key->with)
        return pressed;
    yt_part *list = make_part(scope, where, PART_LIST, NULL);
    list->first =
        make_part(scope, where, PART_TEXT, pool_print(scope->pool, "%s.%s", output, key->with));
    list->first->next = pressed;
    return list;
}

bool text_steps_make(yt_scope *scope, const yt_part *step, yt_text_steps *text) {
    const yt_part *typed = find_value(step, "type"), *each = find_value(step, "each");
    const char *output, *layout, *time = each && each->kind == PART_TEXT ? each->text : "10 ms";
    *text = (yt_text_steps){.steps = NULL};
    if (!check_kind(scope->messages, typed, PART_TEXT, "type: is a text") ||
        (each && !check_kind(scope->messages, each, PART_TEXT, "each: is a time, as in: 10 ms")) ||
        !(layout = find_layout(scope, step)) || !(output = find_keyboard(scope, step)))
        return false;
    text->steps = pool_take(scope->pool, (2 * typed->bytes + 1) * sizeof *text->steps);
    for (const char *at = typed->text; *at;) {
        uint32_t character;
        yt_layout_key key;
        size_t length = next_character(at, &character);
        if (length == 0 || !layout_find(layout, character, &key)) {
            messages_add(scope->messages, typed->place,
                         "the character \"%.*s\" is on no key of the layout %s by itself",
                         (int)(length ? length : 1), at, layout);
            return false;
        }
        yt_part *presses = make_presses(scope, typed, output, &key);
        text->steps[text->count++] = make_step(scope, typed, presses, time);
        text->steps[text->count++] = make_step(scope, typed, NULL, time);
        at += length;
    }
    return true;
}
