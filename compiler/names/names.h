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
 * kind takes "PAGE.USAGE" for any page of the usage tables, names by number ("consumer_0x012f"),
 * and a number from 2 on behind a name for the second of its usage and so on ("slider2",
 * "hat2.up"). */
bool control_named(const yt_device_kind *kind, const char *name, size_t length,
                   yt_control_name *meaning);

/* Writes the name of a usage on a kind of device into `text`, of USAGE_NAME_BYTES. A hat's name is
 * that of the whole. False where it has no name of its own, only numbers. */
bool control_name_of(const yt_device_kind *kind, uint16_t page, uint16_t usage, bool is_relative,
                     char *text);

/* Fills `names` with names that a kind of device knows, up to `most`, for suggestions; returns how
 * many. */
size_t control_names(const yt_device_kind *kind, const char **names, size_t most);

/* The kind that a top-level collection is of. */
const yt_device_kind *device_kind_of(uint16_t application_page, uint16_t application_usage);

/* What a field's elements are, by its usage, size and flags. Arrays are switches. */
yt_kind kind_of_field(const yt_hid_field *field, uint16_t usage);

#endif
