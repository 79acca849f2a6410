/* What goes into a slot and comes out of it: programs with their text. */
#include <errno.h>
#include <ftw.h>
#include <spawn.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include "compiler/formulas/functions.h"
#include "compiler/messages/status_text.h"
#include "tool/json_text.h"
#include "tool/calibrating.h"
#include "tool/rebound.h"
#include "tool/slots.h"

bool slot_fail(const holder *holder, unsigned slot, yt_status status) {
    char what[32];
    snprintf(what, sizeof what, "slot %u", slot + 1);
    return holder_fail(holder, what, status);
}

/* A slot's name is a profile's, as much of it as fits without cutting a character. */
static void take_name(slot_content *content, const char *name) {
    size_t bytes = strlen(name);
    if (bytes > YT_STORE_NAME)
        for (bytes = YT_STORE_NAME; bytes > 0 && ((unsigned char)name[bytes] & 0xc0) == 0x80;)
            bytes--;
    memcpy(content->name, name, bytes);
    content->name[bytes] = 0;
}

static bool take_program(slot_content *content, uint8_t *bytes, size_t size, bool with_text) {
    yt_program program;
    yt_status status = yt_program_check(&program, bytes, size);
    if (status != YT_OK) {
        fprintf(stderr, "%s: %s\n", content->path, status_text(status));
        free(bytes);
        return false;
    }
    char name[256];
    snprintf(name, sizeof name, "%.*s", program.header->name_bytes, program.text);
    take_name(content, name);
    content->bytes = bytes;
    content->program_bytes = program_whole_bytes(bytes, size);
    content->text_bytes = with_text ? size - content->program_bytes : 0;
    return true;
}

void slot_content_of(slot_content *content, profile *profile, bool with_text) {
    size_t size;
    const uint8_t *both = profile_with_text(profile, &size);
    content->program_bytes = profile->compiled.size;
    content->text_bytes = with_text ? size - content->program_bytes : 0;
    content->bytes = malloc(size);
    if (!content->bytes)
        abort();
    memcpy(content->bytes, both, size);
    take_name(content, profile->compiled.name);
}

bool slot_content_read(slot_content *content, const char *path, bool with_text) {
    profile profile;
    const char *why;
    size_t size;
    content->path = path;
    uint8_t *bytes = read_program(path, &size, &why);
    if (bytes)
        return take_program(content, bytes, size, with_text);
    if (!profile_open(&profile, path))
        return false;
    slot_content_of(content, &profile, with_text);
    profile_close(&profile);
    return true;
}

void slot_content_free(slot_content *content) {
    free(content->bytes);
    content->bytes = NULL;
}

bool slot_content_fetch(slot_content *content, holder *holder, unsigned slot) {
    yt_slot info;
    uint8_t *parts[YT_SLOT_PARTS] = {NULL, NULL};
    size_t sizes[YT_SLOT_PARTS] = {0, 0};
    yt_status status = holder_slot(holder, slot, &info);
    for (unsigned part = 0; part < YT_SLOT_PARTS && status == YT_OK; part++)
        status = holder_read(holder, slot, part, &parts[part], &sizes[part]);
    if (status == YT_OK) {
        *content = (slot_content){.slot = slot,
                                  .path = holder->path,
                                  .program_bytes = sizes[YT_SLOT_PROGRAM],
                                  .text_bytes = sizes[YT_SLOT_TEXT]};
        memcpy(content->name, info.name, sizeof content->name);
        content->bytes = realloc(parts[0], sizes[0] + sizes[1] + 1);
        if (!content->bytes)
            abort();
        memcpy(content->bytes + sizes[0], parts[1], sizes[1] + 1);
        parts[0] = NULL;
    }
    free(parts[0]);
    free(parts[1]);
    if (status == YT_OK)
        rebound_put_into_text(content);
    return status == YT_OK || slot_fail(holder, slot, status);
}

bool slot_holds(holder *holder, const slot_content *content) {
    yt_slot info;
    yt_status status = holder_slot(holder, content->slot, &info);
    return status == YT_SLOT_EMPTY ||
           (status == YT_OK && info.bytes[YT_SLOT_PROGRAM] == content->program_bytes &&
            info.bytes[YT_SLOT_TEXT] == content->text_bytes &&
            info.checksum[YT_SLOT_PROGRAM] ==
                yt_checksum(0, content->bytes, content->program_bytes) &&
            info.checksum[YT_SLOT_TEXT] ==
                yt_checksum(0, content->bytes + content->program_bytes, content->text_bytes));
}

/* ---- its text as files ---- */

bool file_name_is_tame(const char *name, size_t bytes) {
    if (bytes == 0 || bytes > 200 || name[bytes - 1] == '/')
        return false;
    for (size_t i = 0; i < bytes; i++) {
        bool begins = i == 0 || name[i - 1] == '/';
        if ((unsigned char)name[i] < ' ' || name[i] == 127 ||
            (begins && (name[i] == '.' || name[i] == '/')))
            return false;
    }
    return true;
}

static bool make_folders_of(char *path) {
    bool good = true;
    for (char *at = path + 1; *at && good; at++) {
        if (*at != '/')
            continue;
        *at = 0;
        good = mkdir(path, 0777) == 0 || errno == EEXIST || refuse(path, strerror(errno));
        *at = '/';
    }
    return good;
}

static bool is_as_there(const char *path, const yt_kept_file *file) {
    FILE *there = fopen(path, "rb");
    bool same = true;
    if (!there)
        return true;
    for (size_t i = 0; i < file->bytes && same; i++)
        same = fgetc(there) == (unsigned char)file->text[i];
    same = same && fgetc(there) == EOF;
    fclose(there);
    return same;
}

bool tame_file_write(const char *folder, const yt_kept_file *file, bool force, bool says) {
    char path[4096];
    whole_file out;
    if ((size_t)snprintf(path, sizeof path, "%s/%.*s", folder, (int)file->name_bytes, file->name) >=
        sizeof path)
        return refuse(folder, "the name is too long");
    if (!force && !is_as_there(path, file))
        return refuse(path, "is another file; --force replaces it");
    if (!make_folders_of(path) || !whole_file_open(&out, path, CONTENT_TEXT))
        return false;
    fwrite(file->text, 1, file->bytes, out.file);
    if (!whole_file_close(&out))
        return false;
    if (says)
        printf("%s: %zu bytes\n", path, file->bytes);
    return true;
}

/* The text as files; 0: there is none that could be written, which is said. */
static int tame_files(const slot_content *content, yt_kept_file files[KEPT_FILES]) {
    int count = kept_text_read(content->bytes, content->program_bytes + content->text_bytes, files);
    if (count <= 0)
        fprintf(stderr, "slot %u: %s\n", content->slot + 1,
                count ? "its text is broken" : "no profile is kept there, only the program");
    for (int i = 0; i < count; i++)
        if (!file_name_is_tame(files[i].name, files[i].name_bytes)) {
            fprintf(stderr,
                    "slot %u: nothing is written: the name of \"%.*s\" leads out of the folder\n",
                    content->slot + 1, (int)(files[i].name_bytes < 200 ? files[i].name_bytes : 200),
                    files[i].name);
            return 0;
        }
    return count > 0 ? count : 0;
}

bool slot_text_write(const slot_content *content, const char *folder, bool force, bool says) {
    yt_kept_file files[KEPT_FILES];
    int count = tame_files(content, files);
    bool good = count > 0;
    for (int i = 0; i < count && good; i++)
        good = tame_file_write(folder, &files[i], force, says);
    return good;
}

static int remove_one(const char *path, const struct stat *status, int kind, struct FTW *walk) {
    (void)status, (void)kind, (void)walk;
    return remove(path);
}

void folder_remove(const char *folder) {
    nftw(folder, remove_one, 8, FTW_DEPTH | FTW_PHYS);
}

bool slot_profile_open(profile *profile, const slot_content *content) {
    char folder[] = "/tmp/yonder.XXXXXX", path[300];
    yt_kept_file files[KEPT_FILES];
    if (tame_files(content, files) == 0)
        return false;
    if (!mkdtemp(folder))
        return refuse(folder, strerror(errno));
    snprintf(path, sizeof path, "%s/%.*s", folder, (int)files[0].name_bytes, files[0].name);
    bool good = slot_text_write(content, folder, false, false) && profile_open(profile, path);
    folder_remove(folder);
    return good;
}

/* ---- what there is ---- */

/* A program that this version cannot run: why. What an adapter holds is read only by who may. */
static void list_program(holder *holder, unsigned slot) {
    yt_program program;
    slot_content content;
    if (holder->is_linked || !slot_content_fetch(&content, holder, slot))
        return;
    yt_status status = content.program_bytes > 0
                           ? yt_program_check(&program, content.bytes, content.program_bytes)
                           : YT_OK;
    if (status != YT_OK)
        printf("        %s%s\n", status_text(status),
               status == YT_PROGRAM_OLDER && content.text_bytes > 0
                   ? "; yonder slots renew compiles it anew"
                   : "");
    slot_content_free(&content);
}

static bool list_slot(holder *holder, unsigned slot, unsigned active) {
    yt_slot info;
    yt_status status = holder_slot(holder, slot, &info);
    if (holder->is_linked && holder->linked.has_failed)
        return false;
    printf("%4u %c  ", slot + 1, active == slot ? '*' : ' ');
    if (status == YT_OK && !holder->is_linked)
        status = yt_store_verify(&holder->file->store, slot);
    if (status != YT_OK) {
        printf("%s\n", status == YT_SLOT_EMPTY ? "-" : status_text(status));
        return true;
    }
    printf("%-32s  %7u  %7u  %08x", info.name, info.bytes[YT_SLOT_PROGRAM],
           info.bytes[YT_SLOT_TEXT], info.checksum[YT_SLOT_PROGRAM]);
    if (info.kept_bytes)
        printf("  keeps %u bytes", info.kept_bytes);
    putchar('\n');
    list_program(holder, slot);
    return true;
}

/* An adapter tells anybody that there is one, and of what only who may read it. */
static bool list_linked_calibrations(holder *holder) {
    for (unsigned place = 0; place < YT_STORE_CALIBRATIONS; place++) {
        yt_status status =
            linked_about(&holder->linked, yonder_link_Kind_KIND_CALIBRATION, place + 1);
        if (holder->linked.has_failed)
            return false;
        if (status == YT_OK)
            printf("calibration %u, of %u bytes, checksum %08x\n", place + 1,
                   holder->linked.answer.size, holder->linked.answer.checksum);
    }
    return true;
}

static void list_calibrations(holder *holder) {
    static yt_calibration record;
    size_t size;
    for (unsigned place = 0; place < YT_STORE_CALIBRATIONS; place++) {
        yt_status status = holder_record(holder, place, (uint8_t *)&record, sizeof record, &size);
        if (status == YT_SLOT_EMPTY)
            continue;
        if (status == YT_OK)
            status = yt_calibration_check(&record, size);
        if (status == YT_OK)
            printf("calibration of the %s of %04x:%04x\n", calibration_kind_name(record.part.kind),
                   record.part.vendor, record.part.product);
        else
            printf("a calibration: %s\n", status_text(status));
    }
}

bool slots_list(holder *holder) {
    unsigned active = holder_active(holder);
    printf("slot    %-32s  program     text  checksum\n", "name");
    for (unsigned slot = 0; slot < holder->slots; slot++)
        if (!list_slot(holder, slot, active))
            return false;
    if (holder->is_linked && !list_linked_calibrations(holder))
        return false;
    if (!holder->is_linked)
        list_calibrations(holder);
    printf("* is the slot that was active last\n");
    return true;
}

json_t *slot_as_json(unsigned slot, const yt_slot *info) {
    json_t *one = json_object();
    char checksum[12];
    snprintf(checksum, sizeof checksum, "%08x", info->checksum[YT_SLOT_PROGRAM]);
    json_object_set_new(one, "slot", json_integer(slot + 1));
    json_object_set_new(one, "name", json_text(info->name));
    json_object_set_new(one, "program_bytes", json_integer(info->bytes[YT_SLOT_PROGRAM]));
    json_object_set_new(one, "text_bytes", json_integer(info->bytes[YT_SLOT_TEXT]));
    json_object_set_new(one, "kept_bytes", json_integer(info->kept_bytes));
    json_object_set_new(one, "checksum", json_string(checksum));
    json_object_set_new(one, "generation", json_integer((json_int_t)info->generation));
    return one;
}

bool slots_list_json(holder *holder) {
    json_t *all = json_object(), *slots = json_array();
    json_object_set_new(all, "slots", json_integer(holder->slots));
    json_object_set_new(all, "active", json_integer(holder_active(holder) + 1));
    json_object_set_new(all, "contents", slots);
    for (unsigned slot = 0; slot < holder->slots; slot++) {
        yt_slot info;
        if (holder_slot(holder, slot, &info) == YT_OK)
            json_array_append_new(slots, slot_as_json(slot, &info));
    }
    if (holder_has_said(holder)) {
        json_decref(all);
        return false;
    }
    return json_print(all);
}

#define KEPT_ONE 5 /* its number, and four bytes of its value */

void slots_tell_kept(holder *holder, const slot_content *content) {
    uint8_t kept[YT_STORE_KEPT];
    yt_program program;
    size_t size;
    if (holder_kept(holder, content->slot, kept, &size) != YT_OK ||
        yt_program_check(&program, content->bytes, content->program_bytes) != YT_OK)
        return;
    for (size_t at = 0; at + KEPT_ONE <= size; at += KEPT_ONE) {
        int32_t value;
        char now[40], text[40];
        if (kept[at] >= program.header->parameter_count)
            continue;
        const yt_program_parameter *parameter = &program.parameters[kept[at]];
        memcpy(&value, kept + at + 1, sizeof value);
        amount_text((yt_unit)parameter->unit, value, now, sizeof now);
        amount_text((yt_unit)parameter->unit, parameter->value, text, sizeof text);
        fprintf(stderr,
                "slot %u: %.*s was changed on the adapter: it is %s there, %s in the text\n",
                content->slot + 1, parameter->name_bytes, program.text + parameter->name_offset,
                now, text);
    }
}

/* ---- what differs ---- */

/* A text in a file that nobody else sees; -1: it cannot be made. */
static int hidden_file(const char *text, size_t bytes) {
    char path[] = "/tmp/yonder.XXXXXX";
    int file = mkstemp(path);
    if (file < 0)
        return -1;
    unlink(path);
    if (write(file, text, bytes) == (ssize_t)bytes)
        return file;
    close(file);
    return -1;
}

/* Shows the lines that differ with the system's own command, through our output. */
static bool show_lines(int slot_text, int file_text, const char *slot_name, const char *file_name) {
    extern char **environ;
    char one[32], other[32];
    int ends[2], status;
    pid_t child;
    posix_spawn_file_actions_t actions;
    snprintf(one, sizeof one, "/dev/fd/%d", slot_text);
    snprintf(other, sizeof other, "/dev/fd/%d", file_text);
    const char *arguments[] = {"diff",    "-u", "--label", slot_name, "--label",
                               file_name, "--", one,       other,     NULL};
    if (pipe(ends) != 0)
        return false;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_adddup2(&actions, ends[1], 1);
    posix_spawn_file_actions_addclose(&actions, ends[0]);
    bool good = posix_spawnp(&child, "diff", &actions, NULL, (char **)arguments, environ) == 0;
    posix_spawn_file_actions_destroy(&actions);
    close(ends[1]);
    char bytes[4096];
    ssize_t size;
    while (good && (size = read(ends[0], bytes, sizeof bytes)) > 0)
        fwrite(bytes, 1, (size_t)size, stdout);
    close(ends[0]);
    return good && waitpid(child, &status, 0) == child && WIFEXITED(status) &&
           WEXITSTATUS(status) < 2;
}

static bool is_same_file(const yt_kept_file *a, const yt_kept_file *b) {
    return a->name_bytes == b->name_bytes && memcmp(a->name, b->name, a->name_bytes) == 0;
}

static const yt_kept_file nothing = {"", 0, "", 0};

/* The text of one file, here and there; either may have it not. */
static bool compare_file(const yt_kept_file *here, const yt_kept_file *there, unsigned slot,
                         bool *differs) {
    const yt_kept_file *named = here->name_bytes ? here : there;
    char slot_name[300], file_name[300];
    if (here->bytes == there->bytes && memcmp(here->text, there->text, here->bytes) == 0)
        return true;
    *differs = true;
    snprintf(slot_name, sizeof slot_name, "slot %u: %.*s", slot + 1,
             (int)(named->name_bytes < 250 ? named->name_bytes : 250), named->name);
    snprintf(file_name, sizeof file_name, "file: %.*s",
             (int)(named->name_bytes < 250 ? named->name_bytes : 250), named->name);
    int one = hidden_file(here->text, here->bytes), other = hidden_file(there->text, there->bytes);
    bool good = one >= 0 && other >= 0 && show_lines(one, other, slot_name, file_name);
    if (one >= 0)
        close(one);
    if (other >= 0)
        close(other);
    if (!good)
        fprintf(stderr, "the lines that differ cannot be shown: is diff installed?\n");
    return good;
}

static bool compare_texts(const slot_content *here, const slot_content *there, bool *differs) {
    yt_kept_file ours[KEPT_FILES], theirs[KEPT_FILES];
    int our_count = kept_text_read(here->bytes, here->program_bytes + here->text_bytes, ours);
    int their_count =
        kept_text_read(there->bytes, there->program_bytes + there->text_bytes, theirs);
    bool good = true;
    if (our_count <= 0 || their_count <= 0) {
        printf("%s has no text to compare\n", our_count <= 0 ? "the slot" : "the file");
        return true;
    }
    /* The first is the profile, whatever it is called. */
    good = compare_file(&ours[0], &theirs[0], here->slot, differs);
    for (int i = 1; i < our_count && good; i++) {
        const yt_kept_file *other = &nothing;
        for (int k = 1; k < their_count; k++)
            if (is_same_file(&ours[i], &theirs[k]))
                other = &theirs[k];
        good = compare_file(&ours[i], other, here->slot, differs);
    }
    for (int k = 1; k < their_count && good; k++) {
        bool is_here = false;
        for (int i = 1; i < our_count; i++)
            is_here |= is_same_file(&ours[i], &theirs[k]);
        if (!is_here)
            good = compare_file(&nothing, &theirs[k], here->slot, differs);
    }
    return good;
}

bool slots_differ(holder *holder, unsigned slot, const char *path, bool *differs) {
    slot_content here, there = {0};
    if (!slot_content_fetch(&here, holder, slot))
        return false;
    bool good = slot_content_read(&there, path, true);
    if (good) {
        bool same = here.program_bytes == there.program_bytes &&
                    memcmp(here.bytes, there.bytes, here.program_bytes) == 0;
        *differs = !same;
        good = compare_texts(&here, &there, differs);
        printf(same ? "the program is the same: %zu bytes\n"
                    : "the programs are not the same: %zu bytes in the slot, %zu of the file\n",
               here.program_bytes, there.program_bytes);
    }
    slot_content_free(&here);
    slot_content_free(&there);
    return good;
}
