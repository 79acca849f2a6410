/* Where the tool gets a device from: a recording, a report descriptor, a node of this machine. */
#ifndef YONDER_TOOL_SOURCE_H
#define YONDER_TOOL_SOURCE_H

#include "tool/tool.h"

typedef struct device_source {
    recording recording;
    int live; /* a file to read reports from; -1: only what was recorded */
} device_source;

/* Opens what a person names. False: said on standard error, with what to do about it. */
bool source_open(device_source *source, const char *path);
void source_close(device_source *source);

/* A description in a file of its own. */
typedef struct description_file {
    yt_pool pool;
    yt_messages messages;
    char *text;
    const yt_description *description;
} description_file;

bool description_open(description_file *file, const char *path);
void description_close(description_file *file);

/* Opens a log of a board's pins by the board's description, as a recording of the board. `path` is
 * the description's. False: said on standard error. */
bool source_open_board(device_source *source, const char *log, const char *path,
                       const yt_description *board);

/* A device with the names of a description: `path` is a device or, by a board's description, a log
 * of its pins; `description` may be NULL; `device` is which of a recording's it is to be, from 1.
 * False: said on standard error, and nothing is open. */
typedef struct described_source {
    device_source source;
    description_file file; /* its description is NULL where there is none */
    const recorded_device *device;
} described_source;

bool described_open(described_source *described, const char *path, const char *description,
                    unsigned device);
void described_close(described_source *described);

/* Item by item, with offsets and what each means. */
void print_raw(FILE *file, const recorded_device *device);

/* Which number a host shows for each button and axis. */
void print_host_numbers(FILE *file, const recorded_device *device);

/* The start of a description (YAML). `learnt` names controls by their place, or NULL. */
typedef struct learnt_control {
    const char *name;
    yt_field_place place;
    bool is_turned;   /* its numbers go down where the control goes the way that was asked for */
    bool is_measured; /* what it was seen to reach is its range: */
    int64_t low, rest, high;
} learnt_control;

void write_description(FILE *file, const recorded_device *device, const learnt_control *learnt,
                       size_t count);

/* Asks for one control after the other, finds what was pressed, and writes the description to
 * standard output. The exit status: 1 where nothing was found. */
int learn_device(device_source *source);

#endif
