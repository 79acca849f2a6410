/* Changes a profile's text in places, and leaves all else as it is: comments, order, spacing. */
#ifndef YONDER_TOOL_REWRITING_H
#define YONDER_TOOL_REWRITING_H

#include "compiler/reading/formula.h"
#include "tool/tool.h"

#define REWRITING_EDITS 100

typedef struct rewriting_edit {
    size_t at, length; /* what goes, in bytes of the text */
    char *text;        /* what comes there */
    unsigned order;    /* at one place, as they were put */
} rewriting_edit;

typedef struct rewriting {
    const char *path;
    char *before;    /* the text as it was */
    profile profile; /* as it is now */
    yt_part *top;
    yt_pool pool;
    size_t size;
    rewriting_edit edits[REWRITING_EDITS];
    unsigned count;
    bool is_full; /* there were more of them than that */
} rewriting;

/* Reads a profile, which must be right. False: said on standard error. */
bool rewriting_begin(rewriting *rewriting, const char *path);

/* The same of a text that is not in the file of that name, or not yet. */
bool rewriting_begin_with(rewriting *rewriting, const char *path, const char *text);

/* Puts a text in the place of another. */
void rewriting_put(rewriting *rewriting, size_t at, size_t length, const char *text);

/* Puts a text in the place of a part of the profile's own file, or in front of it (`length` 0).
 * False: it is not written there as it reads (over several lines, in another file), which is said.
 */
bool rewriting_put_part(rewriting *rewriting, const yt_part *part, size_t offset, size_t length,
                        const char *text);

/* Puts a formula inside { } or [ ] in quotes, as commas would tear it; before it is changed. False:
 * said on standard error. */
bool rewriting_quote(rewriting *rewriting, const yt_part *part);

/* Gives a key of a map of the profile's a value: the one that it has changes, or a line comes.
 * `map` may not be there yet. False: said on standard error. */
bool rewriting_set(rewriting *rewriting, const char *map, const char *key, const char *text);

/* The same of a map that is there. A text of several lines, without what they are indented by, is a
 * map or a list of its own; it is only added. */
bool rewriting_set_in(rewriting *rewriting, const yt_part *map, const char *key, const char *text);

/* Takes a key out of its map, with its value and all of its line; `before` is the key in front of
 * it, NULL where it is the first. False: said on standard error. */
bool rewriting_take_out(rewriting *rewriting, const yt_part *before, const yt_part *key);

/* Takes an element, which is not the only one, out of a list that is written in lines. False: said
 * on standard error. */
bool rewriting_take_element(rewriting *rewriting, const yt_part *list, const yt_part *element);

/* Adds an element to a list of the profile's, `text`: lines without what they are indented by,
 * the first of them behind "- ". The list may not be there yet. False: said on standard error. */
bool rewriting_add_to(rewriting *rewriting, const char *list, const char *text);

/* The same of a list that is there. */
bool rewriting_add_in(rewriting *rewriting, const yt_part *list, const char *text);

/* Makes the text what the edits so far come to, and compiles it; then there are none. False: it
 * would not be right, which is said on standard error; the text is what it was before them. */
bool rewriting_apply(rewriting *rewriting);

/* Forgets the edits since it was applied. */
void rewriting_drop(rewriting *rewriting);

/* Writes what it has become, and prints each line that is new. False: said on standard error; the
 * file stays as it was. */
bool rewriting_end(rewriting *rewriting);

/* Writes nothing. */
void rewriting_abandon(rewriting *rewriting);

#endif
