#include "ports/linux/usbip.h"

#include <errno.h>
#include <stdio.h>
#include <string.h>

#define VERSION        0x0111
#define ASKED_DEVICES  0x8005
#define TOLD_DEVICES   0x0005
#define ASKED_IMPORT   0x8003
#define TOLD_IMPORT    0x0003
#define SUBMIT         1
#define UNLINK         2
#define SUBMITTED      3
#define UNLINKED       4
#define HELLO          8  /* bytes of what comes before the device is imported */
#define BUS_ID         32 /* bytes of a name of a device */
#define ABOUT          312
#define FULL_SPEED     2 /* as the kernel numbers them */
#define HIGH_SPEED     3
#define DEVICE_ID      0x00010001 /* bus 1, device 1 */
#define BOUNDS_PENDING (USBIP_HEAD + USBIP_DESCRIPTOR)

static uint32_t read_32(const uint8_t *bytes) {
    return (uint32_t)bytes[0] << 24 | (uint32_t)bytes[1] << 16 | (uint32_t)bytes[2] << 8 | bytes[3];
}

static uint8_t *put_32(uint8_t *at, uint32_t number) {
    for (unsigned i = 0; i < 4; i++)
        *at++ = (uint8_t)(number >> (24 - 8 * i));
    return at;
}

static uint8_t *put_16(uint8_t *at, uint32_t number) {
    *at++ = (uint8_t)(number >> 8);
    *at++ = (uint8_t)number;
    return at;
}

void usbip_begin(usbip *device, yt_engine *engine, const yt_usb_identity *identity,
                 unsigned connector) {
    memset(device, 0, sizeof *device);
    device->engine = engine;
    device->identity = identity;
    device->connector = connector;
}

void usbip_end(usbip *device) {
    if (device->is_imported)
        yt_connector_reset(device->engine, device->connector);
    device->is_imported = device->is_configured = false;
    device->waiting_count = 0;
}

static bool has_room(const usbip *device) {
    return device->going_bytes + BOUNDS_PENDING <= sizeof device->going;
}

/* ---- before the device is imported ---- */

static unsigned interface_count(const usbip *device) {
    unsigned count = 0;
    size_t size;
    while (
        yt_usb_report_descriptor(device->engine, device->identity, device->connector, count, &size))
        count++;
    return count;
}

/* What is said of the device, in 312 bytes. */
static void put_about(const usbip *device, uint8_t about[ABOUT]) {
    uint8_t descriptor[18] = {0};
    size_t length;
    (void)!yt_usb_device_descriptor(device->engine, device->identity, descriptor, sizeof descriptor,
                                    &length);
    memset(about, 0, ABOUT);
    snprintf((char *)about, 256, "/sys/devices/yonder/usb1/" USBIP_BUS_ID);
    memcpy(about + 256, USBIP_BUS_ID, sizeof USBIP_BUS_ID);
    uint8_t *at = put_32(about + 256 + BUS_ID, 1);
    at = put_32(at, 1);
    at = put_32(at, device->identity->speed == YT_USB_HIGH ? HIGH_SPEED : FULL_SPEED);
    at = put_16(at, (uint32_t)(descriptor[8] | descriptor[9] << 8));
    at = put_16(at, (uint32_t)(descriptor[10] | descriptor[11] << 8));
    at = put_16(at, (uint32_t)(descriptor[12] | descriptor[13] << 8));
    *at++ = descriptor[4]; /* class, subclass and protocol */
    *at++ = descriptor[5];
    *at++ = descriptor[6];
    *at++ = device->is_configured;
    *at++ = 1;
    *at = (uint8_t)interface_count(device);
}

static uint8_t *begin_answer(usbip *device, unsigned what, uint32_t status) {
    uint8_t *at = device->going + device->going_bytes;
    at = put_16(at, VERSION);
    at = put_16(at, what);
    return put_32(at, status);
}

static void tell_devices(usbip *device) {
    uint8_t *at = put_32(begin_answer(device, TOLD_DEVICES, 0), 1);
    put_about(device, at);
    at += ABOUT;
    for (unsigned i = 0, count = interface_count(device); i < count; i++) {
        unsigned number = yt_connector_interface(device->engine, device->connector, i);
        yt_boot boot =
            number < YT_INTERFACES ? yt_interface_boot(device->engine, number) : YT_NO_BOOT;
        *at++ = 3; /* HID */
        *at++ = boot != YT_NO_BOOT;
        *at++ = (uint8_t)boot;
        *at++ = 0;
    }
    device->going_bytes = (size_t)(at - device->going);
}

static void tell_import(usbip *device, const uint8_t *bus_id) {
    bool is_ours = strncmp((const char *)bus_id, USBIP_BUS_ID, BUS_ID) == 0;
    uint8_t *at = begin_answer(device, TOLD_IMPORT, is_ours ? 0 : 1);
    if (is_ours) {
        put_about(device, at);
        at += ABOUT;
        device->is_imported = true;
        yt_connector_reset(device->engine, device->connector);
    }
    device->going_bytes = (size_t)(at - device->going);
}

/* How many bytes the message has that is coming; 0: it is wrong. */
static size_t greeting_bytes(const usbip *device) {
    unsigned version = (unsigned)(device->coming[0] << 8 | device->coming[1]);
    unsigned what = (unsigned)(device->coming[2] << 8 | device->coming[3]);
    if (device->came < HELLO)
        return HELLO;
    return version != VERSION      ? 0
           : what == ASKED_DEVICES ? HELLO
           : what == ASKED_IMPORT  ? HELLO + BUS_ID
                                   : 0;
}

static void take_greeting(usbip *device) {
    if ((device->coming[2] << 8 | device->coming[3]) == ASKED_DEVICES)
        tell_devices(device);
    else
        tell_import(device, device->coming + HELLO);
}

/* ---- transfers ---- */

/* The head of an answer, of which so many bytes follow. */
static void say(usbip *device, unsigned what, uint32_t number, int status, const uint8_t *bytes,
                size_t size, size_t told) {
    uint8_t *begin = device->going + device->going_bytes;
    memset(begin, 0, USBIP_HEAD);
    put_32(put_32(begin, what), number);
    put_32(put_32(begin + 20, (uint32_t)status), (uint32_t)told);
    if (size > 0)
        memcpy(begin + USBIP_HEAD, bytes, size);
    device->going_bytes += USBIP_HEAD + size;
}

/* Standard requests that are a stack's own (USB 2.0, 9.4). False: it is none of them. */
static bool answer_standard(usbip *device, const uint8_t setup[8], uint8_t *answer,
                            size_t *length) {
    unsigned kind = setup[0] & 0x7f, request = setup[1];
    if (kind & 0x60)
        return false;
    *length = 0;
    switch (request) {
    case 0: /* GET_STATUS */
        answer[0] = kind == 0 && device->identity->is_self_powered;
        answer[1] = 0;
        *length = 2;
        return true;
    case 1:
    case 3:  /* CLEAR_FEATURE, SET_FEATURE: halts, and the wake-up that this cable does not carry */
    case 11: /* SET_INTERFACE */
        return request != 11 || setup[2] == 0;
    case 8: /* GET_CONFIGURATION */
        answer[0] = device->is_configured;
        *length = 1;
        return true;
    case 9: /* SET_CONFIGURATION */
        if (setup[2] > 1)
            return false;
        device->is_configured = setup[2] == 1;
        yt_connector_reset(device->engine, device->connector);
        return true;
    default:
        return false;
    }
}

static void take_control(usbip *device, uint32_t number, bool to_host, uint32_t room,
                         const uint8_t *data, size_t size, uint64_t now_us) {
    static uint8_t answer[USBIP_DESCRIPTOR];
    const uint8_t *setup = device->coming + 40;
    yt_usb_control asked = {.data = data, .size = size, .answer = answer, .room = sizeof answer};
    memcpy(asked.setup, setup, 8);
    bool is_right = to_host == ((setup[0] & 0x80) != 0);
    bool good = is_right && answer_standard(device, setup, answer, &asked.length);
    good = good || (is_right && yt_usb_request(device->engine, device->identity, device->connector,
                                               &asked, now_us) == YT_OK);
    size_t wanted = (size_t)(setup[6] | setup[7] << 8);
    size_t length = to_host && good ? asked.length : 0;
    length = length > wanted ? wanted : length;
    length = length > room ? room : length;
    say(device, SUBMITTED, number, good ? 0 : -EPIPE, answer, length, to_host ? length : size);
}

static void take_submit(usbip *device, uint64_t now_us) {
    const uint8_t *head = device->coming;
    uint32_t number = read_32(head + 4), to_host = read_32(head + 12), end = read_32(head + 16);
    uint32_t length = read_32(head + 24);
    size_t size = device->came - USBIP_HEAD;
    if (end == 0) {
        take_control(device, number, to_host == 1, length, head + USBIP_HEAD, size, now_us);
        return;
    }
    unsigned interface = yt_connector_interface(device->engine, device->connector, end - 1);
    bool is_known = to_host == 1 && end <= interface_count(device);
    if (!is_known || device->waiting_count == USBIP_WAITING) {
        say(device, SUBMITTED, number, is_known ? -ENOMEM : -EPIPE, NULL, 0, 0);
        return;
    }
    device->waiting[device->waiting_count++] = (usbip_waiting){
        .number = number,
        .length = length,
        .interface = (uint8_t)(interface < YT_INTERFACES ? interface : YT_INTERFACES)};
}

/* A transfer that is given up: it is told of no more, where it waited. */
static void take_unlink(usbip *device) {
    uint32_t number = read_32(device->coming + 4), which = read_32(device->coming + 20);
    int status = 0;
    for (unsigned i = 0; i < device->waiting_count; i++) {
        if (device->waiting[i].number != which)
            continue;
        memmove(&device->waiting[i], &device->waiting[i + 1],
                (device->waiting_count - i - 1) * sizeof device->waiting[0]);
        device->waiting_count--;
        status = -ECONNRESET;
        break;
    }
    say(device, UNLINKED, number, status, NULL, 0, 0);
}

/* How many bytes the message has that is coming; 0: it is wrong. */
static size_t transfer_bytes(const usbip *device) {
    const uint8_t *head = device->coming;
    if (device->came < USBIP_HEAD)
        return USBIP_HEAD;
    uint32_t what = read_32(head), direction = read_32(head + 12), length = read_32(head + 24);
    if (read_32(head + 8) != DEVICE_ID)
        return 0;
    if (what == UNLINK)
        return USBIP_HEAD;
    if (what != SUBMIT || direction > 1 || (direction == 0 && length > USBIP_DATA))
        return 0;
    return USBIP_HEAD + (direction == 0 ? length : 0);
}

/* ---- bytes ---- */

static void take_message(usbip *device, uint64_t now_us) {
    if (!device->is_imported)
        take_greeting(device);
    else if (read_32(device->coming) == SUBMIT)
        take_submit(device, now_us);
    else
        take_unlink(device);
    device->came = 0;
}

size_t usbip_take(usbip *device, const uint8_t *bytes, size_t size, uint64_t now_us) {
    size_t taken = 0;
    while (taken < size && !device->is_wrong && has_room(device)) {
        size_t whole = device->is_imported ? transfer_bytes(device) : greeting_bytes(device);
        if (whole == 0) {
            device->is_wrong = true;
            break;
        }
        if (device->came < whole) {
            size_t part = whole - device->came;
            part = part < size - taken ? part : size - taken;
            memcpy(device->coming + device->came, bytes + taken, part);
            device->came += part;
            taken += part;
        }
        /* Its head may say that more belongs to it. */
        whole = device->is_imported ? transfer_bytes(device) : greeting_bytes(device);
        device->is_wrong = whole == 0;
        if (whole > 0 && device->came == whole)
            take_message(device, now_us);
    }
    return taken;
}

uint64_t usbip_work(usbip *device, uint64_t now_us) {
    uint64_t next_us = YT_NEVER, pause_us = device->identity->interval_ms * 1000u;
    for (unsigned i = 0; i < device->waiting_count && device->is_configured && !device->is_wrong;) {
        const usbip_waiting waiting = device->waiting[i];
        uint8_t bytes[YT_REPORT_BYTES + 1];
        size_t length = 0;
        bool is_time =
            waiting.interface < YT_INTERFACES && device->next_us[waiting.interface] <= now_us;
        if (waiting.interface < YT_INTERFACES && !is_time &&
            device->next_us[waiting.interface] < next_us)
            next_us = device->next_us[waiting.interface];
        if (!is_time || !has_room(device) ||
            yt_interface_report(device->engine, waiting.interface, bytes, sizeof bytes, &length) !=
                YT_OK ||
            length == 0) {
            i++;
            continue;
        }
        size_t told = length < waiting.length ? length : waiting.length;
        say(device, SUBMITTED, waiting.number, length > waiting.length ? -EOVERFLOW : 0, bytes,
            told, told);
        yt_interface_taken(device->engine, waiting.interface, now_us);
        device->next_us[waiting.interface] = now_us + pause_us;
        memmove(&device->waiting[i], &device->waiting[i + 1],
                (device->waiting_count - i - 1) * sizeof device->waiting[0]);
        device->waiting_count--;
    }
    return next_us;
}

size_t usbip_give(usbip *device, uint8_t *bytes, size_t room) {
    size_t size = device->going_bytes < room ? device->going_bytes : room;
    memcpy(bytes, device->going, size);
    device->going_bytes -= size;
    memmove(device->going, device->going + size, device->going_bytes);
    return size;
}
