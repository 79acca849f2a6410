#include "compiler/profile/rules.h"

#include <stdlib.h>
#include <string.h>

#include "compiler/building/operations.h"
#include "compiler/formulas/calls.h"
#include "compiler/formulas/named.h"
#include "compiler/formulas/sequences.h"
#include "compiler/profile/cells.h"
#include "compiler/reading/keys.h"
#include "yonder/abilities.h"

static const char *const rule_keys[] = {"yonder", "rules", "abilities", "limits"};
static const char *const limit_keys[] = {"repetition", "steps"};

#define COUNT(list) (sizeof(list) / sizeof(list)[0])

static void read_ability(yt_rules *rules, const yt_part *part) {
    const char *names[YT_ABILITY_COUNT];
    unsigned ability;
    for (unsigned i = 0; i < YT_ABILITY_COUNT; i++)
        names[i] = yt_ability_name(i);
    if (read_word(&rules->messages, part, names, YT_ABILITY_COUNT, &ability))
        rules->allowed |= 1u << ability;
}

static void read_limits(yt_rules *rules, const yt_part *limits) {
    yt_messages *messages = &rules->messages;
    if (!check_kind(messages, limits, PART_MAP,
                    "limits: holds a line for each, as in: repetition: 10 Hz") ||
        !check_keys(messages, limits, limit_keys, COUNT(limit_keys)))
        return;
    const yt_part *repetition = find_value(limits, "repetition"),
                  *steps = find_value(limits, "steps");
    if (repetition)
        read_amount(&messages->pool, messages, repetition, YT_UNIT_FREQUENCY, &rules->repetition);
    if (steps)
        read_whole(messages, steps, 0, MACRO_STEPS, &rules->steps);
}

static void read_rules(yt_rules *rules, const yt_part *top) {
    yt_messages *messages = &rules->messages;
    const yt_part *version = find_value(top, "yonder"), *name = find_value(top, "rules");
    const yt_part *abilities = find_value(top, "abilities"), *limits = find_value(top, "limits");
    check_keys(messages, top, rule_keys, COUNT(rule_keys));
    if (!version || version->kind != PART_TEXT || strcmp(version->text, "1") != 0)
        messages_add(messages, top->place, "a file of rules begins with the line: yonder: 1");
    if (!name || !abilities)
        messages_add(messages, top->place,
                     "a file of rules has a name and what is allowed: rules: Quayside trials, and "
                     "abilities: [shaping, timing]");
    if (name && check_kind(messages, name, PART_TEXT, "rules: is the name of the rules"))
        rules->name = name->text;
    if (abilities &&
        check_kind(messages, abilities, PART_LIST,
                   "abilities: is a list of what is allowed, as in: [shaping, timing]"))
        for (const yt_part *at = abilities->first; at; at = at->next)
            read_ability(rules, at);
    if (limits)
        read_limits(rules, limits);
}

bool rules_read(yt_rules *rules, const char *path, char *text, size_t bytes) {
    memset(rules, 0, sizeof *rules);
    rules->text = text;
    rules->repetition = rules->steps = INT64_MAX;
    messages_begin(&rules->messages, path, text, bytes);
    const yt_part *top = document_read(&rules->messages.pool, &rules->messages, 0);
    if (rules->messages.count == 0 && (!top || top->kind != PART_MAP))
        messages_add(&rules->messages, (yt_text_place){0, 0, 0, 0},
                     "a file of rules is a list of keys, the first of them: yonder: 1");
    else if (top && top->kind == PART_MAP)
        read_rules(rules, top);
    return rules->messages.count == 0;
}

void rules_free(yt_rules *rules) {
    messages_free(&rules->messages);
    free(rules->text);
}

/* A profile on trial. */
typedef struct yt_judging {
    const yt_rules *rules;
    const yt_scope *scope;
    yt_messages *messages;
    unsigned blamed; /* abilities that something was blamed for */
} yt_judging;

static void forbid(yt_judging *judging, yt_text_place place, const char *what, unsigned ability) {
    unsigned number = 0;
    while (!(ability >> number & 1))
        number++;
    judging->blamed |= ability;
    if (!(judging->rules->allowed & ability))
        messages_add(judging->messages, place, "%.60s needs \"%s\", which %.60s does not allow",
                     what, yt_ability_name(number), judging->rules->name);
}

static void limit_rate(yt_judging *judging, yt_text_place place, const char *what, int64_t rate) {
    char fastest[40], allowed[40];
    if (rate <= judging->rules->repetition)
        return;
    amount_text(YT_UNIT_FREQUENCY, rate, fastest, sizeof fastest);
    amount_text(YT_UNIT_FREQUENCY, judging->rules->repetition, allowed, sizeof allowed);
    messages_add(judging->messages, place, "%.60s repeats at up to %s; %.60s allows %s", what,
                 fastest, judging->rules->name, allowed);
}

static const yt_value *value_of(const yt_scope *scope, const yt_term *term) {
    for (unsigned i = 0; i < scope->terms->count; i++)
        if (scope->terms->all[i].term == term)
            return &scope->terms->all[i].value;
    return NULL;
}

/* The most, or the least, that an argument of a call can be. */
static int64_t bound_of(const yt_scope *scope, const yt_term *call,
                        const yt_listed_function *function, const char *label, bool most) {
    unsigned count = function_argument_count(function), place = 0;
    for (const yt_term *at = call->first; at; at = at->next, place++) {
        const char *name = at->label ? at->label
                           : place < count
                               ? function->arguments[function_argument_at(function, place)].label
                               : "";
        size_t length = at->label ? at->label_width : strlen(name);
        const yt_value *value = is_name(label, name, length) ? value_of(scope, at) : NULL;
        int64_t low, high;
        if (!value)
            continue;
        value_bounds(*value, &low, &high);
        return most ? high : low;
    }
    for (unsigned k = 0; k < count; k++)
        if (strcmp(function->arguments[k].label, label) == 0)
            return function->arguments[k].otherwise;
    return 0;
}

/* Periods a second of so many microseconds, in 1/65536 Hz. */
static int64_t rate_of(int64_t period_us) {
    return period_us > 0 ? INT64_C(1000000) * YT_ONE / period_us : INT64_MAX;
}

static void judge_call(yt_judging *judging, const yt_part *part, const yt_term *call) {
    const yt_scope *scope = judging->scope;
    for (unsigned i = 0; i < FUNCTION_COUNT; i++) {
        const yt_listed_function *function = &functions[i];
        unsigned ability = function_ability(function);
        if (!ability || !is_name(function->name, part->text + call->offset, call->name_width))
            continue;
        yt_text_place place =
            part_place(part, judging->messages, call->offset, (int)call->name_width);
        forbid(judging, place, function->name, ability);
        if (i == FUNCTION_TURBO)
            limit_rate(judging, place, function->name,
                       bound_of(scope, call, function, "rate", true));
        if (i == FUNCTION_TAPS)
            limit_rate(judging, place, function->name,
                       rate_of(bound_of(scope, call, function, "on", false) +
                               bound_of(scope, call, function, "off", false)));
        return;
    }
}

/* Terms are judged once, however often they were read. */
static void judge_terms(yt_judging *judging) {
    const struct yt_lowered_terms *terms = judging->scope->terms;
    for (unsigned i = 0; i < terms->count; i++) {
        bool is_first = terms->all[i].term->kind == TERM_CALL;
        for (unsigned k = 0; is_first && k < i; k++)
            is_first = terms->all[k].part != terms->all[i].part ||
                       terms->all[k].term->kind != TERM_CALL ||
                       terms->all[k].term->offset != terms->all[i].term->offset;
        if (is_first)
            judge_call(judging, terms->all[i].part, terms->all[i].term);
    }
}

static void judge_macros(yt_judging *judging) {
    const struct yt_macros *macros = judging->scope->macros;
    for (unsigned i = 0; i < macros->count; i++) {
        const yt_macro *macro = &macros->all[i];
        if (!macro->is_good)
            continue;
        const char *name = macro->key->text;
        forbid(judging, macro->key->place, name, YT_CAN_SEQUENCE);
        if (macro->step_count > judging->rules->steps)
            messages_add(judging->messages, macro->key->place,
                         "%.40s has %u steps; %.60s allows %d", name, macro->step_count,
                         judging->rules->name, (int)judging->rules->steps);
        if (macro->repeat == 1)
            continue;
        forbid(judging, macro->key->place, name, YT_CAN_REPETITION);
        limit_rate(judging, macro->key->place, name, rate_of(macro->least_us));
    }
}

/* Whether a formula reads something that is no keyboard. */
static bool reads_other(const yt_scope *scope, const yt_part *part, const yt_term *term,
                        unsigned depth) {
    for (const yt_term *at = term->first; at; at = at->next)
        if (reads_other(scope, part, at, depth))
            return true;
    if (term->kind != TERM_NAME)
        return false;
    const char *text = part->text + term->offset, *dot = memchr(text, '.', term->width);
    size_t length = dot ? (size_t)(dot - text) : term->width;
    for (unsigned i = 0; i < scope->devices->input_count; i++)
        if (is_name(scope->devices->inputs[i].name, text, length))
            return strcmp(scope->devices->inputs[i].kind->name, "keyboard") != 0;
    const yt_named_formula *named = named_find(scope, text, length);
    return named && named->term && depth < NAMED_DEPTH &&
           reads_other(scope, named->key->next, named->term, depth + 1);
}

/* Whether a cell is that of a key, or a media key, of an output. */
static bool is_key(const yt_scope *scope, const yt_part *key) {
    const char *dot = strchr(key->text, '.');
    yt_control_name name;
    for (unsigned i = 0; dot && i < scope->devices->output_count; i++) {
        const yt_profile_output *output = &scope->devices->outputs[i];
        if (is_name(output->name, key->text, (size_t)(dot - key->text)) &&
            control_named(output->kind, dot + 1, strlen(dot + 1), &name))
            return name.page == PAGE_KEYBOARD || name.page == PAGE_CONSUMER;
    }
    return false;
}

yt_typed_key *typed_keys(yt_compiled *compiled, unsigned *count) {
    const yt_scope *scope = compiled->scope;
    const struct yt_cell_records *cells = scope->cells;
    yt_typed_key *keys =
        pool_take(&compiled->pool, (cells->count + cells->use_count + 1) * sizeof *keys);
    *count = 0;
    for (unsigned i = 0; i < cells->count; i++) {
        const yt_cell_record *cell = &cells->all[i];
        if (!cell->term || !is_key(scope, cell->key))
            continue;
        const char *name = cell->whole ? cell->whole->text : cell->key->text;
        keys[(*count)++] = (yt_typed_key){.key = name,
                                          .by = cell->text->text,
                                          .by_other = reads_other(scope, cell->text, cell->term, 0),
                                          .place = cell->key->place};
    }
    for (unsigned i = 0; i < cells->use_count; i++) {
        const yt_macro_use *use = &cells->uses[i];
        bool is_new = is_key(scope, use->control);
        for (unsigned k = 0; is_new && k < i; k++)
            is_new = cells->uses[k].macro != use->macro ||
                     strcmp(cells->uses[k].control->text, use->control->text) != 0;
        const yt_term *when =
            is_new ? formula_parse(&compiled->pool, scope->messages, use->when) : NULL;
        if (is_new)
            keys[(*count)++] =
                (yt_typed_key){.key = use->control->text,
                               .by = use->macro->text,
                               .is_macro = true,
                               .by_other = !when || reads_other(scope, use->when, when, 0),
                               .place = use->control->place};
    }
    return keys;
}

static void judge_keys(yt_judging *judging, yt_compiled *compiled) {
    unsigned count;
    const yt_typed_key *keys = typed_keys(compiled, &count);
    for (unsigned i = 0; i < count; i++)
        if (keys[i].by_other)
            forbid(judging, keys[i].place, keys[i].key, YT_CAN_TYPING);
}

static void judge_adapter(yt_judging *judging) {
    const struct yt_cell_records *cells = judging->scope->cells;
    for (unsigned i = 0; i < cells->count; i++)
        if (strncmp(cells->all[i].key->text, "adapter.", 8) == 0 && cells->all[i].term)
            forbid(judging, cells->all[i].key->place, cells->all[i].key->text, YT_CAN_ADAPTER);
    for (unsigned i = 0; i < cells->use_count; i++)
        if (strncmp(cells->uses[i].control->text, "adapter.", 8) == 0)
            forbid(judging, cells->uses[i].control->place, cells->uses[i].control->text,
                   YT_CAN_ADAPTER);
}

/* What the program says of itself and no cell was blamed for: motion that is made of a speed, or
 * keys beside other inputs. An adapter that refuses it refuses the whole program. */
static void judge_rest(yt_judging *judging, const yt_compiled *compiled) {
    unsigned left =
        compiled->program.header->abilities & ~judging->rules->allowed & ~judging->blamed;
    for (unsigned i = 0; i < YT_ABILITY_COUNT; i++)
        if (left >> i & 1)
            messages_add(
                judging->messages, (yt_text_place){0, 0, 0, 0},
                i == YT_ABILITY_TYPING
                    ? "the profile needs \"%s\", as it has keys and reads more than "
                      "keyboards; %.60s does not allow that"
                    : "the profile needs \"%s\", as motion is made of a speed; %.60s does not "
                      "allow that",
                yt_ability_name(i), judging->rules->name);
}

bool rules_judge(const yt_rules *rules, yt_compiled *compiled, yt_messages *messages) {
    yt_judging judging = {.rules = rules, .scope = compiled->scope, .messages = messages};
    int before = messages->count;
    judge_terms(&judging);
    judge_macros(&judging);
    judge_keys(&judging, compiled);
    judge_adapter(&judging);
    judge_rest(&judging, compiled);
    return messages->count == before;
}
