/* The first and only program of a small Linux machine in an emulator. It makes HID devices through
 * uhid as /job says, sends their reports, and writes what the kernel made of them to the second
 * serial line:
 *
 *     job                                      answer
 *     create NAME DESCRIPTOR                   created; what the kernel asks of the device
 *     send REPORT                              ev NODE TYPE CODE VALUE, for each event
 *     light NODE CODE VALUE                    output TYPE REPORT
 *     sticks                                   js axes CODE...; js buttons CODE...
 *     node REPORT                              node PATH BUS:VENDOR:PRODUCT NAME; node DESCRIPTOR;
 *                                              node REPORT; what the device got by hidraw_write
 *     remove                                   removed
 *     linked                                   linked WHAT RESULT, for each thing that was asked
 *
 * Built static; of the project it holds what reads hidraw nodes, and an adapter's link with the
 * command's way to it, which are tried by it too. */
#include <errno.h>
#include <fcntl.h>
#include <linux/input.h>
#include <linux/joystick.h>
#include <linux/uhid.h>
#include <poll.h>
#include <stdbool.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <sys/mount.h>
#include <sys/reboot.h>
#include <sys/syscall.h>
#include <sys/wait.h>
#include <termios.h>
#include <unistd.h>

#include "ports/linux/hidraw.h"
#include "tests/linux/linked.h"

#define NODES 16

static FILE *out;
static int uhid = -1;
static int nodes[NODES];

static void load(const char *path) {
    int file = open(path, O_RDONLY | O_CLOEXEC);
    if (file < 0 || syscall(SYS_finit_module, file, "", 0) != 0)
        fprintf(out, "module %s: %s\n", path, strerror(errno));
    close(file);
}

static void open_line(void) {
    struct termios line;
    int file = open("/dev/ttyS1", O_RDWR | O_NOCTTY | O_CLOEXEC);
    if (file < 0)
        return;
    tcgetattr(file, &line);
    cfmakeraw(&line);
    tcsetattr(file, TCSANOW, &line);
    out = fdopen(file, "w");
}

static size_t read_bytes(const char *text, uint8_t *bytes, size_t room) {
    size_t size = 0;
    unsigned byte;
    for (; size < room && sscanf(text, "%2x", &byte) == 1; text += 2)
        bytes[size++] = (uint8_t)byte;
    return size;
}

static void print_bytes(const uint8_t *bytes, size_t size) {
    for (size_t i = 0; i < size; i++)
        fprintf(out, "%02x", bytes[i]);
    fputc('\n', out);
}

/* The kernel waits for answers of the device, or reading from it takes five seconds. */
static void answer(const struct uhid_event *event) {
    struct uhid_event reply = {0};
    if (event->type == UHID_OUTPUT) {
        fprintf(out, "output %u ", event->u.output.rtype);
        print_bytes(event->u.output.data, event->u.output.size);
    } else if (event->type == UHID_SET_REPORT) {
        fprintf(out, "set %u %u ", event->u.set_report.rtype, event->u.set_report.rnum);
        print_bytes(event->u.set_report.data, event->u.set_report.size);
        reply.type = UHID_SET_REPORT_REPLY;
        reply.u.set_report_reply.id = event->u.set_report.id;
        if (write(uhid, &reply, sizeof reply) < 0)
            fprintf(out, "no reply\n");
    } else if (event->type == UHID_GET_REPORT) {
        fprintf(out, "get %u %u\n", event->u.get_report.rtype, event->u.get_report.rnum);
        reply.type = UHID_GET_REPORT_REPLY;
        reply.u.get_report_reply.id = event->u.get_report.id;
        reply.u.get_report_reply.err = EIO;
        if (write(uhid, &reply, sizeof reply) < 0)
            fprintf(out, "no reply\n");
    }
}

static void listen_for(int ms) {
    struct pollfd ready = {.fd = uhid, .events = POLLIN};
    while (poll(&ready, 1, ms) > 0) {
        struct uhid_event event;
        if (read(uhid, &event, sizeof event) <= 0)
            return;
        answer(&event);
    }
}

/* Exact values: no filter for noise, which the kernel sets for axes of 16 bits. */
static void open_nodes(void) {
    for (int i = 0; i < NODES; i++) {
        char path[40];
        snprintf(path, sizeof path, "/dev/input/event%d", i);
        nodes[i] = open(path, O_RDWR | O_NONBLOCK | O_CLOEXEC);
        for (unsigned code = 0; nodes[i] >= 0 && code < ABS_CNT; code++) {
            struct input_absinfo axis;
            if (ioctl(nodes[i], EVIOCGABS(code), &axis) < 0)
                continue;
            axis.fuzz = axis.flat = 0;
            ioctl(nodes[i], EVIOCSABS(code), &axis);
        }
    }
}

static int count_nodes(void) {
    int count = 0;
    for (int i = 0; i < NODES; i++) {
        char path[40];
        snprintf(path, sizeof path, "/dev/input/event%d", i);
        count += access(path, F_OK) == 0;
    }
    return count;
}

/* Until there are nodes and no more come: on a busy machine the kernel takes its time. */
static void wait_for_nodes(void) {
    int before;
    for (int tries = 0; tries < 40; tries++) {
        before = count_nodes();
        listen_for(300);
        if (before > 0 && before == count_nodes())
            return;
    }
}

static void create(char *job) {
    struct uhid_event event = {.type = UHID_CREATE2};
    struct uhid_create2_req *request = &event.u.create2;
    char *name = strtok(job, " "), *descriptor = strtok(NULL, " ");
    uhid = open("/dev/uhid", O_RDWR | O_CLOEXEC);
    snprintf((char *)request->name, sizeof request->name, "%s", name);
    request->rd_size = (uint16_t)read_bytes(descriptor, request->rd_data, sizeof request->rd_data);
    request->bus = BUS_USB;
    request->vendor = 0x1209;
    request->product = 0x0008;
    if (uhid < 0 || write(uhid, &event, sizeof event) < 0)
        fprintf(out, "refused: %s\n", strerror(errno));
    wait_for_nodes();
    open_nodes();
    fprintf(out, "created\n");
}

static void print_events(void) {
    for (int i = 0; i < NODES; i++) {
        struct input_event event;
        while (nodes[i] >= 0 && read(nodes[i], &event, sizeof event) == sizeof event)
            fprintf(out, "ev %d %u %u %d\n", i, event.type, event.code, event.value);
    }
}

static void send_report(const char *job) {
    struct uhid_event event = {.type = UHID_INPUT2};
    event.u.input2.size =
        (uint16_t)read_bytes(job, event.u.input2.data, sizeof event.u.input2.data);
    if (write(uhid, &event, sizeof event) < 0)
        fprintf(out, "not sent: %s\n", strerror(errno));
    print_events();
    fprintf(out, "sent\n");
}

static void light(const char *job) {
    int node, code, value;
    if (sscanf(job, "%d %d %d", &node, &code, &value) != 3 || node < 0 || node >= NODES)
        return;
    struct input_event events[2] = {{.type = EV_LED, .code = (uint16_t)code, .value = value},
                                    {.type = EV_SYN}};
    for (int i = 0; i < NODES; i++) /* the first node that has lights */
        if (nodes[i] >= 0 && write(nodes[i], events, sizeof events) == sizeof events)
            listen_for(50);
    fprintf(out, "lit\n");
}

static void print_sticks(void) {
    for (int i = 0; i < 4; i++) {
        char path[40];
        uint8_t axes = 0, buttons = 0, axis_map[ABS_CNT] = {0};
        uint16_t button_map[KEY_MAX - BTN_MISC + 1] = {0};
        snprintf(path, sizeof path, "/dev/input/js%d", i);
        int file = open(path, O_RDONLY | O_CLOEXEC);
        if (file < 0)
            continue;
        if (ioctl(file, JSIOCGAXES, &axes) < 0 || ioctl(file, JSIOCGBUTTONS, &buttons) < 0 ||
            ioctl(file, JSIOCGAXMAP, axis_map) < 0 || ioctl(file, JSIOCGBTNMAP, button_map) < 0)
            fprintf(out, "js %s\n", strerror(errno));
        fprintf(out, "js axes");
        for (int k = 0; k < axes; k++)
            fprintf(out, " %u", axis_map[k]);
        fprintf(out, "\njs buttons");
        for (int k = 0; k < buttons; k++)
            fprintf(out, " %u", button_map[k]);
        fprintf(out, "\n");
        close(file);
    }
}

/* A report to the device. To set a feature takes until the device has answered, which is our part,
 * so another process asks. */
static void write_node(int file, yt_hid_direction direction, bool has_id, const uint8_t *bytes,
                       size_t size) {
    int status = -1;
    fflush(out);
    pid_t child = fork();
    if (child == 0)
        _exit(-hidraw_write(file, direction, has_id, bytes, size));
    listen_for(100);
    waitpid(child, &status, 0);
    fprintf(out, "written %d\n", WEXITSTATUS(status));
}

/* What the project's own reader of hidraw nodes makes of the device: what it is, and a report. */
static void read_node(const char *job) {
    static hidraw_node found[8];
    static recorded_device device;
    uint8_t bytes[256];
    for (size_t i = 0, count = hidraw_list("", found, 8); i < count; i++) {
        int file = hidraw_open(found[i].path, &device);
        fprintf(out, "node %s %u:%04x:%04x %s %d %d\n", found[i].path, found[i].bus,
                found[i].vendor, found[i].product, found[i].name, found[i].error,
                hidraw_is_node(found[i].path));
        if (file < 0)
            continue;
        fprintf(out, "node %u:%04x:%04x %s ", device.bus, device.vendor, device.product,
                device.name);
        print_bytes(device.descriptor, device.descriptor_size);
        fprintf(out, "node %ld\n", hidraw_read(file, bytes, sizeof bytes, 0)); /* none yet */
        send_report(job);
        long size = hidraw_read(file, bytes, sizeof bytes, 1000);
        fprintf(out, "node ");
        print_bytes(bytes, size > 0 ? (size_t)size : 0);
        write_node(file, YT_HID_OUTPUT, false, (const uint8_t[]){10, 11}, 2);
        write_node(file, YT_HID_OUTPUT, true, (const uint8_t[]){3, 12}, 2);
        write_node(file, YT_HID_FEATURE, true, (const uint8_t[]){4, 13, 14}, 3);
        close(file);
    }
}

static void remove_device(void) {
    struct uhid_event event = {.type = UHID_DESTROY};
    for (int i = 0; i < NODES; i++)
        if (nodes[i] >= 0)
            close(nodes[i]);
    if (write(uhid, &event, sizeof event) < 0)
        fprintf(out, "not removed\n");
    close(uhid);
    fprintf(out, "removed\n");
}

static void run(char *line) {
    line[strcspn(line, "\n")] = 0;
    if (strncmp(line, "create ", 7) == 0)
        create(line + 7);
    else if (strncmp(line, "send ", 5) == 0)
        send_report(line + 5);
    else if (strncmp(line, "light ", 6) == 0)
        light(line + 6);
    else if (strncmp(line, "node ", 5) == 0)
        read_node(line + 5);
    else if (strcmp(line, "sticks") == 0)
        print_sticks();
    else if (strcmp(line, "remove") == 0)
        remove_device();
    else if (strcmp(line, "linked") == 0)
        talk_by_hidraw(out);
}

int main(void) {
    static const char *const modules[] = {"hid.ko", "hid-generic.ko", "uhid.ko", "evdev.ko",
                                          "joydev.ko"};
    static char line[16384];
    mount("devtmpfs", "/dev", "devtmpfs", 0, NULL);
    mount("sysfs", "/sys", "sysfs", 0, NULL);
    mount("proc", "/proc", "proc", 0, NULL);
    open_line();
    if (!out)
        out = stdout;
    for (size_t i = 0; i < sizeof modules / sizeof modules[0]; i++) {
        char path[64];
        snprintf(path, sizeof path, "/modules/%s", modules[i]);
        load(path);
    }
    FILE *job = fopen("/job", "r");
    while (job && fgets(line, sizeof line, job))
        run(line);
    fprintf(out, "end\n");
    fflush(out);
    tcdrain(fileno(out));
    sync();
    reboot(RB_POWER_OFF);
    return 0;
}
