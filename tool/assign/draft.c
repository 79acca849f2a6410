#include "tool/assign/draft.h"

#include <errno.h>
#include <fcntl.h>
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include "compiler/formulas/layers.h"
#include "compiler/reading/file_read.h"
#include "compiler/reading/keys.h"
#include "tool/assign/listening.h"

/* ---- what is said ---- */

/* Gives the result on. Where it is false, the first line is what is said. */
static bool heard(draft *draft, listening *listening, bool good) {
    char said[DRAFT_SAID];
    end_listening(listening, said, sizeof said);
    snprintf(draft->said, sizeof draft->said, "%s", good ? "" : said);
    return good;
}

__attribute__((format(printf, 2, 3))) static bool say(draft *draft, const char *format, ...) {
    va_list arguments;
    va_start(arguments, format);
    vsnprintf(draft->said, sizeof draft->said, format, arguments);
    va_end(arguments);
    return false;
}

static char *copied(const char *text) {
    char *copy = strdup(text);
    if (!copy)
        abort();
    return copy;
}

/* ---- the file beside it ---- */

static bool is_still(int file, const char *path) {
    struct stat here, there;
    return fstat(file, &here) == 0 && lstat(path, &there) == 0 && here.st_ino == there.st_ino &&
           here.st_dev == there.st_dev;
}

/* Opens it and takes the lock that whoever works on the profile has; -1: `found` or `said`. */
static int open_copy(draft *draft, draft_found *found) {
    for (unsigned i = 0; i < 100; i++) {
        int file = open(draft->copy_path, O_RDWR | O_CREAT | O_CLOEXEC | O_NOFOLLOW, 0666);
        if (file < 0) {
            say(draft, "%s: %s", draft->copy_path, strerror(errno));
            return -1;
        }
        bool is_locked = flock(file, LOCK_EX | LOCK_NB) == 0;
        if (is_locked && is_still(file, draft->copy_path))
            return file;
        close(file);
        if (!is_locked)
            break;
    }
    *found = DRAFT_IN_USE;
    say(draft, "%s: another program is at work on it", draft->path);
    return -1;
}

static bool fail_copy(draft *draft, const char *path) {
    return say(draft, "%s: %s; what is not saved is in memory alone", path, strerror(errno));
}

/* What is not saved goes into a new file that takes its place: it is there as a whole. */
static bool write_copy(draft *draft) {
    const char *text = draft_text(draft);
    size_t size = strlen(text), at = 0;
    char path[4200];
    if (draft->copy < 0 || draft->has_left)
        return true;
    if (!draft_is_changed(draft))
        return ftruncate(draft->copy, 0) == 0 || fail_copy(draft, draft->copy_path);
    snprintf(path, sizeof path, "%s.new", draft->copy_path);
    int file = open(path, O_RDWR | O_CREAT | O_TRUNC | O_CLOEXEC | O_NOFOLLOW, 0666);
    if (file < 0)
        return fail_copy(draft, path);
    while (at < size) {
        ssize_t wrote = write(file, text + at, size - at);
        if (wrote <= 0)
            break;
        at += (size_t)wrote;
    }
    if (at < size || fsync(file) != 0 || flock(file, LOCK_EX | LOCK_NB) != 0 ||
        rename(path, draft->copy_path) != 0) {
        fail_copy(draft, path);
        close(file);
        unlink(path);
        return false;
    }
    close(draft->copy);
    draft->copy = file;
    return true;
}

/* ---- texts ---- */

bool draft_is_changed(const draft *draft) {
    return !draft->saved || strcmp(draft->saved, draft_text(draft)) != 0;
}

/* A text becomes the one behind the present one; those that were undone are no more. */
static void add_text(draft *draft, const char *text) {
    for (unsigned i = draft->now + 1; i < draft->count; i++)
        free(draft->texts[i]);
    draft->count = draft->count ? draft->now + 1 : 0;
    char **longer = realloc(draft->texts, (draft->count + 1) * sizeof *longer);
    if (!longer)
        abort();
    draft->texts = longer;
    draft->texts[draft->count] = copied(text);
    draft->now = draft->count++;
}

/* What the rewriting has become is the text from now on. False: it was not right. */
static bool take(draft *draft, listening *listening, bool good) {
    good = good && rewriting_apply(&draft->rewriting);
    if (!good)
        rewriting_drop(&draft->rewriting);
    heard(draft, listening, good);
    if (!good || strcmp(draft->rewriting.profile.source, draft_text(draft)) == 0)
        return good;
    add_text(draft, draft->rewriting.profile.source);
    write_copy(draft);
    return true;
}

/* A text in the place of the present one; it is not, where a file that it names is another now. */
static bool begin_with(draft *draft, const char *text) {
    rewriting other;
    listening listening;
    begin_listening(&listening);
    if (!heard(draft, &listening, rewriting_begin_with(&other, draft->path, text)))
        return false;
    rewriting_abandon(&draft->rewriting);
    draft->rewriting = other;
    return true;
}

static bool go_to(draft *draft, unsigned now) {
    if (!begin_with(draft, draft->texts[now]))
        return false;
    draft->now = now;
    write_copy(draft);
    return true;
}

bool draft_undo(draft *draft) {
    if (draft->now == 0)
        return say(draft, "there is nothing to undo");
    return go_to(draft, draft->now - 1);
}

bool draft_redo(draft *draft) {
    if (draft->now + 1 == draft->count)
        return say(draft, "nothing was undone that could be done again");
    return go_to(draft, draft->now + 1);
}

bool draft_put(draft *draft, const char *text) {
    if (!begin_with(draft, text))
        return false;
    if (strcmp(text, draft_text(draft)) != 0)
        add_text(draft, text);
    write_copy(draft);
    return true;
}

/* ---- opened, saved, closed ---- */

static char *read_now(const char *path) {
    const char *why;
    size_t size;
    return file_read(path, DOCUMENT_BYTES, &size, &why);
}

bool draft_open(draft *draft, const char *path, const char *text, draft_found *found) {
    listening listening;
    *draft = (struct draft){.path = path, .copy = -1};
    *found = DRAFT_NONE;
    draft->saved = read_now(path);
    const char *first = draft->saved ? draft->saved : text;
    begin_listening(&listening);
    bool good = first ? rewriting_begin_with(&draft->rewriting, path, first)
                      : rewriting_begin(&draft->rewriting, path);
    if (!heard(draft, &listening, good)) {
        free(draft->saved);
        return false;
    }
    draft->copy_path = malloc(strlen(path) + 7);
    if (!draft->copy_path)
        abort();
    sprintf(draft->copy_path, "%s.draft", path);
    add_text(draft, draft->rewriting.profile.source);
    draft->copy = open_copy(draft, found);
    if (draft->copy < 0) {
        char said[DRAFT_SAID];
        memcpy(said, draft->said, sizeof said);
        draft_close(draft, true);
        memcpy(draft->said, said, sizeof said);
        return false;
    }
    char *left = read_now(draft->copy_path);
    if (left && *left && (!draft->saved || strcmp(left, draft->saved) != 0))
        *found = DRAFT_LEFT;
    draft->has_left = *found == DRAFT_LEFT;
    free(left);
    return true;
}

bool draft_take_up(draft *draft) {
    char *left = read_now(draft->copy_path);
    bool good = left ? draft_put(draft, left) : say(draft, "%s is gone", draft->copy_path);
    draft->has_left &= !good; /* what is wrong stays there, for its owner to look at */
    free(left);
    return good;
}

void draft_drop_left(draft *draft) {
    draft->has_left = false;
    write_copy(draft);
}

void draft_close(draft *draft, bool keeps) {
    if (draft->copy >= 0 && !draft->has_left && (!keeps || !draft_is_changed(draft)))
        unlink(draft->copy_path);
    if (draft->copy >= 0)
        close(draft->copy);
    rewriting_abandon(&draft->rewriting);
    for (unsigned i = 0; i < draft->count; i++)
        free(draft->texts[i]);
    free(draft->texts);
    free(draft->saved);
    free(draft->copy_path);
    *draft = (struct draft){.copy = -1};
}

bool draft_file_differs(const draft *draft) {
    char *now = read_now(draft->path);
    bool differs = now && draft->saved ? strcmp(now, draft->saved) != 0 : !now != !draft->saved;
    free(now);
    return differs;
}

bool draft_save(draft *draft, bool anyway) {
    whole_file file;
    listening listening;
    if (!anyway && draft_file_differs(draft))
        return say(draft, "%s was changed by another program since it was read", draft->path);
    bool is_new = access(draft->path, F_OK) != 0;
    begin_listening(&listening);
    bool good = is_new ? whole_file_open(&file, draft->path, CONTENT_BYTES)
                       : whole_file_replace(&file, draft->path);
    if (good) {
        fputs(draft_text(draft), file.file);
        good = whole_file_close(&file);
    }
    if (!heard(draft, &listening, good))
        return false;
    free(draft->saved);
    draft->saved = copied(draft_text(draft));
    return write_copy(draft);
}

/* ---- layers and cells ---- */

/* Layers of files that the profile includes are below its own, and not written here. */
static unsigned own_layers(const draft *draft) {
    const yt_part *list = find_value(draft->rewriting.top, "layers");
    unsigned count = 0;
    for (const yt_part *at = list ? list->first : NULL; at; at = at->next)
        count++;
    return count;
}

unsigned draft_layers(const draft *draft) {
    return 1 + draft_compiled(draft)->scope->layers->count;
}

const char *draft_layer_name(const draft *draft, unsigned layer) {
    return layer ? draft_compiled(draft)->scope->layers->all[layer - 1].name : "sheet";
}

/* The element of a layer that is written here; NULL: it is not. */
static const yt_part *layer_of(const draft *draft, unsigned layer) {
    const yt_part *list = find_value(draft->rewriting.top, "layers");
    unsigned others = draft_layers(draft) - 1 - own_layers(draft);
    const yt_part *at = list && layer > others ? list->first : NULL;
    for (unsigned i = others + 1; at && i < layer; i++)
        at = at->next;
    return at;
}

/* ---- maps ---- */

static const char *const sections[SECTION_COUNT] = {
    [SECTION_INPUTS] = "inputs", [SECTION_OUTPUTS] = "outputs", [SECTION_COPY] = "copy",
    [SECTION_NAMED] = "named",   [SECTION_CAMERA] = "camera",   [SECTION_PARAMETERS] = "parameters",
    [SECTION_MACROS] = "macros", [SECTION_REBIND] = "rebind"};

/* The value of a key by its number; NULL: there is none. */
static const yt_part *value_at(const yt_part *map, unsigned number) {
    const yt_part *key = map && map->kind == PART_MAP ? map->first : NULL;
    for (; key && number > 0; number--)
        key = key->next->next;
    return key ? key->next : NULL;
}

static const yt_part *element_of(const draft *draft, draft_list list, unsigned number);

static const yt_part *map_of(const draft *draft, draft_place place) {
    const yt_part *top = draft->rewriting.top;
    unsigned number = place & 0xffff;
    switch (place & ~0xffffu) {
    case DRAFT_SECTION:
        return find_value(top, sections[number]);
    case DRAFT_LAYER:
        return layer_of(draft, number);
    case DRAFT_MACRO:
        return value_at(find_value(top, "macros"), number);
    case DRAFT_PARAMETER:
        return value_at(find_value(top, "parameters"), number);
    case DRAFT_STEP:
        return element_of(draft, LIST_STEPS + (number >> 8), number & 0xff);
    default:
        top = place ? layer_of(draft, place) : top;
        return top ? find_value(top, "sheet") : NULL;
    }
}

unsigned draft_keys(const draft *draft, draft_place place) {
    const yt_part *map = map_of(draft, place);
    unsigned count = 0;
    while (value_at(map, count))
        count++;
    return count;
}

const char *draft_key(const draft *draft, draft_place place, unsigned number) {
    const yt_part *map = map_of(draft, place);
    const yt_part *key = map && map->kind == PART_MAP ? map->first : NULL;
    for (; key && number > 0; number--)
        key = key->next->next;
    return key ? key->text : NULL;
}

/* A key of a map, and the one in front of it. */
static const yt_part *key_in(const yt_part *map, const char *name, const yt_part **before) {
    *before = NULL;
    for (const yt_part *key = map && map->kind == PART_MAP ? map->first : NULL; key;
         key = key->next->next) {
        if (is_name(name, key->text, key->bytes))
            return key;
        *before = key;
    }
    return NULL;
}

const char *draft_formula(const draft *draft, draft_place place, const char *name, int *line) {
    const yt_part *before, *key = key_in(map_of(draft, place), name, &before);
    if (key && line)
        *line = key->place.line;
    return key && key->next->kind == PART_TEXT ? key->next->text : NULL;
}

/* A part as it is written; of several lines only how many. */
static void write_part(const draft *draft, const yt_part *part, char *text, size_t size) {
    const char *source = draft->rewriting.profile.source + part->body;
    unsigned count = 0;
    for (const yt_part *at = part->kind == PART_TEXT ? NULL : part->first; at; at = at->next)
        count++;
    if (part->kind == PART_TEXT)
        snprintf(text, size, "%s", part->text);
    else if (part->bytes > 0 && part->place.source == 0 && !memchr(source, '\n', part->bytes))
        snprintf(text, size, "%.*s", (int)part->bytes, source);
    else
        snprintf(text, size, "(%u lines)", part->kind == PART_MAP ? count / 2 : count);
}

void draft_written(const draft *draft, draft_place place, const char *name, char *text,
                   size_t size) {
    const yt_part *before, *key = key_in(map_of(draft, place), name, &before);
    text[0] = 0;
    if (key)
        write_part(draft, key->next, text, size);
}

static bool set(draft *draft, draft_place place, const char *name, const char *text) {
    const yt_part *map = map_of(draft, place);
    unsigned kind = place & ~0xffffu;
    if (place == 0 || kind == DRAFT_SECTION)
        return rewriting_set(&draft->rewriting, kind ? sections[place & 0xffff] : "sheet", name,
                             text);
    if (map)
        return rewriting_set_in(&draft->rewriting, map, name, text);
    fprintf(stderr, "%s: the cells of this layer are not written in this file\n", draft->path);
    return false;
}

/* What would be something else in the file than it is here. */
static bool may_be_formula(draft *draft, const char *formula) {
    for (const char *at = formula; *at; at++)
        if ((unsigned char)*at < ' ' || *at == 127 || strchr("#\"'\\", *at))
            return say(draft, "a formula has no quotes, no # and no line ends");
    return *formula || say(draft, "a formula is missing; `none` is nothing");
}

bool draft_write(draft *draft, draft_place place, const char *name, const char *text) {
    listening listening;
    begin_listening(&listening);
    return take(draft, &listening, set(draft, place, name, text));
}

bool draft_set(draft *draft, draft_place place, const char *name, const char *formula) {
    return may_be_formula(draft, formula) && draft_write(draft, place, name, formula);
}

/* Takes a key out; with the last one of a section the section goes. */
static bool take_key(draft *draft, draft_place place, const yt_part *key, const yt_part *before) {
    bool is_alone = !before && !key->next->next;
    bool is_section = (place & ~0xffffu) == DRAFT_SECTION;
    if (is_alone && (is_section || place == 0))
        key =
            key_in(draft->rewriting.top, is_section ? sections[place & 0xffff] : "sheet", &before);
    return rewriting_take_out(&draft->rewriting, before, key);
}

bool draft_take_out(draft *draft, draft_place place, const char *name) {
    listening listening;
    const yt_part *before, *key = key_in(map_of(draft, place), name, &before);
    if (!key)
        return say(draft, "%s is not written here", name);
    begin_listening(&listening);
    return take(draft, &listening, take_key(draft, place, key, before));
}

bool draft_empty_sheet(draft *draft) {
    const yt_part *map = map_of(draft, 0), *first = map ? map->first : NULL, *before = first;
    listening listening;
    if (!first || first->in_flow)
        return say(draft, "there is no sheet in lines here");
    begin_listening(&listening);
    bool good = rewriting_set_in(&draft->rewriting, map, first->text, "none");
    for (const yt_part *key = first->next->next; good && key; key = key->next->next) {
        good = rewriting_take_out(&draft->rewriting, before, key);
        before = key;
    }
    return take(draft, &listening, good);
}

bool draft_copy(draft *draft, draft_place place, const char *from, draft_place to_place,
                const char *to) {
    const char *formula = draft_formula(draft, place, from, NULL);
    if (!formula)
        return say(draft, "%s has no cell here that could be copied", from);
    char *kept = copied(formula);
    bool good = draft_set(draft, to_place, to, kept);
    free(kept);
    return good;
}

bool draft_swap(draft *draft, draft_place place, const char *one, draft_place other_place,
                const char *other) {
    const char *first = draft_formula(draft, place, one, NULL);
    const char *second = draft_formula(draft, other_place, other, NULL);
    listening listening;
    if (!first || !second)
        return say(draft, "%s has no cell here that could be swapped", first ? other : one);
    char *kept = copied(first), *more = copied(second);
    begin_listening(&listening);
    bool good = take(draft, &listening,
                     set(draft, place, one, more) && set(draft, other_place, other, kept));
    free(kept);
    free(more);
    return good;
}

/* ---- lists ---- */

bool draft_may_be_layer(const char *name) {
    size_t length = strlen(name);
    return length > 0 && length <= 50 && name[0] != ' ' && name[0] != '-' &&
           name[length - 1] != ' ' &&
           name[strspn(name,
                       "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_-, ")] == 0;
}

bool draft_may_be_name(const char *name) {
    static const char letters[] = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ_";
    return *name && strlen(name) <= 50 && strchr(letters, *name) &&
           name[strspn(name, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_")] ==
               0;
}

bool draft_add_layer(draft *draft, const char *name, const char *condition, const char *control,
                     const char *formula) {
    char *text;
    if (!draft_may_be_layer(name))
        return say(draft, "a layer cannot be called that");
    if (!may_be_formula(draft, condition) || !may_be_formula(draft, formula))
        return false;
    if (asprintf(&text, "name: %s\nwhile: %s\nsheet:\n  %s: %s\n", name, condition, control,
                 formula) < 0)
        abort();
    bool good = draft_add_element(draft, LIST_LAYERS, text);
    free(text);
    return good;
}

static const yt_part *list_of(const draft *draft, draft_list list) {
    const yt_part *top = draft->rewriting.top;
    if (list & LIST_STEPS)
        top = value_at(find_value(top, "macros"), list & 0xffff);
    const char *name = list == LIST_LAYERS ? "layers" : list == LIST_TESTS ? "tests" : "steps";
    const yt_part *found = top && top->kind == PART_MAP ? find_value(top, name) : NULL;
    return found && found->kind == PART_LIST ? found : NULL;
}

static const yt_part *element_of(const draft *draft, draft_list list, unsigned number) {
    const yt_part *found = list_of(draft, list), *at = found ? found->first : NULL;
    for (; at && number > 0; number--)
        at = at->next;
    return at;
}

unsigned draft_elements(const draft *draft, draft_list list) {
    unsigned count = 0;
    while (element_of(draft, list, count))
        count++;
    return count;
}

void draft_element(const draft *draft, draft_list list, unsigned number, char *text, size_t size) {
    const yt_part *element = element_of(draft, list, number);
    const yt_part *name = element && element->kind == PART_MAP ? find_value(element, "name") : NULL;
    text[0] = 0;
    if (element)
        write_part(draft, name ? name : element, text, size);
}

bool draft_add_element(draft *draft, draft_list list, const char *text) {
    const yt_part *found = list_of(draft, list);
    listening listening;
    if (!found && list & LIST_STEPS)
        return say(draft, "this macro has no steps in lines");
    begin_listening(&listening);
    return take(draft, &listening,
                found ? rewriting_add_in(&draft->rewriting, found, text)
                      : rewriting_add_to(&draft->rewriting,
                                         list == LIST_LAYERS ? "layers" : "tests", text));
}

bool draft_take_element(draft *draft, draft_list list, unsigned number) {
    const yt_part *found = list_of(draft, list), *element = element_of(draft, list, number);
    const yt_part *before, *key;
    listening listening;
    if (!element)
        return say(draft, "this is not written in this file");
    bool is_alone = found->first == element && !element->next;
    if (is_alone && list & LIST_STEPS)
        return say(draft, "a macro has one step at least; take the macro out");
    begin_listening(&listening);
    if (!is_alone)
        return take(draft, &listening, rewriting_take_element(&draft->rewriting, found, element));
    key = key_in(draft->rewriting.top, list == LIST_LAYERS ? "layers" : "tests", &before);
    return take(draft, &listening, rewriting_take_out(&draft->rewriting, before, key));
}
