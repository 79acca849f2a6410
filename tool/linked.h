/* A conversation with an adapter (docs/link.md), as the command has it: each request is said until
 * its answer comes; what the adapter wants first, a press or a moment for its flash, is waited for,
 * and said on standard error. Messages are read and written by nanopb. */
#ifndef YONDER_TOOL_LINKED_H
#define YONDER_TOOL_LINKED_H

#include <link.pb.h>
#include "tool/way.h"
#include "yonder/status.h"

typedef yonder_link_Message link_message;

typedef struct linked {
    way way;
    uint32_t token, number, chunk;
    bool is_silent;    /* a press is not waited for: what is refused is told */
    bool has_unlocked; /* somebody pressed, which is said */
    int memory;        /* the file in which the session is remembered, locked; -1: none */
    bool has_failed;   /* what went wrong is said already */
    link_message answer;
} linked;

/* Begins with the adapter at a path, or where that is NULL with the only one that there is: in the
 * session of the last command, where it goes on. False: said. */
bool linked_open(linked *linked, const char *path);
void linked_close(linked *linked);

/* Asks; the answer is in `linked->answer`. YT_OK: it is done. Else it is not: what the adapter says
 * of `failed`; or, with `has_failed` set, what was said on standard error already. `changed` is
 * YT_ARGUMENT. */
yt_status linked_ask(linked *linked, link_message ask);

/* The result of the last answer. */
static inline yonder_link_Result linked_result(const linked *linked) {
    return linked->answer.result;
}

/* A fact as a number; 0 where the adapter knows none of that name. */
uint32_t linked_fact(linked *linked, yonder_link_Fact fact);

/* What is kept of a kind, as in `slot`: its answer. YT_SLOT_EMPTY. */
yt_status linked_about(linked *linked, yonder_link_Kind kind, unsigned slot);

/* All of it, freed by the caller, with a 0 behind it; `size` of it. `about`, where it is not NULL,
 * gets what linked_about says. */
yt_status linked_read(linked *linked, yonder_link_Kind kind, unsigned slot, uint8_t **bytes,
                      size_t *size, link_message *about);

/* A slot's content, with what is kept with it. `name` NULL: it stays. */
typedef struct linked_slot {
    unsigned slot; /* from 1 */
    uint32_t generation;
    const char *name;
    const uint8_t *program, *text, *kept;
    size_t program_bytes, text_bytes, kept_bytes;
} linked_slot;
yt_status linked_write(linked *linked, const linked_slot *slot);

/* Settings or a calibration. */
yt_status linked_write_record(linked *linked, yonder_link_Kind kind, const uint8_t *record,
                              size_t size, uint32_t generation);

/* The SHA-256 of a slot, of settings, or of a calibration. */
yt_status linked_digest(linked *linked, yonder_link_Kind kind, unsigned slot, uint8_t digest[32]);

#endif
