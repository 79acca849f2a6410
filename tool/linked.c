#include "tool/linked.h"

#include <fcntl.h>
#include <pb_decode.h>
#include <pb_encode.h>
#include <poll.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/file.h>
#include <sys/random.h>
#include <unistd.h>

#include "tool/finding.h"
#include "tool/places.h"
#include "tool/progress.h"
#include "tool/tool.h"
#include "yonder/engine.h"

#define AGAIN_MS    200   /* until the same is said again */
#define PATIENCE_MS 2000  /* without any answer */
#define FIRST_MS    600   /* the same of a session that was remembered: it may be over */
#define WAIT_MS     90000 /* for a moment in which the adapter is not busy */
#define LOOK_MS     100   /* between two questions whether somebody pressed */

/* ---- one message, there and back ---- */

static bool say(linked *linked, const link_message *message) {
    uint8_t bytes[YT_MESSAGE_BYTES];
    pb_ostream_t out = pb_ostream_from_buffer(bytes, sizeof bytes);
    return pb_encode(&out, yonder_link_Message_fields, message) &&
           way_say(&linked->way, bytes, out.bytes_written);
}

/* Whether a message is the answer to what was asked; others may be old, or another host's. */
static bool is_answer(const link_message *ask, const link_message *answer) {
    if (answer->number != ask->number || answer->what != ask->what)
        return false;
    if (ask->what == yonder_link_What_WHAT_HELLO)
        return answer->checksum == ask->checksum;
    return answer->result != yonder_link_Result_RESULT_SESSION || answer->token == ask->token;
}

typedef enum heard { HEARD, SILENCE, GONE } heard;

static heard hear(linked *linked, const link_message *ask, uint64_t until_ms) {
    for (;;) {
        uint8_t bytes[YT_MESSAGE_BYTES];
        uint64_t now_ms = way_clock_ms();
        unsigned wait_ms = now_ms < until_ms ? (unsigned)(until_ms - now_ms) : 0;
        int size = way_hear(&linked->way, bytes, wait_ms);
        if (size < 0)
            return GONE;
        if (size > 0) {
            link_message answer = yonder_link_Message_init_zero;
            pb_istream_t in = pb_istream_from_buffer(bytes, (size_t)size);
            if (pb_decode(&in, yonder_link_Message_fields, &answer) && is_answer(ask, &answer)) {
                linked->answer = answer;
                return HEARD;
            }
            poll(NULL, 0, 1);
        }
        if (way_clock_ms() >= until_ms)
            return SILENCE;
    }
}

static heard exchange(linked *linked, const link_message *ask, unsigned patience_ms) {
    uint64_t end_ms = way_clock_ms() + patience_ms;
    while (way_clock_ms() < end_ms) {
        if (!say(linked, ask))
            return GONE;
        heard heard = hear(linked, ask, way_clock_ms() + AGAIN_MS);
        if (heard != SILENCE)
            return heard;
    }
    return SILENCE;
}

static yt_status fail(linked *linked, const char *why) {
    if (!linked->has_failed)
        fprintf(stderr, "%s: %s\n", linked->way.path, why);
    linked->has_failed = true;
    return YT_END;
}

/* ---- sessions ---- */

static void remember(linked *linked) {
    uint32_t kept[2] = {linked->token, linked->number};
    if (linked->memory >= 0)
        (void)!pwrite(linked->memory, kept, sizeof kept, 0);
}

static bool hello(linked *linked) {
    link_message ask = {.what = yonder_link_What_WHAT_HELLO};
    for (uint64_t until_ms = way_clock_ms() + 2 * (uint64_t)PATIENCE_MS + 10000;;) {
        uint32_t random[2];
        if (getrandom(random, sizeof random, 0) != (ssize_t)sizeof random)
            abort();
        linked->number = ask.number = random[0] >> 8;
        ask.checksum = random[1] | 1;
        heard heard = exchange(linked, &ask, PATIENCE_MS);
        if (heard != HEARD)
            return fail(linked, heard == GONE ? "the adapter is gone"
                                              : "nothing answers: is it an adapter?") == YT_OK;
        if (linked->answer.result == yonder_link_Result_RESULT_DONE)
            break;
        if (way_clock_ms() > until_ms)
            return fail(linked, "two other programs talk to it already") == YT_OK;
        poll(NULL, 0, 500);
    }
    if (linked->answer.index > YT_LINK_VERSION)
        return fail(linked, "it speaks a newer version of the link than this command") == YT_OK;
    linked->token = linked->answer.token;
    remember(linked);
    return true;
}

/* The file in which the session with an adapter at a path is remembered, for those that follow. */
static void open_memory(linked *linked) {
    char folder[100], path[200];
    const char *name = linked->way.path;
    linked->memory = -1;
    if (!place_for_now(folder, sizeof folder))
        return;
    snprintf(path, sizeof path, "%s/session-%08x", folder, yt_checksum(0, name, strlen(name)));
    linked->memory = open(path, O_RDWR | O_CREAT | O_CLOEXEC | O_NOFOLLOW, 0600);
    if (linked->memory >= 0 && flock(linked->memory, LOCK_EX | LOCK_NB) != 0) {
        close(linked->memory); /* another command is at it: it has its own */
        linked->memory = -1;
    }
}

/* The session of the last command goes on, if it is there. */
static bool resume(linked *linked) {
    uint32_t kept[2];
    if (linked->memory < 0 || pread(linked->memory, kept, sizeof kept, 0) != (ssize_t)sizeof kept ||
        kept[0] == 0)
        return false;
    linked->token = kept[0];
    linked->number = kept[1] + 1;
    link_message ask = {.what = yonder_link_What_WHAT_FACT,
                        .number = linked->number,
                        .token = linked->token,
                        .index = yonder_link_Fact_FACT_CHUNK};
    return exchange(linked, &ask, FIRST_MS) == HEARD &&
           linked->answer.result == yonder_link_Result_RESULT_DONE;
}

bool linked_open(linked *linked, const char *path) {
    char found[128];
    const char *why;
    memset(linked, 0, sizeof *linked);
    linked->way.file = linked->memory = -1;
    if (!path && !find_adapter(found, sizeof found))
        return false;
    if (!path)
        path = found;
    if (!way_open(&linked->way, path, &why))
        return refuse(path, why);
    open_memory(linked);
    if (!resume(linked) && !hello(linked)) {
        linked_close(linked);
        return false;
    }
    linked->chunk = linked_fact(linked, yonder_link_Fact_FACT_CHUNK);
    if (linked->chunk > 0 && linked->chunk <= YT_MESSAGE_CHUNK)
        return true;
    fail(linked, "it does not say how much fits into a message");
    linked_close(linked);
    return false;
}

void linked_close(linked *linked) {
    remember(linked);
    way_close(&linked->way);
    if (linked->memory >= 0)
        close(linked->memory);
    linked->memory = -1;
}

/* ---- asking ---- */

/* One request, in this session or, where that has ended, in another. An adapter that failed once
 * is not asked again: what it did not say would be waited for each time. */
static bool ask_once(linked *linked, link_message *ask) {
    if (linked->has_failed)
        return false;
    for (unsigned tries = 0; tries < 2; tries++) {
        ask->number = ++linked->number;
        ask->token = linked->token;
        remember(linked);
        heard heard = exchange(linked, ask, PATIENCE_MS);
        if (heard == GONE)
            return fail(linked, "the adapter is gone") == YT_OK;
        if (heard == HEARD && linked->answer.result != yonder_link_Result_RESULT_SESSION)
            return true;
        if (!hello(linked))
            return false;
    }
    return fail(linked, "the session ends again and again") == YT_OK;
}

/* Somebody is to press what the adapter has for it. */
static bool wait_for_press(linked *linked) {
    unsigned told = 0;
    for (;;) {
        link_message ask = {.what = yonder_link_What_WHAT_UNLOCK};
        if (!ask_once(linked, &ask))
            return false;
        unsigned number = (unsigned)linked->answer.value;
        switch (linked->answer.result) {
        case yonder_link_Result_RESULT_DONE:
            linked->has_unlocked = told > 0;
            if (told)
                fprintf(stderr, "unlocked, until nothing is said for five minutes\n");
            return true;
        case yonder_link_Result_RESULT_PRESS:
            if (told && number != told)
                return fail(linked, "nobody pressed for a minute: it is locked still") == YT_OK;
            if (!told)
                fprintf(stderr,
                        "the adapter is locked: press what it has for it; if it shows a number, "
                        "that is %u\n",
                        number);
            told = number;
            poll(NULL, 0, LOOK_MS);
            break;
        case yonder_link_Result_RESULT_BUSY:
            return fail(linked, "another program waits for a press") == YT_OK;
        case yonder_link_Result_RESULT_NOT_HERE:
            return fail(linked, "it is locked to everybody, by its settings") == YT_OK;
        default:
            return fail(linked, "it cannot be unlocked") == YT_OK;
        }
    }
}

/* It is busy, or too much was changed: waits where that helps. */
static bool wait_for_moment(linked *linked, uint64_t until_ms, bool *told) {
    unsigned wait_ms = linked->answer.wait_ms;
    if (way_clock_ms() > until_ms)
        return fail(linked, "the adapter stays busy") == YT_OK;
    if (!*told && way_clock_ms() + WAIT_MS > until_ms + 3000)
        fprintf(stderr,
                "waits until the adapter may write its flash, or another program is done\n");
    *told |= way_clock_ms() + WAIT_MS > until_ms + 3000;
    poll(NULL, 0, (int)(wait_ms < 500 ? wait_ms : 500));
    return true;
}

static yt_status slow(linked *linked) {
    char why[100];
    snprintf(why, sizeof why,
             "too much was changed within an hour: wait %u minutes, or press what it has for it",
             linked->answer.wait_ms / 60000 + 1);
    return fail(linked, why);
}

yt_status linked_ask(linked *linked, link_message ask) {
    uint64_t until_ms = way_clock_ms() + WAIT_MS;
    bool told = false;
    for (;;) {
        if (!ask_once(linked, &ask))
            return YT_END;
        const link_message *answer = &linked->answer;
        switch (answer->result) {
        case yonder_link_Result_RESULT_DONE:
            return YT_OK;
        case yonder_link_Result_RESULT_FAILED:
            return answer->value > 0 && answer->value < YT_STATUS_COUNT ? (yt_status)answer->value
                                                                        : YT_ARGUMENT;
        case yonder_link_Result_RESULT_PRESS:
            if (linked->is_silent)
                return fail(linked,
                            "the adapter is locked: yonder adapter unlock asks for a press");
            if (ask.what == yonder_link_What_WHAT_BOOTLOADER)
                return fail(linked, "hold what the adapter has for a press, and say this again");
            if (!wait_for_press(linked))
                return YT_END;
            break;
        case yonder_link_Result_RESULT_BUSY:
            if (!wait_for_moment(linked, until_ms, &told))
                return YT_END;
            break;
        case yonder_link_Result_RESULT_SLOW:
            return slow(linked);
        case yonder_link_Result_RESULT_EVENT:
            return fail(linked, "an event's lock is on: only a control held at plug-in ends it");
        case yonder_link_Result_RESULT_NOT_HERE:
            return fail(linked, "that is not done by this way");
        case yonder_link_Result_RESULT_CHANGED:
            return YT_ARGUMENT;
        case yonder_link_Result_RESULT_UNKNOWN:
            return fail(linked, "this adapter knows no such thing: its firmware is older, or left "
                                "it out");
        default:
            return fail(linked, "it answers what makes no sense here");
        }
    }
}

uint32_t linked_fact(linked *linked, yonder_link_Fact fact) {
    link_message ask = {.what = yonder_link_What_WHAT_FACT, .index = (uint32_t)fact};
    bool is_there =
        ask_once(linked, &ask) && linked->answer.result == yonder_link_Result_RESULT_DONE;
    return is_there ? (uint32_t)linked->answer.value : 0;
}

/* ---- what is kept ---- */

yt_status linked_about(linked *linked, yonder_link_Kind kind, unsigned slot) {
    return linked_ask(
        linked, (link_message){.what = yonder_link_What_WHAT_SLOT, .kind = kind, .slot = slot});
}

static yt_status read_all(linked *linked, const link_message *about, uint8_t *bytes) {
    progress progress;
    yt_status status = YT_OK;
    progress_begin(&progress, "reading", about->size);
    for (uint32_t at = 0; at < about->size && status == YT_OK;) {
        status = linked_ask(linked, (link_message){.what = yonder_link_What_WHAT_READ,
                                                   .kind = about->kind,
                                                   .slot = about->slot,
                                                   .offset = at,
                                                   .size = linked->chunk,
                                                   .generation = about->generation});
        if (status != YT_OK)
            break;
        uint32_t size = linked->answer.chunk.size;
        if (size == 0 || size > about->size - at || linked->answer.offset != at) {
            status = fail(linked, "it gives other bytes than were asked for");
            break;
        }
        memcpy(bytes + at, linked->answer.chunk.bytes, size);
        at += size;
        progress_tell(&progress, at);
    }
    progress_end(&progress);
    if (status == YT_OK && yt_checksum(0, bytes, about->size) != about->checksum)
        status = YT_SLOT_DAMAGED;
    return status;
}

#define MOST_BYTES ((uint32_t)64 << 20)

yt_status linked_read(linked *linked, yonder_link_Kind kind, unsigned slot, uint8_t **bytes,
                      size_t *size, link_message *about) {
    *bytes = NULL;
    *size = 0;
    for (unsigned tries = 0; tries < 3; tries++) {
        yt_status status = linked_about(linked, kind, slot);
        link_message told = linked->answer;
        told.kind = kind;
        told.slot = slot;
        if (status != YT_OK)
            return status;
        if (told.size > MOST_BYTES)
            return fail(linked, "it says that it keeps more than any flash");
        *bytes = malloc(told.size + 1u);
        if (!*bytes)
            abort();
        (*bytes)[told.size] = 0;
        status = read_all(linked, &told, *bytes);
        if (about)
            *about = told;
        *size = told.size;
        if (status == YT_OK)
            return YT_OK;
        free(*bytes);
        *bytes = NULL;
        if (linked->has_failed || linked->answer.result != yonder_link_Result_RESULT_CHANGED)
            return status;
    }
    return fail(linked, "it is changed again and again while it is read");
}

/* ---- writing ---- */

typedef struct piece {
    const uint8_t *bytes;
    size_t size;
} piece;

/* The bytes of several pieces in a row, from `at` on, as many as fit. */
static uint32_t gather(const piece *pieces, unsigned count, size_t at, uint8_t *bytes,
                       uint32_t most) {
    uint32_t got = 0;
    for (unsigned i = 0; i < count; i++) {
        for (; at < pieces[i].size && got < most; at++)
            bytes[got++] = pieces[i].bytes[at];
        at = at > pieces[i].size ? at - pieces[i].size : 0;
    }
    return got;
}

static yt_status write_all(linked *linked, const piece *pieces, unsigned count, uint32_t at) {
    progress progress;
    yt_status status = YT_OK;
    size_t all = 0;
    for (unsigned i = 0; i < count; i++)
        all += pieces[i].size;
    progress_begin(&progress, "writing", all);
    while (at < all && status == YT_OK) {
        link_message ask = {.what = yonder_link_What_WHAT_WRITE, .offset = at};
        ask.chunk.size = (pb_size_t)gather(pieces, count, at, ask.chunk.bytes, linked->chunk);
        status = linked_ask(linked, ask);
        at = linked->answer.offset;
        progress_tell(&progress, at);
    }
    progress_end(&progress);
    return status;
}

static uint32_t checksum_of(const piece *pieces, unsigned count) {
    uint32_t checksum = 0;
    for (unsigned i = 0; i < count; i++)
        checksum = yt_checksum(checksum, pieces[i].bytes, pieces[i].size);
    return checksum;
}

/* Announced, written, committed; where something else took its place on the way, once more. */
static yt_status write_content(linked *linked, link_message stage, const piece *pieces,
                               unsigned count, const link_message *commit) {
    yt_status status = YT_OK;
    stage.checksum = checksum_of(pieces, count);
    for (unsigned tries = 0; tries < 3; tries++) {
        status = linked_ask(linked, stage);
        if (status == YT_OK)
            status = write_all(linked, pieces, count, linked->answer.offset);
        if (status == YT_OK)
            status = linked_ask(linked, *commit);
        bool is_changed = linked->answer.result == yonder_link_Result_RESULT_CHANGED;
        if (status != YT_ARGUMENT || is_changed || linked->has_failed)
            break;
    }
    return status;
}

yt_status linked_write(linked *linked, const linked_slot *slot) {
    const piece pieces[] = {{slot->program, slot->program_bytes},
                            {slot->text, slot->text_bytes},
                            {slot->kept, slot->kept_bytes}};
    link_message stage = {.what = yonder_link_What_WHAT_STAGE,
                          .slot = slot->slot,
                          .size = (uint32_t)slot->program_bytes,
                          .value = (int32_t)slot->text_bytes,
                          .index = (uint32_t)slot->kept_bytes,
                          .generation = slot->generation};
    link_message commit = {
        .what = yonder_link_What_WHAT_COMMIT, .slot = slot->slot, .generation = slot->generation};
    if (slot->name)
        snprintf(commit.name, sizeof commit.name, "%s", slot->name);
    return write_content(linked, stage, pieces, 3, &commit);
}

yt_status linked_write_record(linked *linked, yonder_link_Kind kind, const uint8_t *record,
                              size_t size, uint32_t generation) {
    const piece pieces[] = {{record, size}};
    link_message stage = {
        .what = yonder_link_What_WHAT_STAGE, .kind = kind, .size = (uint32_t)size};
    link_message commit = {
        .what = yonder_link_What_WHAT_COMMIT, .kind = kind, .generation = generation};
    return write_content(linked, stage, pieces, 1, &commit);
}

yt_status linked_digest(linked *linked, yonder_link_Kind kind, unsigned slot, uint8_t digest[32]) {
    yt_status status = linked_about(linked, kind, slot);
    if (status == YT_OK)
        status = linked_ask(linked, (link_message){.what = yonder_link_What_WHAT_DIGEST,
                                                   .kind = kind,
                                                   .slot = slot,
                                                   .generation = linked->answer.generation});
    if (status == YT_OK && linked->answer.chunk.size != 32)
        status = fail(linked, "it gives something else for a SHA-256");
    if (status == YT_OK)
        memcpy(digest, linked->answer.chunk.bytes, 32);
    return status;
}
