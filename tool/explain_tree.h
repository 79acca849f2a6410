/* A formula at a time, as a tree: the value of each part, which layer owns which press, and which
 * report it came from. It is gathered as `--json` gives it; explain_text.h prints it for people. */
#ifndef YONDER_TOOL_EXPLAIN_TREE_H
#define YONDER_TOOL_EXPLAIN_TREE_H

#include <jansson.h>

#include "tool/plugs.h"

typedef struct explain_options {
    const char *profile;
    const char *output;
    played_options played;
    const char *feedback;
    uint64_t at_us;
    bool has_time;
    bool json;
} explain_options;

typedef struct explaining {
    profile profile;
    plugged plugged;
    simulation simulation;
    sim_sent *sent;
    change_list changes;
    const explain_options *options;
} explaining;

static inline const yt_scope *scope_of(const explaining *explaining) {
    return explaining->profile.compiled.scope;
}

/* What a node that the program needs comes to now, be its value kept or not. */
yt_q16 needed_value(const explaining *explaining, unsigned node);

/* The value of a node of the build; false: the program does not need it. */
bool node_value(const explaining *explaining, unsigned node, yt_q16 *value);

/* The name of the layer whose condition a node is. */
const char *layer_of_node(const explaining *explaining, unsigned number);

/* A term with all that it is made of: "formula", "value" for people, "numbers" (two of a pair, null
 * where the program does not need it), "is_switch", "control" and "parts", a list of the same. The
 * control says where its value came from ("from", "time_us", "report"), whose press it is
 * ("belongs_to"), and, where this cell does not see it, what it is for others ("hidden"). null: no
 * term. */
json_t *term_as_json(const explaining *explaining, const yt_term *term);

/* The same of the formula that a part of the profile holds; null: it was none. */
json_t *formula_as_json(const explaining *explaining, const yt_part *part);

#endif
