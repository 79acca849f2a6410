/* What on this machine stands in the way of being an adapter, in the order in which people get
 * stuck, each with the command that mends it. */
#include <argp.h>
#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <linux/input.h>
#include <pwd.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <sys/resource.h>
#include <unistd.h>

#include "ports/linux/gadget.h"
#include "ports/linux/hidraw.h"
#include "tool/json_text.h"
#include "tool/options.h"
#include "tool/served.h"
#include "tool/tool.h"

#define NODES 32

typedef struct options {
    served_options outputs;
    bool json;
} options;

/* What was looked at, and what was found. */
typedef enum state { FINE, WARNING, OBSTACLE } state;

typedef struct looking {
    const options *options;
    json_t *list;
    bool is_obstructed;
    char user[64];
} looking;

static const char *const state_names[] = {"fine", "warning", "obstacle"};

static void found(looking *looking, state state, const char *what, const char *mend)
    __attribute__((nonnull(1, 3)));

static void found(looking *looking, state state, const char *what, const char *mend) {
    json_t *one = json_object();
    json_object_set_new(one, "state", json_string(state_names[state]));
    json_object_set_new(one, "what", json_text(what));
    json_object_set_new(one, "mend", mend ? json_text(mend) : json_null());
    json_array_append_new(looking->list, one);
    looking->is_obstructed |= state == OBSTACLE;
}

/* ---- devices ---- */

static void look_at_rights(looking *looking, const hidraw_node *node) {
    char what[300], mend[200];
    if (node->error == 0) {
        snprintf(what, sizeof what, "%.63s, %.100s: it can be read", node->path, node->name);
        found(looking, FINE, what, NULL);
        return;
    }
    snprintf(what, sizeof what, "%.63s, %.100s: %s", node->path, node->name, strerror(node->error));
    snprintf(mend, sizeof mend,
             "yonder permit %.63s | sudo tee /etc/udev/rules.d/60-yonder.rules; "
             "sudo udevadm control --reload; then plug it in again",
             node->path);
    found(looking, OBSTACLE, what, node->error == EACCES ? mend : NULL);
}

/* Whether another program has an event node to itself. */
static void look_at_grab(looking *looking, const char *event) {
    char path[80], what[200], mend[200];
    snprintf(path, sizeof path, "/dev/input/%.40s", event);
    int file = open(path, O_RDONLY | O_NONBLOCK | O_CLOEXEC);
    if (file < 0) {
        snprintf(what, sizeof what, "%s: %s, so this machine goes on seeing what is pressed", path,
                 strerror(errno));
        snprintf(mend, sizeof mend, "sudo usermod -aG input %s; then log in anew", looking->user);
        found(looking, WARNING, what, mend);
        return;
    }
    if (ioctl(file, EVIOCGRAB, (void *)1) == 0) {
        ioctl(file, EVIOCGRAB, (void *)0);
    } else if (errno == EBUSY) {
        snprintf(what, sizeof what, "%s: another program has it to itself", path);
        snprintf(mend, sizeof mend, "sudo fuser -v %s says which; end it", path);
        found(looking, WARNING, what, mend);
    }
    close(file);
}

static void look_at_events(looking *looking, const char *hidraw) {
    char path[512], below[800];
    snprintf(path, sizeof path, "/sys/class/hidraw/%.40s/device/input", strrchr(hidraw, '/') + 1);
    DIR *folder = opendir(path);
    for (const struct dirent *entry; folder && (entry = readdir(folder));) {
        if (strncmp(entry->d_name, "input", 5) != 0)
            continue;
        snprintf(below, sizeof below, "%s/%s", path, entry->d_name);
        DIR *inside = opendir(below);
        for (const struct dirent *event; inside && (event = readdir(inside));)
            if (strncmp(event->d_name, "event", 5) == 0)
                look_at_grab(looking, event->d_name);
        if (inside)
            closedir(inside);
    }
    if (folder)
        closedir(folder);
}

static void look_at_devices(looking *looking) {
    static hidraw_node nodes[NODES];
    if (access("/sys/class/hidraw", F_OK) != 0) {
        found(looking, OBSTACLE, "this kernel has no hidraw nodes", "sudo modprobe hid");
        return;
    }
    size_t count = hidraw_list("", nodes, NODES);
    if (count == 0)
        found(looking, WARNING, "no HID device is plugged in", "plug one in");
    for (size_t i = 0; i < count; i++) {
        look_at_rights(looking, &nodes[i]);
        look_at_events(looking, nodes[i].path);
    }
}

/* ---- outputs ---- */

static void look_at_uhid(looking *looking) {
    char mend[200];
    snprintf(mend, sizeof mend,
             "echo 'KERNEL==\"uhid\", OWNER=\"%s\"' | sudo tee /etc/udev/rules.d/70-uhid.rules; "
             "sudo udevadm trigger",
             looking->user);
    if (access("/dev/uhid", F_OK) != 0)
        found(looking, OBSTACLE, "/dev/uhid: it is not there", "sudo modprobe uhid");
    else if (access("/dev/uhid", R_OK | W_OK) != 0)
        found(looking, OBSTACLE, "/dev/uhid: you may not use it", mend);
    else
        found(looking, FINE, "/dev/uhid: outputs can be devices of this machine", NULL);
}

static bool has_entry(const char *path) {
    DIR *folder = opendir(path);
    bool any = false;
    for (const struct dirent *entry; folder && (entry = readdir(folder));)
        any |= entry->d_name[0] != '.';
    if (folder)
        closedir(folder);
    return any;
}

static void look_at_gadget(looking *looking) {
    const served_options *options = &looking->options->outputs;
    char name[60], path[200], what[300], mend[300];
    snprintf(name, sizeof name, "%.40s1", options->gadget);
    snprintf(mend, sizeof mend, "sudo gadget-setup make %s %s %.100s", name, looking->user,
             options->mounted);
    snprintf(path, sizeof path, "/sys/kernel/config/usb_gadget/%s/UDC", name);
    if (access("/sys/kernel/config/usb_gadget", F_OK) != 0) {
        found(looking, OBSTACLE, "this kernel has no USB gadgets yet",
              "sudo modprobe libcomposite");
        return;
    }
    if (access(path, F_OK) != 0) {
        snprintf(what, sizeof what, "there is no gadget %s", name);
        found(looking, OBSTACLE, what, mend);
        return;
    }
    if (access(path, W_OK) != 0) {
        snprintf(what, sizeof what, "the gadget %s is not yours", name);
        found(looking, OBSTACLE, what, mend);
        return;
    }
    snprintf(path, sizeof path, "%.100s/%s/ep0", options->mounted, name);
    if (access(path, R_OK | W_OK) != 0) {
        snprintf(what, sizeof what, "%s: %s", path, strerror(errno));
        found(looking, OBSTACLE, what, mend);
        return;
    }
    snprintf(what, sizeof what, "the gadget %s is ready", name);
    found(looking, FINE, what, NULL);
}

static void look_at_controllers(looking *looking) {
    char name[60], controller[64];
    snprintf(name, sizeof name, "%.40s1", looking->options->outputs.gadget);
    if (gadget_find_controller(name, controller, sizeof controller))
        found(looking, FINE, "a USB connector of this machine can be a device", NULL);
    else if (has_entry("/sys/class/udc"))
        found(looking, OBSTACLE, "every USB connector that can be a device is another gadget's",
              "grep . /sys/kernel/config/usb_gadget/*/UDC says which; echo | sudo tee GADGET/UDC "
              "frees one");
    else
        found(looking, OBSTACLE,
              "no USB connector of this machine can be a device, or its driver is not loaded",
              "sudo modprobe dummy_hcd is one to try with, whose host is this machine");
}

/* ---- time ---- */

static void look_at_time(looking *looking) {
    struct rlimit priority = {0, 0}, memory = {0, 0};
    getrlimit(RLIMIT_RTPRIO, &priority);
    getrlimit(RLIMIT_MEMLOCK, &memory);
    bool is_root = geteuid() == 0;
    if (is_root || (priority.rlim_cur > 0 && memory.rlim_cur == RLIM_INFINITY)) {
        found(looking, FINE, "it may run in real time", NULL);
        return;
    }
    char mend[300];
    snprintf(mend, sizeof mend,
             "echo '%s - rtprio 20' and '%s - memlock unlimited' into "
             "/etc/security/limits.d/yonder.conf; then log in anew",
             looking->user, looking->user);
    found(looking, WARNING, "it may not run in real time: reports come late on a busy machine",
          mend);
}

static void print_all(const json_t *list) {
    size_t i;
    const json_t *one;
    json_array_foreach(list, i, one) {
        const char *state = json_string_value(json_object_get(one, "state"));
        const char *mend = json_string_value(json_object_get(one, "mend"));
        printf("%-9s %s\n", state, json_string_value(json_object_get(one, "what")));
        if (mend)
            printf("%-9s     %s\n", "", mend);
    }
}

static error_t parse(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    switch (key) {
    case ARGP_KEY_INIT:
        state->child_inputs[0] = &options->outputs;
        return 0;
    case 'j':
        options->json = true;
        return 0;
    case ARGP_KEY_ARG:
        argp_error(state, "there is nothing to say but options: \"%s\"", argument);
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

int command_obstacles(int count, char **arguments) {
    static const struct argp_option known[] = {JSON_OPTION("as JSON"), {0}};
    static const struct argp_child children[] = {{&served_argp, 0, 0, 0}, {0}};
    static const struct argp argp = {
        .options = known,
        .children = children,
        .parser = parse,
        .doc = "Says what on this machine stands in the way of yonder serve, in the order in which "
               "people get stuck, each with the command that mends it.\vThe exit status is 1 where "
               "something stands in the way; what is only a warning does not."};
    options options = {.json = false};
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    looking looking = {.options = &options, .list = json_array()};
    const struct passwd *user = getpwuid(geteuid());
    snprintf(looking.user, sizeof looking.user, "%.60s", user ? user->pw_name : "$USER");
    look_at_devices(&looking);
    if (options.outputs.here) {
        look_at_uhid(&looking);
    } else {
        look_at_controllers(&looking);
        look_at_gadget(&looking);
    }
    look_at_time(&looking);
    bool good = true;
    if (options.json)
        good = json_print(looking.list);
    else
        print_all(looking.list);
    if (!options.json)
        json_decref(looking.list);
    return good && !looking.is_obstructed ? 0 : 1;
}
