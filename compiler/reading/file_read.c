#include "compiler/reading/file_read.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

/* The files that were read, each by its device and its number there. */
typedef struct yt_file_id {
    dev_t device;
    ino_t number;
} yt_file_id;

static yt_file_id *files_read;
static size_t file_count;

static bool is_same(const yt_file_id *file, const struct stat *status) {
    return file->device == status->st_dev && file->number == status->st_ino;
}

static void remember(const struct stat *status) {
    for (size_t i = 0; i < file_count; i++)
        if (is_same(&files_read[i], status))
            return;
    yt_file_id *more = realloc(files_read, (file_count + 1) * sizeof *more);
    if (!more)
        abort();
    files_read = more;
    files_read[file_count++] = (yt_file_id){status->st_dev, status->st_ino};
}

bool file_was_read(const char *path) {
    struct stat status;
    if (stat(path, &status) != 0)
        return false;
    for (size_t i = 0; i < file_count; i++)
        if (is_same(&files_read[i], &status))
            return true;
    return false;
}

/* Reads an open file to its end, or until there is more than `most`. */
static char *read_all(int file, size_t most, size_t *size, const char **why) {
    size_t room = 0;
    char *bytes = NULL;
    *size = 0;
    for (;;) {
        if (*size == room) {
            room = room ? 2 * room : 65536;
            room = room < most + 1 ? room : most + 1;
            char *more = realloc(bytes, room + 1);
            if (!more)
                abort();
            bytes = more;
        }
        ssize_t got = read(file, bytes + *size, room - *size);
        if (got < 0 && errno == EINTR)
            continue;
        if (got < 0) {
            *why = strerror(errno);
            free(bytes);
            return NULL;
        }
        *size += (size_t)got;
        if (got == 0 || *size > most)
            break;
    }
    bytes[*size] = 0;
    return bytes;
}

static char *read_open(int file, bool may_be_pipe, size_t most, size_t *size, const char **why) {
    struct stat status;
    if (fstat(file, &status) != 0) {
        *why = strerror(errno);
        return NULL;
    }
    bool is_pipe = S_ISFIFO(status.st_mode) || S_ISSOCK(status.st_mode);
    if (!S_ISREG(status.st_mode) && !(may_be_pipe && is_pipe)) {
        *why = S_ISDIR(status.st_mode) ? "is a folder, not a file"
               : is_pipe               ? "is a pipe, not a file"
                                       : "is a device, not a file";
        return NULL;
    }
    if (S_ISREG(status.st_mode))
        remember(&status);
    return read_all(file, most, size, why);
}

/* Standard input comes once; who asks again gets the same. */
static char *read_standard_input(size_t most, size_t *size, const char **why) {
    static char *kept;
    static size_t kept_size;
    if (!kept)
        kept = read_open(STDIN_FILENO, true, most, &kept_size, why);
    char *bytes = kept ? malloc(kept_size + 1) : NULL;
    if (!bytes)
        return NULL;
    memcpy(bytes, kept, kept_size + 1);
    *size = kept_size;
    return bytes;
}

/* A pipe that a person named is waited for; anything else is only opened, so that a device does
 * nothing of it. */
char *file_read(const char *path, size_t most, size_t *size, const char **why) {
    struct stat status;
    if (strcmp(path, "-") == 0)
        return read_standard_input(most, size, why);
    bool is_pipe = stat(path, &status) == 0 && S_ISFIFO(status.st_mode);
    int file = open(path, O_RDONLY | O_CLOEXEC | O_NOCTTY | (is_pipe ? 0 : O_NONBLOCK));
    if (file < 0) {
        *why = strerror(errno);
        return NULL;
    }
    char *bytes = read_open(file, true, most, size, why);
    close(file);
    return bytes;
}

/* Whether what a path leads to is inside of a folder. */
static bool is_inside(const char *folder, const char *real) {
    char *real_folder = realpath(*folder ? folder : ".", NULL);
    if (!real_folder)
        return false;
    size_t length = strlen(real_folder);
    bool inside = strncmp(real, real_folder, length) == 0 &&
                  (real[length] == '/' || strcmp(real_folder, "/") == 0);
    free(real_folder);
    return inside;
}

char *file_read_inside(const char *folder, const char *path, size_t most, size_t *size,
                       const char **why) {
    char *real = realpath(path, NULL), *bytes = NULL;
    if (!real) {
        *why = errno == ENOENT || errno == ENOTDIR ? NULL : strerror(errno);
        return NULL;
    }
    if (is_inside(folder, real)) {
        int file = open(real, O_RDONLY | O_CLOEXEC | O_NOCTTY | O_NONBLOCK | O_NOFOLLOW);
        *why = file < 0 ? strerror(errno) : "";
        if (file >= 0) {
            bytes = read_open(file, false, most, size, why);
            close(file);
        }
    } else {
        *why = "is not inside of the profile's folder";
    }
    free(real);
    return bytes;
}
