#include "tool/output.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "compiler/messages/plain.h"

/* One of the two streams: what of its text is held, and where it goes. */
typedef struct stream {
    yt_plain plain;
    int file;
    int error; /* the first that a write gave; 0: none */
    bool has_colours;
} stream;

static stream out = {.file = STDOUT_FILENO}, err = {.file = STDERR_FILENO};
static FILE *bytes_out;

static bool write_all(stream *stream, const char *bytes, size_t size) {
    while (size > 0) {
        ssize_t done = write(stream->file, bytes, size);
        if (done < 0 && errno == EINTR)
            continue;
        if (done < 0) {
            stream->error = stream->error ? stream->error : errno;
            return false;
        }
        bytes += done;
        size -= (size_t)done;
    }
    return true;
}

static ssize_t write_text(void *cookie, const char *text, size_t size) {
    stream *stream = cookie;
    char piece[512 + 4];
    for (size_t done = 0; done < size; done += 512) {
        size_t part = size - done < 512 ? size - done : 512;
        size_t length = plain_piece(&stream->plain, text + done, part, piece);
        if (!write_all(stream, piece, length))
            return 0;
    }
    return (ssize_t)size;
}

static FILE *text_stream(stream *stream, int buffering) {
    FILE *file = fopencookie(stream, "w", (cookie_io_functions_t){.write = write_text});
    if (!file)
        abort();
    setvbuf(file, NULL, buffering, BUFSIZ);
    return file;
}

FILE *output_bytes(void) {
    fflush(stdout);
    return bytes_out ? bytes_out : stdout;
}

size_t output_replaced(void) {
    fflush(stdout);
    return out.plain.replaced;
}

/* Whether all of standard output was written; what is held of it is written first. */
static bool is_written(void) {
    char last[4];
    fflush(stdout);
    write_all(&out, last, plain_end(&out.plain, last));
    if (bytes_out && fflush(bytes_out) != 0 && !out.error)
        out.error = errno;
    return out.error == 0;
}

static bool said;

static void say_error(void) {
    if (!said)
        fprintf(stderr, "standard output: %s\n", strerror(out.error));
    said = true;
}

/* Where the command ends by itself, as it does after --help. */
static void check_at_exit(void) {
    if (is_written())
        return;
    say_error();
    _exit(1);
}

static bool wants_colours(int file) {
    const char *none = getenv("NO_COLOR"), *terminal = getenv("TERM");
    return isatty(file) && !(none && *none) && terminal && strcmp(terminal, "dumb") != 0;
}

bool output_has_colours(void) {
    return out.has_colours;
}

/* Goes past what keeps other control characters out. */
void output_paint(FILE *file, paint paint) {
    static const char *const codes[] = {"\33[0m", "\33[31m", "\33[35m", "\33[32m", "\33[32m"};
    stream *stream = file == stdout ? &out : file == stderr ? &err : NULL;
    if (!stream || !stream->has_colours)
        return;
    fflush(file);
    write_all(stream, codes[paint], strlen(codes[paint]));
}

void output_begin(void) {
    out.has_colours = wants_colours(STDOUT_FILENO);
    err.has_colours = wants_colours(STDERR_FILENO);
    bytes_out = stdout;
    stdout = text_stream(&out, isatty(STDOUT_FILENO) ? _IOLBF : _IOFBF);
    stderr = text_stream(&err, _IONBF);
    atexit(check_at_exit);
}

int output_end(int status) {
    if (is_written() || status != 0) /* what failed has said so */
        return status;
    say_error();
    return 1;
}
