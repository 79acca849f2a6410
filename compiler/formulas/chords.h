/* Chords that hold their members' presses back from everything else until it is decided whether
 * they come about. They are found before anything else is read, as each use of a member has to
 * know. */
#ifndef YONDER_COMPILER_FORMULAS_CHORDS_H
#define YONDER_COMPILER_FORMULAS_CHORDS_H

#include "compiler/formulas/lowering.h"

#define PROFILE_CHORDS 64
#define CHORD_MEMBERS  6

typedef struct yt_whole_chord {
    const yt_part *part; /* where it is written: the text, */
    size_t offset;       /* and the call in it */
    yt_program_control members[CHORD_MEMBERS];
    const char *names[CHORD_MEMBERS];
    unsigned count;
    bool is_ordered;
    int64_t within; /* in us */
    unsigned raw;   /* the node that tells that it came about, */
    unsigned node;  /* and the one that waits for longer chords */
} yt_whole_chord;

/* A press that is held back, and the node of what is let through. */
typedef struct yt_held_press {
    yt_program_control control;
    const char *name;
    int64_t by; /* in us */
    unsigned node;
    const yt_whole_chord *chord; /* the one that takes the longest */
} yt_held_press;

struct yt_whole_chords {
    yt_whole_chord *all;
    unsigned count;
    yt_held_press *held;
    unsigned held_count;
};

/* Finds the chords in a profile or an included file, then makes their nodes. Wrong ones are told
 * where they are read. */
void collect_chords(yt_scope *scope, const yt_part *top);
void make_chords(yt_scope *scope);

/* The press of a control as all but its chords see it; NULL: it is in none. */
const yt_held_press *chord_held(const yt_scope *scope, const yt_program_control *control);

#endif
