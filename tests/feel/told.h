/* An engine with one formula, of which a host is told x and y by a joystick, or motion by a mouse:
 * for tests of what filters do over time. Times are in seconds. */
#ifndef YONDER_TESTS_TOLD_H
#define YONDER_TESTS_TOLD_H

#include "tests/harness.h"

/* What the host was told last, -1 to 1. */
extern double told[2];

/* The counts that it was told of since it began. */
extern double told_moved[2];

/* Further lines of the profile, such as parameters; "" at first. */
extern const char *told_head;

/* How often the host takes a report, in seconds; 0: at once. */
extern double told_poll;

/* A stick of 16 bits is `hand.x` and `hand.y` in the formula; or a mouse is `ball`. */
void told_stick_begins(const char *formula);
void told_mouse_begins(const char *formula);

/* A grip with a gyro and an accelerometer is `hand` (crane/devices/lapwing-grip.yaml), `keys` a
 * keyboard; `is_motion`: the formula gives motion, else a stick. */
void told_grip_begins(const char *formula, bool is_motion);
void told_end(void);

/* A report of the grip: its stick, -1 to 1, its gyro in degrees a second, its accelerometer in g.
 */
void told_grip(double at, const double stick[2], const double gyro[3], const double pull[3]);

/* The key a is held, or not. */
void told_key(double at, bool is_held);

/* A report of the device comes, its raw numbers; or nothing does, and the time goes on. */
void told_report(double at, int x, int y);
void told_wait(double at);

/* Whether the engine asks to be called again, though nothing comes. */
bool told_goes_on(double at);

/* A stick, -1 to 1. */
void told_feed(double at, double x, double y);

#endif
