/* In the emulated board: a hand on devices, and eyes on what a host makes of others.
 *
 * hand play RECORDING         makes its devices through uhid, and sends their reports at their
 * times, a second after the device is there; then stays until it is ended, and says what it is
 * sent: "got TYPE REPORT" hand see PRODUCT MS         "ev NAME TYPE CODE VALUE" for each event that
 * devices 1209:PRODUCT give in a time hand light PRODUCT CODE ON  sets a light of the first of them
 * that has lights hand wait PRODUCT COUNT     until there are so many nodes of it; at most 10 s */
#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <linux/input.h>
#include <linux/uhid.h>
#include <poll.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
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
        reply.u.get_report_reply.err = EIO;
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

static int play(const char *path) {
    static recording recording;
    int files[RECORDING_DEVICES];
    if (!recording_read(&recording, path)) {
        fprintf(stderr, "%s: %s\n", path, recording.error);
        return 1;
    }
    for (unsigned i = 0; i < recording.device_count; i++)
        files[i] = make_device(&recording.devices[i]);
    uint64_t begin_us = now_us() + 1000000;
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
    if (count == 3 && strcmp(words[1], "play") == 0)
        return play(words[2]);
    if (count < 3)
        return 2;
    unsigned product = (unsigned)strtoul(words[2], NULL, 16);
    if (count == 4 && strcmp(words[1], "wait") == 0)
        return wait_for(product, (unsigned)atoi(words[3]));
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
