/* An engine with a profile of one's own, for tests that want other devices than the world's. */
#ifndef YONDER_TESTS_RIG_H
#define YONDER_TESTS_RIG_H

#include "compiler/profile/compile.h"
#include "yonder/engine.h"

/* The report descriptor of a keyboard: six keys at a time. */
extern const uint8_t rig_six_keys[23];

typedef struct rig {
    yt_engine engine;
    yt_port port;
    uint64_t memory[16384];
    yt_compiled compiled;
    unsigned wakes;    /* how often the port was asked to wake a host, */
    unsigned restarts; /* and to restart */
    uint32_t layout;   /* that it was to restart with */
} rig;

/* Compiles the lines behind `yonder: 1` and loads them. Ends the test where they are wrong. */
void rig_begin(rig *rig, const char *profile);
void rig_end(rig *rig);

/* Only compiles the lines behind `yonder: 1`. */
void rig_compile(yt_compiled *compiled, const char *profile);

/* Loads another profile into the same engine. */
void rig_load(rig *rig, const char *profile);

/* A device with that report descriptor arrives; its number. */
unsigned rig_attach(rig *rig, const uint8_t *descriptor, size_t size);

/* A report of it, at a time, and the update after it. */
void rig_report(rig *rig, unsigned number, const uint8_t *bytes, size_t size, uint64_t now_us);

/* The value of the control that stands at an index of the program, in 1/65536. */
yt_q16 rig_value(const rig *rig, unsigned control);

/* The next report of an interface, taken at once, as text: "01 00 7f"; "" where there is none. */
const char *rig_take(rig *rig, unsigned interface, uint64_t now_us);

#define RIG_ATTACH(rig, descriptor) rig_attach(rig, descriptor, sizeof(descriptor))
#define RIG_REPORT(rig, number, now_us, ...)                                                       \
    rig_report(rig, number, (const uint8_t[]){__VA_ARGS__},                                        \
               sizeof((const uint8_t[]){__VA_ARGS__}), now_us)

#endif
