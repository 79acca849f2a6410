/* Keeping a device's own events from this machine while the adapter has it: all evdev nodes of the
 * device are grabbed (EVIOCGRAB), so that no key is seen twice.
 *
 * A node is grabbed only while no key of it is down, since the machine would never hear of its
 * release; until then both have the device. */
#ifndef YONDER_LINUX_GRAB_H
#define YONDER_LINUX_GRAB_H

#include <stdbool.h>

#define GRAB_NODES 8 /* of a device; a keyboard with media keys has two or three */

typedef struct grab_node {
    char path[48]; /* "/dev/input/event3" */
    int file;      /* -1: it could not be opened */
    int error;     /* an errno: why, or why it was not grabbed; 0: nothing is wrong */
    bool is_grabbed;
} grab_node;

typedef struct grab {
    grab_node nodes[GRAB_NODES];
    unsigned count;
    bool has_all; /* every node that is there is grabbed */
} grab;

/* Opens the nodes of a device, by its hidraw node ("/dev/hidraw0"), that are not opened yet, and
 * grabs those whose keys are all up. May be called as often as one likes: nodes come one by one. */
void grab_take(grab *grab, const char *hidraw);

/* Gives them back, with their lights as this machine wants them, and closes them. */
void grab_let_go(grab *grab);

#endif
