#include "compiler/reading/spacing.h"

#include <ctype.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/reading/formula.h"

#define LEVEL    2 /* spaces */
#define AS_IT_IS (-1)
#define INDENTS  128

/* ---- formulas ---- */

typedef enum token_kind {
    TOKEN_NONE,
    TOKEN_NAME,
    TOKEN_RESERVED, /* and, or, not */
    TOKEN_NUMBER,
    TOKEN_OPEN,
    TOKEN_CLOSE,
    TOKEN_COMMA,
    TOKEN_EQUALS, /* of a named argument */
    TOKEN_BETWEEN,
    TOKEN_MINUS /* in front of one thing */
} token_kind;

/* Two signs that are one where nothing stands between them. */
static bool is_pair(char one, char other) {
    return (other == '=' && one && strchr("<>=!", one)) || (one == '-' && other == '>');
}

static bool is_word(char c) {
    return isalnum((unsigned char)c) || c == '_';
}

static size_t name_length(const char *text) {
    size_t length = 0;
    while (is_word(text[length]) || (text[length] == '.' && is_word(text[length + 1])))
        length++;
    return length;
}

static size_t number_length(const char *text) {
    size_t length = strspn(text, "0123456789");
    if (text[length] == '.' && isdigit((unsigned char)text[length + 1]))
        length += 1 + strspn(text + length + 1, "0123456789");
    return length;
}

static token_kind kind_at(const char *text, token_kind before, size_t *length) {
    bool is_first = before == TOKEN_NONE || before == TOKEN_OPEN || before == TOKEN_COMMA ||
                    before == TOKEN_EQUALS || before == TOKEN_BETWEEN || before == TOKEN_RESERVED ||
                    before == TOKEN_MINUS;
    *length = 1;
    if (isdigit((unsigned char)*text)) {
        *length = number_length(text);
        return TOKEN_NUMBER;
    }
    if (is_word(*text)) {
        *length = name_length(text);
        return formula_is_reserved(text, *length) ? TOKEN_RESERVED : TOKEN_NAME;
    }
    if (is_pair(text[0], text[1])) {
        *length = 2;
        return TOKEN_BETWEEN;
    }
    switch (*text) {
    case '(':
        return TOKEN_OPEN;
    case ')':
        return TOKEN_CLOSE;
    case ',':
        return TOKEN_COMMA;
    case '=':
        return TOKEN_EQUALS;
    case '-':
        return is_first ? TOKEN_MINUS : TOKEN_BETWEEN;
    case '+':
    case '*':
    case '/':
    case '<':
    case '>':
        return TOKEN_BETWEEN;
    default:
        return TOKEN_NONE;
    }
}

static bool wants_space(token_kind before, token_kind kind) {
    if (before == TOKEN_NONE || before == TOKEN_OPEN || before == TOKEN_EQUALS ||
        before == TOKEN_MINUS)
        return false;
    if (kind == TOKEN_CLOSE || kind == TOKEN_COMMA || kind == TOKEN_EQUALS)
        return false;
    return kind != TOKEN_OPEN || before != TOKEN_NAME;
}

bool spacing_of_formula(FILE *out, const char *text) {
    token_kind before = TOKEN_NONE;
    char last = 0;
    for (;;) {
        size_t length;
        text += strspn(text, " \t");
        if (!*text)
            return true;
        token_kind kind = kind_at(text, before, &length);
        if (kind == TOKEN_NONE)
            return false;
        bool is_apart = wants_space(before, kind) || is_pair(last, *text);
        fprintf(out, "%s%.*s", is_apart ? " " : "", (int)length, text);
        text += length;
        last = text[-1];
        size_t gap = strspn(text, " \t"), unit = 0;
        if (kind == TOKEN_NUMBER)
            unit = formula_unit_length(text + gap);
        if (unit > 0) {
            fprintf(out, "%s%.*s", text[gap] == '%' ? "" : " ", (int)unit, text + gap);
            text += gap + unit;
        }
        before = kind;
    }
}

/* ---- a document ---- */

/* A text of the document, in the order in which they stand. */
typedef struct scalar {
    size_t at, end; /* in the source; of one that goes over several lines only `at` is known */
    int line;       /* from 1 */
    bool goes_on;
    bool is_formula, is_plain;
    int indent; /* of its line, where it is the first that stands there, or AS_IT_IS */
} scalar;

typedef struct laying {
    const char *text;
    size_t bytes;
    scalar *scalars;
    size_t count, room;
    FILE *out;
    const char *line; /* that is written, without its end */
    size_t length;
    int shift;           /* how far the last line went that has an indent of its own */
    int shifts[INDENTS]; /* and the last that began there before */
    size_t *starts;      /* of its lines */
    size_t line_count;
    yt_text_place found; /* the last place that was looked for, and where it is in the text */
    size_t found_at;
} laying;

static size_t behind(const laying *laying, size_t at, int characters) {
    for (; characters > 0 && at < laying->bytes; characters--) {
        at++;
        while (at < laying->bytes && ((unsigned char)laying->text[at] & 0xc0) == 0x80)
            at++;
    }
    return at;
}

/* Where each line begins. */
static void find_lines(laying *laying) {
    size_t count = 2;
    for (size_t i = 0; i < laying->bytes; i++)
        count += laying->text[i] == '\n';
    laying->starts = calloc(count, sizeof *laying->starts);
    if (!laying->starts)
        abort();
    laying->line_count = 1;
    for (size_t i = 0; i < laying->bytes; i++)
        if (laying->text[i] == '\n')
            laying->starts[laying->line_count++] = i + 1;
}

/* Those of a line are looked for from left to right. */
static size_t place_offset(laying *laying, const yt_text_place *place) {
    size_t line = (size_t)place->line - 1;
    size_t from = line < laying->line_count ? laying->starts[line] : laying->bytes;
    int characters = place->column - 1;
    if (laying->found.line == place->line && laying->found.column <= place->column) {
        from = laying->found_at;
        characters = place->column - laying->found.column;
    }
    laying->found = *place;
    laying->found_at = behind(laying, from, characters);
    return laying->found_at;
}

static void add_scalar(laying *laying, const yt_part *part, int indent, bool is_formula) {
    if (laying->count == laying->room) {
        laying->room = laying->room ? 2 * laying->room : 256;
        laying->scalars = realloc(laying->scalars, laying->room * sizeof *laying->scalars);
        if (!laying->scalars)
            abort();
    }
    scalar *made = &laying->scalars[laying->count++];
    *made = (scalar){.at = place_offset(laying, &part->place),
                     .line = part->place.line,
                     .is_formula = is_formula,
                     .indent = indent};
    made->end = behind(laying, made->at, part->place.width);
    char first = laying->text[made->at];
    bool is_quoted = first == '"' || first == '\'';
    if (part->bytes == 0 && !is_quoted) /* an element of which nothing stands there */
        made->end = made->at;
    made->is_plain = !is_quoted && made->at + part->bytes <= laying->bytes &&
                     memcmp(laying->text + made->at, part->text, part->bytes) == 0 &&
                     made->end == made->at + part->bytes;
    made->goes_on = !made->is_plain && !(is_quoted && made->end > made->at + 1 &&
                                         laying->text[made->end - 1] == first);
}

/* Whether a formula is the value of a key, or formulas stand below it. */
static bool has_formulas(const char *key) {
    static const char *const keys[] = {"sheet", "named", "camera", "parameters", "while", "when"};
    for (size_t i = 0; i < sizeof keys / sizeof keys[0]; i++)
        if (strcmp(key, keys[i]) == 0)
            return true;
    return false;
}

/* Whether each element of a list stands in the line of its dash; else the list stays as it is. */
static bool has_dashes_beside(laying *laying, const yt_part *list) {
    for (const yt_part *at = list->first; at; at = at->next) {
        size_t place = place_offset(laying, &at->place);
        while (place > 0 && strchr(" \t", laying->text[place - 1]))
            place--;
        if (place == 0 || laying->text[place - 1] != '-')
            return false;
    }
    return true;
}

static int deeper(int indent) {
    return indent < 0 ? AS_IT_IS : indent + LEVEL;
}

/* `indent`: of its keys or dashes; `first`: of the line in which it begins, if that is another. */
static void gather(laying *laying, const yt_part *part, int indent, int first, bool formulas) {
    if (part->kind == PART_TEXT) {
        add_scalar(laying, part, first, formulas);
        return;
    }
    bool flow = part->in_flow;
    if (part->kind == PART_LIST && !flow && !has_dashes_beside(laying, part))
        indent = first = AS_IT_IS;
    for (const yt_part *at = part->first; at; at = at->next) {
        int wanted = at == part->first ? first : flow ? AS_IT_IS : indent;
        if (part->kind == PART_LIST) {
            gather(laying, at, deeper(indent), wanted, formulas);
            continue;
        }
        add_scalar(laying, at, wanted, false);
        bool below = formulas || has_formulas(at->text);
        bool is_open = at->next->kind != PART_TEXT && !at->next->in_flow;
        at = at->next;
        gather(laying, at, deeper(indent), is_open ? deeper(indent) : AS_IT_IS, below);
    }
}

/* ---- writing ---- */

static void put_spaces(FILE *out, int count) {
    for (int i = 0; i < count; i++)
        putc(' ', out);
}

/* What stands between two texts of a line: brackets, colons, commas and dashes, each with the
 * spaces that belong to it. Anything else stays as it is. */
static void put_gap(FILE *out, const char *gap, size_t length, bool is_tail) {
    char kept[64];
    size_t count = 0;
    for (size_t i = 0; i < length; i++) {
        if (gap[i] == ' ' || gap[i] == '\t')
            continue;
        if (!strchr("{}[],:-", gap[i]) || count == sizeof kept) {
            fwrite(gap, 1, length, out);
            return;
        }
        kept[count++] = gap[i];
    }
    for (size_t i = 0; i < count; i++) {
        bool is_last = is_tail && i + 1 == count;
        putc(kept[i], out);
        if (strchr(",:-", kept[i]) && !is_last)
            putc(' ', out);
    }
}

/* Where a comment begins in what stands behind the last text of a line; its length: nowhere. */
static size_t comment_at(const char *tail, size_t length) {
    for (size_t i = 0; i < length; i++)
        if (tail[i] == '#' && (i == 0 || tail[i - 1] == ' ' || tail[i - 1] == '\t'))
            return i;
    return length;
}

static void put_tail(const laying *laying, size_t at) {
    const char *tail = laying->text + at;
    size_t length = (size_t)(laying->line + laying->length - tail);
    size_t comment = comment_at(tail, length), blanks = comment;
    while (blanks > 0 && (tail[blanks - 1] == ' ' || tail[blanks - 1] == '\t'))
        blanks--;
    put_gap(laying->out, tail, blanks, true);
    if (comment < length)
        fwrite(tail + blanks, 1, length - blanks, laying->out);
}

static void put_scalar(const laying *laying, const scalar *scalar) {
    char *formula = NULL, *text;
    size_t size;
    if (scalar->is_formula && scalar->is_plain) {
        FILE *made = open_memstream(&formula, &size);
        text = strndup(laying->text + scalar->at, scalar->end - scalar->at);
        if (!made || !text)
            abort();
        bool good = spacing_of_formula(made, text);
        fclose(made);
        free(text);
        if (good) {
            fputs(formula, laying->out);
            free(formula);
            return;
        }
        free(formula);
    }
    fwrite(laying->text + scalar->at, 1, scalar->end - scalar->at, laying->out);
}

static int indent_of(const char *line, size_t length) {
    size_t blanks = 0;
    while (blanks < length && line[blanks] == ' ')
        blanks++;
    return (int)blanks;
}

/* A line in which texts stand: those from `first` up to `last`. */
static void put_line(laying *laying, const scalar *first, const scalar *last) {
    int before = indent_of(laying->line, laying->length);
    if (first->indent >= 0) {
        laying->shift = first->indent - before;
        if (before < INDENTS)
            laying->shifts[before] = laying->shift;
    }
    put_spaces(laying->out, before + laying->shift > 0 ? before + laying->shift : 0);
    const char *at = laying->line + before;
    put_gap(laying->out, at, (size_t)(laying->text + first->at - at), first->end == first->at);
    for (const scalar *one = first; one < last; one++) {
        if (one->goes_on) { /* the rest of the line is its own */
            fwrite(laying->text + one->at, 1,
                   (size_t)(laying->line + laying->length - (laying->text + one->at)), laying->out);
            return;
        }
        put_scalar(laying, one);
        if (one + 1 < last)
            put_gap(laying->out, laying->text + one->end, one[1].at - one->end, false);
        else
            put_tail(laying, one->end);
    }
}

/* A comment goes with the line that follows it, if that stood below the same place; else with the
 * last one before it that did. */
static int comment_shift(const laying *laying, const scalar *next, int before) {
    if (next && next->indent >= 0) {
        size_t line = laying->starts[next->line - 1];
        int stood = indent_of(laying->text + line, laying->bytes - line);
        if (stood == before)
            return next->indent - stood;
    }
    return before < INDENTS ? laying->shifts[before] : laying->shift;
}

static void put_other_line(const laying *laying, const scalar *next) {
    int before = indent_of(laying->line, laying->length);
    int shift = laying->line[before] == '#' ? comment_shift(laying, next, before) : laying->shift;
    put_spaces(laying->out, before + shift > 0 ? before + shift : 0);
    fwrite(laying->line + before, 1, laying->length - (size_t)before, laying->out);
}

static void put_document(laying *laying) {
    const char *end = laying->text + laying->bytes;
    size_t at = 0;
    bool inside = false;               /* a text that goes over several lines */
    bool empty = false, begun = false; /* the line before; whether anything was written */
    int number = 1;
    for (laying->line = laying->text; laying->line < end; number++) {
        const char *stop = memchr(laying->line, '\n', (size_t)(end - laying->line));
        const char *next = stop ? stop + 1 : end;
        stop = stop ? stop : end;
        if (stop > laying->line && stop[-1] == '\r')
            stop--;
        while (!inside && stop > laying->line && strchr(" \t", stop[-1]))
            stop--;
        laying->length = (size_t)(stop - laying->line);
        if (laying->length > 0 && empty && begun && !inside)
            putc('\n', laying->out);
        empty = laying->length == 0;
        begun |= laying->length > 0;
        size_t first = at;
        while (at < laying->count && laying->scalars[at].line == number)
            at++;
        if (at > first)
            put_line(laying, &laying->scalars[first], &laying->scalars[at]);
        else if (laying->length > 0)
            put_other_line(laying, at < laying->count ? &laying->scalars[at] : NULL);
        if (at > first)
            inside = laying->scalars[at - 1].goes_on;
        if (laying->length > 0 || inside)
            putc('\n', laying->out);
        laying->line = next;
    }
}

/* Whether two texts are one but for white space between words and signs, and in front of units. */
static bool same_text(const char *one, const char *other) {
    char before = 0;
    bool is_number = false; /* the word that `before` is in */
    for (;; one++, other++) {
        bool gap = isspace((unsigned char)*one), other_gap = isspace((unsigned char)*other);
        one += strspn(one, " \t\n");
        other += strspn(other, " \t\n");
        if (*one != *other ||
            (gap != other_gap && is_word(before) && is_word(*one) && !is_number) ||
            (gap != other_gap && is_pair(before, *one)))
            return false;
        if (!*one)
            return true;
        if (gap || other_gap || !(is_word(before) || before == '.'))
            is_number = isdigit((unsigned char)*one);
        before = *one;
    }
}

/* Texts are the same to a byte where no formula stands. */
static bool same_part(const yt_part *one, const yt_part *other, bool formulas) {
    if (!one || !other)
        return one == other;
    if (one->kind != other->kind)
        return false;
    if (one->kind == PART_TEXT)
        return formulas
                   ? same_text(one->text, other->text)
                   : one->bytes == other->bytes && memcmp(one->text, other->text, one->bytes) == 0;
    const yt_part *a = one->first, *b = other->first;
    while (a && b) {
        bool below = formulas;
        if (one->kind == PART_MAP) { /* a key, and its value behind it */
            if (!same_part(a, b, false))
                return false;
            below = formulas || has_formulas(a->text);
            a = a->next;
            b = b->next;
        }
        if (!same_part(a, b, below))
            return false;
        a = a->next;
        b = b->next;
    }
    return !a && !b;
}

/* What was written, read again: whether it is the document that it was made of. */
static bool is_same(yt_pool *pool, const yt_part *top, const char *text, size_t size) {
    yt_messages messages;
    messages_begin(&messages, "", text, size);
    bool same = same_part(top, document_read(pool, &messages, 0), false);
    messages_free(&messages);
    return same;
}

/* YAML ends lines by more than LF and CR LF; those are what a person sees as lines. */
static bool has_other_lines(const char *text, size_t bytes) {
    for (size_t i = 0; i < bytes; i++) {
        bool is_return = text[i] == '\r' && (i + 1 == bytes || text[i + 1] != '\n');
        if (is_return || strncmp(text + i, "\xc2\x85", 2) == 0 ||
            strncmp(text + i, "\xe2\x80\xa8", 3) == 0 || strncmp(text + i, "\xe2\x80\xa9", 3) == 0)
            return true;
    }
    return false;
}

char *spacing_usual(yt_messages *messages, size_t *size) {
    yt_pool pool = {0};
    laying laying = {.text = messages->sources[0].text, .bytes = messages->sources[0].bytes};
    char *made = NULL;
    const yt_part *top = document_read(&pool, messages, 0);
    if (messages->count == 0 && has_other_lines(laying.text, laying.bytes))
        messages_add(messages, (yt_text_place){0, 0, 1, 0},
                     "it has line ends of another kind than LF or CR LF; change those first");
    if (messages->count > 0) {
        pool_free(&pool);
        return NULL;
    }
    find_lines(&laying);
    if (top)
        gather(&laying, top, 0, 0, false);
    laying.out = open_memstream(&made, size);
    if (!laying.out)
        abort();
    put_document(&laying);
    fclose(laying.out);
    free(laying.scalars);
    free(laying.starts);
    if (*size > DOCUMENT_BYTES)
        messages_add(messages, (yt_text_place){0, 0, 1, 0},
                     "in the usual spacing it would have %zu bytes, and up to %d are read", *size,
                     DOCUMENT_BYTES);
    else if (!is_same(&pool, top, made, *size))
        messages_add(messages, (yt_text_place){0, 0, 1, 0},
                     "it cannot be laid out without a change of what it says; please report it");
    if (messages->count > 0) {
        free(made);
        made = NULL;
    }
    pool_free(&pool);
    return made;
}
