#include "tool/source.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "compiler/profile/compile.h"
#include "ports/linux/hidraw.h"
#include "ports/sim/board_log.h"

static bool open_node(device_source *source, const char *path) {
    recorded_device *device = recording_add_device(&source->recording);
    source->live = hidraw_open(path, device);
    if (source->live >= 0)
        return true;
    fprintf(stderr, "%s: %s\n", path, strerror(-source->live));
    if (source->live == -EACCES)
        fprintf(stderr,
                "    `yonder permit %s` writes a rule that lets you use it, and says what that "
                "opens\n",
                path);
    source->live = -1;
    recording_free(&source->recording);
    return false;
}

bool source_open(device_source *source, const char *path) {
    memset(source, 0, sizeof *source);
    source->live = -1;
    if (hidraw_is_node(path))
        return open_node(source, path);
    if (recording_read(&source->recording, path))
        return true;
    fprintf(stderr, "%s\n", source->recording.error);
    return false;
}

void source_close(device_source *source) {
    if (source->live >= 0)
        close(source->live);
    recording_free(&source->recording);
}

bool description_open(description_file *file, const char *path) {
    size_t size;
    memset(file, 0, sizeof *file);
    file->text = read_text(path, &size);
    if (!file->text)
        return false;
    messages_begin(&file->messages, path, file->text, size);
    file->description = description_parse(&file->pool, &file->messages, 0, path);
    if (file->description)
        return true;
    say_messages(&file->messages);
    description_close(file);
    return false;
}

void description_close(description_file *file) {
    pool_free(&file->pool);
    messages_free(&file->messages);
    free(file->text);
    file->text = NULL;
}

/* A profile that reads all of a board's axes, levels and rates: its program tells what is wired
 * where. */
static char *profile_of_board(const char *name, const yt_description *board, size_t *size) {
    char *text = NULL;
    FILE *file = open_memstream(&text, size);
    if (!file)
        abort();
    fprintf(file, "yonder: 1\ninputs: {board: %s}\noutputs: {two: joystick}\nsheet:\n", name);
    fprintf(file, "  two.button1: ");
    bool any = false;
    for (unsigned i = 0; i < board->control_count; i++) {
        const yt_described_control *control = &board->controls[i];
        unsigned kind = control->meaning.name.kind;
        if (control->is_target || (kind != YT_AXIS && kind != YT_LEVEL && kind != YT_RATE))
            continue;
        fprintf(file, "%sboard.%s > %s", any ? " or " : "", control->name,
                kind != YT_RATE                           ? "50%"
                : strcmp(control->meaning.unit, "g") == 0 ? "1 g"
                                                          : "1 deg/s");
        any = true;
    }
    fputs(any ? "\n" : "none\n", file);
    fclose(file);
    return text;
}

bool source_open_board(device_source *source, const char *log, const char *path,
                       const yt_description *board) {
    const char *slash = strrchr(path, '/'), *base = slash ? slash + 1 : path;
    char *name = strdup(base), *end = name ? strstr(name, ".yaml") : NULL, beside[4096];
    yt_messages messages;
    yt_compiled compiled;
    size_t size;
    memset(source, 0, sizeof *source);
    source->live = -1;
    if (!name || !end || end == name) {
        fprintf(stderr, "%s: a description is a file that ends in .yaml\n", path);
        free(name);
        return false;
    }
    *end = 0;
    snprintf(beside, sizeof beside, "%.*sboard", (int)(base - path), path);
    char *text = profile_of_board(name, board, &size);
    messages_begin(&messages, beside, text, size);
    bool good = compile_profile(&compiled, &messages);
    if (!good)
        say_messages(&messages);
    good = good && board_log_read(&source->recording, log, &compiled.program, 0, board->name);
    if (source->recording.error[0])
        fprintf(stderr, "%s\n", source->recording.error);
    pool_free(&compiled.pool);
    messages_free(&messages);
    free(text);
    free(name);
    return good;
}

bool described_open(described_source *described, const char *path, const char *description,
                    unsigned device) {
    memset(described, 0, sizeof *described);
    if (description && !description_open(&described->file, description))
        return false;
    const yt_description *board = described->file.description;
    if (!(board && board->is_board ? source_open_board(&described->source, path, description, board)
                                   : source_open(&described->source, path))) {
        description_close(&described->file);
        return false;
    }
    if (device > described->source.recording.device_count) {
        fprintf(stderr, "%s: it has %zu devices\n", path, described->source.recording.device_count);
        described_close(described);
        return false;
    }
    described->device = &described->source.recording.devices[device - 1];
    return true;
}

void described_close(described_source *described) {
    source_close(&described->source);
    description_close(&described->file);
}
