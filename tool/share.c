/* Profiles as one file: what they are made of, to hand on; and such a file, looked over before
 * anything of it is used. */
#include <argp.h>
#include <errno.h>
#include <fcntl.h>
#include <ftw.h>
#include <jansson.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "compiler/reading/file_read.h"
#include "compiler/reading/kept_text.h"
#include "tool/archive.h"
#include "tool/backup.h"
#include "tool/options.h"
#include "tool/slots.h"

#define SHARED   64
#define FORMAT   "yonder profiles"
#define VERSION  1
#define CONTENTS "profiles.json"

/* ---- handing on ---- */

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
    if (there || strcmp(name, CONTENTS) == 0)
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
    json_object_set_new(contents, "format", json_string(FORMAT));
    json_object_set_new(contents, "version", json_integer(VERSION));
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
        archive_add(&archive, CONTENTS, text, strlen(text));
        free(text);
        good = archive_write(&archive, options->out, options->force);
    }
    if (good)
        printf("%s: %u profiles, %zu files\n", options->out, options->profile_count, count);
    json_decref(contents);
    archive_free(&archive);
    return good;
}

enum { OPTION_WITH = OPTION_OWN, OPTION_INTO, OPTION_RULES };

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

/* ---- taking ---- */

typedef struct take_options {
    const char *path, *into, *rules;
    bool force;
} take_options;

static int remove_one(const char *path, const struct stat *status, int kind, struct FTW *walk) {
    (void)status, (void)kind, (void)walk;
    return remove(path);
}

static bool write_files(const archive *archive, const char *folder, bool force, bool says) {
    bool good = true;
    for (size_t i = 0; i < archive->count && good; i++) {
        const archive_file *from = &archive->files[i];
        const yt_kept_file file = {from->name, strlen(from->name), (const char *)from->bytes,
                                   from->size};
        if (strcmp(from->name, CONTENTS) != 0)
            good = tame_file_write(folder, &file, force, says);
    }
    return good;
}

/* Each profile as `yonder check` says it, with the keys that it can type. */
static bool check_profiles(const json_t *list, const char *folder, const char *rules) {
    char *whole = rules ? realpath(rules, NULL) : NULL;
    int here = open(".", O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    bool good = here >= 0 && (!rules || whole);
    if (!good)
        refuse(rules ? rules : ".", strerror(errno));
    else if (chdir(folder) != 0) /* so that each is told by the name that it has there */
        good = refuse(folder, strerror(errno));
    for (size_t i = 0; i < json_array_size(list) && good; i++) {
        char path[600], name[] = "yonder check", keys[] = "--typed-keys", with[] = "--rules";
        char *words[] = {name, path, keys, rules ? with : NULL, whole, NULL};
        snprintf(path, sizeof path, "%s", json_string_value(json_array_get(list, i)));
        putchar('\n');
        fflush(stdout);
        good = command_check(rules ? 5 : 3, words) == 0;
    }
    if (here >= 0 && fchdir(here) != 0)
        good = refuse(".", strerror(errno));
    if (here >= 0)
        close(here);
    free(whole);
    return good;
}

static bool is_same(const char *path, const archive_file *file) {
    FILE *there = fopen(path, "rb");
    bool same = there != NULL;
    for (size_t i = 0; i < file->size && same; i++)
        same = fgetc(there) == file->bytes[i];
    same = same && fgetc(there) == EOF;
    if (there)
        fclose(there);
    return same;
}

/* What is new in a folder, what is there already, and what is another file there: whether any is.
 */
static bool compare_files(const archive *archive, const char *folder) {
    bool differs = false;
    for (size_t i = 0; i < archive->count; i++) {
        const archive_file *file = &archive->files[i];
        char path[700];
        if (strcmp(file->name, CONTENTS) == 0)
            continue;
        snprintf(path, sizeof path, "%s/%s", folder, file->name);
        bool there = access(path, F_OK) == 0, same = there && is_same(path, file);
        printf("  %-40s %7zu bytes  %s\n", file->name, file->size,
               !there ? "new"
               : same ? "is there already"
                      : "DIFFERS from what is there");
        differs |= there && !same;
    }
    return differs;
}

static const json_t *profiles_of(const archive *archive, json_t **contents, const char **why) {
    const archive_file *file = archive_find(archive, CONTENTS);
    json_error_t error;
    *why = "this is no file of profiles";
    *contents =
        file ? json_loadb((const char *)file->bytes, file->size, JSON_REJECT_DUPLICATES, &error)
             : NULL;
    const char *format = json_string_value(json_object_get(*contents, "format"));
    const json_t *list = json_object_get(*contents, "profiles");
    if (!format || strcmp(format, FORMAT) != 0)
        return NULL;
    *why = "it is of a newer version of yonder";
    if (json_integer_value(json_object_get(*contents, "version")) != VERSION)
        return NULL;
    *why = "what it says of its profiles makes no sense";
    size_t i;
    const json_t *value;
    json_array_foreach(list, i, value) {
        const char *name = json_string_value(value);
        if (!name || !archive_find(archive, name))
            return NULL;
    }
    return json_array_size(list) > 0 ? list : NULL;
}

static bool look_over(const archive *archive, const json_t *list, const take_options *options) {
    char folder[] = "/tmp/yonder.XXXXXX";
    if (!mkdtemp(folder))
        return refuse(folder, strerror(errno));
    bool good =
        write_files(archive, folder, true, false) && check_profiles(list, folder, options->rules);
    nftw(folder, remove_one, 8, FTW_DEPTH | FTW_PHYS);
    return good;
}

/* ---- a whole adapter ---- */

/* A slot's profile, looked over as one that is shared. */
static bool look_at_slot(const backup_slot *slot, unsigned number, const char *rules) {
    char folder[] = "/tmp/yonder.XXXXXX", name[ARCHIVE_NAME];
    yt_kept_file files[KEPT_FILES];
    slot_content content = {
        .slot = number, .program_bytes = slot->program_bytes, .text_bytes = slot->text_bytes};
    size_t size = slot->program_bytes + slot->text_bytes;
    printf("\nslot %u, \"%s\"", number + 1, slot->name);
    content.bytes = malloc(size + 1);
    if (!content.bytes)
        abort();
    memcpy(content.bytes, slot->program, slot->program_bytes);
    memcpy(content.bytes + slot->program_bytes, slot->text, slot->text_bytes);
    bool good = true;
    if (kept_text_read(content.bytes, size, files) <= 0) {
        printf(": only a program is kept there, which says nothing of itself\n");
        good = rules == NULL || refuse(rules, "what has no text is not known to keep to them");
    } else if (mkdtemp(folder)) {
        json_t *list = json_array();
        snprintf(name, sizeof name, "%.*s", (int)files[0].name_bytes, files[0].name);
        json_array_append_new(list, json_string(name));
        good =
            slot_text_write(&content, folder, true, false) && check_profiles(list, folder, rules);
        json_decref(list);
        nftw(folder, remove_one, 8, FTW_DEPTH | FTW_PHYS);
    } else {
        good = refuse(folder, strerror(errno));
    }
    free(content.bytes);
    return good;
}

/* Nothing of it is written here: that is what `yonder adapter restore` is for. */
static bool look_at_backup(const archive *archive, const take_options *options) {
    static backup backup;
    const char *why = backup_from(&backup, archive);
    bool good = !why || refuse(options->path, why);
    if (good && options->into)
        good = refuse(options->into, "this is a whole adapter: yonder adapter restore takes it");
    for (unsigned i = 0; good && i < backup.slots; i++)
        if (backup.slot[i].is_there)
            good = look_at_slot(&backup.slot[i], i, options->rules);
    backup_free(&backup);
    if (good)
        printf("\nthis is a whole adapter: yonder adapter digest says what of it another one has, "
               "yonder adapter restore puts it there\n");
    return good;
}

static bool take(const take_options *options) {
    archive archive;
    json_t *contents = NULL;
    const char *why;
    if (!archive_read(&archive, options->path))
        return false;
    if (archive_find(&archive, BACKUP_CONTENTS)) {
        bool is_good = look_at_backup(&archive, options);
        archive_free(&archive);
        return is_good;
    }
    const json_t *list = profiles_of(&archive, &contents, &why);
    bool good = list != NULL || refuse(options->path, why);
    for (size_t i = 0; i < archive.count && good; i++)
        if (!file_name_is_tame(archive.files[i].name, strlen(archive.files[i].name)))
            good = refuse(options->path, "a name in it leads out of the folder");
    bool differs = false;
    good = good && look_over(&archive, list, options);
    if (good) {
        printf("\nfiles%s%s:\n", options->into ? ", beside those of " : "",
               options->into ? options->into : "");
        differs = compare_files(&archive, options->into ? options->into : "/nonexistent");
    }
    if (good && differs && !options->force)
        good = refuse(options->into, "nothing was written; --force replaces what differs");
    if (good && options->into)
        good = write_files(&archive, options->into, options->force, false);
    else if (good)
        printf("nothing was written; --into FOLDER takes them\n");
    json_decref(contents);
    archive_free(&archive);
    return good;
}

static error_t parse_take(int key, char *argument, struct argp_state *state) {
    take_options *options = state->input;
    switch (key) {
    case OPTION_INTO:
        options->into = argument;
        return 0;
    case OPTION_RULES:
        options->rules = argument;
        return 0;
    case 'f':
        options->force = true;
        return 0;
    case ARGP_KEY_END:
        if (options->force && !options->into)
            argp_error(state, "--force is for --into");
        /* fall through */
    default:
        return only_argument(key, argument, state, &options->path, "file of profiles");
    }
}

int command_take(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"into", OPTION_INTO, "FOLDER", 0, "write its files there; nothing is written without", 0},
        {"rules", OPTION_RULES, "FILE", 0, "take nothing that breaks these rules", 0},
        {"force", 'f', 0, 0, "replace files that are others", 0},
        {0}};
    static const struct argp argp = {
        .options = known,
        .parser = parse_take,
        .args_doc = "FILE",
        .doc = "Looks over profiles that somebody has shared: what each can type, repeat and "
               "change, and which files are others than those that are there. Then takes them, if "
               "you say where. A backup of an adapter is looked over in the same way."};
    take_options options = {0};
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    return take(&options) ? 0 : 1;
}
