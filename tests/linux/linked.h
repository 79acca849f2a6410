/* An adapter's link behind a hidraw node of the kernel's: a part of tests/linux/init.c. */
#ifndef YONDER_TESTS_LINUX_LINKED_H
#define YONDER_TESTS_LINUX_LINKED_H

#include <stdio.h>

/* Makes a device through uhid that speaks the link, talks to it by its node as the command does,
 * and says what came of it: "linked ...". */
void talk_by_hidraw(FILE *out);

#endif
