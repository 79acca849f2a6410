#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "compiler/reading/file_read.h"
#include "ports/sim/board_log.h"
#include "tool/output.h"
#include "tool/tool.h"

char *read_text(const char *path, size_t *size) {
    const char *why;
    char *text = file_read(path, DOCUMENT_BYTES, size, &why);
    if (!text)
        fprintf(stderr, "%s: %s\n", path, why);
    return text;
}

uint8_t *read_program(const char *path, size_t *size, const char **why) {
    *why = "this is not a program";
    char *bytes = file_read(path, PROGRAM_FILE_BYTES, size, why); /* aligned, as malloc does */
    if (bytes && *size >= 4 && *size <= PROGRAM_FILE_BYTES && memcmp(bytes, "YTP1", 4) == 0)
        return (uint8_t *)bytes;
    free(bytes);
    return NULL;
}

static void paint_message(FILE *file, yt_message_paint paint) {
    static const enum paint paints[] = {PAINT_NONE, PAINT_ERROR, PAINT_WARNING, PAINT_MARK};
    output_paint(file, paints[paint]);
}

void say_messages(yt_messages *messages) {
    messages_print_with(messages, stderr, paint_message);
}

void profile_discard(profile *profile) {
    messages_free(&profile->messages);
    free(profile->source);
    profile->source = NULL;
}

static bool compile_source(profile *profile, const char *path, size_t size) {
    messages_begin(&profile->messages, path, profile->source, size);
    if (compile_profile(&profile->compiled, &profile->messages))
        return true;
    say_messages(&profile->messages);
    profile_discard(profile);
    return false;
}

opening profile_try(profile *profile, const char *path) {
    size_t size;
    profile->source = read_text(path, &size);
    if (!profile->source)
        return OPENING_UNREADABLE;
    messages_begin(&profile->messages, path, profile->source, size);
    return compile_profile(&profile->compiled, &profile->messages) ? OPENING_GOOD : OPENING_WRONG;
}

bool profile_open(profile *profile, const char *path) {
    size_t size;
    profile->source = read_text(path, &size);
    return profile->source && compile_source(profile, path, size);
}

bool profile_compile(profile *profile, const char *path, const char *text) {
    profile->source = strdup(text);
    if (!profile->source)
        abort();
    return compile_source(profile, path, strlen(text));
}

bool profile_of_output(profile *profile, const char *kind) {
    size_t size;
    FILE *file = open_memstream(&profile->source, &size);
    if (!file)
        return false;
    fprintf(file, "yonder: 1\ninputs: {one: device}\noutputs: {two: %s}\nsheet: {}\n", kind);
    fclose(file);
    return compile_source(profile, kind, size);
}

void profile_close(profile *profile) {
    pool_free(&profile->compiled.pool);
    messages_free(&profile->messages);
    free(profile->source);
}

const uint8_t *profile_with_text(profile *profile, size_t *size) {
    const yt_compiled *compiled = &profile->compiled;
    size_t text_size;
    yt_pool *pool = &profile->compiled.pool;
    const uint8_t *text = kept_text_make(pool, &profile->messages, &text_size);
    uint8_t *both = pool_take(pool, compiled->size + text_size);
    memcpy(both, compiled->image, compiled->size);
    memcpy(both + compiled->size, text, text_size);
    *size = compiled->size + text_size;
    return both;
}

bool refuse(const char *what, const char *why) {
    fprintf(stderr, "%s: %s\n", what, why);
    return false;
}

#define WAS_READ "was read just now; what is written must go elsewhere"

/* Who may read and write a file that takes the place of another, or is new. */
static mode_t mode_for(const struct stat *before, bool exists) {
    mode_t mask = umask(0);
    umask(mask);
    return exists ? before->st_mode & 0777 : 0666 & ~mask;
}

/* A file beside it, that takes its name at the end; of a link beside what it leads to. */
static bool open_beside(whole_file *file, const char *path, mode_t mode) {
    char *real = realpath(path, NULL);
    file->path = real ? real : strdup(path);
    if (!file->path || asprintf(&file->temporary, "%s.XXXXXX", file->path) < 0)
        abort();
    int descriptor = mkstemp(file->temporary);
    file->file = descriptor >= 0 ? fdopen(descriptor, "wb") : NULL;
    if (file->file && fchmod(descriptor, mode) == 0)
        return true;
    refuse(path, strerror(errno));
    if (descriptor >= 0)
        unlink(file->temporary);
    if (file->file)
        fclose(file->file);
    free(file->path);
    free(file->temporary);
    return false;
}

/* A pipe or a device stays what it is. */
static bool open_in_place(whole_file *file, const char *path) {
    file->path = strdup(path);
    file->file = fopen(path, "wb");
    if (file->file)
        return true;
    refuse(path, strerror(errno));
    free(file->path);
    return false;
}

bool whole_file_open(whole_file *file, const char *path, content content) {
    struct stat status;
    *file = (whole_file){.file = content == CONTENT_BYTES ? output_bytes() : stdout};
    if (strcmp(path, "-") == 0)
        return true;
    bool exists = stat(path, &status) == 0;
    if (exists && S_ISDIR(status.st_mode))
        return refuse(path, "is a folder");
    if (file_was_read(path))
        return refuse(path, WAS_READ);
    if (exists && !S_ISREG(status.st_mode))
        return open_in_place(file, path);
    return open_beside(file, path, mode_for(&status, exists));
}

bool whole_file_replace(whole_file *file, const char *path) {
    struct stat status;
    *file = (whole_file){.replaces = true};
    if (stat(path, &status) != 0)
        return refuse(path, strerror(errno));
    if (!S_ISREG(status.st_mode))
        return refuse(path, "is no file whose text could be changed");
    return open_beside(file, path, mode_for(&status, true));
}

static void forget(whole_file *file) {
    free(file->path);
    free(file->temporary);
    *file = (whole_file){0};
}

void whole_file_abandon(whole_file *file) {
    if (file->path)
        fclose(file->file);
    if (file->temporary)
        unlink(file->temporary);
    forget(file);
}

bool whole_file_close(whole_file *file) {
    if (file->temporary && !file->replaces &&
        file_was_read(file->path)) { /* after it was opened here */
        refuse(file->path, WAS_READ);
        whole_file_abandon(file);
        return false;
    }
    bool good = !ferror(file->file) && fflush(file->file) == 0;
    if (file->path)
        good = fclose(file->file) == 0 && good;
    if (file->temporary)
        good = good && rename(file->temporary, file->path) == 0;
    if (!good) {
        refuse(file->path ? file->path : "standard output", strerror(errno));
        if (file->temporary)
            unlink(file->temporary);
    }
    forget(file);
    return good;
}

void interface_title(const profile *profile, unsigned interface, char *text, size_t size) {
    const yt_compiled *compiled = &profile->compiled;
    size_t used = (size_t)snprintf(text, size, "%s", compiled->name);
    for (unsigned i = 0; i < compiled->output_count && used < size; i++)
        if (compiled->outputs[i].interface == interface)
            used += (size_t)snprintf(text + used, size - used, "%s%s", used ? " " : "",
                                     compiled->outputs[i].name);
}

bool plug_open(recording *recording, const yt_compiled *compiled, unsigned input,
               const char *path) {
    const yt_description *board =
        input == YT_ANY_INPUT ? NULL : compiled->inputs[input].description;
    bool good = board && board->is_board
                    ? board_log_read(recording, path, &compiled->program, input, board->name)
                    : recording_read(recording, path);
    if (!good)
        fprintf(stderr, "%s\n", recording->error);
    return good;
}
