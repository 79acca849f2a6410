/* Writes the udev rule that lets a person use one device, and says what that opens. */
#include <argp.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/messages/status_text.h"
#include "compiler/names/usages.h"
#include "compiler/reading/file_read.h"
#include "ports/linux/hidraw.h"
#include "tool/options.h"
#include "tool/tool.h"

#define NODES 64

#define PAGE_SECURITY_KEY 0xf1d0 /* of the FIDO Alliance */

typedef struct options {
    const char *root;
    const char *node;
    const char *out;
} options;

/* What a device is, by its top-level collections. */
typedef struct nature {
    char text[300]; /* "keyboard, consumer_control" */
    bool types;     /* it is a keyboard or a keypad */
    bool is_security_key;
} nature;

static void add_application(nature *nature, uint16_t page, uint16_t usage) {
    char name[USAGE_NAME_BYTES];
    size_t used = strlen(nature->text);
    usage_name(page, usage, name);
    nature->types |= page == PAGE_DESKTOP && (usage == 6 || usage == 7);
    nature->is_security_key |= page == PAGE_SECURITY_KEY;
    if (!strstr(nature->text, name))
        snprintf(nature->text + used, sizeof nature->text - used, "%s%s", used ? ", " : "", name);
}

/* Reads it from what the kernel tells everybody; the node itself need not be opened. */
static bool find_nature(const options *options, nature *nature) {
    char path[256];
    const char *why = "there is none";
    size_t size;
    yt_hid_reader reader;
    yt_hid_field field;
    snprintf(path, sizeof path, "%s/sys/class/hidraw/%.40s/device/report_descriptor", options->root,
             options->node + strlen("/dev/"));
    char *bytes = file_read(path, YT_HID_BYTES, &size, &why);
    if (!bytes) {
        fprintf(stderr, "%s: its report descriptor cannot be read: %s\n", options->node, why);
        return false;
    }
    yt_hid_open(&reader, (const uint8_t *)bytes, size);
    yt_status status = yt_hid_next(&reader, &field);
    for (; status == YT_OK; status = yt_hid_next(&reader, &field))
        add_application(nature, field.application_page, field.application_usage);
    free(bytes);
    if (status == YT_END)
        return true;
    fprintf(stderr, "%s: what it is cannot be told from its report descriptor: %s\n", options->node,
            status_text(status));
    return false;
}

static const hidraw_node *find_node(const options *options) {
    static hidraw_node nodes[NODES];
    size_t count = hidraw_list(options->root, nodes, NODES);
    for (size_t i = 0; i < count; i++)
        if (strcmp(nodes[i].path, options->node) == 0)
            return &nodes[i];
    fprintf(stderr, "%s: there is no such HID device; `yonder list` shows those that there are\n",
            options->node);
    return NULL;
}

/* What it opens, and how the rule gets where udev looks. */
static void say_what_opens(const options *options, const hidraw_node *node, const nature *nature) {
    fprintf(stderr,
            "%sThis lets every program of the person who sits at this machine read and write all "
            "devices %04x:%04x over %s.\nHere that is %s, which calls itself \"%s\" and is: %s.\n",
            options->out ? "" : "\n", node->vendor, node->product,
            node->bus == YT_BUS_USB ? "USB" : "Bluetooth", node->path, node->name,
            *nature->text ? nature->text : "nothing that it has a report for");
    if (nature->types)
        fprintf(stderr, "It types: any of those programs can then read what is typed on it, "
                        "passwords too.\n");
    if (!options->out)
        fprintf(stderr,
                "Where you agree, and then plug it in anew:\n"
                "  yonder permit %s | sudo tee /etc/udev/rules.d/60-yonder-%04x-%04x.rules\n"
                "  sudo udevadm control --reload\n",
                options->node, node->vendor, node->product);
}

static bool permit(const options *options) {
    nature nature = {.types = false};
    whole_file file;
    const hidraw_node *node = find_node(options);
    if (!node || !find_nature(options, &nature))
        return false;
    if (nature.is_security_key) {
        fprintf(stderr, "%s is a security key; yonder opens none of those\n", options->node);
        return false;
    }
    if (node->bus != YT_BUS_USB && node->bus != YT_BUS_BLUETOOTH) {
        fprintf(stderr, "%s is neither a USB nor a Bluetooth device\n", options->node);
        return false;
    }
    if (!whole_file_open(&file, options->out ? options->out : "-", CONTENT_TEXT))
        return false;
    /* Nothing that the device says of itself stands in the rule but its numbers. */
    fprintf(file.file,
            "# Lets the person at this machine use the devices %04x:%04x over %s; written by "
            "yonder permit.\n"
            "KERNEL==\"hidraw*\", SUBSYSTEM==\"hidraw\", KERNELS==\"%04X:%04X:%04X.*\", "
            "TAG+=\"uaccess\"\n",
            node->vendor, node->product, node->bus == YT_BUS_USB ? "USB" : "Bluetooth", node->bus,
            node->vendor, node->product);
    if (!whole_file_close(&file))
        return false;
    say_what_opens(options, node, &nature);
    return true;
}

static error_t parse(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    switch (key) {
    case ARGP_KEY_INIT:
        state->child_inputs[0] = &options->out;
        return 0;
    case 'r':
        options->root = argument;
        return 0;
    case ARGP_KEY_ARG:
        if (strncmp(argument, "/dev/hidraw", strlen("/dev/hidraw")) != 0)
            argp_error(state, "a device is a node such as /dev/hidraw0, not \"%s\"", argument);
        return only_argument(key, argument, state, &options->node, "device");
    default:
        return only_argument(key, argument, state, &options->node, "device");
    }
}

int command_permit(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"root", 'r', "FOLDER", OPTION_HIDDEN, "a folder that stands for the machine", 0}, {0}};
    static const struct argp_child children[] = {{&out_argp, 0, 0, 0}, {0}};
    static const struct argp argp = {
        .options = known,
        .children = children,
        .parser = parse,
        .args_doc = "DEVICE",
        .doc = "Writes a udev rule that lets the person at this machine use one device, by its "
               "vendor and product, and says what that opens. Nothing is installed; security keys "
               "are refused."};
    options options = {.root = ""};
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    return permit(&options) ? 0 : 1;
}
