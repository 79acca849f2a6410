/* What calls say on standard error is heard here, and not printed: a full screen has no place for
 * it. */
#ifndef YONDER_TOOL_LISTENING_H
#define YONDER_TOOL_LISTENING_H

#include <stdio.h>

typedef struct listening {
    FILE *usual;
    char *text;
    size_t size;
} listening;

void begin_listening(listening *listening);

/* The first line of what was said into `text`, "" where nothing was. */
void end_listening(listening *listening, char *text, size_t size);

#endif
