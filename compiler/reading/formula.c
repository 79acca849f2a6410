#include "compiler/reading/formula.h"

#include <ctype.h>
#include <stdarg.h>
#include <string.h>
#include <strings.h>

typedef struct yt_parsing {
    yt_pool *pool;
    yt_messages *messages;
    const yt_part *part;
    const char *text;
    size_t at;
    int depth;
    int parts;
    bool failed;
} yt_parsing;

static yt_term *parse_or(yt_parsing *parsing);

__attribute__((format(printf, 4, 5))) static yt_term *fail(yt_parsing *parsing, size_t offset,
                                                           size_t width, const char *format, ...) {
    va_list arguments;
    char text[256];
    if (parsing->failed)
        return NULL;
    parsing->failed = true;
    va_start(arguments, format);
    vsnprintf(text, sizeof text, format, arguments);
    va_end(arguments);
    messages_add(parsing->messages,
                 part_place(parsing->part, parsing->messages, offset, (int)width), "%s", text);
    return NULL;
}

static void skip_space(yt_parsing *parsing) {
    while (isspace((unsigned char)parsing->text[parsing->at]))
        parsing->at++;
}

static bool is_word(char c) {
    return isalnum((unsigned char)c) || c == '_';
}

static size_t word_length(const char *text) {
    size_t length = 0;
    if (isdigit((unsigned char)text[0]))
        return 0;
    while (is_word(text[length]))
        length++;
    return length;
}

/* A part of a name behind a dot: a word, or a whole number. */
static size_t part_length(const char *text) {
    size_t length = 0;
    while (isdigit((unsigned char)text[length]))
        length++;
    return length > 0 && !is_word(text[length]) ? length : word_length(text);
}

bool formula_is_reserved(const char *word, size_t length) {
    static const char *const words[] = {"and", "or", "not"};
    for (size_t i = 0; i < sizeof words / sizeof words[0]; i++)
        if (length == strlen(words[i]) && memcmp(word, words[i], length) == 0)
            return true;
    return false;
}

/* Takes `sign` if it is next. Words end where no letter follows. */
static bool take(yt_parsing *parsing, const char *sign) {
    size_t length = strlen(sign);
    skip_space(parsing);
    if (strncmp(parsing->text + parsing->at, sign, length) != 0)
        return false;
    if (is_word(sign[0]) && is_word(parsing->text[parsing->at + length]))
        return false;
    parsing->at += length;
    return true;
}

static yt_term *new_term(yt_parsing *parsing, yt_term_kind kind, size_t offset) {
    yt_term *term = pool_take(parsing->pool, sizeof *term);
    term->kind = kind;
    term->offset = offset;
    return term;
}

static void end_term(const yt_parsing *parsing, yt_term *term) {
    size_t end = parsing->at;
    while (end > term->offset && isspace((unsigned char)parsing->text[end - 1]))
        end--;
    term->width = end - term->offset;
}

static yt_term *join(yt_parsing *parsing, yt_term_kind kind, yt_term *left, yt_term *right) {
    if (!left || !right)
        return NULL;
    if (++parsing->parts > FORMULA_PARTS)
        return fail(parsing, right->offset, 1, "this formula has more than %d parts",
                    FORMULA_PARTS);
    yt_term *term = new_term(parsing, kind, left->offset);
    term->first = left;
    left->next = right;
    end_term(parsing, term);
    return term;
}

typedef struct yt_unit_name {
    const char *name;
    yt_unit unit;
    int64_t multiply; /* what 1 of it is, in microseconds or in 1/65536 */
    int64_t divide;
} yt_unit_name;

static const yt_unit_name unit_names[] = {
    {"%", YT_UNIT_NONE, YT_ONE, 100},     {"ms", YT_UNIT_TIME, 1000, 1},
    {"us", YT_UNIT_TIME, 1, 1},           {"s", YT_UNIT_TIME, 1000000, 1},
    {"Hz", YT_UNIT_FREQUENCY, YT_ONE, 1}, {"deg/s", YT_UNIT_TURN, YT_ONE, 1},
    {"deg", YT_UNIT_ANGLE, YT_ONE, 1},    {"/s", YT_UNIT_SPEED, YT_ONE, 1},
    {"g", YT_UNIT_PULL, YT_ONE, 1},       {"mm", YT_UNIT_LENGTH, YT_ONE, 1}};

const char *unit_meaning(yt_unit unit) {
    static const char *const meanings[] = {"a plain number",
                                           "a time such as 120 ms",
                                           "a frequency such as 12 Hz",
                                           "an angle such as 30 deg",
                                           "a speed such as 1500 /s",
                                           "a rate such as 90 deg/s",
                                           "an acceleration such as 1.5 g",
                                           "a depth such as 1.2 mm"};
    return meanings[unit];
}

/* The unit that a text begins with; NULL: none. */
static const yt_unit_name *unit_at(const char *text) {
    for (size_t i = 0; i < sizeof unit_names / sizeof unit_names[0]; i++) {
        const char *name = unit_names[i].name;
        size_t length = strlen(name);
        if (strncmp(text, name, length) == 0 &&
            (!is_word(name[length - 1]) || !is_word(text[length])))
            return &unit_names[i];
    }
    return NULL;
}

size_t formula_unit_length(const char *text) {
    const yt_unit_name *unit = unit_at(text);
    return unit ? strlen(unit->name) : 0;
}

static const yt_unit_name *take_unit(yt_parsing *parsing) {
    size_t before = parsing->at;
    skip_space(parsing);
    const yt_unit_name *unit = unit_at(parsing->text + parsing->at);
    parsing->at = unit ? parsing->at + strlen(unit->name) : before;
    return unit;
}

static bool is_word_of(const char *known, const char *word, size_t length) {
    return strlen(known) == length && strncasecmp(known, word, length) == 0;
}

/* Units as they are written elsewhere. */
static const char *unit_meant(const char *word, size_t length) {
    static const char *const units[][2] = {
        {"hz", "Hz"},     {"hertz", "Hz"},  {"sec", "s"},      {"secs", "s"},     {"second", "s"},
        {"seconds", "s"}, {"msec", "ms"},   {"msecs", "ms"},   {"millis", "ms"},  {"usec", "us"},
        {"micros", "us"}, {"percent", "%"}, {"degree", "deg"}, {"degrees", "deg"}};
    for (size_t i = 0; i < sizeof units / sizeof units[0]; i++)
        if (is_word_of(units[i][0], word, length))
            return units[i][1];
    return NULL;
}

/* A wrong unit is caught here, where a name cannot follow. `digits` is where its number begins. */
static void refuse_unit(yt_parsing *parsing, size_t digits) {
    size_t end = parsing->at;
    skip_space(parsing);
    size_t length = word_length(parsing->text + parsing->at);
    const char *word = parsing->text + parsing->at, *meant = unit_meant(word, length);
    int shown = (int)(length < 40 ? length : 40);
    if (length == 0 || formula_is_reserved(word, length))
        return;
    if (meant)
        fail(parsing, parsing->at, length, "\"%.*s\" is no unit; write: %.*s%s%s", shown, word,
             (int)(end - digits), parsing->text + digits, *meant == '%' ? "" : " ", meant);
    else
        fail(parsing, parsing->at, length,
             "\"%.*s\" is no unit; the units are: %%  us  ms  s  Hz  deg  /s  deg/s  g  mm", shown,
             word);
}

static yt_term *parse_number(yt_parsing *parsing) {
    size_t begin = parsing->at;
    int64_t digits = 0, scale = 1;
    bool point = false;
    for (;; parsing->at++) {
        char c = parsing->text[parsing->at];
        if (c == '.' && !point && isdigit((unsigned char)parsing->text[parsing->at + 1])) {
            point = true;
            continue;
        }
        if (!isdigit((unsigned char)c))
            break;
        if (digits > 99999999 || scale > 99999999)
            return fail(parsing, begin, parsing->at - begin + 1, "this number has too many digits");
        digits = digits * 10 + (c - '0');
        scale *= point ? 10 : 1;
    }
    yt_term *term = new_term(parsing, TERM_NUMBER, begin);
    const yt_unit_name *unit = take_unit(parsing);
    if (!unit)
        refuse_unit(parsing, begin);
    if (parsing->failed)
        return NULL;
    int64_t multiply = unit ? unit->multiply : YT_ONE, divide = unit ? unit->divide : 1;
    term->unit = unit ? unit->unit : YT_UNIT_NONE;
    term->amount = (digits * multiply * 2 + scale * divide) / (scale * divide * 2);
    end_term(parsing, term);
    if (term->unit != YT_UNIT_TIME && term->amount > INT32_MAX)
        return fail(parsing, begin, term->width, "numbers go up to 32767 here");
    if (term->unit == YT_UNIT_TIME && term->amount > FORMULA_TIME)
        return fail(parsing, begin, term->width, "times go up to 1800 s here");
    return term;
}

static yt_term *parse_argument(yt_parsing *parsing) {
    skip_space(parsing);
    const char *label = parsing->text + parsing->at;
    size_t length = word_length(label), before = parsing->at;
    parsing->at += length;
    skip_space(parsing);
    bool labelled = length > 0 && !formula_is_reserved(label, length) &&
                    parsing->text[parsing->at] == '=' && parsing->text[parsing->at + 1] != '=';
    parsing->at = labelled ? parsing->at + 1 : before;
    yt_term *argument = parse_or(parsing);
    if (argument && take(parsing, "->"))
        argument = join(parsing, TERM_POINT, argument, parse_or(parsing));
    if (argument && labelled) {
        argument->label = label;
        argument->label_width = length;
    }
    return argument;
}

static yt_term *parse_call(yt_parsing *parsing, size_t begin, size_t name_width) {
    yt_term *call = new_term(parsing, TERM_CALL, begin);
    struct yt_term **end = &call->first;
    size_t open = parsing->at - 1;
    call->name_width = name_width;
    if (take(parsing, ")")) {
        end_term(parsing, call);
        return call;
    }
    do {
        *end = parse_argument(parsing);
        if (!*end)
            return NULL;
        end = &(*end)->next;
    } while (take(parsing, ","));
    if (!take(parsing, ")"))
        return fail(parsing, open, 1, "this parenthesis is not closed");
    end_term(parsing, call);
    return call;
}

static yt_term *parse_name(yt_parsing *parsing) {
    size_t begin = parsing->at;
    bool has_dots = false;
    if (take(parsing, "not"))
        return fail(parsing, begin, 3,
                    "`not` stands in front of a whole comparison; put it in "
                    "parentheses: (not …)");
    if (take(parsing, "and") || take(parsing, "or"))
        return fail(parsing, begin, parsing->at - begin, "nothing stands in front of this");
    for (;;) {
        const char *text = parsing->text + parsing->at;
        size_t length = has_dots ? part_length(text) : word_length(text);
        if (length == 0 || formula_is_reserved(text, length))
            return fail(parsing, parsing->at, length ? length : 1,
                        "a name is missing behind the dot");
        parsing->at += length;
        if (parsing->text[parsing->at] != '.')
            break;
        parsing->at++;
        has_dots = true;
    }
    size_t width = parsing->at - begin;
    if (!has_dots && take(parsing, "("))
        return parse_call(parsing, begin, width);
    yt_term *term = new_term(parsing, TERM_NAME, begin);
    term->width = width;
    return term;
}

static yt_term *refuse_sign(yt_parsing *parsing) {
    static const struct {
        const char *sign, *meant;
    } signs[] = {{"&&", "and"}, {"||", "or"}, {"!", "not"}, {"&", "and"}, {"|", "or"}};
    const char *at = parsing->text + parsing->at;
    for (size_t i = 0; i < sizeof signs / sizeof signs[0]; i++)
        if (strncmp(at, signs[i].sign, strlen(signs[i].sign)) == 0)
            return fail(parsing, parsing->at, strlen(signs[i].sign), "write `%s` for %s",
                        signs[i].meant, signs[i].sign);
    if ((*at == '.' || *at == '%') && isdigit((unsigned char)at[1]))
        return fail(parsing, parsing->at, 1,
                    *at == '.' ? "a digit stands in front of the point; write: 0%.*s"
                               : "the sign stands behind its number; write: %.*s%%",
                    (int)strspn(at + (*at == '%'), ".0123456789"), at + (*at == '%'));
    if (*at == 0)
        return fail(parsing, parsing->at, 1,
                    "the formula ends too early: a control, a number or "
                    "a parenthesis is missing");
    return fail(parsing, parsing->at, 1, "a control, a number or a parenthesis was expected here");
}

static yt_term *parse_primary(yt_parsing *parsing) {
    skip_space(parsing);
    char c = parsing->text[parsing->at];
    size_t open = parsing->at;
    if (isdigit((unsigned char)c))
        return parse_number(parsing);
    if (word_length(parsing->text + parsing->at) > 0)
        return parse_name(parsing);
    if (!take(parsing, "("))
        return refuse_sign(parsing);
    yt_term *inside = parse_or(parsing);
    if (inside && !take(parsing, ")"))
        return fail(parsing, open, 1, "this parenthesis is not closed");
    return inside;
}

typedef yt_term *parse(yt_parsing *parsing);

/* What stands behind a word of one operand, which may stand there several times; else what `inner`
 * reads. */
static yt_term *parse_prefix(yt_parsing *parsing, const char *word, yt_term_kind kind,
                             parse *inner) {
    skip_space(parsing);
    size_t begin = parsing->at;
    if (!take(parsing, word))
        return inner(parsing);
    if (++parsing->depth > FORMULA_DEPTH)
        return fail(parsing, begin, strlen(word), "this formula is nested too deep");
    yt_term *operand = parse_prefix(parsing, word, kind, inner);
    parsing->depth--;
    if (!operand)
        return NULL;
    yt_term *term = new_term(parsing, kind, begin);
    term->first = operand;
    end_term(parsing, term);
    return term;
}

static yt_term *parse_unary(yt_parsing *parsing) {
    return parse_prefix(parsing, "-", TERM_NEGATE, parse_primary);
}

static yt_term *parse_product(yt_parsing *parsing) {
    yt_term *left = parse_unary(parsing);
    while (left) {
        if (take(parsing, "*"))
            left = join(parsing, TERM_MULTIPLY, left, parse_unary(parsing));
        else if (take(parsing, "/"))
            left = join(parsing, TERM_DIVIDE, left, parse_unary(parsing));
        else
            break;
    }
    return left;
}

/* `->` stands between the two numbers of a point. */
static bool is_arrow(yt_parsing *parsing) {
    skip_space(parsing);
    return strncmp(parsing->text + parsing->at, "->", 2) == 0;
}

static yt_term *parse_sum(yt_parsing *parsing) {
    yt_term *left = parse_product(parsing);
    while (left) {
        if (take(parsing, "+"))
            left = join(parsing, TERM_ADD, left, parse_product(parsing));
        else if (!is_arrow(parsing) && take(parsing, "-"))
            left = join(parsing, TERM_SUBTRACT, left, parse_product(parsing));
        else
            break;
    }
    return left;
}

static bool take_comparison(yt_parsing *parsing, yt_term_kind *kind) {
    static const struct {
        const char *sign;
        yt_term_kind kind;
    } signs[] = {{"<=", TERM_LESS_OR_EQUAL}, {">=", TERM_GREATER_OR_EQUAL},
                 {"==", TERM_EQUAL},         {"!=", TERM_NOT_EQUAL},
                 {"<", TERM_LESS},           {">", TERM_GREATER}};
    for (size_t i = 0; i < sizeof signs / sizeof signs[0]; i++)
        if (take(parsing, signs[i].sign)) {
            *kind = signs[i].kind;
            return true;
        }
    return false;
}

static yt_term *parse_comparison(yt_parsing *parsing) {
    yt_term_kind kind;
    yt_term *left = parse_sum(parsing);
    if (!left || !take_comparison(parsing, &kind))
        return left;
    left = join(parsing, kind, left, parse_sum(parsing));
    skip_space(parsing);
    size_t sign = parsing->at;
    if (left && take_comparison(parsing, &kind))
        return fail(parsing, sign, parsing->at - sign,
                    "comparisons do not chain; write: a < b and b < c");
    return left;
}

static yt_term *parse_not(yt_parsing *parsing) {
    return parse_prefix(parsing, "not", TERM_NOT, parse_comparison);
}

static yt_term *parse_and(yt_parsing *parsing) {
    yt_term *left = parse_not(parsing);
    while (left && take(parsing, "and"))
        left = join(parsing, TERM_AND, left, parse_not(parsing));
    return left;
}

static yt_term *parse_or(yt_parsing *parsing) {
    if (++parsing->depth > FORMULA_DEPTH)
        return fail(parsing, parsing->at, 1, "this formula is nested too deep");
    yt_term *left = parse_and(parsing);
    while (left && take(parsing, "or"))
        left = join(parsing, TERM_OR, left, parse_and(parsing));
    parsing->depth--;
    return left;
}

static yt_term *refuse_rest(yt_parsing *parsing) {
    static const char *const words[][2] = {
        {"and", "and"}, {"or", "or"}, {"not", "not"}, {"xor", "!="}};
    const char *at = parsing->text + parsing->at;
    size_t length = word_length(at);
    if (*at == ')')
        return fail(parsing, parsing->at, 1, "there is no parenthesis that this one closes");
    if (strncmp(at, "->", 2) == 0)
        return fail(parsing, parsing->at, 2,
                    "-> stands between the two numbers of a curve's point, as in: curve(stick, "
                    "25%% -> 10%%)");
    if (*at == '=')
        return fail(parsing, parsing->at, 1, "= only names an argument; compare with ==");
    if (strchr("&|!", *at))
        return refuse_sign(parsing);
    size_t before = parsing->at;
    while (before > 0 && isspace((unsigned char)parsing->text[before - 1]))
        before--;
    if (before >= 3 && strncasecmp(parsing->text + before - 3, "not", 3) == 0 &&
        (before == 3 || !is_word(parsing->text[before - 4])))
        return fail(parsing, before - 3, 3, "write `not` for %.3s", parsing->text + before - 3);
    if (*at == '?')
        return fail(parsing, parsing->at, 1,
                    "? is not known here; write: if(condition, one, other)");
    for (size_t i = 0; i < sizeof words / sizeof words[0]; i++)
        if (is_word_of(words[i][0], at, length))
            return fail(parsing, parsing->at, length, "write `%s` for %.*s", words[i][1],
                        (int)length, at);
    return fail(parsing, parsing->at, length ? length : 1,
                "an operator (and or not + - * / < > ==) is missing before this");
}

yt_term *formula_parse(yt_pool *pool, yt_messages *messages, const yt_part *part) {
    yt_parsing parsing = {.pool = pool, .messages = messages, .part = part, .text = part->text};
    yt_term *term = parse_or(&parsing);
    skip_space(&parsing);
    if (term && parsing.text[parsing.at] != 0)
        return refuse_rest(&parsing);
    return term;
}

bool formula_has_name(const yt_term *term, const char *text, const char *name) {
    size_t length = strlen(name);
    if (term->kind == TERM_NAME && term->width == length &&
        memcmp(text + term->offset, name, length) == 0)
        return true;
    for (const struct yt_term *inside = term->first; inside; inside = inside->next)
        if (formula_has_name(inside, text, name))
            return true;
    return false;
}
