#include "compiler/messages/messages.h"

#include <stdarg.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/messages/plain.h"

#define LINE_SHOWN  160 /* characters of a line that are shown, */
#define SHOWN_AHEAD 60  /* and of these how many before the mark, where it stands far behind */

void messages_begin(yt_messages *messages, const char *file, const char *text, size_t bytes) {
    memset(messages, 0, sizeof *messages);
    messages->sources[messages->source_count++] = (yt_source){file, text, bytes};
}

unsigned messages_add_source(yt_messages *messages, const char *file, const char *text,
                             size_t bytes) {
    if (messages->source_count == MESSAGES_SOURCES)
        return 0;
    messages->sources[messages->source_count] = (yt_source){file, text, bytes};
    return messages->source_count++;
}

__attribute__((format(printf, 4, 0))) static void keep(yt_messages *messages, yt_text_place place,
                                                       bool is_warning, const char *format,
                                                       va_list arguments) {
    char text[512];
    vsnprintf(text, sizeof text, format, arguments);
    plain_line(text);
    messages->list[messages->shown++] =
        (yt_finding){place, pool_text(&messages->pool, text, strlen(text)), is_warning};
}

void messages_add(yt_messages *messages, yt_text_place place, const char *format, ...) {
    va_list arguments;
    if (messages->count++ >= MESSAGES_MOST)
        return;
    va_start(arguments, format);
    keep(messages, place, false, format, arguments);
    va_end(arguments);
}

void messages_forget(yt_messages *messages) {
    messages->shown = messages->count = messages->warnings = 0;
}

bool messages_only_count(yt_messages *messages) {
    bool is_full = messages->count >= MESSAGES_MOST;
    messages->count += is_full;
    return is_full;
}

void messages_warn(yt_messages *messages, yt_text_place place, const char *format, ...) {
    va_list arguments;
    if (messages->warnings++ >= MESSAGES_MOST)
        return;
    va_start(arguments, format);
    keep(messages, place, true, format, arguments);
    va_end(arguments);
}

void messages_free(yt_messages *messages) {
    pool_free(&messages->pool);
}

size_t source_offset(const char *source, size_t bytes, int line, int column) {
    size_t at = 0;
    while (line > 1 && at < bytes)
        if (source[at++] == '\n')
            line--;
    for (; column > 1 && at < bytes && source[at] != '\n'; column--) {
        at++;
        while (at < bytes && ((unsigned char)source[at] & 0xc0) == 0x80)
            at++; /* the rest of a character of UTF-8 */
    }
    return at;
}

static void paint(yt_painter *painter, FILE *file, yt_message_paint paint) {
    if (painter)
        painter(file, paint);
}

/* A part of a line, of which some is marked. */
static void print_line(const yt_source *source, size_t begin, size_t end, size_t mark,
                       size_t mark_end, FILE *file, yt_painter *painter) {
    mark = mark < begin ? begin : mark < end ? mark : end;
    mark_end = mark_end < mark ? mark : mark_end < end ? mark_end : end;
    plain_print(file, source->text + begin, mark - begin);
    paint(painter, file, MESSAGE_MARK);
    plain_print(file, source->text + mark, mark_end - mark);
    paint(painter, file, MESSAGE_PLAIN);
    plain_print(file, source->text + mark_end, end - mark_end);
}

/* The line with a mark below; of a long one what is around the mark. */
static void print_mark(const yt_messages *messages, FILE *file, yt_text_place place,
                       yt_painter *painter) {
    const yt_source *source = &messages->sources[place.source];
    int from = place.column > LINE_SHOWN - SHOWN_AHEAD ? place.column - SHOWN_AHEAD : 1;
    size_t begin = source_offset(source->text, source->bytes, place.line, from);
    size_t end = source_offset(source->text, source->bytes, place.line, from + LINE_SHOWN);
    bool goes_on = end < source->bytes && source->text[end] != '\n';
    if (begin == end)
        return;
    fputs(from > 1 ? "    …" : "    ", file);
    print_line(source, begin, end,
               source_offset(source->text, source->bytes, place.line, place.column),
               source_offset(source->text, source->bytes, place.line, place.column + place.width),
               file, painter);
    fprintf(file, "%s\n    %*s", goes_on ? "…" : "", place.column - from + (from > 1), "");
    paint(painter, file, MESSAGE_MARK);
    for (int i = 0; i < place.width && i < LINE_SHOWN; i++)
        fputc('^', file);
    paint(painter, file, MESSAGE_PLAIN);
    fputc('\n', file);
}

static int compare_places(const void *a, const void *b) {
    const yt_finding *one = a, *other = b;
    if (one->place.source != other->place.source)
        return one->place.source < other->place.source ? -1 : 1;
    if (one->place.line != other->place.line)
        return one->place.line < other->place.line ? -1 : 1;
    return (one->place.column > other->place.column) - (one->place.column < other->place.column);
}

static void print_count(const yt_messages *messages, FILE *file, int count, const char *what) {
    if (count > MESSAGES_MOST)
        fprintf(file, "%s: and %d more %s\n", messages->sources[0].file, count - MESSAGES_MOST,
                what);
}

void messages_print_with(yt_messages *messages, FILE *file, yt_painter *painter) {
    qsort(messages->list, (size_t)messages->shown, sizeof messages->list[0], compare_places);
    for (int i = 0; i < messages->shown; i++) {
        const yt_finding *message = &messages->list[i];
        const char *name = messages->sources[message->place.source].file;
        plain_print(file, name, strlen(name));
        if (message->place.line > 0)
            fprintf(file, ":%d:%d", message->place.line, message->place.column);
        fputs(": ", file);
        paint(painter, file, message->is_warning ? MESSAGE_WARNING : MESSAGE_ERROR);
        fputs(message->is_warning ? "warning: " : "", file);
        if (message->is_warning)
            paint(painter, file, MESSAGE_PLAIN);
        fputs(message->text, file);
        paint(painter, file, MESSAGE_PLAIN);
        fputc('\n', file);
        if (message->place.line > 0)
            print_mark(messages, file, message->place, painter);
    }
    print_count(messages, file, messages->count, "errors");
    print_count(messages, file, messages->warnings, "warnings");
}

void messages_print(yt_messages *messages, FILE *file) {
    messages_print_with(messages, file, NULL);
}

/* Edits between two names: letters put in, left out or changed, neighbours swapped (Damerau). */
static unsigned distance(const char *a, size_t a_length, const char *b, size_t b_length) {
    unsigned rows[3][65];
    if (a_length > 64 || b_length > 64)
        return 1000;
    for (size_t k = 0; k <= b_length; k++)
        rows[0][k] = (unsigned)k;
    for (size_t i = 1; i <= a_length; i++) {
        unsigned *now = rows[i % 3], *last = rows[(i + 2) % 3], *before = rows[(i + 1) % 3];
        now[0] = (unsigned)i;
        for (size_t k = 1; k <= b_length; k++) {
            unsigned best = last[k - 1] + (a[i - 1] != b[k - 1]);
            if (last[k] + 1 < best)
                best = last[k] + 1;
            if (now[k - 1] + 1 < best)
                best = now[k - 1] + 1;
            if (i > 1 && k > 1 && a[i - 1] == b[k - 2] && a[i - 2] == b[k - 1] &&
                before[k - 2] + 1 < best)
                best = before[k - 2] + 1;
            now[k] = best;
        }
    }
    return rows[a_length % 3][b_length];
}

const char *nearest_name(const char *name, size_t length, const char *const *names, size_t count) {
    const char *nearest = NULL;
    unsigned best = length < 4 ? 2 : (unsigned)(length / 3) + 1;
    for (size_t i = 0; i < count; i++) {
        unsigned edits = distance(name, length, names[i], strlen(names[i]));
        if (edits < best) {
            best = edits;
            nearest = names[i];
        }
    }
    return nearest;
}
