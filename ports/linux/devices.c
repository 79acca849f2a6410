#include "ports/linux/devices.h"

#include <errno.h>
#include <fcntl.h>
#include <linux/hidraw.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>
#include <sys/inotify.h>
#include <sys/ioctl.h>
#include <unistd.h>

#define GRAB_AGAIN_US 10000   /* a key is down, or nodes are still to come: tried again, */
#define GRAB_MOST_US  1000000 /* twice as long after each time, up to this */
#define RIGHTS_US     5000000 /* so long may udev take to give the rights of a node */

static void tell(linux_devices *devices, const linux_device *device, linux_event event) {
    if (devices->tell)
        devices->tell(devices->context, device, event);
}

bool devices_begin(linux_devices *devices) {
    for (unsigned i = 0; i < DEVICES_SEEN; i++)
        devices->list[i] = (linux_device){.file = -1, .grab_at_us = YT_NEVER};
    devices->looks = true;
    devices->look_at_us = YT_NEVER;
    devices->watch = inotify_init1(IN_NONBLOCK | IN_CLOEXEC);
    return devices->watch >= 0 &&
           inotify_add_watch(devices->watch, "/dev", IN_CREATE | IN_ATTRIB | IN_DELETE) >= 0;
}

unsigned devices_wait_for(const linux_devices *devices, struct pollfd *polled) {
    unsigned count = 0;
    polled[count++] = (struct pollfd){devices->watch, POLLIN, 0};
    for (unsigned i = 0; i < DEVICES_SEEN; i++)
        if (devices->list[i].is_attached)
            polled[count++] = (struct pollfd){devices->list[i].file, POLLIN, 0};
    return count;
}

/* ---- coming and going ---- */

/* What this adapter is itself, to a host that may be this machine. */
static bool is_own(const linux_devices *devices, const hidraw_node *node) {
    size_t length = devices->own_serial ? strlen(devices->own_serial) : 0;
    bool is_by_air = devices->own_address[0] && strcasecmp(node->serial, devices->own_address) == 0;
    return is_by_air || (length > 0 && node->vendor == devices->own_vendor &&
                         strncmp(node->serial, devices->own_serial, length) == 0);
}

static void attach(linux_devices *devices, linux_device *device) {
    device->attached = (yt_device){.descriptor = device->device.descriptor,
                                   .descriptor_size = device->device.descriptor_size,
                                   .vendor = device->device.vendor,
                                   .product = device->device.product,
                                   .name = device->device.name,
                                   .serial = device->serial[0] ? device->serial : NULL,
                                   .bus = (uint8_t)device->device.bus,
                                   .input = YT_ANY_INPUT};
    device->status = yt_adapter_attach(devices->adapter, &device->attached,
                                       device->last_size ? device->last : NULL, device->last_size,
                                       &device->number);
    device->is_attached = device->status == YT_OK;
    device->grab_at_us = device->is_attached && devices->may_grab ? 0 : YT_NEVER;
    device->grab_wait_us = GRAB_AGAIN_US;
    device->is_left = !device->is_attached;
    if (device->is_left) {
        grab_let_go(&device->grab);
        close(device->file); /* an open node keeps a device awake */
        device->file = -1;
        device->last_size = 0;
    }
    tell(devices, device, device->is_attached ? LINUX_ARRIVED : LINUX_FITS_NOT);
}

static void open_device(linux_devices *devices, linux_device *device, uint64_t now_us) {
    device->file = hidraw_open(device->path, &device->device);
    if (device->file < 0) {
        bool is_early = now_us < device->seen_us + RIGHTS_US;
        bool is_new = !is_early && device->error != -device->file;
        if (is_early && device->seen_us + RIGHTS_US < devices->look_at_us)
            devices->look_at_us = device->seen_us + RIGHTS_US;
        if (is_new)
            device->error = -device->file;
        device->file = -1;
        if (is_new)
            tell(devices, device, LINUX_UNREADABLE);
        return;
    }
    device->error = 0;
    attach(devices, device);
}

static void forget(linux_devices *devices, linux_device *device, uint64_t now_us) {
    if (device->is_attached) {
        yt_adapter_detach(devices->adapter, device->number, now_us);
        device->is_attached = false;
        tell(devices, device, LINUX_LEFT);
    }
    grab_let_go(&device->grab);
    if (device->file >= 0)
        close(device->file);
    *device = (linux_device){.file = -1, .grab_at_us = YT_NEVER};
}

static linux_device *find(linux_devices *devices, const char *path) {
    for (unsigned i = 0; i < DEVICES_SEEN; i++)
        if (strcmp(devices->list[i].path, path) == 0)
            return &devices->list[i];
    return NULL;
}

static bool is_among(const hidraw_node *nodes, size_t count, const char *path) {
    for (size_t i = 0; i < count; i++)
        if (strcmp(nodes[i].path, path) == 0)
            return true;
    return false;
}

/* All nodes of the machine: those that are gone are let go, others are taken, and those that could
 * not be opened are tried again. */
static void look(linux_devices *devices, uint64_t now_us) {
    static hidraw_node nodes[DEVICES_SEEN];
    size_t count = hidraw_list("", nodes, DEVICES_SEEN);
    devices->looks = false;
    devices->look_at_us = YT_NEVER;
    for (unsigned i = 0; i < DEVICES_SEEN; i++)
        if (devices->list[i].path[0] && !is_among(nodes, count, devices->list[i].path))
            forget(devices, &devices->list[i], now_us);
    for (size_t i = 0; i < count; i++) {
        linux_device *device = find(devices, nodes[i].path);
        if (is_own(devices, &nodes[i]))
            continue;
        if (!device && (device = find(devices, ""))) {
            memcpy(device->path, nodes[i].path, sizeof device->path);
            memcpy(device->serial, nodes[i].serial, sizeof device->serial);
            device->seen_us = now_us;
        }
        if (device && device->file < 0 && !device->is_left)
            open_device(devices, device, now_us);
    }
}

/* A node that went: its name may be another device's in a moment. */
static void note_gone(linux_devices *devices, const char *name, uint64_t now_us) {
    char path[sizeof devices->list[0].path];
    snprintf(path, sizeof path, "/dev/%.50s", name);
    linux_device *device = find(devices, path);
    if (device)
        forget(devices, device, now_us);
}

static void read_watch(linux_devices *devices, uint64_t now_us) {
    char events[4096] __attribute__((aligned(__alignof__(struct inotify_event))));
    ssize_t size;
    while ((size = read(devices->watch, events, sizeof events)) > 0)
        for (char *at = events; at < events + size;) {
            const struct inotify_event *event = (const void *)at;
            bool is_ours = event->len > 0 && strncmp(event->name, "hidraw", 6) == 0;
            if (is_ours && (event->mask & IN_DELETE))
                note_gone(devices, event->name, now_us);
            devices->looks |= is_ours || event->len == 0;
            at += sizeof *event + event->len;
        }
}

/* ---- reports ---- */

/* Reads all that waits, so that the kernel has room for what comes. */
static void read_reports(linux_devices *devices, linux_device *device, uint64_t now_us) {
    unsigned count = 0;
    long size = 0;
    while (count <= 2 * HIDRAW_KEPT &&
           (size = hidraw_read(device->file, device->last, sizeof device->last, 0)) > 0) {
        device->last_size = (size_t)size;
        devices->reports++;
        count++;
        yt_engine_give(devices->engine, device->number, device->last, device->last_size, now_us);
        if (devices->reported)
            devices->reported(devices->context, device, device->last, device->last_size, now_us);
    }
    if (count >= HIDRAW_KEPT && device->suspected++ == 0)
        tell(devices, device, LINUX_LOSES);
    if (size < 0)
        forget(devices, device, now_us);
}

static void keep_from_machine(linux_devices *devices, linux_device *device, uint64_t now_us) {
    bool had_all = device->grab.has_all;
    grab_take(&device->grab, device->path);
    /* Less and less often: a device may have no such node, or somebody else may have it. */
    device->grab_wait_us = device->grab.has_all || device->grab_wait_us >= GRAB_MOST_US / 2
                               ? GRAB_MOST_US
                               : 2 * device->grab_wait_us;
    device->grab_at_us = now_us + device->grab_wait_us;
    if (device->grab.has_all && !had_all)
        tell(devices, device, LINUX_GRABBED);
}

uint64_t devices_serve(linux_devices *devices, uint64_t now_us) {
    read_watch(devices, now_us);
    if (devices->looks || now_us >= devices->look_at_us)
        look(devices, now_us);
    uint64_t next_us = devices->look_at_us;
    for (unsigned i = 0; i < DEVICES_SEEN; i++) {
        linux_device *device = &devices->list[i];
        if (device->is_attached)
            read_reports(devices, device, now_us);
        if (device->is_attached && device->grab_at_us <= now_us)
            keep_from_machine(devices, device, now_us);
        if (device->is_attached && device->grab_at_us < next_us)
            next_us = device->grab_at_us;
    }
    return next_us;
}

void devices_attach_all(linux_devices *devices) {
    for (unsigned i = 0; i < DEVICES_SEEN; i++)
        devices->list[i].is_attached = false;
    for (unsigned i = 0; i < DEVICES_SEEN; i++) {
        linux_device *device = &devices->list[i];
        device->is_left = false;
        if (device->file >= 0)
            attach(devices, device);
        else if (device->path[0])
            devices->looks = true;
    }
}

void devices_drive(linux_devices *devices, relay *relay) {
    relay_asked asked = {.asker = 0};
    yt_device_output output;
    for (unsigned i = 0; i < DEVICES_SEEN; i++) {
        linux_device *device = &devices->list[i];
        while (device->is_attached && relay_has_room(relay) &&
               yt_device_report(devices->engine, device->number, asked.bytes, YT_REPORT_BYTES + 1,
                                &output) == YT_OK &&
               output.length > 0) {
            asked.direction = output.direction;
            asked.has_id = output.has_id;
            asked.size = output.length;
            (void)!relay_ask(relay, device->file, &asked);
        }
    }
}

int devices_file(const linux_devices *devices, unsigned number) {
    for (unsigned i = 0; i < DEVICES_SEEN; i++)
        if (devices->list[i].is_attached && devices->list[i].number == number)
            return devices->list[i].file;
    return -1;
}

const yt_device *devices_attached(const linux_devices *devices, unsigned number) {
    for (unsigned i = 0; i < DEVICES_SEEN; i++)
        if (devices->list[i].is_attached && devices->list[i].number == number)
            return &devices->list[i].attached;
    return NULL;
}

void devices_end(linux_devices *devices, uint64_t now_us) {
    for (unsigned i = 0; i < DEVICES_SEEN; i++)
        if (devices->list[i].path[0])
            forget(devices, &devices->list[i], now_us);
    if (devices->watch >= 0)
        close(devices->watch);
    devices->watch = -1;
}
