/* In the emulated board: a hand on devices, and eyes on what a host makes of others. PRODUCT is
 * that of a device 1209:PRODUCT.
 *
 * hand play RECORDING [FILE]
 *     makes its devices through uhid, and sends their reports at their times, a second after they
 *     are there, or once FILE is there; then stays. Says what they are sent: "got TYPE REPORT"
 *
 * hand see PRODUCT MS
 *     "ev NAME TYPE CODE VALUE" for each event that it gives in a time
 *
 * hand light PRODUCT CODE ON
 *     sets a light of the first node that has lights
 *
 * hand feature PRODUCT ID
 *     asks for a feature report and sets it, by hidraw: "feature SIZE BYTES", "set STATUS"
 *
 * hand control PRODUCT TYPE REQUEST VALUE INDEX LENGTH
 *     a request on its control endpoint, numbers in hexadecimal but for LENGTH, without data to the
 *     device: "control SIZE BYTES", or the negated errno
 *
 * hand copy PRODUCT
 *     gives its reports as those of a device of its own, and does nothing else
 *
 * hand delay PRODUCT COUNT
 *     presses and lets go a key of its own keyboard, 1209:0025, and says how long it took until
 *     PRODUCT told it: "delay US"
 *
 * hand attach PORT
 *     has the kernel take the device of the USB/IP server at that port of this machine
 *
 * hand wait PRODUCT COUNT
 *     until there are so many event nodes of it; at most 10 s */
#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <glob.h>
#include <linux/hidraw.h>
#include <linux/input.h>
#include <linux/uhid.h>
#include <linux/usb/ch9.h>
#include <linux/usbdevice_fs.h>
#include <netinet/in.h>
#include <poll.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <sys/socket.h>
#include <time.h>
#include <unistd.h>

#include "ports/sim/recording.h"

#define NODES 32

static uint64_t now_us(void) {
    struct timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    return (uint64_t)now.tv_sec * 1000000u + (uint64_t)now.tv_nsec / 1000u;
}

/* ---- devices ---- */

static int make_device(const recorded_device *device) {
    struct uhid_event event = {.type = UHID_CREATE2};
    struct uhid_create2_req *request = &event.u.create2;
    int file = open("/dev/uhid", O_RDWR | O_CLOEXEC);
    snprintf((char *)request->name, sizeof request->name, "%.100s", device->name);
    memcpy(request->rd_data, device->descriptor, device->descriptor_size);
    request->rd_size = (uint16_t)device->descriptor_size;
    request->bus = device->bus;
    request->vendor = device->vendor;
    request->product = device->product;
    if (file < 0 || write(file, &event, sizeof event) != (ssize_t)sizeof event) {
        perror("/dev/uhid");
        exit(1);
    }
    return file;
}

static void print_got(unsigned type, const uint8_t *bytes, size_t size) {
    printf("got %u ", type);
    for (size_t i = 0; i < size; i++)
        printf("%02x", bytes[i]);
    putchar('\n');
    fflush(stdout);
}

static void answer(int file) {
    struct uhid_event event, reply = {0};
    if (read(file, &event, sizeof event) <= 0)
        return;
    if (event.type == UHID_OUTPUT) {
        print_got(event.u.output.rtype, event.u.output.data, event.u.output.size);
    } else if (event.type == UHID_SET_REPORT) {
        print_got(event.u.set_report.rtype, event.u.set_report.data, event.u.set_report.size);
        reply.type = UHID_SET_REPORT_REPLY;
        reply.u.set_report_reply.id = event.u.set_report.id;
    } else if (event.type == UHID_GET_REPORT) {
        reply.type = UHID_GET_REPORT_REPLY;
        reply.u.get_report_reply.id = event.u.get_report.id;
        reply.u.get_report_reply.data[0] = event.u.get_report.rnum;
        reply.u.get_report_reply.data[1] = 0x5a;
        reply.u.get_report_reply.size = 2;
    }
    if (reply.type && write(file, &reply, sizeof reply) < 0)
        perror("uhid");
}

/* Answers the kernel until a time comes. */
static void listen_until(const int *files, size_t count, uint64_t until_us) {
    for (uint64_t at_us; (at_us = now_us()) < until_us;) {
        struct pollfd polled[RECORDING_DEVICES];
        uint64_t wait_us = until_us - at_us;
        struct timespec wait = {.tv_sec = (time_t)(wait_us / 1000000),
                                .tv_nsec = (long)(wait_us % 1000000 * 1000)};
        for (size_t i = 0; i < count; i++)
            polled[i] = (struct pollfd){files[i], POLLIN, 0};
        if (ppoll(polled, count, &wait, NULL) <= 0)
            continue;
        for (size_t i = 0; i < count; i++)
            if (polled[i].revents)
                answer(files[i]);
    }
}

static int play(const char *path, const char *begins) {
    static recording recording;
    int files[RECORDING_DEVICES];
    if (!recording_read(&recording, path)) {
        fprintf(stderr, "%s: %s\n", path, recording.error);
        return 1;
    }
    for (unsigned i = 0; i < recording.device_count; i++)
        files[i] = make_device(&recording.devices[i]);
    while (begins && access(begins, F_OK) != 0)
        listen_until(files, recording.device_count, now_us() + 20000);
    uint64_t begin_us = now_us() + (begins ? 100000 : 1000000);
    for (size_t i = 0; i < recording.report_count; i++) {
        const recorded_report *report = &recording.reports[i];
        struct uhid_event event = {.type = UHID_INPUT2};
        listen_until(files, recording.device_count, begin_us + report->time_us);
        memcpy(event.u.input2.data, recording.bytes + report->offset, report->size);
        event.u.input2.size = (uint16_t)report->size;
        if (write(files[report->device], &event, sizeof event) < 0)
            perror("uhid");
    }
    printf("sent %zu\n", recording.report_count);
    fflush(stdout);
    listen_until(files, recording.device_count, UINT64_MAX);
    return 0;
}

/* ---- a host's eyes ---- */

static int nodes[NODES];
static char names[NODES][80];
static unsigned node_count;

/* Opens the event nodes of a product, exact: without a filter for noise. */
static void open_nodes(unsigned product) {
    for (unsigned i = 0; i < NODES; i++) {
        char path[40];
        struct input_id id;
        snprintf(path, sizeof path, "/dev/input/event%u", i);
        int file = open(path, O_RDWR | O_NONBLOCK | O_CLOEXEC);
        if (file < 0)
            continue;
        if (ioctl(file, EVIOCGID, &id) < 0 || id.vendor != 0x1209 || id.product != product) {
            close(file);
            continue;
        }
        for (unsigned code = 0; code < ABS_CNT; code++) {
            struct input_absinfo axis;
            if (ioctl(file, EVIOCGABS(code), &axis) < 0)
                continue;
            axis.fuzz = axis.flat = 0;
            ioctl(file, EVIOCSABS(code), &axis);
        }
        ioctl(file, EVIOCGNAME(sizeof names[0]), names[node_count]);
        nodes[node_count++] = file;
    }
}

static void close_nodes(void) {
    while (node_count > 0)
        close(nodes[--node_count]);
}

static void see(unsigned for_ms) {
    uint64_t until_us = now_us() + for_ms * 1000u;
    while (now_us() < until_us) {
        struct pollfd polled[NODES];
        for (unsigned i = 0; i < node_count; i++)
            polled[i] = (struct pollfd){nodes[i], POLLIN, 0};
        poll(polled, node_count, 5);
        for (unsigned i = 0; i < node_count; i++) {
            struct input_event event;
            while (read(nodes[i], &event, sizeof event) == (ssize_t)sizeof event)
                if (event.type != EV_SYN && event.type != EV_MSC && event.type != EV_REP)
                    printf("ev %s %u %u %d\n", names[i], event.type, event.code, event.value);
        }
    }
}

static int light(unsigned code, int on) {
    const struct input_event events[2] = {{.type = EV_LED, .code = (uint16_t)code, .value = on},
                                          {.type = EV_SYN}};
    for (unsigned i = 0; i < node_count; i++) {
        unsigned char lights[8] = {0};
        if (ioctl(nodes[i], EVIOCGBIT(EV_LED, sizeof lights), lights) > 0 && lights[0])
            return write(nodes[i], events, sizeof events) == (ssize_t)sizeof events ? 0 : 1;
    }
    return 1;
}

static int ask_feature(unsigned product, unsigned id) {
    for (unsigned i = 0; i < NODES; i++) {
        struct hidraw_devinfo info;
        uint8_t bytes[64] = {(uint8_t)id};
        char path[40];
        snprintf(path, sizeof path, "/dev/hidraw%u", i);
        int file = open(path, O_RDWR | O_CLOEXEC);
        if (file < 0 || ioctl(file, HIDIOCGRAWINFO, &info) < 0 ||
            (unsigned)(uint16_t)info.product != product)
            continue;
        int size = ioctl(file, HIDIOCGFEATURE(sizeof bytes), bytes);
        printf("feature %d", size < 0 ? -errno : size);
        for (int k = 0; k < size; k++)
            printf(" %02x", bytes[k]);
        putchar('\n');
        bytes[0] = (uint8_t)id;
        bytes[1] = 0x77;
        size = ioctl(file, HIDIOCSFEATURE(2), bytes);
        printf("set %d\n", size < 0 ? -errno : size);
        return 0;
    }
    puts("feature: no such node");
    return 1;
}

/* The hidraw node of a product, by its device and its descriptor. */
static int open_hidraw(unsigned product, struct uhid_event *create) {
    for (unsigned i = 0; i < NODES; i++) {
        static struct hidraw_report_descriptor descriptor;
        struct hidraw_devinfo info;
        int size = 0;
        char path[40];
        snprintf(path, sizeof path, "/dev/hidraw%u", i);
        int file = open(path, O_RDWR | O_CLOEXEC);
        if (file < 0 || ioctl(file, HIDIOCGRAWINFO, &info) < 0 ||
            (unsigned)(uint16_t)info.product != product || ioctl(file, HIDIOCGRDESCSIZE, &size) < 0)
            continue;
        descriptor.size = (unsigned)size;
        ioctl(file, HIDIOCGRDESC, &descriptor);
        memcpy(create->u.create2.rd_data, descriptor.value, descriptor.size);
        create->u.create2.rd_size = (uint16_t)descriptor.size;
        return file;
    }
    return -1;
}

static int copy(unsigned product) {
    static struct uhid_event create = {.type = UHID_CREATE2}, event = {.type = UHID_INPUT2};
    int from = open_hidraw(product, &create), to = open("/dev/uhid", O_RDWR | O_CLOEXEC);
    snprintf((char *)create.u.create2.name, sizeof create.u.create2.name, "Copy");
    create.u.create2.bus = BUS_USB;
    create.u.create2.vendor = 0x1209;
    create.u.create2.product = 8;
    if (from < 0 || to < 0 || write(to, &create, sizeof create) < 0)
        return 1;
    for (ssize_t size; (size = read(from, event.u.input2.data, 64)) > 0;) {
        event.u.input2.size = (uint16_t)size;
        if (write(to, &event, sizeof event) < 0)
            return 1;
    }
    return 0;
}

/* When the next press or release of a key comes, by the kernel's own time of it; 0: none does. */
static uint64_t next_key(void) {
    struct pollfd polled[NODES];
    for (unsigned i = 0; i < node_count; i++)
        polled[i] = (struct pollfd){nodes[i], POLLIN, 0};
    while (poll(polled, node_count, 500) > 0)
        for (unsigned i = 0; i < node_count; i++) {
            struct input_event event;
            while (read(nodes[i], &event, sizeof event) == (ssize_t)sizeof event)
                if (event.type == EV_KEY && event.value < 2)
                    return (uint64_t)event.input_event_sec * 1000000u +
                           (uint64_t)event.input_event_usec;
        }
    return 0;
}

static int delay(unsigned product, unsigned times) {
    static const uint8_t descriptor[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07, 0x19, 0xe0,
                                         0x29, 0xe7, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x08,
                                         0x81, 0x02, 0x19, 0x00, 0x29, 0x65, 0x15, 0x00, 0x25, 0x65,
                                         0x75, 0x08, 0x95, 0x06, 0x81, 0x00, 0xc0};
    static recorded_device device = {.name = "Metronome",
                                     .bus = BUS_USB,
                                     .vendor = 0x1209,
                                     .product = 0x25,
                                     .descriptor_size = sizeof descriptor};
    memcpy(device.descriptor, descriptor, sizeof descriptor);
    int file = make_device(&device), clock = CLOCK_MONOTONIC;
    poll(NULL, 0, 3000);
    open_nodes(product);
    for (unsigned i = 0; i < node_count; i++)
        ioctl(nodes[i], EVIOCSCLOCKID, &clock);
    for (unsigned i = 0; i < times; i++) {
        struct uhid_event event = {.type = UHID_INPUT2};
        event.u.input2.size = 7;
        event.u.input2.data[1] = i % 2 ? 0 : 4;
        poll(NULL, 0, 7 + (int)(i % 7)); /* at any moment of a host's interval */
        uint64_t sent_us = now_us();
        if (write(file, &event, sizeof event) < 0)
            return 1;
        uint64_t told_us = next_key();
        if (told_us == 0) {
            puts("it was not told");
            return 1;
        }
        printf("delay %llu\n", (unsigned long long)(told_us - sent_us));
    }
    return 0;
}

/* Documentation/usb/usbip_protocol.rst: OP_REQ_IMPORT, and the socket goes to the kernel. */
static int attach(unsigned port) {
    static const uint8_t ask[40] = {0x01, 0x11, 0x80, 0x03, 0, 0, 0, 0, '1', '-', '1'};
    uint8_t told[8 + 312];
    const uint8_t *numbers = told + 8 + 256 + 32; /* bus, device and speed, of four bytes each */
    struct sockaddr_in address = {.sin_family = AF_INET,
                                  .sin_port = htons((uint16_t)port),
                                  .sin_addr = {htonl(INADDR_LOOPBACK)}};
    int file = socket(AF_INET, SOCK_STREAM, 0), vhci;
    char line[60];
    if (connect(file, (const struct sockaddr *)&address, sizeof address) != 0 ||
        write(file, ask, sizeof ask) != (ssize_t)sizeof ask ||
        recv(file, told, sizeof told, MSG_WAITALL) != (ssize_t)sizeof told || told[7] != 0) {
        puts("it cannot be attached");
        return 1;
    }
    snprintf(line, sizeof line, "0 %d %u %u", file, (unsigned)(numbers[3] << 16 | numbers[7]),
             (unsigned)numbers[11]);
    vhci = open("/sys/devices/platform/vhci_hcd.0/attach", O_WRONLY | O_CLOEXEC);
    if (vhci < 0 || write(vhci, line, strlen(line)) < 0) {
        perror(line);
        return 1;
    }
    return 0;
}

/* One request on a device's control endpoint (USB 2.0, 9.3), with no driver in between: what came,
 * or why not. */
static int control(unsigned product, const unsigned words[5]) {
    uint8_t bytes[256] = {0}, about[18];
    unsigned interface = words[3];
    struct usbdevfs_ioctl leave = {.ifno = (int)interface, .ioctl_code = USBDEVFS_DISCONNECT};
    struct usbdevfs_ctrltransfer asked = {.bRequestType = (uint8_t)words[0],
                                          .bRequest = (uint8_t)words[1],
                                          .wValue = (uint16_t)words[2],
                                          .wIndex = (uint16_t)words[3],
                                          .wLength = (uint16_t)words[4],
                                          .timeout = 2000,
                                          .data = bytes};
    glob_t nodes_of;
    int file = -1;
    if (glob("/dev/bus/usb/*/*", 0, NULL, &nodes_of) != 0)
        return 1;
    for (size_t i = 0; i < nodes_of.gl_pathc && file < 0; i++) {
        file = open(nodes_of.gl_pathv[i], O_RDWR | O_CLOEXEC);
        if (file >= 0 && read(file, about, sizeof about) == (ssize_t)sizeof about &&
            about[8] == 0x09 && about[9] == 0x12 && (about[10] | about[11] << 8) == (int)product)
            break;
        if (file >= 0)
            close(file);
        file = -1;
    }
    globfree(&nodes_of);
    if (file < 0)
        return 1;
    ioctl(file, USBDEVFS_IOCTL, &leave);
    ioctl(file, USBDEVFS_CLAIMINTERFACE, &interface);
    int size = ioctl(file, USBDEVFS_CONTROL, &asked);
    printf("control %d", size < 0 ? -errno : size);
    for (int i = 0; i < size && words[0] & USB_DIR_IN; i++)
        printf(" %02x", bytes[i]);
    putchar('\n');
    close(file);
    return 0;
}

static int wait_for(unsigned product, unsigned count) {
    for (unsigned tries = 0; tries < 200; tries++) {
        open_nodes(product);
        bool is_there = count ? node_count >= count : node_count == 0;
        close_nodes();
        if (is_there)
            return 0;
        poll(NULL, 0, 50);
    }
    printf("there are not %u nodes of %04x\n", count, product);
    return 1;
}

int main(int count, char **words) {
    if ((count == 3 || count == 4) && strcmp(words[1], "play") == 0)
        return play(words[2], words[3]);
    if (count < 3)
        return 2;
    if (count == 3 && strcmp(words[1], "attach") == 0)
        return attach((unsigned)atoi(words[2]));
    unsigned product = (unsigned)strtoul(words[2], NULL, 16);
    if (count == 4 && strcmp(words[1], "wait") == 0)
        return wait_for(product, (unsigned)atoi(words[3]));
    if (count == 4 && strcmp(words[1], "feature") == 0)
        return ask_feature(product, (unsigned)atoi(words[3]));
    if (count == 8 && strcmp(words[1], "control") == 0) {
        unsigned asked[5];
        for (int i = 0; i < 5; i++)
            asked[i] = (unsigned)strtoul(words[3 + i], NULL, i < 4 ? 16 : 10);
        return control(product, asked);
    }
    if (count == 3 && strcmp(words[1], "copy") == 0)
        return copy(product);
    if (count == 4 && strcmp(words[1], "delay") == 0)
        return delay(product, (unsigned)atoi(words[3]));
    open_nodes(product);
    setvbuf(stdout, NULL, _IOLBF, 0);
    if (count == 4 && strcmp(words[1], "see") == 0)
        see((unsigned)atoi(words[3]));
    else if (count == 5 && strcmp(words[1], "light") == 0)
        return light((unsigned)atoi(words[3]), atoi(words[4]));
    else
        return 2;
    return 0;
}
