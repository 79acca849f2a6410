#include "ports/linux/hidraw.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <linux/hidraw.h>
#include <poll.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <sys/stat.h>
#include <unistd.h>

/* "HID_ID=0003:00001209:00000004", "HID_NAME=Dory trackball", "HID_UNIQ=…" (hid-core.c). */
static void read_uevent(FILE *file, hidraw_node *node) {
    char line[256];
    while (fgets(line, sizeof line, file)) {
        unsigned bus, vendor, product;
        line[strcspn(line, "\n")] = 0;
        if (sscanf(line, "HID_ID=%x:%x:%x", &bus, &vendor, &product) == 3) {
            node->bus = (uint16_t)bus;
            node->vendor = (uint16_t)vendor;
            node->product = (uint16_t)product;
        } else if (strncmp(line, "HID_NAME=", 9) == 0) {
            snprintf(node->name, sizeof node->name, "%.127s", line + 9);
        } else if (strncmp(line, "HID_UNIQ=", 9) == 0) {
            snprintf(node->serial, sizeof node->serial, "%.63s", line + 9);
        }
    }
}

static bool read_node(const char *root, const char *entry, hidraw_node *node) {
    char path[512];
    memset(node, 0, sizeof *node);
    if (strncmp(entry, "hidraw", 6) != 0 || strlen(entry) > 40)
        return false;
    snprintf(path, sizeof path, "%s/sys/class/hidraw/%s/device/uevent", root, entry);
    FILE *file = fopen(path, "r");
    if (!file)
        return false;
    read_uevent(file, node);
    fclose(file);
    snprintf(node->path, sizeof node->path, "/dev/%.50s", entry);
    snprintf(path, sizeof path, "%s%s", root, node->path);
    int opened = open(path, O_RDONLY | O_NONBLOCK | O_CLOEXEC);
    node->error = opened < 0 ? errno : 0;
    if (opened >= 0)
        close(opened);
    return true;
}

static int compare_nodes(const void *a, const void *b) {
    const hidraw_node *one = a, *other = b;
    return atoi(one->path + strlen("/dev/hidraw")) - atoi(other->path + strlen("/dev/hidraw"));
}

size_t hidraw_list(const char *root, hidraw_node *nodes, size_t most) {
    char path[512];
    size_t count = 0;
    snprintf(path, sizeof path, "%s/sys/class/hidraw", root);
    DIR *folder = opendir(path);
    if (!folder)
        return 0;
    for (const struct dirent *entry; count < most && (entry = readdir(folder));)
        count += read_node(root, entry->d_name, &nodes[count]);
    closedir(folder);
    qsort(nodes, count, sizeof *nodes, compare_nodes);
    return count;
}

bool hidraw_is_node(const char *path) {
    struct stat status;
    return strstr(path, "hidraw") && stat(path, &status) == 0 && S_ISCHR(status.st_mode);
}

int hidraw_open(const char *path, recorded_device *device) {
    struct hidraw_report_descriptor descriptor = {0};
    struct hidraw_devinfo info = {0};
    int size = 0;
    memset(device, 0, sizeof *device);
    int file = open(path, O_RDWR | O_NONBLOCK | O_CLOEXEC);
    if (file < 0 && errno == EACCES)
        file = open(path, O_RDONLY | O_NONBLOCK | O_CLOEXEC);
    if (file < 0)
        return -errno;
    bool good =
        ioctl(file, HIDIOCGRDESCSIZE, &size) >= 0 && size >= 0 && size <= RECORDING_DESCRIPTOR;
    descriptor.size = (unsigned)size;
    good = good && ioctl(file, HIDIOCGRDESC, &descriptor) >= 0 &&
           ioctl(file, HIDIOCGRAWINFO, &info) >= 0;
    if (!good) {
        int error = errno;
        close(file);
        return -(error ? error : EIO);
    }
    if (ioctl(file, HIDIOCGRAWNAME(sizeof device->name - 1), device->name) < 0)
        device->name[0] = 0;
    device->bus = (uint16_t)info.bustype;
    device->vendor = (uint16_t)info.vendor;
    device->product = (uint16_t)info.product;
    device->descriptor_size = (size_t)size;
    memcpy(device->descriptor, descriptor.value, (size_t)size);
    return file;
}

long hidraw_read(int file, uint8_t *bytes, size_t size, int wait_ms) {
    struct pollfd ready = {.fd = file, .events = POLLIN};
    if (poll(&ready, 1, wait_ms) <= 0)
        return 0;
    ssize_t length = read(file, bytes, size);
    if (length >= 0)
        return length;
    return errno == EAGAIN || errno == EINTR ? 0 : -errno;
}

int hidraw_write(int file, yt_hid_direction direction, bool has_id, const uint8_t *bytes,
                 size_t size) {
    uint8_t whole[RECORDING_REPORT + 1] = {0}; /* 0 stands in front of a report without ID */
    size_t head = has_id ? 0 : 1;
    if (size > RECORDING_REPORT)
        return -EMSGSIZE;
    memcpy(whole + head, bytes, size);
    int done = direction == YT_HID_FEATURE ? ioctl(file, HIDIOCSFEATURE(head + size), whole)
                                           : (int)write(file, whole, head + size);
    return done < 0 ? -errno : 0;
}

int hidraw_get_feature(int file, uint8_t *bytes, size_t size) {
    int length = ioctl(file, HIDIOCGFEATURE(size), bytes);
    return length < 0 ? -errno : length;
}
