/* Profiles as one file: what they are made of, to hand on. */
#include <argp.h>
#include <jansson.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/reading/file_read.h"
#include "compiler/reading/kept_text.h"
#include "tool/archive.h"
#include "tool/options.h"
#include "tool/shared.h"
#include "tool/slots.h"

#define SHARED 64

typedef struct share_options {
    const char *profiles[SHARED], *recordings[SHARED];
    unsigned profile_count, recording_count;
    const char *out;
    bool force;
} share_options;

/* One of that name is there: the same, or another one. */
static bool add_file(archive *archive, const char *name, const void *bytes, size_t size) {
    const archive_file *there = archive_find(archive, name);
    if (there && there->size == size && memcmp(there->bytes, bytes, size) == 0)
        return true;
    if (there || strcmp(name, SHARED_CONTENTS) == 0)
        return refuse(name, "two files have this name, and are not the same");
    archive_add(archive, name, bytes, size);
    return true;
}

static bool add_profile(archive *archive, json_t *list, const char *path) {
    yt_kept_file files[KEPT_FILES];
    profile profile;
    size_t size;
    if (!profile_open(&profile, path))
        return false;
    const uint8_t *both = profile_with_text(&profile, &size);
    int count = kept_text_read(both, size, files);
    bool good = count > 0;
    for (int i = 0; i < count && good; i++) {
        char name[ARCHIVE_NAME];
        snprintf(name, sizeof name, "%.*s", (int)files[i].name_bytes, files[i].name);
        good = file_name_is_tame(files[i].name, files[i].name_bytes)
                   ? add_file(archive, name, files[i].text, files[i].bytes)
                   : refuse(name, "its name leads out of the profile's folder");
        if (i == 0)
            json_array_append_new(list, json_string(name));
    }
    profile_close(&profile);
    return good;
}

static bool add_recording(archive *archive, const char *path) {
    const char *why, *last = strrchr(path, '/');
    char name[ARCHIVE_NAME];
    size_t size;
    char *bytes = file_read(path, ARCHIVE_FILE_BYTES, &size, &why);
    if (!bytes)
        return refuse(path, why);
    snprintf(name, sizeof name, "recordings/%.200s", last ? last + 1 : path);
    bool good = size <= ARCHIVE_FILE_BYTES ? add_file(archive, name, bytes, size)
                                           : refuse(path, "it has more than 16 MiB");
    free(bytes);
    return good;
}

static bool share(const share_options *options) {
    archive archive = {NULL, 0};
    json_t *contents = json_object(), *list = json_array();
    json_object_set_new(contents, "format", json_string(SHARED_FORMAT));
    json_object_set_new(contents, "version", json_integer(SHARED_VERSION));
    json_object_set_new(contents, "profiles", list);
    bool good = true;
    for (unsigned i = 0; i < options->profile_count && good; i++)
        good = add_profile(&archive, list, options->profiles[i]);
    for (unsigned i = 0; i < options->recording_count && good; i++)
        good = add_recording(&archive, options->recordings[i]);
    size_t count = archive.count;
    if (good) {
        char *text = json_dumps(contents, JSON_INDENT(2) | JSON_PRESERVE_ORDER);
        if (!text)
            abort();
        archive_add(&archive, SHARED_CONTENTS, text, strlen(text));
        free(text);
        good = archive_write(&archive, options->out, options->force);
    }
    if (good)
        printf("%s: %u profiles, %zu files\n", options->out, options->profile_count, count);
    json_decref(contents);
    archive_free(&archive);
    return good;
}

enum { OPTION_WITH = OPTION_OWN };

static error_t parse_share(int key, char *argument, struct argp_state *state) {
    share_options *options = state->input;
    switch (key) {
    case 'o':
        options->out = argument;
        return 0;
    case 'f':
        options->force = true;
        return 0;
    case OPTION_WITH:
        if (options->recording_count == SHARED)
            argp_error(state, "at most %d recordings", SHARED);
        options->recordings[options->recording_count++] = argument;
        return 0;
    case ARGP_KEY_ARG:
        if (options->profile_count == SHARED)
            argp_error(state, "at most %d profiles", SHARED);
        options->profiles[options->profile_count++] = argument;
        return 0;
    case ARGP_KEY_END:
        if (options->profile_count == 0)
            argp_error(state, "say which profiles");
        if (!options->out)
            argp_error(state, "say with --out FILE where they go");
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

int command_share(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"out", 'o', "FILE", 0, "where they go: a zip archive", 0},
        {"with", OPTION_WITH, "RECORDING", 0,
         "put a recording in as well, to try them with; may be given several times", 0},
        {"force", 'f', 0, 0, "replace a file that is there", 0},
        {0}};
    static const struct argp argp = {
        .options = known,
        .parser = parse_share,
        .args_doc = "PROFILE...",
        .doc = "Puts profiles into one file, with all files that they name, to hand them on.\vWho "
               "gets it looks it over with yonder take."};
    share_options options = {0};
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    return share(&options) ? 0 : 1;
}
