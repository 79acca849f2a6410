#include "ports/linux/gadget.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <linux/usb/functionfs.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/eventfd.h>
#include <sys/ioctl.h>
#include <sys/syscall.h>
#include <unistd.h>

#include "ports/linux/line.h"

#define CONFIGFS     "/sys/kernel/config/usb_gadget"
#define CONTROLLERS  "/sys/class/udc"
#define HEAD_BYTES   9 /* of a configuration descriptor, which the kernel writes itself */
#define ANSWER_BYTES 4096
#define DATA_BYTES   512 /* of a request: reports are shorter */

static bool fail(gadget *gadget, const char *path, const char *why) {
    snprintf(gadget->error, sizeof gadget->error, "%.140s: %.140s", path, why);
    return false;
}

/* ---- the kernel's asynchronous I/O (io_setup(2) and what belongs to it) ---- */

static bool begin_requests(gadget *gadget) {
    gadget->done = eventfd(0, EFD_NONBLOCK | EFD_CLOEXEC);
    return gadget->done >= 0 && syscall(SYS_io_setup, YT_INTERFACES, &gadget->requests) == 0;
}

static bool request_write(gadget *gadget, unsigned number) {
    gadget_sending *sending = &gadget->sendings[number];
    struct iocb *list[1] = {&sending->request};
    sending->request = (struct iocb){.aio_data = (uint64_t)gadget->times << 32 | number,
                                     .aio_lio_opcode = IOCB_CMD_PWRITE,
                                     .aio_fildes = (uint32_t)gadget->endpoints[number],
                                     .aio_buf = (uint64_t)(uintptr_t)sending->bytes,
                                     .aio_nbytes = sending->size,
                                     .aio_flags = IOCB_FLAG_RESFD,
                                     .aio_resfd = (uint32_t)gadget->done};
    return syscall(SYS_io_submit, gadget->requests, 1L, list) == 1;
}

/* ---- files of one line ---- */

static bool write_line(gadget *gadget, const char *folder, const char *name, const char *text) {
    char path[GADGET_PATH + 80];
    snprintf(path, sizeof path, "%s/%s", folder, name);
    int file = open(path, O_WRONLY | O_CLOEXEC);
    if (file < 0)
        return fail(gadget, path, strerror(errno));
    ssize_t size = (ssize_t)strlen(text);
    bool good = write(file, text, (size_t)size) == size;
    int why = errno;
    close(file);
    return good || fail(gadget, path, strerror(why));
}

/* ---- the gadget ---- */

bool gadget_find_controller(const char *gadget, char *controller, size_t size) {
    char used[16][64], path[GADGET_PATH];
    unsigned used_count = 0;
    DIR *folder = opendir(CONFIGFS);
    for (const struct dirent *entry; folder && used_count < 16 && (entry = readdir(folder));) {
        if (entry->d_name[0] == '.' || strcmp(entry->d_name, gadget) == 0)
            continue;
        snprintf(path, sizeof path, CONFIGFS "/%.60s", entry->d_name);
        line_of(path, "UDC", used[used_count], sizeof used[0]);
        used_count += used[used_count][0] != 0;
    }
    if (folder)
        closedir(folder);
    folder = opendir(CONTROLLERS);
    controller[0] = 0;
    for (const struct dirent *entry; folder && (entry = readdir(folder));) {
        bool is_free = entry->d_name[0] != '.';
        for (unsigned i = 0; i < used_count; i++)
            is_free = is_free && strcmp(used[i], entry->d_name) != 0;
        if (is_free && (!controller[0] || strcmp(entry->d_name, controller) < 0))
            snprintf(controller, size, "%.63s", entry->d_name);
    }
    if (folder)
        closedir(folder);
    return controller[0] != 0;
}

bool gadget_open(gadget *gadget, yt_engine *engine, const yt_usb_identity *identity,
                 unsigned connector, const char *name, const char *folder) {
    char path[GADGET_PATH + 8];
    memset(gadget, 0, sizeof *gadget);
    gadget->engine = engine;
    gadget->identity = *identity;
    gadget->connector = connector;
    gadget->control = gadget->done = -1;
    snprintf(gadget->name, sizeof gadget->name, "%s", name);
    snprintf(gadget->configured, sizeof gadget->configured, CONFIGFS "/%s", gadget->name);
    snprintf(gadget->mounted, sizeof gadget->mounted, "%.100s/%s", folder, gadget->name);
    snprintf(path, sizeof path, "%s/UDC", gadget->configured);
    if (access(path, F_OK) != 0)
        return fail(gadget, gadget->configured, "there is no such gadget: gadget-setup makes it");
    if (access(path, W_OK) != 0)
        return fail(gadget, path, strerror(errno));
    snprintf(path, sizeof path, "%s/ep0", gadget->mounted);
    if (access(path, R_OK | W_OK) != 0)
        return fail(gadget, path,
                    errno == ENOENT ? "FunctionFS is not mounted there: gadget-setup does that"
                                    : strerror(errno));
    line_of(gadget->configured, "UDC", gadget->controller, sizeof gadget->controller);
    if (gadget->controller[0])
        return fail(gadget, gadget->configured, "another adapter has it");
    return begin_requests(gadget) || fail(gadget, "asynchronous I/O", strerror(errno));
}

/* What a host is told of the device itself comes from configfs; the version and the serial number
 * follow from the layout, so that hosts take one with other interfaces for another device. */
static bool write_identity(gadget *gadget) {
    uint8_t descriptor[18];
    char text[YT_USB_SERIAL_BYTES];
    size_t length;
    if (yt_usb_device_descriptor(gadget->engine, &gadget->identity, descriptor, sizeof descriptor,
                                 &length) != YT_OK)
        return fail(gadget, gadget->name, "nothing runs that a host could see");
    static const struct {
        const char *name;
        unsigned at;
    } numbers[] = {{"idVendor", 8}, {"idProduct", 10}, {"bcdDevice", 12}};
    for (size_t i = 0; i < 3; i++) {
        snprintf(text, sizeof text, "0x%04x",
                 (unsigned)(descriptor[numbers[i].at] | descriptor[numbers[i].at + 1] << 8));
        if (!write_line(gadget, gadget->configured, numbers[i].name, text))
            return false;
    }
    if (yt_usb_serial(gadget->engine, &gadget->identity, text, sizeof text) == YT_OK &&
        !write_line(gadget, gadget->configured, "strings/0x409/serialnumber", text))
        return false;
    return (!gadget->identity.product_name ||
            write_line(gadget, gadget->configured, "strings/0x409/product",
                       gadget->identity.product_name)) &&
           (!gadget->identity.manufacturer ||
            write_line(gadget, gadget->configured, "strings/0x409/manufacturer",
                       gadget->identity.manufacturer));
}

/* The descriptors of the interfaces, for both speeds, and how many there are of each. */
static bool write_descriptors(gadget *gadget) {
    struct {
        struct usb_functionfs_descs_head_v2 head;
        __le32 counts[2];
        uint8_t bytes[2 * YT_USB_CONFIGURATION_BYTES];
    } __attribute__((packed))
    all = {.head = {.magic = FUNCTIONFS_DESCRIPTORS_MAGIC_V2,
                    .flags = FUNCTIONFS_HAS_FS_DESC | FUNCTIONFS_HAS_HS_DESC |
                             FUNCTIONFS_ALL_CTRL_RECIP}};
    static const uint8_t speeds[2] = {YT_USB_FULL, YT_USB_HIGH};
    size_t used = 0;
    for (unsigned i = 0; i < 2; i++) {
        uint8_t whole[YT_USB_CONFIGURATION_BYTES];
        yt_usb_identity identity = gadget->identity;
        size_t length;
        identity.speed = speeds[i];
        if (yt_usb_configuration(gadget->engine, &identity, gadget->connector, whole, sizeof whole,
                                 &length) != YT_OK)
            return fail(gadget, gadget->name, "nothing goes to this connector");
        for (size_t at = HEAD_BYTES; at < length; at += whole[at])
            all.counts[i]++;
        memcpy(all.bytes + used, whole + HEAD_BYTES, length - HEAD_BYTES);
        used += length - HEAD_BYTES;
    }
    all.head.length = (uint32_t)(sizeof all.head + sizeof all.counts + used);
    if (write(gadget->control, &all, all.head.length) != (ssize_t)all.head.length)
        return fail(gadget, "the descriptors", strerror(errno));
    const struct usb_functionfs_strings_head none = {.magic = FUNCTIONFS_STRINGS_MAGIC,
                                                     .length = sizeof none};
    return write(gadget->control, &none, sizeof none) == sizeof none ||
           fail(gadget, "the strings", strerror(errno));
}

static bool open_endpoints(gadget *gadget) {
    char path[GADGET_PATH + 8];
    while (gadget->endpoint_count < YT_INTERFACES &&
           yt_connector_interface(gadget->engine, gadget->connector, gadget->endpoint_count) <
               YT_INTERFACES) {
        snprintf(path, sizeof path, "%s/ep%u", gadget->mounted, gadget->endpoint_count + 1);
        int file = open(path, O_RDWR | O_NONBLOCK | O_CLOEXEC);
        if (file < 0)
            return fail(gadget, path, strerror(errno));
        gadget->endpoints[gadget->endpoint_count++] = file;
    }
    return true;
}

bool gadget_plug_in(gadget *gadget) {
    char path[GADGET_PATH + 8];
    snprintf(path, sizeof path, "%s/ep0", gadget->mounted);
    gadget->times++;
    if (!gadget_find_controller(gadget->name, gadget->controller, sizeof gadget->controller))
        return fail(gadget, CONTROLLERS,
                    "no USB device controller is free: yonder obstacles says why");
    if (!write_identity(gadget))
        return false;
    gadget->control = open(path, O_RDWR | O_NONBLOCK | O_CLOEXEC);
    if (gadget->control < 0)
        return fail(gadget, path, errno == EBUSY ? "somebody else has it" : strerror(errno));
    gadget->is_bound = write_descriptors(gadget) && open_endpoints(gadget) &&
                       write_line(gadget, gadget->configured, "UDC", gadget->controller);
    if (!gadget->is_bound)
        gadget_pull_out(gadget);
    return gadget->is_bound;
}

void gadget_pull_out(gadget *gadget) {
    char why[sizeof gadget->error];
    memcpy(why, gadget->error, sizeof why);
    if (gadget->is_bound)
        write_line(gadget, gadget->configured, "UDC", "\n");
    memcpy(gadget->error, why, sizeof why);
    for (unsigned i = 0; i < gadget->endpoint_count; i++)
        close(gadget->endpoints[i]);
    if (gadget->control >= 0)
        close(gadget->control);
    gadget->control = -1;
    gadget->endpoint_count = 0;
    gadget->is_bound = gadget->is_enabled = gadget->is_asleep = gadget->is_relayed = false;
    yt_connector_reset(gadget->engine, gadget->connector);
}

void gadget_close(gadget *gadget) {
    gadget_pull_out(gadget);
    if (gadget->requests)
        syscall(SYS_io_destroy, gadget->requests);
    if (gadget->done >= 0)
        close(gadget->done);
    gadget->requests = 0;
    gadget->done = -1;
}

/* ---- serving ---- */

unsigned gadget_wait_for(const gadget *gadget, struct pollfd *polled) {
    unsigned count = 0;
    if (gadget->control >= 0 && !gadget->is_relayed)
        polled[count++] = (struct pollfd){gadget->control, POLLIN, 0};
    if (gadget->done >= 0)
        polled[count++] = (struct pollfd){gadget->done, POLLIN, 0};
    return count;
}

/* A stall is input or output the other way than the request's. */
static void stall(gadget *gadget, bool to_host) {
    if (to_host)
        (void)!read(gadget->control, NULL, 0);
    else
        (void)!write(gadget->control, NULL, 0);
}

/* Which report a request is about, where another device is to answer it. */
static bool hand_on(gadget *gadget, const struct usb_ctrlrequest *setup, const uint8_t *bytes,
                    size_t size) {
    static const uint8_t kinds[] = {0, YT_HID_INPUT, YT_HID_OUTPUT, YT_HID_FEATURE};
    unsigned number, kind = setup->wValue >> 8;
    uint8_t id, hosts_id = (uint8_t)setup->wValue;
    unsigned interface =
        yt_connector_interface(gadget->engine, gadget->connector, setup->wIndex & 0xff);
    if (!gadget->relay || kind < 2 || kind > 3 ||
        yt_interface_relay(gadget->engine, interface, kinds[kind], hosts_id, &number, &id) != YT_OK)
        return false;
    if (bytes && hosts_id && size > 0) {
        bytes++;
        size--;
    }
    return gadget->relay(gadget->context, gadget->connector, number, kinds[kind], id, bytes, size);
}

void gadget_answer(gadget *gadget, const uint8_t *bytes, size_t size) {
    uint8_t copy[ANSWER_BYTES];
    uint8_t id = (uint8_t)gadget->relayed.wValue;
    if (!gadget->is_relayed)
        return;
    gadget->is_relayed = false;
    if (!bytes || size >= sizeof copy) {
        stall(gadget, true);
        return;
    }
    size_t head = id != 0;
    copy[0] = id;
    memcpy(copy + head, bytes, size);
    size += head;
    (void)!write(gadget->control, copy,
                 size < gadget->relayed.wLength ? size : gadget->relayed.wLength);
}

/* A request with data to the device: it is looked at before the data is taken, so that what would
 * be refused is stalled. */
static void take_request(gadget *gadget, const struct usb_ctrlrequest *setup, uint64_t now_us) {
    static uint8_t data[DATA_BYTES];
    yt_usb_control asked = {.data = data};
    memcpy(asked.setup, setup, sizeof asked.setup);
    size_t size = setup->wLength;
    yt_status expects =
        yt_usb_expects(gadget->engine, &gadget->identity, gadget->connector, asked.setup);
    if (size > sizeof data || (expects != YT_OK && expects != YT_RELAYED)) {
        stall(gadget, false);
        return;
    }
    if (size > 0 && read(gadget->control, data, size) != (ssize_t)size)
        return; /* the host has given it up */
    if (expects == YT_RELAYED) {
        (void)!hand_on(gadget, setup, data, size);
        return;
    }
    asked.size = size;
    yt_status status =
        yt_usb_request(gadget->engine, &gadget->identity, gadget->connector, &asked, now_us);
    if (size == 0 && status == YT_OK)
        (void)!read(gadget->control, NULL, 0);
    else if (size == 0)
        stall(gadget, false);
}

static void answer_request(gadget *gadget, const struct usb_ctrlrequest *setup, uint64_t now_us) {
    static uint8_t answer[ANSWER_BYTES];
    yt_usb_control asked = {.answer = answer, .room = sizeof answer};
    memcpy(asked.setup, setup, sizeof asked.setup);
    yt_status status =
        yt_usb_request(gadget->engine, &gadget->identity, gadget->connector, &asked, now_us);
    gadget->is_relayed = status == YT_RELAYED && hand_on(gadget, setup, NULL, setup->wLength);
    gadget->relayed = *setup;
    if (gadget->is_relayed)
        return;
    if (status != YT_OK) {
        stall(gadget, true);
        return;
    }
    size_t length = asked.length < setup->wLength ? asked.length : setup->wLength;
    (void)!write(gadget->control, answer, length);
}

static void look_at_speed(gadget *gadget) {
    char folder[GADGET_PATH], text[40];
    snprintf(folder, sizeof folder, CONTROLLERS "/%s", gadget->controller);
    line_of(folder, "current_speed", text, sizeof text);
    gadget->identity.speed = strcmp(text, "high-speed") == 0 ? YT_USB_HIGH : YT_USB_FULL;
}

static void take_event(gadget *gadget, const struct usb_functionfs_event *event, uint64_t now_us) {
    switch (event->type) {
    case FUNCTIONFS_ENABLE:
        look_at_speed(gadget);
        yt_connector_reset(gadget->engine, gadget->connector);
        gadget->is_enabled = true;
        break;
    case FUNCTIONFS_DISABLE:
    case FUNCTIONFS_UNBIND:
        gadget->is_enabled = false;
        yt_connector_reset(gadget->engine, gadget->connector);
        break;
    case FUNCTIONFS_SUSPEND:
    case FUNCTIONFS_RESUME:
        gadget->is_asleep = event->type == FUNCTIONFS_SUSPEND;
        yt_connector_suspend(gadget->engine, gadget->connector, gadget->is_asleep);
        break;
    case FUNCTIONFS_SETUP:
        gadget->is_relayed = false;
        if (event->u.setup.bRequestType & USB_DIR_IN)
            answer_request(gadget, &event->u.setup, now_us);
        else
            take_request(gadget, &event->u.setup, now_us);
        break;
    default:
        break;
    }
}

/* What has gone to the host, and what has not, because the host left. */
static void take_done(gadget *gadget, uint64_t now_us) {
    struct io_event events[YT_INTERFACES];
    struct timespec none = {0, 0};
    uint64_t count;
    if (read(gadget->done, &count, sizeof count) < 0)
        return;
    long done = syscall(SYS_io_getevents, gadget->requests, 0L, (long)YT_INTERFACES, events, &none);
    for (long i = 0; i < done; i++) {
        unsigned number = (uint32_t)events[i].data;
        gadget_sending *sending = &gadget->sendings[number];
        unsigned interface = yt_connector_interface(gadget->engine, gadget->connector, number);
        sending->is_on_its_way = false;
        if (events[i].data >> 32 != gadget->times)
            continue; /* of a host that it has left since */
        if (events[i].res == (int64_t)sending->size) {
            yt_interface_taken(gadget->engine, interface, now_us);
        } else {
            (void)!yt_interface_take_back(gadget->engine, interface, sending->bytes,
                                          sending->size); /* or it was reset, and tells all anew */
        }
    }
}

bool gadget_serve(gadget *gadget, uint64_t now_us) {
    struct usb_functionfs_event event;
    take_done(gadget, now_us);
    /* To read before a request to the host is answered would stall it. */
    for (unsigned i = 0; i < 64 && gadget->control >= 0 && !gadget->is_relayed; i++) {
        ssize_t size = read(gadget->control, &event, sizeof event);
        if (size == (ssize_t)sizeof event) {
            take_event(gadget, &event, now_us);
            continue;
        }
        if (size < 0 && (errno == EAGAIN || errno == EINTR || errno == EIDRM || errno == EL2HLT))
            return true; /* EIDRM: another request came in the middle of one */
        return fail(gadget, gadget->mounted, size < 0 ? strerror(errno) : "endpoint 0 has ended");
    }
    return true;
}

void gadget_send(gadget *gadget) {
    for (unsigned i = 0; i < gadget->endpoint_count && gadget->is_enabled; i++) {
        gadget_sending *sending = &gadget->sendings[i];
        unsigned interface = yt_connector_interface(gadget->engine, gadget->connector, i);
        if (sending->is_on_its_way ||
            yt_interface_report(gadget->engine, interface, sending->bytes, sizeof sending->bytes,
                                &sending->size) != YT_OK ||
            sending->size == 0)
            continue;
        sending->is_on_its_way = request_write(gadget, i);
        if (!sending->is_on_its_way)
            (void)!yt_interface_take_back(gadget->engine, interface, sending->bytes, sending->size);
    }
}

bool gadget_wake(gadget *gadget) {
    char folder[GADGET_PATH];
    snprintf(folder, sizeof folder, CONTROLLERS "/%s", gadget->controller);
    return write_line(gadget, folder, "srp", "1");
}
