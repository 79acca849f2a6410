/* What is in somebody's hands while a profile is set up: devices or recordings, the program that
 * they go through, what is pressed, and what moved most. */
#ifndef YONDER_TOOL_HANDS_H
#define YONDER_TOOL_HANDS_H

#include "tool/adapter_values.h"
#include "tool/watching.h"

#define HANDS_NAME 120

/* What moved: a control of an input. */
typedef struct hands_move {
    char name[HANDS_NAME]; /* "keys.f"; of a hat one of its directions; of a stick, x or y of
                              it; of a gyro x, y or z */
    yt_kind kind;
    double from, to;   /* where it was, and how far it got, as formulas see it */
    uint64_t since_us; /* when it began */
} hands_move;

typedef struct hands {
    watch_options options;
    watching watching;
    adapter_values *adapter; /* what it tells, in the place of devices; NULL: there are devices */
    const yt_compiled *compiled;
    bool is_gone;   /* the adapter does not answer any more: */
    char said[200]; /* why */
    uint64_t asked_us;
    bool is_playing;                  /* recordings go on; devices always do */
    uint64_t time_us, passed_us;      /* what is; how much that was in the last step */
    struct hands_trace *traces;       /* of each device's controls, since it listens */
    bool hears_turning;               /* a gyro counts among what moves */
    void (*each_step)(void *context); /* is called each millisecond while time goes on; or NULL */
    void *context;
} hands;

/* False: said on standard error. `compiled` must stay until the next hands_take. */
bool hands_begin(hands *hands, const yt_compiled *compiled);
/* The same with an adapter in the place of devices, which tells what its program reads. */
bool hands_begin_adapter(hands *hands, const yt_compiled *compiled, holder *holder);
void hands_end(hands *hands);

/* Whether what is told is told now: devices or an adapter, not recordings alone. */
bool hands_are_live(const hands *hands);

/* How many devices there are to be looked at; an adapter is one. */
unsigned hands_devices(const hands *hands);

/* Another program from now on. False: said on standard error. */
bool hands_take(hands *hands, const yt_compiled *compiled);

/* Time goes on: that of the clock, or of recordings so much. */
void hands_advance(hands *hands, uint64_t by_us);

/* Whether recordings have more, or a device is there. */
bool hands_has_more(const hands *hands);

/* Forgets what moved until now. `turning`: a gyro that turns counts, too; 90 degrees of it are as
 * much as a stick's whole way. */
void hands_listen(hands *hands, bool turning);

/* The name of a device's control as the profile has it; of a hat without its directions. False: no
 * input has it. */
bool hands_name(const hands *hands, unsigned device, unsigned control, char *text);

/* What moved most since then, once it is clear: it rests again, or has been there for a while. Of
 * several switches it is the one that was pressed last. False: nothing has. */
bool hands_moved(const hands *hands, hands_move *move);

/* Switches that are on and were before the other one moved, up to `most`; how many. */
unsigned hands_held(const hands *hands, const hands_move *but, char names[][HANDS_NAME],
                    unsigned most);

/* A control of a device that is not at rest, from number `control` on, as a text: "keys.f", or
 * "grip.left_stick.x 40%". False: there are no more. */
bool hands_pressed(const hands *hands, unsigned device, unsigned *control, char *text, size_t size);

/* What a control of an input is now, as formulas see it; of a stick its x. False: it is not known.
 */
bool hands_input(const hands *hands, const char *name, double *value);

/* What an output's control is now, as its host sees it: a text such as "on" or "40%"; false where
 * it is not known. Of a stick x and y. */
bool hands_output(const hands *hands, const char *name, char *text, size_t size, bool *is_on);

#endif
