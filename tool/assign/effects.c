#include "tool/assign/effects.h"

#include <ctype.h>
#include <stdio.h>
#include <string.h>

#define SWITCHES (1u << VALUE_SWITCH)
#define LEVELS   (1u << VALUE_LEVEL)
#define AXES     (1u << VALUE_AXIS)
#define STICKS   (1u << VALUE_STICK)

const effect_kind effect_kinds[] = {
    {"turned over", "off while it is on, and on while it is off", "not $", NULL, SWITCHES},
    {"on and off", "a press turns it on, the next one off", "toggle($)", "toggle", SWITCHES},
    {"repeated", "again and again while it is held", "turbo($)", "turbo", SWITCHES},
    {"only when held", "on once it has been held for a while", "hold($)", "hold", SWITCHES},
    {"only when tapped", "on for a moment after a short press", "tap($)", "tap", SWITCHES},
    {"when let go", "on for a moment when it is let go", "pulse(not $)", "pulse", SWITCHES},
    {"for a moment", "on for a moment when it is pressed", "pulse($)", "pulse", SWITCHES},
    {"pressed twice", "on at the second of two presses", "multi_press($)", "multi_press", SWITCHES},
    {"for some time at least", "a short press lasts longer", "at_least($)", "at_least", SWITCHES},
    {"for some time at most", "a long press is cut", "at_most($)", "at_most", SWITCHES},
    {"later", "on and off some time after it", "delayed($)", "delayed", SWITCHES},
    {"with another", "on while another control is held, too", "$ and @", NULL, SWITCHES},
    {"not while", "on while another control is not held", "$ and not @", NULL, SWITCHES},
    {"pressed from", "a switch that is on from some depth", "pressed($)", "pressed", LEVELS},
    {"dead zone", "at rest near its rest, at its end near its end", "deadzone($)", "deadzone",
     STICKS | AXES},
    {"dead zone of each axis", "at rest near each axis", "axis_deadzone($)", "axis_deadzone",
     STICKS},
    {"from its start to its end", "less of its way is the whole of it", "trigger_range($)",
     "trigger_range", LEVELS},
    {"power curve", "finer near its rest", "power_curve($)", "power_curve", STICKS | AXES | LEVELS},
    {"curve", "what goes in becomes what comes out, point by point",
     "curve($, 25% -> 15%, 75% -> 60%)", "curve", STICKS | AXES | LEVELS},
    {"turned round", "by an angle", "rotate($, by=15 deg)", "rotate", STICKS},
    {"the other way", "left for right, up for down", "-1 * $", NULL, STICKS | AXES},
    {"weaker", "a share of it", "$ * 50%", NULL, STICKS | AXES | LEVELS},
};
const size_t effect_kind_count = sizeof effect_kinds / sizeof effect_kinds[0];

/* A share of the whole way, for numbers that stand outside of calls. */
static const yt_listed_argument share = {
    .label = "share", .wanted = WANTED_SHARE, .low = 0, .high = 2 * YT_ONE, .meaning = "how much"};

const effect_kind *effect_kind_named(const char *words) {
    for (size_t i = 0; i < effect_kind_count; i++)
        if (strcmp(effect_kinds[i].words, words) == 0)
            return &effect_kinds[i];
    return NULL;
}

bool effect_suits(const effect_kind *kind, yt_formula_type type) {
    return kind->types >> type & 1;
}

/* ---- reading ---- */

/* A part of a formula's text. */
typedef struct span {
    size_t at, end;
} span;

static span trimmed(const char *text, span span) {
    while (span.at < span.end && isspace((unsigned char)text[span.at]))
        span.at++;
    while (span.end > span.at && isspace((unsigned char)text[span.end - 1]))
        span.end--;
    return span;
}

static size_t end_of(const yt_term *term) {
    return term->offset + term->width;
}

/* The whole of the span, without parentheses around it. */
static bool is_whole(const yt_term *term, span span) {
    return term->offset == span.at && end_of(term) == span.end;
}

/* Where the text in front of a place ends that does not count: back to a character. */
static size_t back_to(const char *text, size_t at, char c) {
    while (at > 0 && text[at] != c)
        at--;
    return at;
}

static const yt_listed_function *function_of(const char *text, const yt_term *call) {
    for (size_t i = 0; i < FUNCTION_COUNT; i++)
        if (strlen(functions[i].name) == call->name_width &&
            memcmp(functions[i].name, text + call->offset, call->name_width) == 0)
            return &functions[i];
    return NULL;
}

static effect *add(effects *effects, const char *words, span all, span inner) {
    effect *effect = &effects->list[effects->count++];
    *effect = (struct effect){.kind = effect_kind_named(words),
                              .at = all.at,
                              .length = all.end - all.at,
                              .inner_at = inner.at,
                              .inner_length = inner.end - inner.at};
    return effect;
}

static void add_number(effect *effect, effect_number number) {
    if (effect->number_count < EFFECT_NUMBERS)
        effect->numbers[effect->number_count++] = number;
}

static const effect_kind *kind_of_call(const char *text, const yt_term *call, bool is_not) {
    for (size_t i = 0; i < effect_kind_count; i++) {
        const char *name = effect_kinds[i].function;
        if (name && strlen(name) == call->name_width &&
            memcmp(name, text + call->offset, call->name_width) == 0 &&
            (strstr(effect_kinds[i].pattern, "(not $") != NULL) == is_not)
            return &effect_kinds[i];
    }
    return NULL;
}

/* A number as it stands there, a minus in front of it among them. */
static bool number_of(const yt_term *term, int64_t *amount) {
    bool is_less = term->kind == TERM_NEGATE && term->first->kind == TERM_NUMBER;
    const yt_term *number = is_less ? term->first : term;
    *amount = is_less ? -number->amount : number->amount;
    return number->kind == TERM_NUMBER;
}

/* What a call has beside what stands inside: its numbers, written or not. */
static void add_arguments(effect *effect, const yt_listed_function *function, const char *text,
                          const yt_term *call, size_t close) {
    bool is_written[FUNCTION_ARGUMENTS] = {false};
    unsigned place = 1;
    for (const yt_term *at = call->first->next; at; at = at->next, place++) {
        unsigned index = at->label ? FUNCTION_ARGUMENTS : function_argument_at(function, place);
        for (unsigned i = 0; at->label && i < function_argument_count(function); i++)
            if (strlen(function->arguments[i].label) == at->label_width &&
                memcmp(function->arguments[i].label, at->label, at->label_width) == 0)
                index = i;
        if (at->kind == TERM_POINT) {
            for (const yt_term *end = at->first; end; end = end->next) {
                effect_number number = {.name = end == at->first ? "from" : "to",
                                        .meaning =
                                            end == at->first ? "where it is" : "what comes out",
                                        .argument = &share,
                                        .is_written = true,
                                        .at = end->offset,
                                        .length = end->width};
                number.is_fixed = !number_of(end, &number.amount);
                add_number(effect, number);
            }
            continue;
        }
        if (index >= FUNCTION_ARGUMENTS)
            continue;
        is_written[index] = true;
        effect_number number = {.name = function->arguments[index].label,
                                .meaning = function->arguments[index].meaning,
                                .argument = &function->arguments[index],
                                .is_written = true,
                                .at = at->offset,
                                .length = at->width};
        number.is_fixed = !number_of(at, &number.amount);
        add_number(effect, number);
    }
    (void)text;
    for (unsigned i = 1; i < function_argument_count(function); i++) {
        const yt_listed_argument *argument = &function->arguments[i];
        if (!is_written[i] && argument->high > argument->low && argument->wanted != WANTED_POINTS)
            add_number(effect, (effect_number){.name = argument->label,
                                               .meaning = argument->meaning,
                                               .argument = argument,
                                               .amount = argument->otherwise,
                                               .at = close});
    }
}

static bool read_call(effects *effects, const char *text, const yt_term *call, span all,
                      const yt_term **inside, span *inner) {
    const yt_listed_function *function = function_of(text, call);
    const yt_term *first = call->first;
    if (!function || !first || first->label || text[all.end - 1] != ')')
        return false;
    size_t open = call->offset + call->name_width, close = all.end - 1;
    while (text[open] != '(')
        open++;
    size_t end = close;
    if (first->next)
        end = back_to(
            text,
            (first->next->label ? (size_t)(first->next->label - text) : first->next->offset) - 1,
            ',');
    *inner = trimmed(text, (span){open + 1, end});
    bool is_not = first->kind == TERM_NOT && first->offset == inner->at;
    const effect_kind *kind = kind_of_call(text, call, is_not);
    if (!kind)
        kind = kind_of_call(text, call, false);
    else if (is_not)
        *inner = trimmed(text, (span){inner->at + 3, inner->end});
    if (!kind)
        return false;
    *inside = is_not && strstr(kind->pattern, "(not $") ? first->first : first;
    effect *effect = add(effects, kind->words, all, *inner);
    add_arguments(effect, function, text, call, close);
    return true;
}

/* With another control, or not while it is. */
static bool read_and(effects *effects, const char *text, const yt_term *term, span all,
                     const yt_term **inside, span *inner) {
    const yt_term *second = term->first->next;
    bool is_not = second->kind == TERM_NOT;
    const yt_term *other = is_not ? second->first : second;
    if (other->kind != TERM_NAME || second->next || end_of(other) != all.end)
        return false;
    size_t at = second->offset;
    do
        at = back_to(text, at - 1, 'a');
    while (at > all.at && memcmp(text + at, "and", 3) != 0);
    *inner = trimmed(text, (span){all.at, at});
    *inside = term->first;
    effect *effect = add(effects, is_not ? "not while" : "with another", all, *inner);
    effect->other_at = other->offset;
    effect->other_length = other->width;
    return true;
}

/* "-1 * x", or "x * 40%". */
static bool read_product(effects *effects, const char *text, const yt_term *term, span all,
                         const yt_term **inside, span *inner) {
    const yt_term *first = term->first, *second = first->next;
    int64_t amount;
    size_t star = back_to(text, second->offset, '*');
    if (second->next)
        return false;
    if (number_of(first, &amount) && amount == -YT_ONE && first->unit == YT_UNIT_NONE) {
        *inner = trimmed(text, (span){star + 1, all.end});
        *inside = second;
        add(effects, "the other way", all, *inner);
        return true;
    }
    if (!number_of(second, &amount) || second->unit != YT_UNIT_NONE || amount < 0 ||
        amount > share.high || end_of(second) != all.end)
        return false;
    *inner = trimmed(text, (span){all.at, star});
    *inside = first;
    add_number(add(effects, "weaker", all, *inner), (effect_number){.name = "share",
                                                                    .meaning = share.meaning,
                                                                    .argument = &share,
                                                                    .amount = amount,
                                                                    .is_written = true,
                                                                    .at = second->offset,
                                                                    .length = second->width});
    return true;
}

/* One thing that is done; false: there are no more of them. */
static bool read_way(effects *effects, const char *text, const yt_term *term, span all,
                     const yt_term **inside, span *inner) {
    switch (term->kind) {
    case TERM_CALL:
        return is_whole(term, all) && read_call(effects, text, term, all, inside, inner);
    case TERM_NOT:
        *inner = trimmed(text, (span){all.at + 3, all.end});
        *inside = term->first;
        if (term->offset != all.at)
            return false;
        add(effects, "turned over", all, *inner);
        return true;
    case TERM_AND:
        return read_and(effects, text, term, all, inside, inner);
    case TERM_MULTIPLY:
        return read_product(effects, text, term, all, inside, inner);
    default:
        return false;
    }
}

void effects_read(effects *effects, const char *formula) {
    yt_pool pool = {0};
    yt_messages messages;
    yt_part part = {.kind = PART_TEXT, .text = formula, .bytes = strlen(formula)};
    span all = trimmed(formula, (span){0, strlen(formula)});
    *effects = (struct effects){.count = 0};
    messages_begin(&messages, "formula", formula, strlen(formula));
    const yt_term *term = formula_parse(&pool, &messages, &part);
    span inner;
    const yt_term *inside;
    while (term && effects->count < EFFECTS &&
           read_way(effects, formula, term, all, &inside, &inner)) {
        term = inside;
        all = inner;
    }
    effects->at = all.at;
    effects->length = all.end - all.at;
    effects->is_control = term && term->kind == TERM_NAME && is_whole(term, all);
    messages_free(&messages);
    pool_free(&pool);
}

/* ---- changing ---- */

/* A part of the formula becomes another text. */
static bool put(const char *formula, size_t at, size_t length, const char *new, char *text) {
    int size =
        snprintf(text, EFFECT_TEXT, "%.*s%s%s", (int)at, formula, new, formula + at + length);
    return size >= 0 && size < EFFECT_TEXT;
}

/* What binds weaker than any way's own operator stands in parentheses there. */
static bool is_simple(const char *formula) {
    effects effects;
    effects_read(&effects, formula);
    const char *first = effects.count ? effects.list[0].kind->pattern : "";
    return effects.count ? *first != '$' && *first != '-' && *first != 'n' : effects.is_control;
}

bool effect_add(const effect_kind *kind, const char *formula, const char *other, char *text) {
    size_t used = 0;
    bool is_call = kind->function && !strstr(kind->pattern, "(not $");
    const char *open = is_call || is_simple(formula) ? "" : "(", *close = *open ? ")" : "";
    for (const char *at = kind->pattern; *at && used < EFFECT_TEXT; at++) {
        int size = *at == '$'
                       ? snprintf(text + used, EFFECT_TEXT - used, "%s%s%s", open, formula, close)
                       : snprintf(text + used, EFFECT_TEXT - used, "%.*s", *at == '@' ? 999 : 1,
                                  *at == '@' ? other : at);
        used += (size_t)size;
    }
    return used < EFFECT_TEXT;
}

bool effect_remove(const effects *effects, unsigned index, const char *formula, char *text) {
    const effect *effect = &effects->list[index];
    char inner[EFFECT_TEXT];
    if (effect->inner_length >= sizeof inner)
        return false;
    snprintf(inner, sizeof inner, "%.*s", (int)effect->inner_length, formula + effect->inner_at);
    return put(formula, effect->at, effect->length, inner, text);
}

bool effects_drive(const effects *effects, const char *formula, const char *driver, char *text) {
    return put(formula, effects->at, effects->length, driver, text);
}

bool effect_set_number(const effect_number *number, const char *formula, int64_t amount,
                       char *text) {
    char written[60], new[140];
    argument_text(number->argument, amount, written, sizeof written);
    if (number->is_written)
        snprintf(new, sizeof new, "%s", written);
    else
        snprintf(new, sizeof new, ", %s=%s", number->name, written);
    return put(formula, number->at, number->length, new, text);
}

bool effect_set_other(const effect *effect, const char *formula, const char *other, char *text) {
    return put(formula, effect->other_at, effect->other_length, other, text);
}

/* ---- numbers ---- */

/* Of how many parts of the unit a step is one, and how many of them: 100 parts are percents. */
static int64_t step_of(const effect_number *number, int64_t *unit) {
    *unit = YT_ONE;
    switch (number->argument->wanted) {
    case WANTED_TIME:
    case WANTED_SLOPE:
        *unit = 1;
        return number->amount < 200000 ? 10000 : number->amount < 1000000 ? 50000 : 100000;
    case WANTED_FREQUENCY:
    case WANTED_COUNT:
        return YT_ONE;
    case WANTED_SPEED:
        return 50 * YT_ONE;
    case WANTED_ANGLE:
    case WANTED_TURNING:
        return 5 * YT_ONE;
    case WANTED_POWER:
        *unit = YT_ONE / 10;
        return 0;
    default:
        *unit = YT_ONE / 100;
        return 0;
    }
}

int64_t effect_stepped(const effect_number *number, int steps) {
    const yt_listed_argument *argument = number->argument;
    int64_t unit, step = step_of(number, &unit), amount;
    int64_t parts = unit == YT_ONE / 10 ? 10 : 100,
            half = number->amount < 0 ? -YT_ONE / 2 : YT_ONE / 2;
    if (step == 0) { /* tenths or hundredths, rounded as they are when they are read */
        int64_t whole = (number->amount * parts + half) / YT_ONE + steps;
        amount = (2 * whole * YT_ONE + (whole < 0 ? -parts : parts)) / (2 * parts);
    } else {
        amount = (number->amount + steps * step) / step * step;
    }
    return amount < argument->low    ? argument->low
           : amount > argument->high ? argument->high
                                     : amount;
}

void effect_number_text(const effect_number *number, char *text, size_t size) {
    argument_text(number->argument, number->amount, text, size);
}
