/* An engine with one formula, of which a host is told x and y by a joystick: for tests of what
 * filters do over time. Times are in seconds. */
#ifndef YONDER_TESTS_TOLD_H
#define YONDER_TESTS_TOLD_H

#include "tests/harness.h"

/* What the host was told last, -1 to 1. */
extern double told[2];

/* A stick of 16 bits is `hand.x` and `hand.y` in the formula; or a mouse is `ball`. */
void told_stick_begins(const char *formula);
void told_mouse_begins(const char *formula);
void told_end(void);

/* A report of the device comes, its raw numbers; or nothing does, and the time goes on. */
void told_report(double at, int x, int y);
void told_wait(double at);

/* A stick, -1 to 1. */
void told_feed(double at, double x, double y);

#endif
