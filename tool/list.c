/* Which devices there are: those of this machine, and those that the demo brings. */
#include <argp.h>
#include <errno.h>
#include <glob.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "ports/linux/hidraw.h"
#include "tool/json_text.h"
#include "tool/tool.h"

#define NODES 64

typedef struct options {
    const char *root;
    const char *data;
    bool json;
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
    printf("  %-38s  %-9s  %04x:%04x  %s%s%s%s\n", as_typed(path), bus, vendor, product, name,
           *note ? "  (" : "", note, *note ? ")" : "");
}

static const char *node_problem(int error) {
    return error == EACCES   ? "not allowed"
           : error == ENOENT ? "no node in /dev"
           : error           ? "cannot be opened"
                             : "";
}

static void print_real(const char *root) {
    static hidraw_node nodes[NODES];
    size_t count = hidraw_list(root, nodes, NODES);
    bool denied = false;
    printf("On this machine:\n");
    for (size_t i = 0; i < count; i++) {
        denied |= nodes[i].error == EACCES;
        print_row(nodes[i].path, bus_name(nodes[i].bus), nodes[i].vendor, nodes[i].product,
                  nodes[i].name, node_problem(nodes[i].error));
    }
    if (count == 0)
        printf("  no HID device (there is nothing in %s/sys/class/hidraw)\n", root);
    if (denied)
        printf(
            "\nTo be allowed to use one of them: `yonder permit DEVICE` writes a rule for it, and "
            "says what that opens.\n");
}

/* Recordings that can be used in place of devices; how many files there are. */
static size_t each_recorded(const char *data,
                            void (*each)(void *context, const char *path,
                                         const recorded_device *device),
                            void *context) {
    char pattern[512];
    glob_t found = {0};
    snprintf(pattern, sizeof pattern, "%s/recordings/*.hid", data);
    glob(pattern, 0, NULL, &found);
    snprintf(pattern, sizeof pattern, "%s/captures/*.pcap", data);
    glob(pattern, GLOB_APPEND, NULL, &found);
    for (size_t i = 0; i < found.gl_pathc; i++) {
        recording recording;
        if (!recording_read(&recording, found.gl_pathv[i]))
            continue;
        for (size_t k = 0; k < recording.device_count; k++)
            each(context, found.gl_pathv[i], &recording.devices[k]);
        recording_free(&recording);
    }
    size_t count = found.gl_pathc;
    globfree(&found);
    return count;
}

static void print_recorded(void *context, const char *path, const recorded_device *device) {
    (void)context;
    print_row(path, bus_name(device->bus), device->vendor, device->product, device->name, "");
}

static void print_simulated(const char *data) {
    char pattern[512];
    glob_t found = {0};
    printf("\nSimulated, from the demo's data:\n");
    if (each_recorded(data, print_recorded, NULL) == 0)
        printf("  none (there are no recordings in %s/recordings)\n", data);
    snprintf(pattern, sizeof pattern, "%s/logs/*-desk.csv", data);
    glob(pattern, 0, NULL, &found);
    for (size_t i = 0; i < found.gl_pathc; i++)
        printf("  %-38s  %-9s  %-9s  a log of a board's pins; give it to run or watch with a "
               "profile\n",
               as_typed(found.gl_pathv[i]), "board", "");
    globfree(&found);
}

/* ---- for programs ---- */

static void add_row(json_t *list, const char *path, const char *bus, unsigned vendor,
                    unsigned product, const char *name) {
    json_t *one = json_object();
    json_object_set_new(one, "path", json_text(as_typed(path)));
    json_object_set_new(one, "bus", json_text(bus));
    json_object_set_new(one, "vendor", json_integer(vendor));
    json_object_set_new(one, "product", json_integer(product));
    json_object_set_new(one, "name", json_text(name));
    json_array_append_new(list, one);
}

static json_t *real_as_json(const char *root) {
    static hidraw_node nodes[NODES];
    size_t count = hidraw_list(root, nodes, NODES);
    json_t *list = json_array();
    for (size_t i = 0; i < count; i++) {
        add_row(list, nodes[i].path, bus_name(nodes[i].bus), nodes[i].vendor, nodes[i].product,
                nodes[i].name);
        json_object_set_new(json_array_get(list, i), "problem",
                            nodes[i].error ? json_text(node_problem(nodes[i].error)) : json_null());
    }
    return list;
}

static void add_recorded(void *context, const char *path, const recorded_device *device) {
    add_row(context, path, bus_name(device->bus), device->vendor, device->product, device->name);
}

static int list_as_json(const options *options) {
    json_t *all = json_object(), *simulated = json_array();
    json_object_set_new(all, "machine", real_as_json(options->root));
    each_recorded(options->data, add_recorded, simulated);
    json_object_set_new(all, "simulated", simulated);
    return json_print(all) ? 0 : 1;
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
    case 'j':
        options->json = true;
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
        JSON_OPTION("as JSON"),
        {0}};
    static const struct argp argp = {
        .options = known,
        .parser = parse,
        .doc = "Lists the HID devices of this machine with their nodes, and the simulated ones. "
               "Each of them can be given to describe, watch and new."};
    options options = {.root = "", .data = YONDER_DEMO};
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    if (options.json)
        return list_as_json(&options);
    print_real(options.root);
    print_simulated(options.data);
    return 0;
}
