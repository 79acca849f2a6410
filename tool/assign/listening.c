#include "tool/assign/listening.h"

#include <stdlib.h>
#include <string.h>

void begin_listening(listening *listening) {
    fflush(stderr);
    listening->usual = stderr;
    FILE *file = open_memstream(&listening->text, &listening->size);
    if (!file)
        abort();
    stderr = file;
}

void end_listening(listening *listening, char *text, size_t size) {
    fclose(stderr);
    stderr = listening->usual;
    snprintf(text, size, "%.*s", (int)strcspn(listening->text, "\n"), listening->text);
    free(listening->text);
}
