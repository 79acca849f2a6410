#include "tool/assign/effects.h"

#include <ctype.h>
#include <stdio.h>
#include <string.h>

#define SAME VALUE_NOTHING

/* A share of the whole way, for numbers that stand outside of calls. */
static const yt_listed_argument share = {
    .label = "share", .wanted = WANTED_SHARE, .low = 0, .high = 2 * YT_ONE, .meaning = "how much"};

/* What stands inside: what its kind takes, where that is one thing. */
static yt_formula_type inside_of(const effect *effect, yt_formula_type outside) {
    yt_formula_type type = VALUE_SWITCH;
    if (effect->kind->gives == SAME)
        return outside;
    while (effect->kind->types >> type != 1)
        type++;
    return type;
}

/* The part that it would be done to: 0 is all of it, 1 what is inside the first effect; above the
 * count: none. */
static unsigned part_for(const effect_kind *kind, const effects *effects, yt_formula_type type,
                         unsigned from) {
    for (unsigned i = 0; i <= effects->count; i++) {
        if (i >= from && kind->types >> type & 1)
            return i;
        if (i < effects->count)
            type = inside_of(&effects->list[i], type);
    }
    return EFFECTS + 1;
}

bool effect_suits(const effect_kind *kind, const effects *effects, yt_formula_type type,
                  unsigned from, bool is_condition) {
    bool may_be = kind->where == IN_CONDITION     ? is_condition
                  : kind->where == AROUND_CONTROL ? effects->count == 0 && effects->is_control
                                                  : true;
    return may_be && (kind->gives == SAME || kind->gives == VALUE_SWITCH) &&
           part_for(kind, effects, type, from) <= effects->count;
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

/* What a stick that turns a view leaves to the profile's `camera:`. */
static bool is_of_camera(const yt_listed_function *function, const yt_listed_argument *argument) {
    return strcmp(function->name, "camera_stick") == 0 && strcmp(argument->label, "turn") != 0 &&
           strcmp(argument->label, "steps") != 0;
}

/* Of a spring's two numbers both are given, or none. */
static const char *written_with(const yt_listed_function *function,
                                const yt_listed_argument *argument) {
    return strcmp(function->name, "let_go") != 0       ? NULL
           : strcmp(argument->label, "frequency") == 0 ? ", damping=20%"
                                                       : ", frequency=20 Hz";
}

/* In the order of the function, whether they are written or not, so that each stays where it is
 * when it is changed; points stand in front, in their own order. */
static void sort_numbers(effect *effect, const yt_listed_function *function) {
    for (unsigned i = 1; i < effect->number_count; i++)
        for (unsigned k = i; k > 0; k--) {
            effect_number *one = &effect->numbers[k - 1], *other = &effect->numbers[k], kept = *one;
            ptrdiff_t first = one->argument == &share ? -1 : one->argument - function->arguments;
            ptrdiff_t second =
                other->argument == &share ? -1 : other->argument - function->arguments;
            if (first <= second)
                break;
            *one = *other;
            *other = kept;
        }
}

/* What a call has beside what stands inside: its numbers, written or not. */
static void add_arguments(effect *effect, const yt_listed_function *function, const char *text,
                          const yt_term *call, size_t close) {
    bool is_written[FUNCTION_ARGUMENTS] = {false};
    unsigned place = 1;
    for (const yt_term *at = call->first->next; at; at = at->next, place++) {
        if (place == 1 && strchr(effect->kind->pattern, '@') && !at->label) {
            effect->other_at = at->offset;
            effect->other_length = at->width;
            continue;
        }
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
        if (!is_written[i] && argument->high > argument->low && argument->wanted != WANTED_POINTS &&
            !is_of_camera(function, argument))
            add_number(effect, (effect_number){.name = argument->label,
                                               .meaning = argument->meaning,
                                               .argument = argument,
                                               .amount = argument->otherwise,
                                               .at = close,
                                               .with = written_with(function, argument)});
    }
    sort_numbers(effect, function);
}

static bool read_call(effects *effects, const char *text, const yt_term *call, span all,
                      const yt_term **inside, span *inner) {
    const yt_listed_function *function = function_of(text, call);
    const yt_term *first = call->first;
    bool is_labelled = first && first->label;
    if (!function || !first || text[all.end - 1] != ')' ||
        (is_labelled && (first->next || function_argument_count(function) < 1 ||
                         strcmp(function->name, "motion") != 0 || *first->label != 'x')))
        return false;
    size_t open = call->offset + call->name_width, close = all.end - 1;
    while (text[open] != (is_labelled ? '=' : '('))
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

/* With another control, not while it is, or either of the two. */
static bool read_two(effects *effects, const char *text, const yt_term *term, span all,
                     const yt_term **inside, span *inner) {
    const yt_term *second = term->first->next;
    const char *word = term->kind == TERM_AND ? "and" : "or";
    bool is_not = term->kind == TERM_AND && second->kind == TERM_NOT;
    const yt_term *other = is_not ? second->first : second;
    if (other->kind != TERM_NAME || second->next || end_of(other) != all.end)
        return false;
    size_t at = second->offset;
    do
        at = back_to(text, at - 1, *word);
    while (at > all.at && memcmp(text + at, word, strlen(word)) != 0);
    *inner = trimmed(text, (span){all.at, at});
    *inside = term->first;
    effect *effect = add(effects,
                         is_not                   ? "not while"
                         : term->kind == TERM_AND ? "with another"
                                                  : "or another",
                         all, *inner);
    effect->other_at = other->offset;
    effect->other_length = other->width;
    return true;
}

/* "if(x, 50%, 100%)" in front of what is weaker while x is on. */
static const yt_term *weaker_while(const char *text, const yt_term *term, int64_t *amount) {
    const yt_term *when = term->kind == TERM_CALL ? term->first : NULL;
    const yt_term *then = when ? when->next : NULL, *otherwise = then ? then->next : NULL;
    const yt_listed_function *function = when ? function_of(text, term) : NULL;
    int64_t whole;
    if (!function || strcmp(function->name, "if") != 0 || !otherwise || otherwise->next ||
        when->kind != TERM_NAME || when->label || then->label || otherwise->label ||
        !number_of(then, amount) || then->unit != YT_UNIT_NONE || *amount < 0 ||
        *amount > share.high || !number_of(otherwise, &whole) || whole != YT_ONE)
        return NULL;
    return when;
}

static void add_share(effect *effect, int64_t amount, const yt_term *number) {
    add_number(effect, (effect_number){.name = "share",
                                       .meaning = share.meaning,
                                       .argument = &share,
                                       .amount = amount,
                                       .is_written = true,
                                       .at = number->offset,
                                       .length = number->width});
}

/* "-1 * x", "x * 40%", "if(y, 40%, 100%) * x", or "x * y". */
static bool read_product(effects *effects, const char *text, const yt_term *term, span all,
                         const yt_term **inside, span *inner) {
    const yt_term *first = term->first, *second = first->next;
    int64_t amount;
    size_t star = back_to(text, second->offset, '*');
    const yt_term *when = weaker_while(text, first, &amount);
    if (second->next)
        return false;
    if (when || (number_of(first, &amount) && amount == -YT_ONE && first->unit == YT_UNIT_NONE)) {
        if (first->offset != all.at)
            return false;
        *inner = trimmed(text, (span){star + 1, all.end});
        *inside = second;
        effect *effect = add(effects, when ? "weaker while" : "the other way", all, *inner);
        if (when) {
            effect->other_at = when->offset;
            effect->other_length = when->width;
            add_share(effect, amount, when->next);
        }
        return true;
    }
    if (end_of(second) != all.end)
        return false;
    bool is_share = number_of(second, &amount) && second->unit == YT_UNIT_NONE && amount >= 0 &&
                    amount <= share.high;
    if (!is_share && second->kind != TERM_NAME)
        return false;
    *inner = trimmed(text, (span){all.at, star});
    *inside = first;
    effect *effect = add(effects, is_share ? "weaker" : "as far as another", all, *inner);
    if (is_share)
        add_share(effect, amount, second);
    effect->other_at = is_share ? 0 : second->offset;
    effect->other_length = is_share ? 0 : second->width;
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
    case TERM_OR:
        return read_two(effects, text, term, all, inside, inner);
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
    return effects.count ? effects.list[0].kind->function != NULL : effects.is_control;
}

/* It is done to a formula as a whole. */
static bool wrap(const effect_kind *kind, const char *formula, const char *other, char *text) {
    size_t used = 0;
    bool is_call = strstr(kind->pattern, "($") || strstr(kind->pattern, "=$");
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

bool effect_add(const effect_kind *kind, const char *formula, yt_formula_type type, unsigned from,
                const char *other, char *text) {
    effects effects;
    char inside[EFFECT_TEXT], wrapped[EFFECT_TEXT];
    effects_read(&effects, formula);
    unsigned part = part_for(kind, &effects, type, from);
    if (part == 0 || part > effects.count)
        return wrap(kind, formula, other, text);
    const effect *around = &effects.list[part - 1];
    if (around->inner_length >= sizeof inside)
        return false;
    snprintf(inside, sizeof inside, "%.*s", (int)around->inner_length, formula + around->inner_at);
    return wrap(kind, inside, other, wrapped) &&
           put(formula, around->inner_at, around->inner_length, wrapped, text);
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

bool effect_set_text(const effect_number *number, const char *formula, const char *written,
                     char *text) {
    char new[EFFECT_TEXT];
    int size = number->is_written ? snprintf(new, sizeof new, "%s", written)
                                  : snprintf(new, sizeof new, ", %s=%s%s", number->name, written,
                                             number->with ? number->with : "");
    return size < EFFECT_TEXT && put(formula, number->at, number->length, new, text);
}

bool effect_set_number(const effect_number *number, const char *formula, int64_t amount,
                       char *text) {
    char written[60];
    argument_text(number->argument, amount, written, sizeof written);
    return effect_set_text(number, formula, written, text);
}

/* Which of the numbers is the first of a curve's points, and how many points there are. */
static unsigned points_of(const effect *effect, unsigned *first) {
    unsigned count = 0;
    for (unsigned i = 0; i < effect->number_count; i++)
        if (strcmp(effect->numbers[i].name, "to") == 0 && effect->numbers[i].argument == &share) {
            *first = count ? *first : i - 1;
            count++;
        }
    return count;
}

bool effect_is_of_points(const effect *effect) {
    unsigned first;
    return points_of(effect, &first) > 0;
}

bool effect_add_point(const effect *effect, const char *formula, char *text) {
    unsigned first = 0, count = points_of(effect, &first), best = 0;
    const effect_number *numbers = effect->numbers + first;
    int64_t x = 0, y = 0, widest = 0, at = 0, to = 0;
    if (count == 0 || first + 2 * count + 2 > EFFECT_NUMBERS)
        return false;
    for (unsigned i = 0; i <= count; i++) {
        if (i < count && (numbers[2 * i].is_fixed || numbers[2 * i + 1].is_fixed))
            return false;
        int64_t next_x = i < count ? numbers[2 * i].amount : YT_ONE;
        int64_t next_y = i < count ? numbers[2 * i + 1].amount : YT_ONE;
        if (next_x - x > widest) {
            widest = next_x - x;
            best = i;
            at = (x + next_x) / 2;
            to = (y + next_y) / 2;
        }
        x = next_x;
        y = next_y;
    }
    char point[80];
    long long percent = (at * 100 + YT_ONE / 2) / YT_ONE, out = (to * 100 + YT_ONE / 2) / YT_ONE;
    snprintf(point, sizeof point, best < count ? "%lld%% -> %lld%%, " : ", %lld%% -> %lld%%",
             percent, out);
    const effect_number *last = &numbers[2 * count - 1];
    return put(formula, best < count ? numbers[2 * best].at : last->at + last->length, 0, point,
               text);
}

bool effect_take_point(const effect *effect, unsigned number, const char *formula, char *text) {
    unsigned first = 0, count = points_of(effect, &first);
    if (count < 2 || number < first || number >= first + 2 * count)
        return false;
    const effect_number *from = &effect->numbers[number - (number - first) % 2], *to = from + 1;
    if (number < first + 2) /* up to the next one; else from behind the one in front of it */
        return put(formula, from->at, to[1].at - from->at, "", text);
    size_t begin = from[-1].at + from[-1].length;
    return put(formula, begin, to->at + to->length - begin, "", text);
}

bool effect_set_other(const effect *effect, const char *formula, const char *other, char *text) {
    return put(formula, effect->other_at, effect->other_length, other, text);
}

/* ---- numbers ---- */

/* How much a step is, in parts of the unit of which `parts` are one: 100 parts are percents. */
static int64_t step_of(const effect_number *number, int64_t *parts) {
    const yt_listed_argument *argument = number->argument;
    *parts = 10;
    switch (argument->wanted) {
    case WANTED_TIME:
    case WANTED_SLOPE:
        *parts = 0; /* microseconds as they are */
        return number->amount < 200000 ? 10000 : number->amount < 1000000 ? 50000 : 100000;
    case WANTED_FREQUENCY:
        return 10;
    case WANTED_COUNT:
        *parts = 1;
        return argument->high >= 1000 * YT_ONE ? 100 : 1;
    case WANTED_SPEED:
        return 500;
    case WANTED_ANGLE:
        return 50;
    case WANTED_TURNING:
        return argument->high <= 100 * YT_ONE ? 10 : 50;
    case WANTED_POWER:
        *parts = 100;
        return 10;
    default:
        *parts = 1000;
        return argument->high <= YT_ONE / 10 ||
                       (argument->otherwise > 0 && argument->otherwise <= YT_ONE / 50)
                   ? 1
                   : 10;
    }
}

int64_t effect_stepped(const effect_number *number, int steps, bool is_fine) {
    const yt_listed_argument *argument = number->argument;
    int64_t parts, step = step_of(number, &parts), amount;
    if (is_fine && step >= 10)
        step /= 10;
    if (parts == 0) {
        amount = (number->amount + steps * step) / step * step;
    } else { /* whole parts, rounded as they are when they are read */
        int64_t half = number->amount < 0 ? -YT_ONE / 2 : YT_ONE / 2;
        int64_t whole = (number->amount * parts + half) / YT_ONE + steps * step;
        whole = whole / step * step;
        amount = (2 * whole * YT_ONE + (whole < 0 ? -parts : parts)) / (2 * parts);
    }
    return amount < argument->low    ? argument->low
           : amount > argument->high ? argument->high
                                     : amount;
}

void effect_number_text(const effect_number *number, char *text, size_t size) {
    argument_text(number->argument, number->amount, text, size);
}
