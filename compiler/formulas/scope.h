/* What the names in a formula are looked up in.
 *
 * A scope points to the parts of a profile that have names. Each part is filled by one file and
 * defined in its header, which only those include who look into it: inputs and outputs
 * (controls.h), named formulas (named.h), parameters (parameters.h), the host's camera (camera.h),
 * layers (layers.h); then what came of it, for those who warn and explain: terms (lower.h), cells
 * (profile/cells.h) and copies (profile/copy.h). */
#ifndef YONDER_COMPILER_FORMULAS_SCOPE_H
#define YONDER_COMPILER_FORMULAS_SCOPE_H

#include "compiler/building/build.h"
#include "compiler/reading/document.h"

typedef struct yt_scope {
    yt_pool *pool;
    yt_messages *messages;
    yt_build *build;
    struct yt_profile_devices *devices;
    struct yt_named_formulas *named;
    struct yt_parameters *parameters;
    struct yt_camera *camera;
    struct yt_layers *layers;
    struct yt_macros *macros;
    struct yt_whole_chords *chords;
    struct yt_lowered_terms *terms;
    struct yt_cell_records *cells;
    struct yt_copy_records *copies;
    struct yt_rebinds *rebinds;
    const char *side; /* while a cell of both triggers is read: which of them; else NULL */
} yt_scope;

/* Of an input or an output: both of its triggers, the left one and the right one. */
#define BOTH_TRIGGERS "triggers"

/* Whether an input, an output or a formula may have a key as its name: they share their names, as
 * formulas know them by nothing else. False: said. */
bool check_name(const yt_scope *scope, const yt_part *key);

/* Says that there is no input or output of that name; in a formula, no named formula either. */
void unknown_name(yt_scope *scope, yt_text_place place, const char *name, size_t length,
                  bool in_formula);

#endif
