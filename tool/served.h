/* What `yonder serve` and `yonder obstacles` are told of the outputs. */
#ifndef YONDER_TOOL_SERVED_H
#define YONDER_TOOL_SERVED_H

#include <argp.h>
#include <stdbool.h>

#define SERVED_GADGET 30  /* bytes of a gadget's name, without its connector's number */
#define SERVED_FOLDER 100 /* and of the folder where FunctionFS is mounted */

typedef struct served_options {
    const char *gadget; /* "yonder" where it was not given */
    const char *mounted;
    bool here; /* devices of this machine itself */
    int radio; /* the Bluetooth controller for a connector that goes over it: hci0 is 0; -1: none */
} served_options;

extern const struct argp served_argp; /* its input is a served_options */

#endif
