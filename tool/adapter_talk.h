/* What `yonder adapter` does with an adapter that is talked to, in the files of that name. */
#ifndef YONDER_TOOL_ADAPTER_TALK_H
#define YONDER_TOOL_ADAPTER_TALK_H

#include <jansson.h>

#include "tool/holder.h"

#define TALK_WORDS 32

typedef struct talk_options {
    holder_options holder;
    const char *words[TALK_WORDS]; /* the action, and what it is about */
    unsigned word_count;
    unsigned notches;
    bool json, keeps, force;
} talk_options;

/* Whether a word is an action. */
bool is_talk_action(const char *word);
/* All of them, for the help. */
extern const char talk_actions[];

/* Ends the program where the call makes no sense. */
void talk_check(struct argp_state *state, const talk_options *options);

/* False: said, or, of a digest, something differs. */
bool talk(const talk_options *options);

typedef bool talk_action(holder *holder, const talk_options *options);

/* ---- adapter_facts.c ---- */
talk_action talk_info, talk_statistics;
/* ---- adapter_tune.c ---- */
talk_action talk_parameters, talk_tune, talk_keep;
/* ---- adapter_calibrate.c ---- */
talk_action talk_calibrate;
/* ---- adapter_keep.c ---- */
talk_action talk_backup, talk_restore, talk_digest;

#endif
