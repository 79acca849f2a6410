/* A file of profiles that somebody shared, or a backup: looked over before anything of it is used.
 */
#include <argp.h>
#include <errno.h>
#include <fcntl.h>
#include <ftw.h>
#include <jansson.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "compiler/reading/kept_text.h"
#include "tool/archive.h"
#include "tool/backup.h"
#include "tool/check_json.h"
#include "tool/json_text.h"
#include "tool/options.h"
#include "tool/shared.h"
#include "tool/slots.h"

enum { OPTION_INTO = OPTION_OWN, OPTION_RULES };

typedef struct take_options {
    const char *path, *into, *rules;
    bool force;
    bool json;
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
        if (strcmp(from->name, SHARED_CONTENTS) != 0)
            good = tame_file_write(folder, &file, force, says);
    }
    return good;
}

/* As `yonder check` says it, with the keys that it can type. `told` NULL: for people. */
static bool check_one(char *path, char *rules, json_t *told) {
    char name[] = "yonder check", keys[] = "--typed-keys", with[] = "--rules";
    char *words[] = {name, path, keys, rules ? with : NULL, rules, NULL};
    if (told)
        return check_into(told, path, rules);
    putchar('\n');
    fflush(stdout);
    return command_check(rules ? 5 : 3, words) == 0;
}

/* Each profile; for people none behind one that is not good. */
static bool check_profiles(const json_t *list, const char *folder, const char *rules,
                           json_t *told) {
    char *whole = rules ? realpath(rules, NULL) : NULL;
    int here = open(".", O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    bool good = here >= 0 && (!rules || whole);
    if (!good)
        refuse(rules ? rules : ".", strerror(errno));
    else if (chdir(folder) != 0) /* so that each is told by the name that it has there */
        good = refuse(folder, strerror(errno));
    bool is_there = good;
    for (size_t i = 0; i < json_array_size(list) && is_there && (good || told); i++) {
        char path[600];
        snprintf(path, sizeof path, "%s", json_string_value(json_array_get(list, i)));
        good = check_one(path, whole, told) && good;
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
 * `told` NULL: for people. */
static bool compare_files(const archive *archive, const char *folder, json_t *told) {
    bool differs = false;
    for (size_t i = 0; i < archive->count; i++) {
        const archive_file *file = &archive->files[i];
        char path[700];
        if (strcmp(file->name, SHARED_CONTENTS) == 0)
            continue;
        snprintf(path, sizeof path, "%s/%s", folder, file->name);
        bool there = access(path, F_OK) == 0, same = there && is_same(path, file);
        if (told)
            json_array_append_new(told, json_pack("{s:o, s:I, s:s}", "name", json_text(file->name),
                                                  "bytes", (json_int_t)file->size, "state",
                                                  !there ? "new"
                                                  : same ? "there"
                                                         : "differs"));
        else
            printf("  %-40s %7zu bytes  %s\n", file->name, file->size,
                   !there ? "new"
                   : same ? "is there already"
                          : "DIFFERS from what is there");
        differs |= there && !same;
    }
    return differs;
}

static const json_t *profiles_of(const archive *archive, json_t **contents, const char **why) {
    const archive_file *file = archive_find(archive, SHARED_CONTENTS);
    json_error_t error;
    *why = "this is no file of profiles";
    *contents =
        file ? json_loadb((const char *)file->bytes, file->size, JSON_REJECT_DUPLICATES, &error)
             : NULL;
    const char *format = json_string_value(json_object_get(*contents, "format"));
    const json_t *list = json_object_get(*contents, "profiles");
    if (!format || strcmp(format, SHARED_FORMAT) != 0)
        return NULL;
    *why = "it is of a newer version of yonder";
    if (json_integer_value(json_object_get(*contents, "version")) != SHARED_VERSION)
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

static bool look_over(const archive *archive, const json_t *list, const take_options *options,
                      json_t *told) {
    char folder[] = "/tmp/yonder.XXXXXX";
    if (!mkdtemp(folder))
        return refuse(folder, strerror(errno));
    bool good = write_files(archive, folder, true, false) &&
                check_profiles(list, folder, options->rules, told);
    nftw(folder, remove_one, 8, FTW_DEPTH | FTW_PHYS);
    return good;
}

/* ---- a whole adapter ---- */

/* A slot's profile, looked over as one that is shared. `told` NULL: for people. */
static bool look_at_slot(const backup_slot *slot, unsigned number, const char *rules,
                         json_t *told) {
    char folder[] = "/tmp/yonder.XXXXXX", name[ARCHIVE_NAME];
    yt_kept_file files[KEPT_FILES];
    slot_content content = {
        .slot = number, .program_bytes = slot->program_bytes, .text_bytes = slot->text_bytes};
    size_t size = slot->program_bytes + slot->text_bytes;
    json_t *profiles = told ? json_array() : NULL;
    if (told)
        json_array_append_new(told, json_pack("{s:i, s:o, s:o}", "slot", (int)number + 1, "name",
                                              json_text(slot->name), "profiles", profiles));
    else
        printf("\nslot %u, \"%s\"", number + 1, slot->name);
    content.bytes = malloc(size + 1);
    if (!content.bytes)
        abort();
    memcpy(content.bytes, slot->program, slot->program_bytes);
    memcpy(content.bytes + slot->program_bytes, slot->text, slot->text_bytes);
    bool good = true;
    if (kept_text_read(content.bytes, size, files) <= 0) {
        if (!told)
            printf(": only a program is kept there, which says nothing of itself\n");
        good = rules == NULL || refuse(rules, "what has no text is not known to keep to them");
    } else if (mkdtemp(folder)) {
        json_t *list = json_array();
        snprintf(name, sizeof name, "%.*s", (int)files[0].name_bytes, files[0].name);
        json_array_append_new(list, json_string(name));
        good = slot_text_write(&content, folder, true, false) &&
               check_profiles(list, folder, rules, profiles);
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
    json_t *told = options->json ? json_array() : NULL;
    static backup backup;
    const char *why = backup_from(&backup, archive);
    bool good = !why || refuse(options->path, why);
    if (good && options->into)
        good = refuse(options->into, "this is a whole adapter: yonder adapter restore takes it");
    bool is_legible = good;
    for (unsigned i = 0; is_legible && (good || told) && i < backup.slots; i++)
        if (backup.slot[i].is_there)
            good = look_at_slot(&backup.slot[i], i, options->rules, told) && good;
    backup_free(&backup);
    if (told && is_legible)
        return json_print(json_pack("{s:s, s:b, s:o}", "kind", "adapter", "is_good", good, "slots",
                                    told)) &&
               good;
    json_decref(told);
    if (good)
        printf("\nthis is a whole adapter: yonder adapter digest says what of it another one has, "
               "yonder adapter restore puts it there\n");
    return good;
}

/* What of it differs is not replaced unasked; then it is written, where it is to be. */
static bool take_files(const archive *archive, const take_options *options, bool differs) {
    if (differs && !options->force)
        return refuse(options->into, "nothing was written; --force replaces what differs");
    if (options->into)
        return write_files(archive, options->into, options->force, false);
    if (!options->json)
        printf("nothing was written; --into FOLDER takes them\n");
    return true;
}

static bool take_profiles(const archive *archive, const json_t *list, const take_options *options) {
    const char *into = options->into ? options->into : "/nonexistent";
    json_t *profiles = options->json ? json_array() : NULL, *files = NULL;
    bool good = look_over(archive, list, options, profiles), differs = false;
    if (options->json) {
        files = json_array();
        differs = compare_files(archive, into, files);
    } else if (good) {
        printf("\nfiles%s%s:\n", options->into ? ", beside those of " : "",
               options->into ? options->into : "");
        differs = compare_files(archive, into, NULL);
    }
    bool is_good = good;
    good = good && take_files(archive, options, differs);
    if (!options->json)
        return good;
    return json_print(json_pack("{s:s, s:b, s:o, s:o, s:b}", "kind", "profiles", "is_good", is_good,
                                "profiles", profiles, "files", files, "is_written",
                                good && options->into)) &&
           good;
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
    good = good && take_profiles(&archive, list, options);
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
    case 'j':
        options->json = true;
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
        JSON_OPTION("as JSON: what check says of each profile, and what becomes of each file"),
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
