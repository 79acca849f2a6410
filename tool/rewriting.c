#include "tool/rewriting.h"

#include <stdlib.h>
#include <string.h>

#include "compiler/reading/keys.h"

static void look(rewriting *rewriting) {
    yt_messages *messages = &rewriting->profile.messages;
    rewriting->size = messages->sources[0].bytes;
    rewriting->top = document_read(&rewriting->pool, messages, 0);
}

bool rewriting_begin(rewriting *rewriting, const char *path) {
    memset(rewriting, 0, sizeof *rewriting);
    rewriting->path = path;
    if (!profile_open(&rewriting->profile, path))
        return false;
    look(rewriting);
    rewriting->before = strdup(rewriting->profile.source);
    if (!rewriting->before || !rewriting->top)
        abort();
    return true;
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

/* A map that is not there comes in front of what stands behind it in a profile. */
static void add_map(rewriting *rewriting, const char *map, const char *key, const char *text) {
    static const char *const behind[] = {"named", "copy", "sheet", "layers", "macros", "tests"};
    const size_t count = sizeof behind / sizeof behind[0];
    char added[300];
    size_t at = rewriting->size;
    for (const yt_part *other = rewriting->top->first; other; other = other->next->next)
        if (is_among(other->text, behind, count) && other->body < at)
            at = with_comments(rewriting, other->body);
    bool in_line = at == rewriting->size && at > 0 && rewriting->profile.source[at - 1] != '\n';
    snprintf(added, sizeof added, "%s%s:\n  %s: %s\n", in_line ? "\n" : "", map, key, text);
    rewriting_put(rewriting, at, 0, added);
}

bool rewriting_set(rewriting *rewriting, const char *map, const char *key, const char *text) {
    const yt_part *found = find_value(rewriting->top, map), *last = NULL;
    char added[300];
    if (!found) {
        for (unsigned i = 0; i < rewriting->count; i++) { /* it is new: one line more */
            char head[80];
            size_t length = strlen(rewriting->edits[i].text);
            snprintf(head, sizeof head, "%s:\n", map);
            if (!strstr(rewriting->edits[i].text, head))
                continue;
            char *longer = realloc(rewriting->edits[i].text, length + 300);
            if (!longer)
                abort();
            snprintf(longer + length, 300, "  %s: %s\n", key, text);
            rewriting->edits[i].text = longer;
            return true;
        }
        add_map(rewriting, map, key, text);
        return true;
    }
    for (const yt_part *other = found->first; other; other = other->next->next) {
        last = other;
        if (is_name(key, other->text, other->bytes))
            return rewriting_put_part(rewriting, other->next, 0, other->next->bytes, text);
    }
    if (!last || last->next->kind != PART_TEXT) {
        fprintf(stderr, "%s:%d: add to this: %s: %s\n", rewriting->path, found->place.line, key,
                text);
        return false;
    }
    if (last->in_flow) {
        snprintf(added, sizeof added, ", %s: %s", key, text);
        rewriting_put(rewriting, last->next->body + last->next->bytes, 0, added);
        return true;
    }
    size_t begin = line_begin(rewriting, last->body), end = line_end(rewriting, last->next->body);
    snprintf(added, sizeof added, "\n%*s%s: %s", (int)(last->body - begin), "", key, text);
    rewriting_put(rewriting, end, 0, added);
    return true;
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
