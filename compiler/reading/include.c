#include "compiler/reading/include.h"

#include <stdlib.h>
#include <string.h>

#include "compiler/reading/file_read.h"
#include "compiler/reading/keys.h"

static const char *const included_keys[] = {"yonder",     "name",   "include", "named",
                                            "parameters", "camera", "layers",  "macros"};

/* What is read so far, with those that wait for what they include. */
typedef struct yt_including {
    yt_pool *pool;
    yt_messages *messages;
    yt_files *files;
    unsigned open[PROFILE_FILES]; /* sources that are being read, one inside the other */
    unsigned depth;
    unsigned sources; /* files that were read */
} yt_including;

char *read_named_file(yt_messages *messages, const char *folder, const char *path, size_t *size,
                      const char **why) {
    char *text = file_read_inside(folder, path, DOCUMENT_BYTES, size, why);
    char *kept = text ? pool_text(&messages->pool, text, *size) : NULL;
    free(text);
    return kept;
}

bool is_file_name(const char *name, size_t bytes) {
    for (size_t i = 0; i < bytes; i++)
        if (!((name[i] >= 'a' && name[i] <= 'z') || (name[i] >= '0' && name[i] <= '9') ||
              strchr("_-/", name[i])))
            return false;
    return bytes > 0 && *name != '/' && !memmem(name, bytes, "//", 2) && bytes <= 200;
}

static void check_included(yt_messages *messages, const yt_part *top) {
    size_t count = sizeof included_keys / sizeof included_keys[0];
    for (const yt_part *key = top->first; key; key = key->next->next) {
        static const char *const own[] = {"inputs", "outputs", "relays", "sheet",
                                          "copy",   "rebind",  "tests"};
        if (is_among(key->text, included_keys, count))
            continue;
        if (is_among(key->text, own, sizeof own / sizeof own[0]))
            messages_add(messages, key->place,
                         "\"%s\" belongs into the profile itself; an included file holds named, "
                         "parameters, camera, layers and macros",
                         key->text);
        else
            unknown_key(messages, key, included_keys, count);
    }
}

static void read_top(yt_including *including, const yt_part *top);

/* A file by its name: read, unless it was read before. */
static void read_file(yt_including *including, const yt_part *name) {
    yt_messages *messages = including->messages;
    const char *profile = messages->sources[0].file, *slash = strrchr(profile, '/');
    int folder = slash ? (int)(slash - profile) + 1 : 0;
    size_t length = name->bytes, size;
    if (length > 5 && strcmp(name->text + length - 5, ".yaml") == 0)
        length -= 5;
    if (!is_file_name(name->text, length)) {
        messages_add(messages, name->place,
                     "\"%.60s\" is no file beside the profile; names are a to z, 0 to 9, _, - and "
                     "/, as in: include: [common.yaml]",
                     name->text);
        return;
    }
    const char *path =
        pool_print(&messages->pool, "%.*s%.*s.yaml", folder, profile, (int)length, name->text);
    for (unsigned i = 0; i < including->depth; i++)
        if (strcmp(messages->sources[including->open[i]].file, path) == 0) {
            messages_add(messages, name->place, "%.60s includes itself", path);
            return;
        }
    for (unsigned i = 0; i < messages->source_count; i++)
        if (strcmp(messages->sources[i].file, path) == 0)
            return;
    const char *inside = pool_print(&messages->pool, "%.*s", folder, profile), *why;
    char *text = read_named_file(messages, inside, path, &size, &why);
    if (!text) {
        messages_add(messages, name->place, "%.120s cannot be read: %s", path,
                     why ? why : "there is no such file");
        return;
    }
    unsigned source = messages_add_source(messages, path, text, size);
    if (source == 0 || ++including->sources == PROFILE_FILES) {
        messages_add(messages, name->place, "a profile includes up to %d files", PROFILE_FILES - 1);
        return;
    }
    const yt_part *top = document_read(including->pool, messages, source);
    if (!top || !check_kind(messages, top, PART_MAP, "a file that is included is a map of keys"))
        return;
    check_included(messages, top);
    including->open[including->depth++] = source;
    read_top(including, top);
    including->depth--;
}

/* What a file includes, then the file itself. */
static void read_top(yt_including *including, const yt_part *top) {
    const yt_part *include = find_value(top, "include");
    const char *what = "include: lists files beside the profile, as in: include: [common.yaml]";
    if (include && include->kind == PART_LIST) {
        for (const yt_part *name = include->first; name; name = name->next)
            if (check_kind(including->messages, name, PART_TEXT, what))
                read_file(including, name);
    } else if (include && check_kind(including->messages, include, PART_TEXT, what)) {
        read_file(including, include);
    }
    including->files->tops[including->files->count++] = top;
}

void read_includes(yt_pool *pool, yt_messages *messages, const yt_part *top, yt_files *files) {
    yt_including including = {.pool = pool, .messages = messages, .files = files, .depth = 1};
    files->count = 0;
    including.open[0] = 0;
    read_top(&including, top);
}
