#ifndef YONDER_COMPILER_MESSAGES_STATUS_TEXT_H
#define YONDER_COMPILER_MESSAGES_STATUS_TEXT_H

#include "yonder/status.h"

/* What a status means, in words for people. */
const char *status_text(yt_status status);

#endif
