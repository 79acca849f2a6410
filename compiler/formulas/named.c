#include "compiler/formulas/lowering.h"
#include "compiler/formulas/named.h"

#include <string.h>

#include "compiler/reading/keys.h"

yt_named_formula *named_find(const yt_scope *scope, const char *name, size_t length) {
    for (unsigned i = 0; i < scope->named->count; i++)
        if (scope->named->all[i].key->bytes == length &&
            memcmp(scope->named->all[i].key->text, name, length) == 0)
            return &scope->named->all[i];
    return NULL;
}

static void read_formula(yt_scope *scope, yt_named_formula *named) {
    const yt_part *text = named->key->next;
    const yt_term *term = NULL;
    named->is_read = true;
    named->is_open = true;
    scope->named->depth++;
    if (check_kind(scope->messages, text, PART_TEXT,
                   "a named formula is a formula, not a map or a list"))
        term = formula_parse(scope->pool, scope->messages, text);
    named->term = term;
    if (term)
        named->value = lower_formula(scope, text, term);
    scope->named->depth--;
    named->is_open = false;
}

yt_value lower_named(yt_lowering *lowering, const yt_term *term, yt_named_formula *named,
                     const char *direction, size_t length) {
    yt_scope *scope = lowering->scope;
    const char *name = named->key->text;
    if (named->is_open)
        return lower_wrong(lowering, term, "\"%s\" is made of itself (line %d)", name,
                           named->key->place.line);
    if (!named->is_read && scope->named->depth == NAMED_DEPTH)
        return lower_wrong(lowering, term, "named formulas use one another more than %d deep here",
                           NAMED_DEPTH);
    if (!named->is_read)
        read_formula(scope, named);
    yt_value value = named->value;
    if (!direction || value.type == VALUE_NOTHING)
        return value;
    bool is_y = length == 1 && *direction == 'y', is_z = length == 1 && *direction == 'z';
    if (value.type == VALUE_AXES && (is_y || is_z || (length == 1 && *direction == 'x')))
        return (yt_value){.type = VALUE_RATE,
                          .node = is_z   ? value.third
                                  : is_y ? value.second
                                         : value.node};
    if (!value_is_pair(value))
        return lower_wrong(lowering, term,
                           value.type == VALUE_AXES
                               ? "%s is %s, which are called .x, .y and .z"
                               : "%s is %s; only sticks and motion have an .x and a .y",
                           name, value_meaning(value));
    if (!is_y && !(length == 1 && *direction == 'x'))
        return lower_wrong(lowering, term, "%s is %s, which has an .x and a .y and no more", name,
                           value_meaning(value));
    unsigned node = is_y ? value.second : value.node;
    if (value.type == VALUE_VELOCITY)
        return value_is_turning(value) ? (yt_value){.type = VALUE_RATE, .node = node}
                                       : value_quantity(value.unit, node, INT32_MIN, INT32_MAX);
    return (struct yt_value){.type = value.type == VALUE_STICK ? VALUE_AXIS : VALUE_MOTION,
                             .node = node};
}

void collect_named(yt_scope *scope, const yt_part *all) {
    if (!check_kind(scope->messages, all, PART_MAP,
                    "named: holds a line for each formula, as in: precise: keys.left_shift"))
        return;
    if (!scope->named->all)
        scope->named->all = pool_take(scope->pool, PROFILE_NAMED * sizeof *scope->named->all);
    for (const yt_part *key = all->first; key; key = key->next->next) {
        if (scope->named->count == PROFILE_NAMED) {
            messages_add(scope->messages, key->place, "a profile has up to %d named formulas",
                         PROFILE_NAMED);
            return;
        }
        if (check_name(scope, key))
            scope->named->all[scope->named->count++] = (yt_named_formula){.key = key};
    }
}

/* All are read, whether they are used or not, so that each error is told. */
void read_named(yt_scope *scope) {
    for (unsigned i = 0; i < scope->named->count; i++)
        if (!scope->named->all[i].is_read)
            read_formula(scope, &scope->named->all[i]);
}
