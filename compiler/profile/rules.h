/* Rules that a profile is judged by: what events and games allow. docs/language.md has the form. */
#ifndef YONDER_COMPILER_PROFILE_RULES_H
#define YONDER_COMPILER_PROFILE_RULES_H

#include "compiler/profile/compile.h"

typedef struct yt_rules {
    yt_messages messages; /* of the file; holds what the rules are made of */
    char *text;
    const char *name;
    unsigned allowed;   /* YT_CAN_… */
    int64_t repetition; /* the fastest that is allowed, in 1/65536 Hz; INT64_MAX: no limit */
    int64_t steps;      /* of a macro; INT64_MAX: no limit */
} yt_rules;

/* Reads a file of rules. False: `rules->messages` says why. To be freed in either case. */
bool rules_read(yt_rules *rules, const char *path, char *text, size_t bytes);
void rules_free(yt_rules *rules);

/* Adds an error for each cell and macro that breaks a rule. False: some do. Parameters are judged
 * by their worst values. */
bool rules_judge(const yt_rules *rules, yt_compiled *compiled, yt_messages *messages);

/* A key that a profile may press on a host. */
typedef struct yt_typed_key {
    const char *key;     /* "typed.left_control+c" */
    const char *by;      /* the formula, or the macro's name */
    bool is_macro;       /* a step of it */
    bool by_other;       /* something that is no keyboard has a part in it */
    yt_text_place place; /* of the cell */
} yt_typed_key;

/* All of them, in the profile's order; from the profile's pool. */
yt_typed_key *typed_keys(yt_compiled *compiled, unsigned *count);

#endif
