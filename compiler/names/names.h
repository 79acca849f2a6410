/* The names that a profile may use: of the kinds of devices, and of their controls. */
#ifndef YONDER_COMPILER_NAMES_NAMES_H
#define YONDER_COMPILER_NAMES_NAMES_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "compiler/names/usages.h"
#include "yonder/hid.h"
#include "yonder/image/program.h"

/* What a name stands for: a usage, or another one where a device does not have that. */
typedef struct yt_control_name {
    uint16_t page;
    uint16_t usage;
    uint16_t other_page; /* 0: there is no other one */
    uint16_t other_usage;
    uint16_t other_if;
    uint8_t occurrence; /* 0: the first of that usage */
    uint8_t kind;       /* yt_kind */
    uint8_t part;       /* of a hat: 1 up, 2 right, 4 down, 8 left */
    bool is_turning;    /* motion, of a field that tells where it is too: a description says how */
} yt_control_name;

/* A kind of device, as named in a profile, and what a device must have to be one. */
typedef struct yt_device_kind {
    const char *name;
    const char *meaning;
    const char *example; /* one of its controls */
    const char *usual;   /* what an input that is one is called, if nobody says otherwise */
    uint16_t application_page;
    uint16_t application_usage;
    uint16_t application_other;
    uint16_t needs_page;
    uint16_t needs_usage;
    uint8_t needs;
    uint8_t bit;      /* of YT_NAME's kinds */
    uint8_t pages[6]; /* whose usages it knows by their names alone, in this order; 0 ends */
} yt_device_kind;

extern const yt_device_kind device_kinds[];
extern const size_t device_kind_count;

const yt_device_kind *device_kind_named(const char *name);

/* "keyboard, mouse, tablet…": all of them, for messages. */
const char *device_kind_list(void);

/* What a name stands for on a kind of device; false: it knows no such name. Beside its own names a
 * kind takes "PAGE.USAGE" for any page of the usage tables, and names by number
 * ("consumer_0x012f"). In front of a usage's name stands a type where it is not the usual one:
 * "motion.dial", "axis.wheel", "level.pressure". The second of a usage has a part of its own with
 * its number, in front of a direction: "slider.2", "hat.2.up". Keys and media keys have no second:
 * wherever a device tells them, they are one. */
bool control_named(const yt_device_kind *kind, const char *name, size_t length,
                   yt_control_name *meaning);

/* Whether all places of a control within a device are one: those of keys and media keys are. */
bool control_is_key(const yt_control_name *meaning);

/* Writes a name for one further of its usage into `text`, of USAGE_NAME_BYTES: occurrence 1 is the
 * second. Of a hat or a stick as a whole it is what stands in front of the directions. */
void control_name_number(const yt_device_kind *kind, const char *name, unsigned occurrence,
                         char *text);

/* The names that may stand for a usage on a kind of device, the likeliest first: number `index` of
 * them, with what it means, without a number; false: there are no more. Whether it does depends on
 * the device; where `meaning->kind` is YT_KIND_COUNT it never does, and with `is_nth` only for the
 * occurrence that the meaning says. A hat's is that of the whole,
 * its meaning that of up. `text` has USAGE_NAME_BYTES. */
bool control_candidate(const yt_device_kind *kind, unsigned index, uint16_t page, uint16_t usage,
                       yt_control_name *meaning, bool *is_nth, char *text);

/* How many of them are names of the kind's own, and no usage's; those come first. */
unsigned control_own_candidates(const yt_device_kind *kind, uint16_t page, uint16_t usage);

/* Whether a usage has a name, or only numbers. */
bool usage_has_name(const yt_device_kind *kind, uint16_t page, uint16_t usage);

/* Fills `names` with names that a kind of device knows, up to `most`, for suggestions; returns how
 * many. */
size_t control_names(const yt_device_kind *kind, const char **names, size_t most);

/* Whether a name is of what most devices of a kind have. */
bool control_is_usual(const yt_device_kind *kind, const char *name);

/* The kind that a top-level collection is of. */
const yt_device_kind *device_kind_of(uint16_t application_page, uint16_t application_usage);

/* What a field's elements are, by its usage, size and flags. Arrays are switches. */
yt_kind kind_of_field(const yt_hid_field *field, uint16_t usage);

#endif
