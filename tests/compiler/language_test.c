/* docs/language.md against the compiler: its grammar, read from the page, and its table of
 * operators. */
#include "compiler/formulas/named.h"
#include "compiler/profile/compile.h"
#include "tests/harness.h"

/* The grammar as the page has it: rules in EBNF, matched against tokens by trying everything. */
#define RULES  20
#define TOKENS 14

typedef struct rule {
    char name[20];
    const char *body; /* up to ";" */
} rule;

static rule rules[RULES];
static unsigned rule_count;
static const char *tokens[TOKENS + 1]; /* ended by NULL */

static const char *skip(const char *at) {
    while (*at == ' ' || *at == '\n')
        at++;
    return at;
}

static bool is_letter(char c) {
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_';
}

/* Where tokens may stand after something was matched: a bit for each place. */
typedef uint32_t places;

static places match_choice(const char **body, places from);

static bool is_word_token(const char *token) {
    return is_letter(*token) && strcmp(token, "and") && strcmp(token, "or") && strcmp(token, "not");
}

static places match_token(places from, const char *text, size_t length) {
    places to = 0;
    for (unsigned i = 0; i < TOKENS && tokens[i]; i++)
        if ((from >> i & 1) && strlen(tokens[i]) == length && memcmp(tokens[i], text, length) == 0)
            to |= 1u << (i + 1);
    return to;
}

static places match_name(const char *name, size_t length, places from) {
    places to = 0;
    if (length == 4 && memcmp(name, "word", 4) == 0) {
        for (unsigned i = 0; i < TOKENS && tokens[i]; i++)
            if ((from >> i & 1) && is_word_token(tokens[i]))
                to |= 1u << (i + 1);
        return to;
    }
    if (length == 6 && memcmp(name, "number", 6) == 0) {
        for (unsigned i = 0; i < TOKENS && tokens[i]; i++)
            if ((from >> i & 1) && tokens[i][0] >= '0' && tokens[i][0] <= '9')
                to |= 1u << (i + 1);
        return to;
    }
    for (unsigned i = 0; i < rule_count; i++)
        if (strlen(rules[i].name) == length && memcmp(rules[i].name, name, length) == 0) {
            const char *body = rules[i].body;
            return from ? match_choice(&body, from) : 0;
        }
    about("the rule %.*s", (int)length, name);
    CHECK(false);
    return 0;
}

/* One item of a sequence; `from` 0 only steps over it. */
static places match_item(const char **body, places from) {
    const char *at = *body;
    if (*at == '"') {
        const char *end = strchr(at + 1, '"');
        *body = end + 1;
        return match_token(from, at + 1, (size_t)(end - at - 1));
    }
    if (is_letter(*at)) {
        size_t length = 0;
        while (is_letter(at[length]))
            length++;
        *body = at + length;
        return match_name(at, length, from);
    }
    char open = *at;
    const char *inside = at + 1;
    places once = match_choice(&inside, from), all = once;
    *body = inside + 1;
    if (open == '(')
        return once;
    for (places more = once; open == '{' && more;) {
        const char *again = at + 1;
        more = match_choice(&again, more) & ~all;
        all |= more;
    }
    return all | from;
}

static places match_sequence(const char **body, places from) {
    for (*body = skip(*body); !strchr("|)]};", **body); *body = skip(*body))
        from = match_item(body, from);
    return from;
}

static places match_choice(const char **body, places from) {
    places to = match_sequence(body, from);
    while (**body == '|') {
        ++*body;
        to |= match_sequence(body, from);
    }
    return to;
}

static bool grammar_takes(unsigned count) {
    return match_name("formula", 7, 1u) >> count & 1;
}

static void read_rules(const char *page) {
    const char *at = strstr(page, "    formula    = ");
    CHECK(at != NULL);
    while (at && rule_count < RULES) {
        char name[20];
        if (sscanf(at, " %19[a-z] =", name) != 1)
            break;
        strcpy(rules[rule_count].name, name);
        rules[rule_count++].body = strchr(at, '=') + 1;
        const char *end = strstr(at, " ;\n");
        if (!end)
            break;
        at = end + 3;
        if (*at == '\n')
            break;
    }
    CHECK_EQUAL(rule_count, 12);
}

static bool compiler_takes(unsigned count) {
    char text[400] = "";
    size_t length = 0;
    yt_messages messages;
    yt_pool pool = {0};
    for (unsigned i = 0; i < count; i++) {
        bool is_dot = *tokens[i] == '.' || (tokens[i + 1] && *tokens[i + 1] == '.');
        length += (size_t)snprintf(text + length, sizeof text - length, "%s%s", tokens[i],
                                   is_dot ? "" : " ");
    }
    yt_part part = {.kind = PART_TEXT, .text = text, .bytes = length};
    messages_begin(&messages, "formula", text, length);
    bool good = formula_parse(&pool, &messages, &part) != NULL && messages.count == 0;
    about("%s", text);
    messages_free(&messages);
    pool_free(&pool);
    return good;
}

/* A number beside a dot would be another number. */
static bool has_other_number(unsigned count) {
    for (unsigned i = 0; i + 1 < count; i++) {
        const char *one = tokens[i], *other = tokens[i + 1];
        if ((*one == '.' && *other >= '0' && *other <= '9') ||
            (*other == '.' && *one >= '0' && *one <= '9'))
            return true;
    }
    return false;
}

/* Random tokens, most of them such as often make a formula: the grammar of the page and the
 * compiler agree on each. */
static void check_grammar(void) {
    static const char *const words[] = {
        "a", "b",  "f", "min", "and", "or", "not", "(", ")", ",",  "=",  ".", "+", "-", "*", "/",
        "<", "<=", ">", "==",  "!=",  "1",  "2.5", "%", "s", "ms", "Hz", "(", ")", "a", "b", "1"};
    dice dice = {5};
    unsigned good = 0;
    for (unsigned i = 0; i < some(400000); i++) {
        unsigned count = 1 + roll_below(&dice, TOKENS);
        for (unsigned k = 0; k < count; k++)
            tokens[k] = words[roll_below(&dice, sizeof words / sizeof words[0])];
        tokens[count] = NULL;
        if (has_other_number(count))
            continue;
        bool takes = grammar_takes(count);
        CHECK_EQUAL(compiler_takes(count), takes);
        good += takes;
    }
    printf("%u formulas of %u are right\n", good, some(400000));
    CHECK(good > some(10000));
}

/* Formulas made by the rules themselves, which random tokens seldom hit. */
static void write_formula(FILE *file, dice *dice, int depth);

static void write_primary(FILE *file, dice *dice, int depth) {
    static const char *const leaves[] = {"a", "a.b", "f()", "3", "1.5 s", "40%", "12 Hz", "5 /s"};
    switch (depth > 0 ? roll_below(dice, 4) : 3) {
    case 0:
        fputs("(", file);
        write_formula(file, dice, depth - 1);
        fputs(")", file);
        break;
    case 1:
        fputs("f(", file);
        write_formula(file, dice, depth - 1);
        fputs(", n=", file);
        write_formula(file, dice, depth - 1);
        fputs(")", file);
        break;
    case 2:
        fputs("-", file);
        write_primary(file, dice, depth - 1);
        break;
    default:
        fputs(leaves[roll_below(dice, 8)], file);
    }
}

static void write_formula(FILE *file, dice *dice, int depth) {
    static const char *const operators[] = {" + ", " - ", " * ", " / "};
    static const char *const joins[] = {" and ", " or ", " and not ", " or not not "};
    for (unsigned i = 0, parts = 1 + roll_below(dice, 3); i < parts; i++) {
        fputs(i ? joins[roll_below(dice, 4)] : "", file);
        write_primary(file, dice, depth);
        for (unsigned more = roll_below(dice, 2); more > 0; more--) {
            fputs(operators[roll_below(dice, 4)], file);
            write_primary(file, dice, depth);
        }
        if (roll_below(dice, 3) == 0) {
            fputs(roll_below(dice, 2) ? " <= " : " != ", file);
            write_primary(file, dice, depth);
        }
    }
}

static void check_made(void) {
    dice dice = {6};
    for (unsigned i = 0; i < some(20000); i++) {
        char *text = NULL;
        size_t size;
        yt_messages messages;
        yt_pool pool = {0};
        FILE *file = open_memstream(&text, &size);
        write_formula(file, &dice, 3);
        fclose(file);
        yt_part part = {.kind = PART_TEXT, .text = text, .bytes = size};
        messages_begin(&messages, "formula", text, size);
        about("%s", text);
        CHECK(formula_parse(&pool, &messages, &part) != NULL);
        CHECK_EQUAL(messages.count, 0);
        messages_free(&messages);
        pool_free(&pool);
        free(text);
    }
}

/* The types of the page's tables, with something that is of each. */
static const struct {
    const char *name, *example;
    yt_formula_type type;
    yt_unit unit;
} types[] = {
    {"switch", "keys.a", VALUE_SWITCH, YT_UNIT_NONE},
    {"level", "hand.left_trigger", VALUE_LEVEL, YT_UNIT_NONE},
    {"axis", "slate.x", VALUE_AXIS, YT_UNIT_NONE},
    {"stick", "hand.left_stick", VALUE_STICK, YT_UNIT_NONE},
    {"motion", "ball.motion", VALUE_MOTION_PAIR, YT_UNIT_NONE},
    {"wheel", "ball.wheel", VALUE_MOTION, YT_UNIT_NONE},
    {"number", "50%", VALUE_CONSTANT, YT_UNIT_NONE},
    {"speed", "600 /s", VALUE_QUANTITY, YT_UNIT_SPEED},
    {"velocity", "(hand.left_stick * 9 /s)", VALUE_VELOCITY, YT_UNIT_SPEED},
    {"turning", "turning(axes(x=slate.x, y=slate.y, z=slate.x))", VALUE_VELOCITY, YT_UNIT_TURN},
    {"axes", "axes(x=slate.x, y=slate.y, z=slate.x)", VALUE_AXES, YT_UNIT_NONE},
    {"time", "120 ms", VALUE_QUANTITY, YT_UNIT_TIME}};

#define TYPES (sizeof types / sizeof types[0])

static const char *const operators[] = {"and", "or", "+", "-",  "*",  "/",
                                        "<",   "<=", ">", ">=", "==", "!="};

#define OPERATORS (sizeof operators / sizeof operators[0])

/* What the page says: [left, or TYPES where there is none][operator][right]; 0: an error, else the
 * type that it gives, from 1. */
static unsigned table[TYPES + 1][OPERATORS + 1][TYPES];

/* Whether a cell of the page's table lists a word. */
static bool lists(const char *cell, const char *word) {
    size_t length = strlen(word);
    for (const char *at = cell; (at = strstr(at, word)) != NULL; at++)
        if ((at == cell || strchr(" `,", at[-1])) && (at[length] == 0 || strchr(" `,", at[length])))
            return true;
    return false;
}

static unsigned type_named(const char *cell) {
    for (unsigned i = 0; i < TYPES; i++)
        if (lists(cell, types[i].name))
            return i + 1;
    return 0;
}

static void read_row(char **cells) {
    for (unsigned left = 0; left <= TYPES; left++) {
        if (left < TYPES ? !lists(cells[0], types[left].name) : strlen(cells[0]) > 1)
            continue;
        for (unsigned right = 0; right < TYPES; right++)
            for (unsigned k = 0; lists(cells[2], types[right].name) && k <= OPERATORS; k++)
                if (lists(cells[1], k < OPERATORS ? operators[k] : "not"))
                    table[left][k][right] = type_named(cells[3]);
    }
}

static unsigned read_table(char *page) {
    char *at = strstr(page, "| left | operator |"), *save = NULL;
    unsigned rows = 0;
    CHECK(at != NULL);
    for (char *line = strtok_r(at, "\n", &save); line && *line == '|';
         line = strtok_r(NULL, "\n", &save)) {
        char *cells[5];
        char *bar = line;
        for (int i = 0; bar && i < 5; i++) {
            *bar++ = 0;
            cells[i] = bar;
            bar = strchr(bar, '|');
        }
        if (rows++ >= 2)
            read_row(cells);
    }
    return rows - 2;
}

/* The type of a formula, from 1; 0: it is wrong. */
static unsigned type_of(const char *formula) {
    char profile[600];
    yt_messages messages;
    yt_compiled compiled;
    unsigned type = 0;
    snprintf(profile, sizeof profile,
             "yonder: 1\ninputs: {keys: keyboard, ball: mouse, slate: tablet, hand: gamepad}\n"
             "outputs: {pad: gamepad}\nnamed:\n  it: %s\nsheet: {pad.south: keys.a}\n",
             formula);
    messages_begin(&messages, "p.yaml", profile, strlen(profile));
    if (compile_profile(&compiled, &messages)) {
        yt_value value = compiled.scope->named->all[0].value;
        for (unsigned i = 0; i < TYPES; i++) {
            bool has_unit = value.unit != YT_UNIT_NONE;
            bool is_quantity = value.type == VALUE_CONSTANT && has_unit;
            yt_formula_type found = is_quantity ? VALUE_QUANTITY : value.type;
            bool is_type = types[i].type == found && (!has_unit || types[i].unit == value.unit);
            type = is_type ? i + 1 : type;
        }
        pool_free(&compiled.pool);
    }
    messages_free(&messages);
    return type;
}

static void check_operators(char *page) {
    CHECK(read_table(page) > 20);
    for (unsigned left = 0; left <= TYPES; left++)
        for (unsigned right = 0; right < TYPES; right++)
            for (unsigned k = 0; k <= OPERATORS; k++) {
                char formula[100];
                bool is_unary = left == TYPES;
                const char *sign = k < OPERATORS ? operators[k] : "not";
                if (is_unary != (k == OPERATORS) && !(is_unary && strcmp(sign, "-") == 0))
                    continue;
                snprintf(formula, sizeof formula, is_unary ? "%s%s%s%s" : "%s %s %s%s",
                         is_unary ? sign : types[left].example,
                         is_unary ? (k == OPERATORS ? " " : "") : sign, types[right].example, "");
                about("%s", formula);
                CHECK_EQUAL(type_of(formula), table[left][k][right]);
            }
}

int main(int count, char **arguments) {
    size_t size;
    if (count != 2)
        return 2;
    char *page = read_test_file(arguments[1], &size);
    read_rules(page);
    check_grammar();
    check_made();
    char *again = read_test_file(arguments[1], &size);
    check_operators(again);
    free(again);
    free(page);
    return report_checks();
}
