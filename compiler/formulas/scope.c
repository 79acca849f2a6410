#include "compiler/names/usages.h"
#include "compiler/formulas/scope.h"

#include <string.h>

#include "compiler/formulas/controls.h"
#include "compiler/formulas/named.h"
#include "compiler/formulas/parameters.h"
#include "compiler/reading/keys.h"

bool check_name(const yt_scope *scope, const yt_part *key) {
    if (!is_good_name(key->text, key->bytes, false)) {
        messages_add(scope->messages, key->place,
                     "\"%.40s\" cannot be a name; names are a to z, 0 to 9 and _, begin with a "
                     "letter, and are not a word of the language",
                     key->text);
        return false;
    }
    for (unsigned i = 0; i < scope->devices->input_count; i++)
        if (strcmp(scope->devices->inputs[i].name, key->text) == 0) {
            messages_add(scope->messages, key->place, "\"%s\" is the name of an input already",
                         key->text);
            return false;
        }
    for (unsigned i = 0; i < scope->devices->output_count; i++)
        if (strcmp(scope->devices->outputs[i].name, key->text) == 0) {
            messages_add(scope->messages, key->place, "\"%s\" is the name of an output already",
                         key->text);
            return false;
        }
    const yt_named_formula *named = named_find(scope, key->text, key->bytes);
    const yt_parameter *parameter = parameter_find(scope, key->text, key->bytes);
    const yt_part *other = named ? named->key : parameter ? parameter->key : NULL;
    if (other)
        messages_add(scope->messages, key->place, "\"%s\" is the name of a %s already, in %s:%d",
                     key->text, named ? "formula" : "parameter",
                     scope->messages->sources[other->place.source].file, other->place.line);
    return !other;
}

void unknown_name(yt_scope *scope, yt_text_place place, const char *name, size_t length,
                  bool in_formula) {
    const char *names[PROFILE_INPUTS + PROFILE_OUTPUTS + PROFILE_NAMED];
    size_t count = 0;
    if (messages_only_count(scope->messages))
        return;
    for (unsigned i = 0; i < scope->devices->input_count; i++)
        names[count++] = scope->devices->inputs[i].name;
    for (unsigned i = 0; i < scope->devices->output_count; i++)
        names[count++] = scope->devices->outputs[i].name;
    for (unsigned i = 0; in_formula && i < scope->named->count; i++)
        names[count++] = scope->named->all[i].key->text;
    const char *near = nearest_name(name, length, names, count);
    const char *what =
        in_formula && scope->named->count ? "input, output or named formula" : "input or output";
    int width = length < 60 ? (int)length : 60;
    static const char *const always[] = {"true", "on", "always", "yes"};
    static const char *const never[] = {"false", "off", "never", "no"};
    for (unsigned i = 0; in_formula && i < 4; i++)
        if (is_name(always[i], name, length) || is_name(never[i], name, length)) {
            messages_add(scope->messages, place,
                         is_name(never[i], name, length)
                             ? "\"%.*s\" is not known here; what is never on is: none"
                             : "\"%.*s\" is not known here; what is always on is: 1 > 0",
                         width, name);
            return;
        }
    if (near)
        messages_add(scope->messages, place, "there is no %s \"%.*s\"; did you mean \"%s\"?", what,
                     width, name, near);
    else
        messages_add(scope->messages, place, "there is no %s \"%.*s\"; they are named under %s",
                     what, width, name,
                     in_formula && scope->named->count ? "inputs:, outputs: and named:"
                                                       : "inputs: and outputs:");
}
