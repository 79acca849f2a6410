/* Text that a macro types: a press and a pause for each character. */
#ifndef YONDER_COMPILER_FORMULAS_TEXT_STEPS_H
#define YONDER_COMPILER_FORMULAS_TEXT_STEPS_H

#include "compiler/formulas/scope.h"

typedef struct yt_text_steps {
    const yt_part **steps;
    unsigned count;
} yt_text_steps;

/* The steps of {type: text, layout: us}, as if they had been written. False: `messages` says why.
 */
bool text_steps_make(yt_scope *scope, const yt_part *step, yt_text_steps *text);

#endif
