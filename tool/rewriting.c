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

/* A map that is not there comes in front of what stands behind it in a profile. */
static void add_map(rewriting *rewriting, const char *map, const char *key, const char *text) {
    static const char *const behind[] = {"named", "copy", "sheet", "layers", "macros", "tests"};
    const size_t count = sizeof behind / sizeof behind[0];
    size_t at = rewriting->size;
    for (const yt_part *other = rewriting->top->first; other; other = other->next->next)
        if (is_among(other->text, behind, count) && other->body < at)
            at = with_comments(rewriting, other->body);
    rewriting_put(rewriting, at, 0,
                  pool_print(&rewriting->pool, "%s%s:\n  %s: %s\n",
                             ends_in_line(rewriting, at) ? "\n" : "", map, key, text));
}

/* In a flow map a formula with commas is in quotes. */
static const char *in_flow(rewriting *rewriting, const char *text) {
    return strpbrk(text, ",[]{}") ? pool_print(&rewriting->pool, "\"%s\"", text) : text;
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
        if ((other->in_flow && strpbrk(text, ",[]{}") &&
             !rewriting_quote(rewriting, other->next)) ||
            !rewriting_put_part(rewriting, other->next, 0, other->next->bytes, text))
            return false;
        keep_column(rewriting, other->next, strlen(text));
        return true;
    }
    if (!last || last->next->kind != PART_TEXT) {
        fprintf(stderr, "%s:%d: add to this: %s: %s\n", rewriting->path, map->place.line, key,
                text);
        return false;
    }
    if (last->in_flow) {
        size_t end = last->next->body + last->next->bytes;
        char quote = rewriting->profile.source[last->next->body - 1];
        rewriting_put(rewriting, end + (quote == '"' || quote == '\''), 0,
                      pool_print(&rewriting->pool, ", %s: %s", key, in_flow(rewriting, text)));
        return true;
    }
    size_t begin = line_begin(rewriting, last->body), end = line_end(rewriting, last->next->body);
    rewriting_put(
        rewriting, end, 0,
        pool_print(&rewriting->pool, "\n%*s%s: %s", (int)(last->body - begin), "", key, text));
    return true;
}

/* Behind the last character of a part, and of all that is in it. */
static size_t end_of(const yt_part *part) {
    size_t end = part->kind == PART_TEXT ? part->body + part->bytes : part->body;
    for (const yt_part *at = part->kind == PART_TEXT ? NULL : part->first; at; at = at->next)
        if (end_of(at) > end)
            end = end_of(at);
    return end;
}

bool rewriting_take_out(rewriting *rewriting, const yt_part *before, const yt_part *key) {
    const yt_part *value = key->next;
    if (key->place.source != 0 || value->kind != PART_TEXT ||
        (!key->in_flow && line_end(rewriting, key->body) != line_end(rewriting, end_of(value)))) {
        fprintf(stderr, "%s:%d: this is not written in one line, so it stays as it is\n",
                rewriting->path, key->place.line);
        return false;
    }
    size_t begin = line_begin(rewriting, key->body), end = line_end(rewriting, key->body);
    end += end < rewriting->size;
    if (key->in_flow) {
        begin = key->body;
        end = value->next ? value->next->body : end_of(value);
        if (!value->next && before)
            begin = end_of(before->next);
        char quote = rewriting->profile.source[value->body - 1];
        end += !value->next && (quote == '"' || quote == '\'');
        quote = before ? rewriting->profile.source[before->next->body - 1] : ' ';
        begin += !value->next && (quote == '"' || quote == '\'');
    }
    rewriting_put(rewriting, begin, end - begin, "");
    return true;
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

bool rewriting_add_to(rewriting *rewriting, const char *list, const char *text) {
    static const char *const behind[] = {"macros", "tests"};
    const yt_part *found = find_value(rewriting->top, list);
    size_t at = rewriting->size;
    unsigned spaces = 2;
    if (found && (found->kind != PART_LIST || found->in_flow || !found->first)) {
        fprintf(stderr, "%s:%d: this is not written in lines, so it stays as it is\n",
                rewriting->path, found->place.line);
        return false;
    }
    if (found) {
        size_t first = found->first->first ? found->first->first->body : found->first->body;
        spaces = (unsigned)(strcspn(rewriting->profile.source + line_begin(rewriting, first), "-"));
        at = line_end(rewriting, end_of(found));
        at += at < rewriting->size;
    } else {
        for (const yt_part *other = rewriting->top->first; other; other = other->next->next)
            if (is_among(other->text, behind, 2) && other->body < at)
                at = with_comments(rewriting, other->body);
    }
    rewriting_put(rewriting, at, 0,
                  pool_print(&rewriting->pool, "%s%s%s%*s- %s",
                             ends_in_line(rewriting, at) ? "\n" : "", found ? "" : list,
                             found ? "" : ":\n", (int)spaces, "",
                             indented(rewriting, text, spaces + 2)));
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
            size_t more = strlen(key) + strlen(text) + 6;
            char *longer = realloc(rewriting->edits[i].text, length + more);
            if (!longer)
                abort();
            snprintf(longer + length, more, "  %s: %s\n", key, text);
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
