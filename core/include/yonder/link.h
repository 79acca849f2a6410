/* The link: a host asks, the adapter answers.
 *
 * A host sees what is on the adapter and changes it, as far as it may: over a cable or by radio, in
 * messages of `yonder/message.h`. docs/link.md says which there are, and what each needs.
 *
 *     static yt_adapter adapter; // started
 *     static yt_link link;
 *     static const yt_link_parts link_parts = {.adapter = &adapter, .build = "crane 3"};
 *     yt_link_init(&link, &link_parts);
 *     yt_link_report(&link, number, bytes, size, now_us);      // beside yt_engine_report
 *     yt_link_take(&link, YT_LINK_CABLE, bytes, size);         // a message came
 *     status = yt_link_work(&link, now_us, 8, false);          // in place of yt_adapter_work
 *     length = yt_link_answer(&link, YT_LINK_CABLE, answer, sizeof answer);
 *
 * A message that came only waits; yt_link_work looks at one at a time, and does a bounded part of
 * what it asks for. So the engine keeps its interval, however much a host asks. Whatever comes,
 * nothing is changed that the host may not change. All calls come from one place, the engine's. */
#ifndef YONDER_LINK_H
#define YONDER_LINK_H

#include "yonder/adapter.h"
#include "yonder/image/check.h"
#include "yonder/message.h"

#ifdef __cplusplus
extern "C" {
#endif

#define YT_LINK_VERSION    1u
#define YT_LINK_SESSIONS   2u
#define YT_LINK_SILENT_US  10000000u  /* after so long without a word a session gives way */
#define YT_LINK_IDLE_US    300000000u /* one that is unlocked is locked again */
#define YT_LINK_LATER_US   2000000u   /* so long a request waits for the flash; then it is busy */
#define YT_LINK_PRESS_US   60000000u  /* so long a press is waited for */
#define YT_LINK_HOUR_US    3600000000u
#define YT_LINK_CHANGES    32u         /* of what is kept, within an hour */
#define YT_LINK_RESTART_US 10000000u   /* so long after a start the next one may be asked for */
#define YT_LINK_LEAVE_US   100000u     /* until it restarts, so that its answer is fetched */
#define YT_LINK_HIDDEN     0x80000000u /* of a value that a locked adapter does not tell */

/* What is asked, and what is answered: the numbers go over the link. */
typedef enum yt_request {
    YT_REQUEST_NOTHING,
#define YT_REQUEST(NAME, name, access, meaning) YT_REQUEST_##NAME,
#include "yonder/requests.def"
    YT_REQUEST_COUNT
} yt_request;

typedef enum yt_result {
#define YT_RESULT(NAME, name, meaning) YT_RESULT_##NAME,
#include "yonder/results.def"
    YT_RESULT_COUNT
} yt_result;

typedef enum yt_link_fact {
#define YT_LINK_FACT(NAME, name, meaning) YT_LINK_##NAME,
#include "yonder/facts.def"
    YT_LINK_FACT_COUNT
} yt_link_fact;

/* Of `kind`. */
typedef enum yt_link_kind {
    YT_LINK_NO_KIND,
    YT_LINK_OF_PROGRAM,
    YT_LINK_OF_TEXT,
    YT_LINK_OF_KEPT,       /* parameters that are kept with a slot: five bytes each (tuning.c) */
    YT_LINK_OF_SETTINGS,   /* all of them, as one record */
    YT_LINK_OF_CALIBRATION /* a record; `slot` is its place, from 1 */
} yt_link_kind;

/* The way that a message comes by. Over radio only from hosts that are bonded, encrypted. */
typedef enum yt_link_way {
    YT_LINK_CABLE,        /* in a HID report */
    YT_LINK_STREAM,       /* in a stream of bytes */
    YT_LINK_RADIO,        /* by a service of its own over Bluetooth LE */
    YT_LINK_RADIO_REPORT, /* in a HID report over Bluetooth LE */
    YT_LINK_WAYS
} yt_link_way;

/* What may be done: the letters of `access`, in requests.def. */
typedef enum yt_link_access {
    YT_LINK_LOCKED,
    YT_LINK_UNLOCKED,
    YT_LINK_OPEN,
    YT_LINK_EVENT
} yt_link_access;

/* What a firmware gives. Its memory, which must stay; all but the first may be 0. */
typedef struct yt_link_parts {
    yt_adapter *adapter; /* started */
    const char *build;   /* what the firmware calls itself, up to 32 bytes */
    uint32_t build_number;
    void *context;
    /* 32 bits that nobody can guess, of the chip's random numbers. NULL: it has none, and there is
     * one session at a time. */
    uint32_t (*random)(void *context);
    /* A session waits for a press: a light blinks. `number`, 1000 to 9999, is that which the host
     * shows, so that a person sees whose press it is, where there is a display; 0: none waits any
     * more. */
    void (*wants_press)(void *context, unsigned number);
    /* Room for settings and calibrations on their way, aligned for uint32_t. sizeof(yt_calibration)
     * is enough for a calibration; settings take as many as `settings` has (yt_adapter_parts). */
    void *record;
    size_t record_room;
    /* A device that is attached, by its number; NULL: there is none. */
    const yt_device *(*device)(void *context, unsigned number);
    /* SHA-256 (FIPS 180-4), in steps: the chip's own, or a library's. */
    void (*digest_begin)(void *context);
    void (*digest_take)(void *context, const void *bytes, size_t size);
    void (*digest_end)(void *context, uint8_t digest[32]);
    /* Restarts the adapter, or its bootloader. */
    void (*restart)(void *context, bool bootloader);
    /* Whether what is pressed on the adapter is held. */
    bool (*is_pressed)(void *context);
    /* Facts that only the firmware knows: YT_LINK_REPORTS_IN, YT_LINK_WORST_UPDATE,
     * YT_LINK_LAST_ERROR. */
    uint32_t (*fact)(void *context, yt_link_fact fact);
} yt_link_parts;

/* Room to calibrate by the link: the caller's memory. */
typedef struct yt_link_calibration {
    yt_calibrating gathering;
    uint8_t session, number; /* of the device */
    bool is_on;
} yt_link_calibration;

typedef struct yt_link_session {
    uint32_t token; /* 0: there is none */
    uint32_t nonce; /* of its hello */
    uint32_t number;
    uint64_t heard_us, changed_us;
    uint8_t way;
    bool is_unlocked;
    bool is_new; /* its answer was not fetched yet */
    uint8_t answer_bytes;
    uint8_t answer[YT_MESSAGE_BYTES];
} yt_link_session;

/* The caller's memory; not to be touched. */
typedef struct yt_link {
    const yt_link_parts *parts;
    yt_link_session sessions[YT_LINK_SESSIONS];
    yt_message inbox; /* a message that waits, or is being worked at */
    bool has_inbox;
    uint8_t inbox_way;
    bool is_late;                   /* it was looked at, and could not be done yet */
    uint64_t since_us;              /* since then */
    uint8_t room[YT_LINK_WAYS];     /* bytes of a message by each */
    uint8_t last[YT_LINK_WAYS];     /* the session that asked last; YT_LINK_SESSIONS: none */
    uint8_t stray_bytes, stray_way; /* an answer to who has no session */
    uint8_t stray[32];
    uint8_t waiting; /* the session that waits for a press */
    uint64_t waiting_us;
    uint64_t hour_us; /* when the first of `changes` was made */
    uint8_t changes;
    uint8_t stage_session; /* whose content is being written */
    uint8_t stage_slot;    /* from 1; 0: none is */
    uint64_t stage_us;
    uint32_t stage_bytes[YT_SLOT_PARTS];
    uint32_t stage_checksum; /* that was announced */
    uint32_t stage_so_far;   /* of what came */
    uint8_t stage_kind;      /* YT_LINK_OF_PROGRAM: of a slot; of settings or a calibration */
    uint8_t stage_kept;      /* bytes of `kept` that were announced, */
    uint8_t kept_so_far;     /* and came */
    uint8_t kept[YT_STORE_KEPT];
    uint32_t record_bytes;  /* that were announced, */
    uint32_t record_so_far; /* and came */
    yt_checking checking;   /* of a program, before it is committed */
    bool has_cleared;       /* the store has nothing more to clear away, with erases */
    uint32_t progress;      /* of what is done in steps; 0: nothing was */
    uint32_t step_bytes;    /* of all of it */
    const struct yt_link_calibration_calls *calls; /* else calibrating is not linked */
    yt_link_calibration *calibration;
    uint64_t begun_us, leave_us; /* YT_NEVER: it does not restart */
    bool leaves_for_bootloader, is_begun;
    uint16_t press_number;
    uint32_t ready_before; /* what the firmware keeps ready (yt_store_keep_ready) */
    bool makes_room;       /* more is kept ready for what was announced */
    uint32_t tokens;
} yt_link;

void yt_link_init(yt_link *link, const yt_link_parts *parts);

/* Hosts may calibrate: `room` must stay, and the firmware calls yt_link_report. YT_ARGUMENT: its
 * parts lack `device` or room for a calibration in `record`. */
YT_MUST_USE yt_status yt_link_calibrates(yt_link *link, yt_link_calibration *room);

/* Whether a slot or the adapter may have a name, of `size` bytes with a 0 behind them: it is UTF-8,
 * and has no control characters, of one byte or two, because it ends on a terminal. */
bool yt_link_is_name(const char *name, size_t size);

/* A report of a device came, as given to yt_engine_report: it may be gathered for a calibration. */
void yt_link_report(yt_link *link, unsigned number, const uint8_t *bytes, size_t size,
                    uint64_t now_us);

/* Messages by a way have so many bytes at most from now on, up to YT_MESSAGE_BYTES; at first as
 * many as their frames have room for. YT_ARGUMENT: fewer than YT_MESSAGE_REPORT. */
YT_MUST_USE yt_status yt_link_room(yt_link *link, yt_link_way way, size_t bytes);

/* Whether a message waits: the next one would be dropped. */
bool yt_link_is_waiting(const yt_link *link);

/* A message came, out of its frame. It waits until yt_link_work; where one waits already, it is
 * dropped, and the host asks again. */
void yt_link_take(yt_link *link, yt_link_way way, const uint8_t *bytes, size_t size);

/* Works at what was asked, and else as yt_adapter_work. Programs up to about `units` units, or a
 * record, or what one message brought; erases only where `may_erase`: what needs an erase waits for
 * it. */
YT_MUST_USE yt_status yt_link_work(yt_link *link, uint64_t now_us, unsigned units, bool may_erase);

/* The answer for who asked last by a way: how many bytes, and those; 0: there is none. It may be
 * fetched again and again. yonder/link_ways.h puts it into a frame. */
size_t yt_link_answer(const yt_link *link, yt_link_way way, uint8_t *bytes, size_t room);

/* The same, once for each answer, for a way by which answers are sent and not fetched. */
size_t yt_link_send(yt_link *link, yt_link_way way, uint8_t *bytes, size_t room);

/* Somebody pressed what the adapter has for it: who waits for it may change things from now on, and
 * nobody else. */
void yt_link_press(yt_link *link, uint64_t now_us);

/* The host went to sleep, or the cable was pulled: sessions by that way end. */
void yt_link_end(yt_link *link, yt_link_way way);

#ifdef __cplusplus
}
#endif

#endif
