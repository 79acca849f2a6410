/* The host's camera, as a profile describes it: what camera_stick takes where it does not say. */
#ifndef YONDER_COMPILER_FORMULAS_CAMERA_H
#define YONDER_COMPILER_FORMULAS_CAMERA_H

#include "compiler/formulas/lowering.h"

/* The arguments of camera_stick behind its motion. */
enum {
    CAMERA_TURN = 1,
    CAMERA_RATE,
    CAMERA_DEAD,
    CAMERA_POWER,
    CAMERA_FRAMES,
    CAMERA_VERTICAL,
    CAMERA_STEPS,
    CAMERA_ARGUMENTS
};

/* The keys of `camera:`, and which argument each is; NULL behind the last. */
typedef struct yt_camera_key {
    const char *name;
    unsigned argument;
} yt_camera_key;

extern const yt_camera_key camera_keys[];

struct yt_camera {
    const yt_part *at;                     /* the first `camera:`; NULL: there is none */
    const yt_part *keys[CAMERA_ARGUMENTS]; /* NULL: it is left out */
    yt_value values[CAMERA_ARGUMENTS];
    bool is_used;
};

/* Reads `camera:`; parameters are read before. */
void read_camera(yt_scope *scope, const yt_part *camera);

#endif
