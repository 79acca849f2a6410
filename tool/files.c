#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "ports/sim/board_log.h"
#include "tool/tool.h"

char *read_text(const char *path, size_t *size) {
    FILE *file = fopen(path, "rb");
    struct stat status;
    if (!file || fstat(fileno(file), &status) != 0) {
        fprintf(stderr, "%s: %s\n", path, strerror(errno));
        if (file)
            fclose(file);
        return NULL;
    }
    size_t room = DOCUMENT_BYTES + 2; /* one more than the longest, so that a longer one shows */
    char *text = malloc(room);
    *size = text ? fread(text, 1, room - 1, file) : 0;
    bool failed = !text || ferror(file);
    if (failed)
        fprintf(stderr, "%s: %s\n", path,
                S_ISDIR(status.st_mode) ? "is a folder, not a profile" : "cannot be read");
    fclose(file);
    if (failed) {
        free(text);
        return NULL;
    }
    text[*size] = 0;
    return text;
}

bool profile_open(profile *profile, const char *path) {
    size_t size;
    profile->source = read_text(path, &size);
    if (!profile->source)
        return false;
    messages_begin(&profile->messages, path, profile->source, size);
    if (compile_profile(&profile->compiled, &profile->messages))
        return true;
    messages_print(&profile->messages, stderr);
    messages_free(&profile->messages);
    free(profile->source);
    profile->source = NULL;
    return false;
}

void profile_close(profile *profile) {
    pool_free(&profile->compiled.pool);
    messages_free(&profile->messages);
    free(profile->source);
}

bool whole_file_open(whole_file *file, const char *path) {
    *file = (whole_file){.file = stdout};
    if (strcmp(path, "-") == 0)
        return true;
    file->path = strdup(path);
    if (asprintf(&file->temporary, "%s.XXXXXX", path) < 0 || !file->path)
        abort();
    int descriptor = mkstemp(file->temporary);
    if (descriptor >= 0)
        fchmod(descriptor, 0644);
    file->file = descriptor >= 0 ? fdopen(descriptor, "wb") : NULL;
    if (file->file)
        return true;
    fprintf(stderr, "%s: %s\n", path, strerror(errno));
    free(file->path);
    free(file->temporary);
    return false;
}

static void forget(whole_file *file) {
    free(file->path);
    free(file->temporary);
    *file = (whole_file){0};
}

bool whole_file_close(whole_file *file) {
    bool good = !ferror(file->file) && fflush(file->file) == 0;
    if (file->temporary) {
        good = fclose(file->file) == 0 && good;
        good = good && rename(file->temporary, file->path) == 0;
    }
    if (!good) {
        fprintf(stderr, "%s: %s\n", file->path ? file->path : "standard output", strerror(errno));
        if (file->temporary)
            unlink(file->temporary);
    }
    forget(file);
    return good;
}

void whole_file_abandon(whole_file *file) {
    if (file->temporary) {
        fclose(file->file);
        unlink(file->temporary);
    }
    forget(file);
}

uint64_t parse_time(const char *text) {
    static const struct {
        const char *unit;
        double us;
    } units[] = {{"us", 1}, {"ms", 1000}, {"s", 1000000}};
    char *end;
    double number = strtod(text, &end);
    if (end == text || !(number > 0) || number > 1e6)
        return 0;
    while (*end == ' ')
        end++;
    for (size_t i = 0; i < sizeof units / sizeof units[0]; i++)
        if (strcmp(end, units[i].unit) == 0)
            return (uint64_t)(number * units[i].us + 0.5);
    return 0;
}

void interface_title(const profile *profile, unsigned interface, char *text, size_t size) {
    const compiled *compiled = &profile->compiled;
    size_t used = (size_t)snprintf(text, size, "%s", compiled->name);
    for (unsigned i = 0; i < compiled->output_count && used < size; i++)
        if (compiled->outputs[i].interface == interface)
            used += (size_t)snprintf(text + used, size - used, "%s%s", used ? " " : "",
                                     compiled->outputs[i].name);
}

bool plug_open(recording *recording, const compiled *compiled, unsigned input, const char *path) {
    const description *board = input == YT_ANY_INPUT ? NULL : compiled->inputs[input].description;
    bool good = board && board->is_board
                    ? board_log_read(recording, path, &compiled->program, input, board->name)
                    : recording_read(recording, path);
    if (!good)
        fprintf(stderr, "%s\n", recording->error);
    return good;
}
