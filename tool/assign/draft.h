/* A profile while it is worked on: every change is a text that is right, any number of them can be
 * undone, and the file is written when somebody says so. Until then what was done is kept in a file
 * beside it. Knows no terminal. */
#ifndef YONDER_TOOL_DRAFT_H
#define YONDER_TOOL_DRAFT_H

#include "tool/rewriting.h"

#define DRAFT_SAID 600

typedef struct draft {
    const char *path;
    char *copy_path;       /* of the file beside it, "PROFILE.draft", */
    int copy;              /* which this program holds a lock on; -1: it has none */
    bool has_left;         /* what it holds is work of somebody that nobody has decided about yet */
    char *saved;           /* what the file had when it was read or written last; NULL: it is new */
    char **texts;          /* from what it began with to what was undone last */
    unsigned count, now;   /* of the texts: which is the one */
    rewriting rewriting;   /* of that one */
    char said[DRAFT_SAID]; /* why the last call did nothing; "": it did */
} draft;

/* What is there beside the file. */
typedef enum draft_found {
    DRAFT_NONE,
    DRAFT_LEFT,   /* somebody's work that was not saved: draft_take_up, or draft_drop_left */
    DRAFT_IN_USE, /* another program works on it now */
} draft_found;

/* Opens a profile; `text` is what a new one begins with where there is no such file, NULL: that is
 * an error. False: `said` says why, and nothing is to be closed. */
bool draft_open(draft *draft, const char *path, const char *text, draft_found *found);

/* Goes on where the file beside it ends; that can be undone. False: `said` says why. */
bool draft_take_up(draft *draft);

/* Drops it. Until one of the two is called it stays, whatever else is done. */
void draft_drop_left(draft *draft);

/* Closes without saving. `keeps`: the work stays in the file beside it. */
void draft_close(draft *draft, bool keeps);

static inline const char *draft_text(const draft *draft) {
    return draft->texts[draft->now];
}
static inline const yt_compiled *draft_compiled(const draft *draft) {
    return &draft->rewriting.profile.compiled;
}
bool draft_is_changed(const draft *draft);

/* Of layers, 0 is the sheet; the others count from 1 in their order. */
unsigned draft_layers(const draft *draft);
const char *draft_layer_name(const draft *draft, unsigned layer);

/* Maps of the profile's own. */
typedef enum draft_section {
    SECTION_INPUTS,
    SECTION_OUTPUTS,
    SECTION_COPY,
    SECTION_NAMED,
    SECTION_PARAMETERS,
    SECTION_CAMERA,
    SECTION_MACROS,
    SECTION_REBIND,
    SECTION_COUNT
} draft_section;

/* The map that a line stands in: the sheet of the layer of that number, or of these. */
typedef unsigned draft_place;
#define DRAFT_SECTION   0x10000u /* + a section */
#define DRAFT_LAYER     0x20000u /* + a layer: what stands beside its sheet, such as `while` */
#define DRAFT_MACRO     0x30000u /* + a key of macros: `when`, `repeat` … */
#define DRAFT_PARAMETER 0x40000u /* + a key of parameters: `value`, `min` … */
#define DRAFT_STEP      0x50000u /* + a key of macros * 256 + one of its steps: `press`, `for` … */

/* How many lines a map has in this file; and the key of each, to be used until the next change. */
unsigned draft_keys(const draft *draft, draft_place place);
const char *draft_key(const draft *draft, draft_place place, unsigned number);

/* The formula of a key, as it stands there; NULL: it has none there. `line`, from 1, may be NULL.
 */
const char *draft_formula(const draft *draft, draft_place place, const char *key, int *line);

/* What a key has, of whatever kind, as it is written: one line, or how many. */
void draft_written(const draft *draft, draft_place place, const char *key, char *text, size_t size);

/* The calls below change the text. False: `said` says why, and all is as it was. */
bool draft_set(draft *draft, draft_place place, const char *key, const char *formula);
/* The same of what is no formula: a text, { }, [ ], or lines. */
bool draft_write(draft *draft, draft_place place, const char *key, const char *text);
bool draft_take_out(draft *draft, draft_place place, const char *key);
/* A cell becomes what another one is; or each what the other one is. */
/* All cells of the sheet go; as a profile needs one, the first becomes `none`. */
bool draft_empty_sheet(draft *draft);
bool draft_copy(draft *draft, draft_place place, const char *from, draft_place to_place,
                const char *to);
bool draft_swap(draft *draft, draft_place place, const char *one, draft_place other_place,
                const char *other);

/* Whether a layer may be called so; and an input, an output, a formula, a parameter, a macro. */
bool draft_may_be_layer(const char *name);
bool draft_may_be_name(const char *name);

/* A layer above all others, with a first cell. */
bool draft_add_layer(draft *draft, const char *name, const char *condition, const char *control,
                     const char *formula);

/* Lists of the profile's own: of layers, of tests, or of the steps of a macro. */
typedef unsigned draft_list;
#define LIST_LAYERS 0u
#define LIST_TESTS  1u
#define LIST_STEPS  0x10000u /* + a key of macros */
unsigned draft_elements(const draft *draft, draft_list list);
/* One of them as it is written, or by its name. */
void draft_element(const draft *draft, draft_list list, unsigned number, char *text, size_t size);
bool draft_add_element(draft *draft, draft_list list, const char *text);
bool draft_take_element(draft *draft, draft_list list, unsigned number);

/* The whole text, as from an editor. */
bool draft_put(draft *draft, const char *text);
bool draft_undo(draft *draft);
bool draft_redo(draft *draft);

/* Whether the file has another text than when it was read: somebody else has changed it. */
bool draft_file_differs(const draft *draft);

/* Writes the file; `anyway`: where somebody else has changed it, too. */
bool draft_save(draft *draft, bool anyway);

#endif
