#include "tool/served.h"

#include <stdlib.h>
#include <string.h>

enum { OPTION_GADGET = 290, OPTION_MOUNTED, OPTION_HERE, OPTION_RADIO };

/* "hci" and up to three digits; -1: it is none. */
static int controller_of(const char *name) {
    static const char prefix[] = "hci";
    const char *digits = name + sizeof prefix - 1;
    if (strncmp(name, prefix, sizeof prefix - 1) != 0)
        return -1;
    size_t count = strspn(digits, "0123456789");
    return count >= 1 && count <= 3 && digits[count] == 0 ? atoi(digits) : -1;
}

static error_t parse(int key, char *argument, struct argp_state *state) {
    served_options *options = state->input;
    switch (key) {
    case ARGP_KEY_INIT:
        options->radio = -1;
        return 0;
    case OPTION_RADIO:
        options->radio = controller_of(argument);
        if (options->radio < 0)
            argp_error(state, "--radio takes a controller's name, as hci0, not \"%s\"", argument);
        return 0;
    case OPTION_GADGET:
        if (strlen(argument) > SERVED_GADGET || strchr(argument, '/') || !*argument)
            argp_error(state, "--gadget takes a name of up to %d bytes, not \"%s\"", SERVED_GADGET,
                       argument);
        options->gadget = argument;
        return 0;
    case OPTION_MOUNTED:
        if (strlen(argument) > SERVED_FOLDER)
            argp_error(state, "--mounted takes a path of up to %d bytes", SERVED_FOLDER);
        options->mounted = argument;
        return 0;
    case OPTION_HERE:
        options->here = true;
        return 0;
    case ARGP_KEY_END:
        if (options->here && (options->gadget || options->mounted || options->radio >= 0))
            argp_error(state,
                       "--here is for this machine, --gadget, --mounted and --radio for others");
        options->gadget = options->gadget ? options->gadget : "yonder";
        options->mounted = options->mounted ? options->mounted : "/run/yonder";
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

static const struct argp_option known[] = {
    {"gadget", OPTION_GADGET, "NAME", 0,
     "connector 1 is the USB gadget NAME1, and so on; yonder if not given", 0},
    {"mounted", OPTION_MOUNTED, "FOLDER", 0,
     "where FunctionFS is mounted for each; /run/yonder if not given", 0},
    {"radio", OPTION_RADIO, "CONTROLLER", 0,
     "the Bluetooth controller, as hci0, for a connector that a profile sends over Bluetooth", 0},
    {"here", OPTION_HERE, 0, 0, "the outputs are devices of this machine itself (uhid)", 0},
    {0}};

const struct argp served_argp = {.options = known, .parser = parse};
