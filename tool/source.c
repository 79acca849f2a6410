#include "tool/source.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "ports/linux/hidraw.h"

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
