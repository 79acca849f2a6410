/* What stands in the way of an adapter's inputs. */
#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <linux/input.h>
#include <stdio.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include "ports/linux/hidraw.h"
#include "ports/linux/line.h"
#include "tool/obstacles.h"

#define NODES       32
#define USB_DEVICES "/sys/bus/usb/devices"
#define DIGITIZERS  0x0d
#define INPUT_MODE  0x52

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

/* A device that works in several ways, of which its host chooses one (HID Usage Tables, Digitizers
 * page, Input Mode): without a driver that does, it stays in the simplest. */
static void look_at_mode(looking *looking, const hidraw_node *node) {
    static recorded_device device;
    yt_hid_reader reader;
    yt_hid_field field;
    bool has_modes = false;
    char link[400], driver[200], what[300];
    int file = node->error ? -1 : hidraw_open(node->path, &device);
    if (file < 0)
        return;
    close(file);
    yt_hid_open(&reader, device.descriptor, device.descriptor_size);
    while (yt_hid_next(&reader, &field) == YT_OK)
        has_modes |= field.direction == YT_HID_FEATURE && field.usage_page == DIGITIZERS &&
                     field.usage_first <= INPUT_MODE && field.usage_last >= INPUT_MODE;
    snprintf(link, sizeof link, "/sys/class/hidraw/%.40s/device/driver",
             strrchr(node->path, '/') + 1);
    ssize_t length = readlink(link, driver, sizeof driver - 1);
    driver[length > 0 ? length : 0] = 0;
    if (!has_modes || strstr(driver, "hid-multitouch"))
        return;
    snprintf(what, sizeof what, "%.63s, %.100s: nobody chooses its input mode, so it is a mouse",
             node->path, node->name);
    found(looking, WARNING, what, "sudo modprobe hid_multitouch; then plug it in again");
}

/* A USB device with interfaces of its maker's own and none of HID: many pads have another mode, in
 * which they are one that everybody knows. */
static void look_at_usb_device(looking *looking, const char *name) {
    char folder[300], text[20], product[100], what[300];
    bool is_own = false, is_hid = false;
    DIR *all = opendir(USB_DEVICES);
    for (const struct dirent *entry; all && (entry = readdir(all));) {
        if (strncmp(entry->d_name, name, strlen(name)) != 0 || entry->d_name[strlen(name)] != ':')
            continue;
        snprintf(folder, sizeof folder, USB_DEVICES "/%.200s", entry->d_name);
        line_of(folder, "bInterfaceClass", text, sizeof text);
        is_own |= strcmp(text, "ff") == 0;
        is_hid |= strcmp(text, "03") == 0;
    }
    if (all)
        closedir(all);
    if (!is_own || is_hid)
        return;
    snprintf(folder, sizeof folder, USB_DEVICES "/%.200s", name);
    line_of(folder, "product", product, sizeof product);
    snprintf(what, sizeof what, "USB device %.40s, %.99s: it is no HID device as it is now", name,
             product);
    found(looking, WARNING, what,
          "if it is a pad: a switch on it, or a button held while it is plugged in, may choose "
          "another mode");
}

static void look_at_usb_devices(looking *looking) {
    DIR *folder = opendir(USB_DEVICES);
    for (const struct dirent *entry; folder && (entry = readdir(folder));)
        if (entry->d_name[0] != '.' && !strchr(entry->d_name, ':'))
            look_at_usb_device(looking, entry->d_name);
    if (folder)
        closedir(folder);
}

void look_at_devices(looking *looking) {
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
        look_at_mode(looking, &nodes[i]);
    }
    look_at_usb_devices(looking);
}
