/* Which kind an input or an output may be, and which input goes through an output. */
#include "tool/assign/lines.h"

#include <dirent.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#include "compiler/reading/file_read.h"

static void add_kind(assign *assign, const char *name, size_t length) {
    if (assign->kind_count < ASSIGN_KINDS && length < sizeof assign->kinds[0])
        snprintf(assign->kinds[assign->kind_count++], sizeof assign->kinds[0], "%.*s", (int)length,
                 name);
}

static void add_kinds(assign *assign, const char *list) {
    while (*list) {
        size_t length = strcspn(list, ", ");
        if (length > 0 && strncmp(list, "or", length) != 0)
            add_kind(assign, list, length);
        list += length + strspn(list + length, ", ");
    }
}

static int by_name(const void *a, const void *b) {
    return strcmp(a, b);
}

/* Whether a file is a description, and its name one that can stand in a profile as it is. */
static bool is_description(const char *folder, const char *name, size_t length) {
    static const char good[] = "abcdefghijklmnopqrstuvwxyz0123456789_-";
    char path[4400];
    const char *why;
    size_t size;
    struct stat there;
    snprintf(path, sizeof path, "%s/%s", folder, name);
    if (strspn(name, good) < length || stat(path, &there) != 0 || !S_ISREG(there.st_mode))
        return false;
    char *text = file_read(path, DOCUMENT_BYTES, &size, &why);
    bool is_one = text && (strncmp(text, "device:", 7) == 0 || strstr(text, "\ndevice:"));
    free(text);
    return is_one;
}

/* Descriptions that lie beside the profile, or in devices/ there. */
static void add_descriptions(assign *assign, const char *within) {
    const char *profile = assign->draft.path;
    const char *slash = strrchr(profile, '/');
    char folder[4200];
    unsigned first = assign->kind_count;
    snprintf(folder, sizeof folder, "%.*s%s", slash ? (int)(slash - profile) : 1,
             slash ? profile : ".", within);
    DIR *all = opendir(folder);
    for (struct dirent *one; all && (one = readdir(all));) {
        size_t length = strlen(one->d_name);
        if (length > 5 && strcmp(one->d_name + length - 5, ".yaml") == 0 &&
            is_description(folder, one->d_name, length - 5))
            add_kind(assign, one->d_name, length - 5);
    }
    if (all)
        closedir(all);
    qsort(assign->kinds + first, assign->kind_count - first, sizeof assign->kinds[0], by_name);
}

static void list_kinds(assign *assign) {
    const yt_compiled *compiled = draft_compiled(&assign->draft);
    assign->kind_count = 0;
    switch (lines_place(assign) - DRAFT_SECTION) {
    case SECTION_INPUTS:
        add_kinds(assign, device_kind_list());
        add_descriptions(assign, "");
        add_descriptions(assign, "/devices");
        break;
    case SECTION_OUTPUTS:
        add_kinds(assign, output_kind_list());
        break;
    default:
        for (unsigned i = 0; i < compiled->input_count; i++)
            add_kind(assign, compiled->inputs[i].name, strlen(compiled->inputs[i].name));
    }
}

void assign_open_kinds(assign *assign) {
    list_kinds(assign);
    assign_open(assign, SCREEN_KINDS);
}

static void kinds_title(const assign *assign, char *text, size_t size) {
    snprintf(text, size, "what %s is", *assign->new_name ? assign->new_name : lines_key(assign));
}

static unsigned kinds_rows(const assign *assign) {
    return assign->kind_count + 1;
}

static void kinds_row(const assign *assign, unsigned row, assign_row *shown) {
    shown->is_part = row < assign->kind_count;
    put_text(shown->text, sizeof shown->text,
             row < assign->kind_count ? assign->kinds[row] : "back");
}

static void kinds_choose(assign *assign, unsigned row) {
    if (row >= assign->kind_count) {
        assign_back(assign);
        return;
    }
    char key[100];
    put_text(key, sizeof key, *assign->new_name ? assign->new_name : lines_key(assign));
    bool good = draft_write(&assign->draft, lines_place(assign), key, assign->kinds[row]);
    assign_take(assign, good);
    if (good)
        assign_home_to(assign, SCREEN_LINES);
}

const assign_shown assign_kinds_screen = {kinds_title, kinds_rows, kinds_row, kinds_choose, NULL};
