/* Which devices there are: those of this machine, and those that the demo brings. */
#include <argp.h>
#include <errno.h>
#include <glob.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "ports/linux/hidraw.h"
#include "tool/tool.h"

#define NODES 64

typedef struct options {
    const char *root;
    const char *data;
} options;

static const char *bus_name(unsigned bus) {
    return bus == YT_BUS_USB ? "USB" : bus == YT_BUS_BLUETOOTH ? "Bluetooth" : "other bus";
}

/* Below the folder that we are in, a path is shown as one types it. */
static const char *as_typed(const char *path) {
    static char here[512];
    size_t length = getcwd(here, sizeof here) ? strlen(here) : 0;
    bool is_below = length > 1 && strncmp(path, here, length) == 0 && path[length] == '/';
    return is_below ? path + length + 1 : path;
}

static void print_row(const char *path, const char *bus, unsigned vendor, unsigned product,
                      const char *name, const char *note) {
    printf("  %-38s  %-9s  %04x:%04x  %s%s\n", as_typed(path), bus, vendor, product, name, note);
}

static void print_real(const char *root) {
    static hidraw_node nodes[NODES];
    size_t count = hidraw_list(root, nodes, NODES);
    bool denied = false;
    printf("On this machine:\n");
    for (size_t i = 0; i < count; i++) {
        denied |= nodes[i].error == EACCES;
        print_row(nodes[i].path, bus_name(nodes[i].bus), nodes[i].vendor, nodes[i].product,
                  nodes[i].name,
                  nodes[i].error == EACCES   ? "  (not allowed)"
                  : nodes[i].error == ENOENT ? "  (no node in /dev)"
                  : nodes[i].error           ? "  (cannot be opened)"
                                             : "");
    }
    if (count == 0)
        printf("  no HID device (there is nothing in %s/sys/class/hidraw)\n", root);
    if (denied)
        printf(
            "\nTo be allowed to use one of them: `yonder permit DEVICE` writes a rule for it, and "
            "says what that opens.\n");
}

/* Recordings that can be used in place of devices. */
static void print_simulated(const char *data) {
    char pattern[512];
    glob_t found = {0};
    snprintf(pattern, sizeof pattern, "%s/recordings/*.hid", data);
    glob(pattern, 0, NULL, &found);
    snprintf(pattern, sizeof pattern, "%s/captures/*.pcap", data);
    glob(pattern, GLOB_APPEND, NULL, &found);
    printf("\nSimulated, from the demo's data:\n");
    for (size_t i = 0; i < found.gl_pathc; i++) {
        recording recording;
        if (!recording_read(&recording, found.gl_pathv[i]))
            continue;
        for (size_t k = 0; k < recording.device_count; k++) {
            const recorded_device *device = &recording.devices[k];
            print_row(found.gl_pathv[i], bus_name(device->bus), device->vendor, device->product,
                      device->name, "");
        }
        recording_free(&recording);
    }
    if (found.gl_pathc == 0)
        printf("  none (there are no recordings in %s/recordings)\n", data);
    globfree(&found);
    memset(&found, 0, sizeof found);
    snprintf(pattern, sizeof pattern, "%s/logs/*-desk.csv", data);
    glob(pattern, 0, NULL, &found);
    for (size_t i = 0; i < found.gl_pathc; i++)
        printf("  %-38s  %-9s  %-9s  a log of a board's pins; give it to run or watch with a "
               "profile\n",
               as_typed(found.gl_pathv[i]), "board", "");
    globfree(&found);
}

static error_t parse(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    switch (key) {
    case 'r':
        options->root = argument;
        return 0;
    case 'd':
        options->data = argument;
        return 0;
    case ARGP_KEY_ARG:
        argp_error(state, "list takes no argument; `yonder describe %s` shows one device",
                   argument);
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

int command_list(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"data", 'd', "FOLDER", 0, "where the demo's recordings are", 0},
        {"root", 'r', "FOLDER", 0, "look at another machine's files, below this folder", 0},
        {0}};
    static const struct argp argp = {
        .options = known,
        .parser = parse,
        .doc = "Lists the HID devices of this machine with their nodes, and the simulated ones. "
               "Each of them can be given to describe, watch and new."};
    options options = {.root = "", .data = YONDER_DEMO};
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    print_real(options.root);
    print_simulated(options.data);
    return 0;
}
