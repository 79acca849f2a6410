/* A host that talks to a box over the link, for tests: it asks, lets the box work, and takes the
 * answer. */
#ifndef YONDER_TESTS_HOST_H
#define YONDER_TESTS_HOST_H

#include <nettle/sha2.h>

#include "tests/adapter/box.h"
#include "yonder/link.h"

/* What hosts talk to. */
typedef struct linked_box linked_box;
struct linked_box {
    box box;
    yt_link_parts parts;
    yt_link link;
    dice dice;
    uint64_t now_us;
    bool wants_press;
    unsigned press_number;
    bool may_erase;
    void (*play)(struct linked_box *to); /* each millisecond; NULL: nobody plays */
    bool is_pressed;                     /* what is pressed on it is held */
    bool was_restarted, to_bootloader;
    uint32_t record[200]; /* settings and calibrations on their way */
    yt_link_calibration calibrating;
    struct sha256_ctx digest;
};

typedef struct host {
    linked_box *to;
    yt_link_way way;
    uint32_t token, number, nonce;
    yt_message answer; /* the last one */
} host;

/* Three profiles whose programs press another button each, and their texts. */
extern yt_compiled linked_programs[3];
extern const char *const linked_texts[3];

/* A box with slots, plugged in: slot 1 has the first program. */
void linked_begin(linked_box *to);
void linked_end(linked_box *to);

/* Plugs it in again: all that the link knew is gone. */
void linked_plug_in(linked_box *to);

/* It works for a while, once each millisecond. */
void linked_work(linked_box *to, unsigned milliseconds, bool may_erase);

/* Begins a session. */
void host_begin(host *host, linked_box *to, yt_link_way way, uint32_t nonce);

/* A message of this host, written and given to the box, which does not work at it yet. */
void host_say(host *host, const yt_message *message);

/* The box works, a millisecond after the other, and the answer to the last number comes; false:
 * none came. */
bool host_hear(host *host);

/* Whether an answer is to what this host said last. */
bool host_knows(const host *host, const yt_message *answer);

/* Says and hears; gives the result, or -1. */
int host_ask(host *host, yt_message message);

/* Writes content into a slot, chunk by chunk, and commits it. */
int host_write(host *host, unsigned slot, const char *name, const void *program, size_t size,
               const void *text, size_t text_size);

/* Writes bytes of what was announced, chunk by chunk; gives the last result. */
int host_write_all(host *host, const uint8_t *bytes, size_t size);

/* Writes a record, of settings or of a calibration, chunk by chunk, and commits it. */
int host_write_record(host *host, yt_link_kind kind, const void *record, size_t size,
                      uint32_t generation);

/* Reads all of a kind out, up to `room` bytes; gives how many. */
size_t host_read(host *host, yt_link_kind kind, unsigned slot, uint8_t *bytes, size_t room);

/* The SHA-256 that the box tells of a kind, as hexadecimal digits. */
const char *host_digest(host *host, yt_link_kind kind, unsigned slot);

/* What a slot's generation is, 0: it says none. */
uint32_t host_generation(host *host, unsigned slot);

/* The same of settings, or of a calibration. */
uint32_t host_generation_of(host *host, yt_link_kind kind, unsigned slot);

/* The same of one of the three programs, with its text. */
int host_put(host *host, unsigned slot, const char *name, unsigned which);

/* Goes to a slot as it is now; gives the result. */
int host_activate(host *host, unsigned slot);

/* A slot holds one of them, under that name. */
void host_check_slot(host *host, unsigned slot, const char *name, unsigned which);

/* Asks for a press, which comes. */
void host_unlock(host *host);

uint32_t host_fact(host *host, yt_link_fact fact);

#endif
