/* Real devices of this Linux machine, through its hidraw nodes (linux/hidraw.h). */
#ifndef YONDER_LINUX_HIDRAW_H
#define YONDER_LINUX_HIDRAW_H

#include <stdbool.h>

#include "ports/sim/recording.h"
#include "yonder/hid.h"

typedef struct hidraw_node {
    char path[64]; /* "/dev/hidraw0" */
    char name[128];
    char serial[64]; /* "" without one */
    uint16_t bus;    /* yt_bus */
    uint16_t vendor;
    uint16_t product;
    int error; /* 0: it can be read; else an errno */
} hidraw_node;

/* The nodes of a machine, by number; `root` is "" or a folder that stands for it. Returns how many,
 * at most `most`. */
size_t hidraw_list(const char *root, hidraw_node *nodes, size_t most);

/* Whether a path is a hidraw node. */
bool hidraw_is_node(const char *path);

/* Opens a node and reads what it says of itself. Returns a file descriptor from which reports can
 * be read and to which they can be written; below 0: the negated errno. */
int hidraw_open(const char *path, recorded_device *device);

/* Waits for a report, up to `wait_ms`. Returns its length with its ID in front, 0 where none came,
 * or below 0 where the device has gone. */
long hidraw_read(int file, uint8_t *bytes, size_t size, int wait_ms);

/* Sends an output or feature report. `has_id`: the first byte is its ID. Returns 0, or the negated
 * errno. */
int hidraw_write(int file, yt_hid_direction direction, bool has_id, const uint8_t *bytes,
                 size_t size);

/* Asks for a feature report; its ID stands in `bytes` in front. Returns its length, or the
 * negated errno. */
int hidraw_get_feature(int file, uint8_t *bytes, size_t size);

#endif
