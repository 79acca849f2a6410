#include "tool/rewriting.h"

#include <stdlib.h>
#include <string.h>

#include "compiler/reading/keys.h"

static void look(rewriting *rewriting) {
    yt_messages *messages = &rewriting->profile.messages;
    rewriting->size = messages->sources[0].bytes;
    rewriting->top = document_read(&rewriting->pool, messages, 0);
}

static bool begin(rewriting *rewriting, bool is_open) {
    if (!is_open)
        return false;
    look(rewriting);
    rewriting->before = strdup(rewriting->profile.source);
    if (!rewriting->before || !rewriting->top)
        abort();
    return true;
}

bool rewriting_begin(rewriting *rewriting, const char *path) {
    *rewriting = (struct rewriting){.path = path};
    return begin(rewriting, profile_open(&rewriting->profile, path));
}

bool rewriting_begin_with(rewriting *rewriting, const char *path, const char *text) {
    *rewriting = (struct rewriting){.path = path};
    return begin(rewriting, profile_compile(&rewriting->profile, path, text));
}

void rewriting_drop(rewriting *rewriting) {
    for (unsigned i = 0; i < rewriting->count; i++)
        free(rewriting->edits[i].text);
    rewriting->count = 0;
    rewriting->is_full = false;
}

void rewriting_put(rewriting *rewriting, size_t at, size_t length, const char *text) {
    if (rewriting->count == REWRITING_EDITS) {
        rewriting->is_full = true;
        return;
    }
    char *kept = strdup(text);
    if (!kept)
        abort();
    rewriting->edits[rewriting->count] = (rewriting_edit){at, length, kept, rewriting->count};
    rewriting->count++;
}

/* Where a character of a part's text stands in the file; SIZE_MAX where it reads otherwise there.
 */
static size_t place_in(const rewriting *rewriting, const yt_part *part, size_t offset) {
    const char *source = rewriting->profile.source;
    size_t at = part->body;
    for (size_t i = 0; i < offset && at < rewriting->size; i++, at++)
        if (source[at] != part->text[i])
            return SIZE_MAX;
    return at;
}

bool rewriting_put_part(rewriting *rewriting, const yt_part *part, size_t offset, size_t length,
                        const char *text) {
    size_t at = place_in(rewriting, part, offset);
    if (part->place.source != 0 || at > rewriting->size || length > rewriting->size - at ||
        memcmp(rewriting->profile.source + at, part->text + offset, length) != 0) {
        fprintf(stderr,
                "%s:%d: this is not written in one line as it reads, so it stays as it is\n",
                rewriting->profile.messages.sources[part->place.source].file, part->place.line);
        return false;
    }
    rewriting_put(rewriting, at, length, text);
    return true;
}

bool rewriting_quote(rewriting *rewriting, const yt_part *part) {
    char before = rewriting->profile.source[part->body ? part->body - 1 : 0];
    if (!part->in_flow || before == '"' || before == '\'')
        return true;
    for (unsigned i = 0; i < rewriting->count; i++)
        if (rewriting->edits[i].at == part->body && *rewriting->edits[i].text == '"')
            return true;
    if (!rewriting_put_part(rewriting, part, 0, 0, "\"") ||
        !rewriting_put_part(rewriting, part, part->bytes, 0, "\""))
        return false;
    rewriting->edits[rewriting->count - 1].order = REWRITING_EDITS; /* behind all else there */
    return true;
}

static size_t line_begin(const rewriting *rewriting, size_t at) {
    while (at > 0 && rewriting->profile.source[at - 1] != '\n')
        at--;
    return at;
}

static size_t line_end(const rewriting *rewriting, size_t at) {
    while (at < rewriting->size && rewriting->profile.source[at] != '\n')
        at++;
    return at;
}

/* The beginning of the lines of a key, with the comments right above it. */
static size_t with_comments(const rewriting *rewriting, size_t at) {
    at = line_begin(rewriting, at);
    while (at > 0) {
        size_t before = line_begin(rewriting, at - 1);
        if (rewriting->profile.source[before] != '#')
            break;
        at = before;
    }
    return at;
}

/* Whether what comes at a place would go on in the line in front of it: the file ends without an
 * end of its last line. */
static bool ends_in_line(const rewriting *rewriting, size_t at) {
    return at == rewriting->size && at > 0 && rewriting->profile.source[at - 1] != '\n';
}

/* Lines with so many spaces in front of all but the first. */
static const char *indented(rewriting *rewriting, const char *text, unsigned spaces) {
    const char *all = "";
    for (const char *line = text; *line;) {
        size_t length = strcspn(line, "\n");
        all = pool_print(&rewriting->pool, "%s%*s%.*s\n", all, line == text ? 0 : (int)spaces, "",
                         (int)length, line);
        line += length + (line[length] == '\n');
    }
    return all;
}

/* A key with its value; one of several lines stands below it. */
static const char *entry(rewriting *rewriting, const char *key, const char *text, unsigned spaces) {
    if (!strchr(text, '\n'))
        return pool_print(&rewriting->pool, "%s: %s", key, text);
    const char *lines = indented(rewriting, text, spaces + 2);
    return pool_print(&rewriting->pool, "%s:\n%*s%.*s", key, (int)spaces + 2, "",
                      (int)strlen(lines) - 1, lines);
}

/* Where a part of a profile that is not there yet comes: in front of what stands behind it. */
static size_t place_for(const rewriting *rewriting, const char *name) {
    static const char *const order[] = {"inputs", "outputs", "parameters", "camera",
                                        "named",  "copy",    "sheet",      "layers",
                                        "rebind", "macros",  "tests"};
    const size_t count = sizeof order / sizeof order[0];
    size_t rank = 0, at = rewriting->size;
    while (rank < count && strcmp(order[rank], name) != 0)
        rank++;
    for (const yt_part *other = rewriting->top->first; other; other = other->next->next)
        if (rank < count && is_among(other->text, order + rank, count - rank) && other->body < at)
            at = with_comments(rewriting, other->body);
    return at;
}

/* What follows a part that is new: an empty line, where one stands in front of what it comes
 * before.
 */
static const char *gap(const rewriting *rewriting, size_t at) {
    const char *source = rewriting->profile.source;
    return at > 1 && at < rewriting->size && source[at - 1] == '\n' && source[at - 2] == '\n' ? "\n"
                                                                                              : "";
}

static void add_map(rewriting *rewriting, const char *map, const char *key, const char *text) {
    size_t at = place_for(rewriting, map);
    rewriting_put(rewriting, at, 0,
                  pool_print(&rewriting->pool, "%s%s:\n  %s\n%s",
                             ends_in_line(rewriting, at) ? "\n" : "", map,
                             entry(rewriting, key, text, 2), gap(rewriting, at)));
}

/* In a flow map a formula with commas is in quotes; what is a map or a list itself is not. */
static bool wants_quotes(const char *text) {
    return *text != '{' && *text != '[' && strpbrk(text, ",[]{}");
}

static const char *in_flow(rewriting *rewriting, const char *text) {
    return wants_quotes(text) ? pool_print(&rewriting->pool, "\"%s\"", text) : text;
}

/* Where the last character of a part ends, and of all that is in it. */
static size_t end_of(const yt_part *part) {
    size_t end = part->body + part->bytes;
    for (const yt_part *at = part->kind == PART_TEXT ? NULL : part->first; at; at = at->next)
        if (end_of(at) > end)
            end = end_of(at);
    return end;
}

/* The same with the quote behind a text. */
static size_t text_end(const rewriting *rewriting, const yt_part *part) {
    size_t end = end_of(part);
    char quote = part->body ? rewriting->profile.source[part->body - 1] : 0;
    return end + (part->kind == PART_TEXT && (quote == '"' || quote == '\''));
}

/* A value becomes another one. */
static bool set_value(rewriting *rewriting, const yt_part *value, const char *text) {
    if (strchr(text, '\n')) {
        fprintf(stderr, "%s:%d: what stands here is not changed to something of several lines\n",
                rewriting->path, value->place.line);
        return false;
    }
    if (value->kind == PART_TEXT)
        return (!value->in_flow || !wants_quotes(text) || rewriting_quote(rewriting, value)) &&
               rewriting_put_part(rewriting, value, 0, value->bytes, text);
    if (value->place.source != 0 || value->bytes == 0 ||
        memchr(rewriting->profile.source + value->body, '\n', value->bytes)) {
        fprintf(stderr, "%s:%d: this is written over several lines, so it stays as it is\n",
                rewriting->path, value->place.line);
        return false;
    }
    rewriting_put(rewriting, value->body, value->bytes, text);
    return true;
}

/* A comment behind a value stays in its column, as far as there is room. */
static void keep_column(rewriting *rewriting, const yt_part *value, size_t length) {
    size_t at = value->body + value->bytes, spaces = 0;
    while (at + spaces < rewriting->size && rewriting->profile.source[at + spaces] == ' ')
        spaces++;
    if (spaces < 2 || rewriting->profile.source[at + spaces] != '#' || value->bytes == length)
        return;
    size_t room = value->bytes + spaces;
    rewriting_put(
        rewriting, at, spaces,
        pool_print(&rewriting->pool, "%*s", room > length + 2 ? (int)(room - length) : 2, ""));
}

bool rewriting_set_in(rewriting *rewriting, const yt_part *map, const char *key, const char *text) {
    const yt_part *last = NULL;
    for (const yt_part *other = map->first; other; other = other->next->next) {
        last = other;
        if (!is_name(key, other->text, other->bytes))
            continue;
        if (!set_value(rewriting, other->next, text))
            return false;
        keep_column(rewriting, other->next, strlen(text));
        return true;
    }
    if (!last || map->place.source != 0 || (last->in_flow && strchr(text, '\n'))) {
        fprintf(stderr, "%s:%d: add to this: %s: %s\n", rewriting->path, map->place.line, key,
                text);
        return false;
    }
    if (last->in_flow) {
        rewriting_put(rewriting, text_end(rewriting, last->next), 0,
                      pool_print(&rewriting->pool, ", %s: %s", key, in_flow(rewriting, text)));
        return true;
    }
    size_t begin = line_begin(rewriting, last->body);
    size_t end = line_end(rewriting, end_of(last->next));
    rewriting_put(rewriting, end, 0,
                  pool_print(&rewriting->pool, "\n%*s%s", (int)(last->body - begin), "",
                             entry(rewriting, key, text, (unsigned)(last->body - begin))));
    return true;
}

bool rewriting_take_out(rewriting *rewriting, const yt_part *before, const yt_part *key) {
    const yt_part *value = key->next;
    if (key->place.source != 0 ||
        (!key->in_flow && value->kind == PART_TEXT &&
         line_end(rewriting, key->body) != line_end(rewriting, end_of(value)))) {
        fprintf(stderr, "%s:%d: this is not written in one line, so it stays as it is\n",
                rewriting->path, key->place.line);
        return false;
    }
    size_t begin = line_begin(rewriting, key->body), end = line_end(rewriting, end_of(value));
    end += end < rewriting->size;
    if (key->in_flow) {
        begin = value->next || !before ? key->body : text_end(rewriting, before->next);
        end = value->next ? value->next->body : text_end(rewriting, value);
    }
    rewriting_put(rewriting, begin, end - begin, "");
    return true;
}

/* Whether a list is one that lines can be added to, or taken out of. */
static bool is_in_lines(const rewriting *rewriting, const yt_part *list) {
    if (list->kind == PART_LIST && !list->in_flow && list->first && list->place.source == 0)
        return true;
    fprintf(stderr, "%s:%d: this is not written in lines, so it stays as it is\n", rewriting->path,
            list->place.line);
    return false;
}

bool rewriting_take_element(rewriting *rewriting, const yt_part *list, const yt_part *element) {
    if (!is_in_lines(rewriting, list))
        return false;
    size_t first = element->first ? element->first->body : element->body;
    size_t begin = line_begin(rewriting, first), end = line_end(rewriting, end_of(element));
    rewriting_put(rewriting, begin, end + (end < rewriting->size) - begin, "");
    return true;
}

/* Lines of an element, behind a head that may be "". */
static void add_element(rewriting *rewriting, size_t at, const char *head, unsigned spaces,
                        const char *text) {
    rewriting_put(rewriting, at, 0,
                  pool_print(&rewriting->pool, "%s%s%*s- %s%s",
                             ends_in_line(rewriting, at) ? "\n" : "", head, (int)spaces, "",
                             indented(rewriting, text, spaces + 2),
                             *head ? gap(rewriting, at) : ""));
}

bool rewriting_add_in(rewriting *rewriting, const yt_part *list, const char *text) {
    if (!is_in_lines(rewriting, list))
        return false;
    size_t first = list->first->first ? list->first->first->body : list->first->body;
    size_t at = line_end(rewriting, end_of(list));
    const char *line = rewriting->profile.source + line_begin(rewriting, first);
    add_element(rewriting, at + (at < rewriting->size), "", (unsigned)strcspn(line, "-"), text);
    return true;
}

bool rewriting_add_to(rewriting *rewriting, const char *list, const char *text) {
    const yt_part *found = find_value(rewriting->top, list);
    if (found)
        return rewriting_add_in(rewriting, found, text);
    const char *head = pool_print(&rewriting->pool, "%s:\n", list);
    add_element(rewriting, place_for(rewriting, list), head, 2, text);
    return true;
}

bool rewriting_set(rewriting *rewriting, const char *map, const char *key, const char *text) {
    const yt_part *found = find_value(rewriting->top, map);
    if (!found) {
        for (unsigned i = 0; i < rewriting->count; i++) { /* it is new: one line more */
            char head[80];
            size_t length = strlen(rewriting->edits[i].text);
            snprintf(head, sizeof head, "%s:\n", map);
            if (!strstr(rewriting->edits[i].text, head))
                continue;
            const char *line = entry(rewriting, key, text, 2);
            const char *behind = gap(rewriting, rewriting->edits[i].at);
            size_t more = strlen(line) + 5;
            char *longer = realloc(rewriting->edits[i].text, length + more);
            if (!longer)
                abort();
            snprintf(longer + length - strlen(behind), more, "  %s\n%s", line, behind);
            rewriting->edits[i].text = longer;
            return true;
        }
        add_map(rewriting, map, key, text);
        return true;
    }
    return rewriting_set_in(rewriting, found, key, text);
}

static int by_place(const void *a, const void *b) {
    const rewriting_edit *one = a, *other = b;
    if (one->at != other->at)
        return one->at < other->at ? -1 : 1;
    return one->order < other->order ? -1 : one->order > other->order;
}

/* The new text; to be freed. */
static char *edited(rewriting *rewriting, size_t *size) {
    char *text = NULL;
    size_t at = 0;
    FILE *file = open_memstream(&text, size);
    if (!file)
        abort();
    qsort(rewriting->edits, rewriting->count, sizeof rewriting->edits[0], by_place);
    for (unsigned i = 0; i < rewriting->count; i++) {
        const rewriting_edit *edit = &rewriting->edits[i];
        if (edit->at < at)
            continue;
        fwrite(rewriting->profile.source + at, 1, edit->at - at, file);
        fputs(edit->text, file);
        at = edit->at + edit->length;
    }
    fwrite(rewriting->profile.source + at, 1, rewriting->size - at, file);
    if (fclose(file) != 0)
        abort();
    return text;
}

/* Whether a line stands somewhere in a text, as a whole. */
static bool has_line(const char *text, const char *line, size_t length) {
    for (const char *at = text; at; at = strchr(at, '\n')) {
        at += *at == '\n';
        if (strncmp(at, line, length) == 0 && (at[length] == '\n' || at[length] == 0))
            return true;
    }
    return false;
}

static void print_new_lines(const rewriting *rewriting) {
    unsigned number = 1;
    for (const char *line = rewriting->profile.source; *line; number++) {
        size_t length = strcspn(line, "\n");
        if (!has_line(rewriting->before, line, length)) {
            printf("%s:%u: %.*s\n", rewriting->path, number, (int)length, line);
        }
        line += length + (line[length] == '\n');
    }
}

bool rewriting_apply(rewriting *rewriting) {
    size_t size = 0;
    if (rewriting->is_full) {
        fprintf(stderr, "%s: more than %d places would change, so it is left out\n",
                rewriting->path, REWRITING_EDITS);
        rewriting_drop(rewriting);
        return false;
    }
    profile after = {.source = edited(rewriting, &size)};
    rewriting_drop(rewriting);
    messages_begin(&after.messages, rewriting->path, after.source, size);
    if (!compile_profile(&after.compiled, &after.messages)) {
        say_messages(&after.messages);
        fprintf(stderr, "%s: what would be written is not right, so it is left out\n",
                rewriting->path);
        messages_free(&after.messages);
        free(after.source);
        return false;
    }
    profile_close(&rewriting->profile);
    pool_free(&rewriting->pool);
    rewriting->profile = after;
    look(rewriting);
    return true;
}

void rewriting_abandon(rewriting *rewriting) {
    rewriting_drop(rewriting);
    pool_free(&rewriting->pool);
    profile_close(&rewriting->profile);
    free(rewriting->before);
}

bool rewriting_end(rewriting *rewriting) {
    whole_file file;
    bool good = rewriting->count == 0 || rewriting_apply(rewriting);
    if (good && strcmp(rewriting->before, rewriting->profile.source) == 0) {
        printf("%s stays as it is\n", rewriting->path);
    } else if (good) {
        good = whole_file_replace(&file, rewriting->path);
        if (good) {
            fwrite(rewriting->profile.source, 1, rewriting->size, file.file);
            good = whole_file_close(&file);
        }
        if (good)
            print_new_lines(rewriting);
    }
    rewriting_abandon(rewriting);
    return good;
}
