#include "ports/linux/grab.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <linux/input.h>
#include <stdint.h>
#include <stdio.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

/* Whether all keys and buttons of a node are up. */
static bool is_at_rest(int file) {
    uint8_t keys[KEY_CNT / 8 + 1] = {0};
    if (ioctl(file, EVIOCGKEY(sizeof keys), keys) < 0)
        return false;
    for (size_t i = 0; i < sizeof keys; i++)
        if (keys[i])
            return false;
    return true;
}

static void take_node(grab_node *node) {
    if (node->file < 0) {
        node->file = open(node->path, O_RDWR | O_NONBLOCK | O_CLOEXEC);
        if (node->file < 0 && errno == EACCES) /* its lights stay as they are, then */
            node->file = open(node->path, O_RDONLY | O_NONBLOCK | O_CLOEXEC);
        node->error = node->file < 0 ? errno : 0;
    }
    if (node->file < 0 || node->is_grabbed || !is_at_rest(node->file))
        return;
    node->is_grabbed = ioctl(node->file, EVIOCGRAB, (void *)1) == 0;
    node->error = node->is_grabbed ? 0 : errno;
    /* A key that went down in between: the machine is to hear of its release. */
    if (node->is_grabbed && !is_at_rest(node->file))
        node->is_grabbed = ioctl(node->file, EVIOCGRAB, (void *)0) != 0;
}

static void add_node(grab *grab, const char *name) {
    char path[48];
    unsigned i = 0;
    snprintf(path, sizeof path, "/dev/input/%.30s", name);
    while (i < grab->count && strcmp(grab->nodes[i].path, path) != 0)
        i++;
    if (i == GRAB_NODES)
        return;
    if (i == grab->count) {
        grab->nodes[grab->count] = (grab_node){.file = -1};
        memcpy(grab->nodes[grab->count++].path, path, sizeof path);
    }
    take_node(&grab->nodes[i]);
}

/* The event nodes below an input device, as in …/input/input7/event3. */
static void look_below(grab *grab, const char *path) {
    DIR *folder = opendir(path);
    for (const struct dirent *entry; folder && (entry = readdir(folder));)
        if (strncmp(entry->d_name, "event", 5) == 0)
            add_node(grab, entry->d_name);
    if (folder)
        closedir(folder);
}

void grab_take(grab *grab, const char *hidraw) {
    char path[512], below[800];
    const char *name = strrchr(hidraw, '/');
    snprintf(path, sizeof path, "/sys/class/hidraw/%.40s/device/input", name ? name + 1 : hidraw);
    DIR *folder = opendir(path);
    for (const struct dirent *entry; folder && (entry = readdir(folder));) {
        if (strncmp(entry->d_name, "input", 5) != 0)
            continue;
        snprintf(below, sizeof below, "%s/%s", path, entry->d_name);
        look_below(grab, below);
    }
    if (folder)
        closedir(folder);
    grab->has_all = grab->count > 0;
    for (unsigned i = 0; i < grab->count; i++)
        grab->has_all = grab->has_all && grab->nodes[i].is_grabbed;
}

static void set_light(int file, unsigned code, bool on) {
    const struct input_event events[2] = {{.type = EV_LED, .code = (uint16_t)code, .value = on},
                                          {.type = EV_SYN, .code = SYN_REPORT}};
    (void)!write(file, events, sizeof events);
}

/* The machine's own idea of the lights goes to the device again: it only does where one changes. */
static void give_lights_back(int file) {
    uint8_t there[LED_CNT / 8 + 1] = {0}, on[LED_CNT / 8 + 1] = {0};
    if (ioctl(file, EVIOCGBIT(EV_LED, sizeof there), there) < 0 ||
        ioctl(file, EVIOCGLED(sizeof on), on) < 0)
        return;
    for (unsigned code = 0; code < LED_CNT; code++) {
        bool is_on = on[code / 8] >> code % 8 & 1;
        if (!(there[code / 8] >> code % 8 & 1))
            continue;
        set_light(file, code, !is_on);
        set_light(file, code, is_on);
    }
}

void grab_let_go(grab *grab) {
    for (unsigned i = 0; i < grab->count; i++) {
        if (grab->nodes[i].is_grabbed)
            ioctl(grab->nodes[i].file, EVIOCGRAB, (void *)0);
        if (grab->nodes[i].is_grabbed)
            give_lights_back(grab->nodes[i].file);
        if (grab->nodes[i].file >= 0)
            close(grab->nodes[i].file);
    }
    memset(grab, 0, sizeof *grab);
}
