/* Errors in a profile, each with its place: what is wrong, and what was meant. Warnings are of what
 * is legal and probably wrong. */
#ifndef YONDER_COMPILER_MESSAGES_MESSAGES_H
#define YONDER_COMPILER_MESSAGES_MESSAGES_H

#include <stdbool.h>
#include <stddef.h>
#include <stdio.h>

#include "compiler/messages/pool.h"

/* A place in the profile's text. Lines and columns count from 1, columns in characters. */
typedef struct yt_text_place {
    int line;
    int column;
    int width; /* characters at fault, for the mark; at least 1 */
    unsigned source;
} yt_text_place;

typedef struct yt_finding {
    yt_text_place place;
    const char *text;
    bool is_warning;
} yt_finding;

#define MESSAGES_MOST                                                                              \
    20 /* after so many errors, and so many warnings, the rest is only counted                     \
        */
#define MESSAGES_SOURCES 56 /* a profile, the descriptions that it names, what it includes */

/* A text that is read, with the name to print. Source 0 is the profile. */
typedef struct yt_source {
    const char *file;
    const char *text;
    size_t bytes;
} yt_source;

typedef struct yt_messages {
    yt_pool pool;
    yt_source sources[MESSAGES_SOURCES];
    unsigned source_count;
    yt_finding list[2 * MESSAGES_MOST];
    int shown;    /* in the list */
    int count;    /* of all errors */
    int warnings; /* of all warnings */
} yt_messages;

void messages_begin(yt_messages *messages, const char *file, const char *text, size_t bytes);

/* A further text; its number, or 0 where there are too many. It must stay as the messages do. */
unsigned messages_add_source(yt_messages *messages, const char *file, const char *text,
                             size_t bytes);
void messages_add(yt_messages *messages, yt_text_place place, const char *format, ...)
    __attribute__((format(printf, 3, 4)));

void messages_warn(yt_messages *messages, yt_text_place place, const char *format, ...)
    __attribute__((format(printf, 3, 4)));

/* Forgets what was found; the texts stay. */
void messages_forget(yt_messages *messages);

/* Whether a further error would only be counted; then it need not be worked out. True: it is. */
bool messages_only_count(yt_messages *messages);

/* Prints all, sorted by source and place, each as `file:line:column: text`, the line, and a mark
 * under it. */
/* Prints with colours: `paint` is called in front of what has one, and with MESSAGE_PLAIN behind
 * it. Without any: NULL. */
typedef enum yt_message_paint {
    MESSAGE_PLAIN,
    MESSAGE_ERROR,
    MESSAGE_WARNING,
    MESSAGE_MARK
} yt_message_paint;
typedef void yt_painter(FILE *file, yt_message_paint paint);
void messages_print_with(yt_messages *messages, FILE *file, yt_painter *painter);

void messages_print(yt_messages *messages, FILE *file);
void messages_free(yt_messages *messages);

/* The nearest of `count` names to a misspelt one, or NULL if none is near. */
const char *nearest_name(const char *name, size_t length, const char *const *names, size_t count);

/* The byte where a place is in the source; the end of its line if the line is shorter. */
size_t source_offset(const char *source, size_t bytes, int line, int column);

#endif
