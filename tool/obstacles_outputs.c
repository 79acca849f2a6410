/* What stands in the way of an adapter's outputs. */
#include <dirent.h>
#include <errno.h>
#include <stdio.h>
#include <string.h>
#include <sys/resource.h>
#include <unistd.h>

#include "ports/linux/gadget.h"
#include "tool/obstacles.h"

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

/* A cable that is missing stands in the way, but not of an adapter that goes over Bluetooth. */
static state cable_state(const looking *looking) {
    return looking->outputs.radio >= 0 ? WARNING : OBSTACLE;
}

static void look_at_gadget(looking *looking) {
    const served_options *options = &looking->outputs;
    char name[60], path[200], what[300], mend[300];
    snprintf(name, sizeof name, "%.40s1", options->gadget);
    snprintf(mend, sizeof mend, "sudo gadget-setup make %s %s %.100s", name, looking->user,
             options->mounted);
    snprintf(path, sizeof path, "/sys/kernel/config/usb_gadget/%s/UDC", name);
    if (access("/sys/kernel/config/usb_gadget", F_OK) != 0) {
        found(looking, cable_state(looking), "this kernel has no USB gadgets yet",
              "sudo modprobe libcomposite");
        return;
    }
    if (access(path, F_OK) != 0) {
        snprintf(what, sizeof what, "there is no gadget %s", name);
        found(looking, cable_state(looking), what, mend);
        return;
    }
    if (access(path, W_OK) != 0) {
        snprintf(what, sizeof what, "the gadget %s is not yours", name);
        found(looking, cable_state(looking), what, mend);
        return;
    }
    snprintf(path, sizeof path, "%.100s/%s/ep0", options->mounted, name);
    if (access(path, R_OK | W_OK) != 0) {
        snprintf(what, sizeof what, "%s: %s", path, strerror(errno));
        found(looking, cable_state(looking), what, mend);
        return;
    }
    snprintf(what, sizeof what, "the gadget %s is ready", name);
    found(looking, FINE, what, NULL);
}

static void look_at_controllers(looking *looking) {
    char name[60], controller[64];
    snprintf(name, sizeof name, "%.40s1", looking->outputs.gadget);
    if (gadget_find_controller(name, controller, sizeof controller))
        found(looking, FINE, "a USB connector of this machine can be a device", NULL);
    else if (has_entry("/sys/class/udc"))
        found(looking, cable_state(looking),
              "every USB connector that can be a device is another gadget's",
              "grep . /sys/kernel/config/usb_gadget/*/UDC says which; echo | sudo tee GADGET/UDC "
              "frees one");
    else
        found(looking, cable_state(looking),
              "no USB connector of this machine can be a device, or its driver is not loaded",
              "sudo modprobe dummy_hcd is one to try with, whose host is this machine");
}

/* ---- Bluetooth ---- */

enum { RIGHT_TO_THE_NETWORK = 12 }; /* CAP_NET_ADMIN, in linux/capability.h */

static bool has_right(unsigned right) {
    unsigned long long held = 0;
    char line[200];
    FILE *file = fopen("/proc/self/status", "r");
    while (file && fgets(line, sizeof line, file))
        if (sscanf(line, "CapEff: %llx", &held) == 1)
            break;
    if (file)
        fclose(file);
    return held >> right & 1;
}

/* Whether a program of this name runs. */
static bool runs(const char *name) {
    char path[300], line[40];
    bool any = false;
    DIR *folder = opendir("/proc");
    for (const struct dirent *entry; folder && !any && (entry = readdir(folder));) {
        snprintf(path, sizeof path, "/proc/%.200s/comm", entry->d_name);
        FILE *file = fopen(path, "r");
        if (!file)
            continue;
        if (fgets(line, sizeof line, file)) {
            line[strcspn(line, "\n")] = 0;
            any = strcmp(line, name) == 0;
        }
        fclose(file);
    }
    if (folder)
        closedir(folder);
    return any;
}

static void look_at_radio(looking *looking) {
    char name[20], path[60], what[200];
    snprintf(name, sizeof name, "hci%d", looking->outputs.radio);
    snprintf(path, sizeof path, "/sys/class/bluetooth/%s", name);
    if (access(path, F_OK) != 0) {
        snprintf(what, sizeof what, "there is no Bluetooth controller %s", name);
        found(looking, OBSTACLE, what, "ls /sys/class/bluetooth; sudo rfkill unblock bluetooth");
        return;
    }
    if (!has_right(RIGHT_TO_THE_NETWORK)) {
        snprintf(what, sizeof what, "%s: it takes the right CAP_NET_ADMIN", name);
        found(looking, OBSTACLE, what,
              "sudo setpriv --reuid=$USER --regid=$USER --init-groups --inh-caps=+net_admin "
              "--ambient-caps=+net_admin yonder serve ...");
        return;
    }
    if (runs("bluetoothd")) {
        snprintf(what, sizeof what, "%s: the Bluetooth service answers hosts in our place", name);
        found(looking, WARNING, what, "sudo systemctl stop bluetooth");
        return;
    }
    snprintf(what, sizeof what, "%s can be a device over Bluetooth", name);
    found(looking, FINE, what, NULL);
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

void look_at_outputs(looking *looking) {
    if (looking->outputs.here) {
        look_at_uhid(looking);
    } else {
        look_at_controllers(looking);
        look_at_gadget(looking);
        if (looking->outputs.radio >= 0)
            look_at_radio(looking);
    }
    look_at_time(looking);
}
