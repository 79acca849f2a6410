/* Messages that are made up. */
#ifndef YONDER_TESTS_MESSAGES_H
#define YONDER_TESTS_MESSAGES_H

#include "tests/harness.h"
#include "yonder/message.h"

/* Any fields, of any size, and often the ends of their ranges. Enumerations stay below 2^31, as in
 * other implementations. */
void made_message(yt_message *message, dice *dice);

#endif
