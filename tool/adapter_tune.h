/* The parameters of the program that runs on an adapter. */
#ifndef YONDER_TOOL_ADAPTER_TUNE_H
#define YONDER_TOOL_ADAPTER_TUNE_H

#include "tool/adapter_talk.h"
#include "yonder/image/program.h"

#define TUNED 256

typedef struct tuned_parameter {
    unsigned index; /* in the program */
    char name[64];
    const yt_program_parameter *parameter;
    int32_t value; /* now */
    int32_t kept;  /* at the next start */
} tuned_parameter;

typedef struct tuned_program {
    uint8_t *image;
    yt_program program;
    unsigned slot; /* from 1 */
    uint32_t checksum;
    tuned_parameter parameters[TUNED];
    unsigned count;
} tuned_program;

/* Reads what runs. False: said. To be freed in any case. */
bool tuned_read(tuned_program *tuned, holder *holder);
void tuned_free(tuned_program *tuned);

/* Sets one, until another program is loaded. False: said. */
bool tuned_set(tuned_program *tuned, holder *holder, tuned_parameter *parameter, int32_t value);

/* Keeps all as they are now. */
bool tuned_keep(tuned_program *tuned, holder *holder);

/* How many would be another at the next start. */
unsigned tuned_unkept(const tuned_program *tuned);

/* A value with its unit. */
void tuned_text(const tuned_parameter *parameter, int32_t value, char *text, size_t size);

#endif
