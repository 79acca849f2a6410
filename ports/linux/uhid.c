#include "ports/linux/uhid.h"

#include <errno.h>
#include <fcntl.h>
#include <linux/input.h>
#include <linux/uhid.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

int uhid_open(uhid_output *output, yt_engine *engine, const yt_usb_identity *identity,
              unsigned connector, unsigned index) {
    struct uhid_event event = {.type = UHID_CREATE2};
    struct uhid_create2_req *asked = &event.u.create2;
    char serial[YT_USB_SERIAL_BYTES];
    size_t size = 0;
    const uint8_t *descriptor = yt_usb_report_descriptor(engine, identity, connector, index, &size);
    *output = (uhid_output){.engine = engine,
                            .interface = yt_connector_interface(engine, connector, index),
                            .file = -1};
    if (!descriptor || size > sizeof asked->rd_data)
        return -EMSGSIZE;
    memcpy(asked->rd_data, descriptor, size);
    asked->rd_size = (uint16_t)size;
    asked->bus = BUS_USB;
    asked->vendor = identity->vendor;
    asked->product = identity->product;
    snprintf((char *)asked->name, sizeof asked->name, "%s",
             identity->product_name ? identity->product_name : "adapter");
    if (yt_usb_serial(engine, identity, serial, sizeof serial) == YT_OK)
        snprintf((char *)asked->uniq, sizeof asked->uniq, "%.63s", serial);
    output->file = open("/dev/uhid", O_RDWR | O_NONBLOCK | O_CLOEXEC);
    if (output->file >= 0 && write(output->file, &event, sizeof event) == sizeof event)
        return 0;
    int error = errno;
    uhid_close(output);
    return -error;
}

void uhid_close(uhid_output *output) {
    if (output->file >= 0)
        close(output->file); /* the device goes with it */
    output->file = -1;
    output->is_there = false;
}

static yt_hid_direction direction_of(unsigned kind) {
    return kind == UHID_FEATURE_REPORT ? YT_HID_FEATURE
           : kind == UHID_INPUT_REPORT ? YT_HID_INPUT
                                       : YT_HID_OUTPUT;
}

static void answer_get(const uhid_output *output, const struct uhid_get_report_req *asked) {
    struct uhid_event event = {.type = UHID_GET_REPORT_REPLY};
    struct uhid_get_report_reply_req *reply = &event.u.get_report_reply;
    size_t length = 0;
    reply->id = asked->id;
    yt_status status =
        yt_interface_state(output->engine, output->interface, direction_of(asked->rtype),
                           asked->rnum, reply->data, sizeof reply->data, &length);
    reply->size = (uint16_t)length;
    reply->err = status == YT_OK ? 0 : EIO;
    (void)!write(output->file, &event, sizeof event);
}

static void answer_set(const uhid_output *output, const struct uhid_set_report_req *asked,
                       uint64_t now_us) {
    struct uhid_event event = {.type = UHID_SET_REPORT_REPLY};
    event.u.set_report_reply.id = asked->id;
    yt_status status = YT_ARGUMENT;
    if (asked->size <= sizeof asked->data)
        status = yt_interface_receive(output->engine, output->interface, direction_of(asked->rtype),
                                      asked->data, asked->size, now_us);
    event.u.set_report_reply.err = status == YT_OK ? 0 : EIO;
    (void)!write(output->file, &event, sizeof event);
}

bool uhid_serve(uhid_output *output, uint64_t now_us) {
    struct uhid_event event;
    ssize_t size;
    while (output->file >= 0 && (size = read(output->file, &event, sizeof event)) > 0) {
        switch (event.type) {
        case UHID_START:
            output->is_there = true;
            break;
        case UHID_STOP:
            output->is_there = false;
            break;
        case UHID_OUTPUT:
            if (event.u.output.size <= sizeof event.u.output.data)
                (void)!yt_interface_receive(output->engine, output->interface,
                                            direction_of(event.u.output.rtype), event.u.output.data,
                                            event.u.output.size, now_us);
            break;
        case UHID_GET_REPORT:
            answer_get(output, &event.u.get_report);
            break;
        case UHID_SET_REPORT:
            answer_set(output, &event.u.set_report, now_us);
            break;
        default:
            break;
        }
    }
    return output->file >= 0;
}

void uhid_send(uhid_output *output, uint64_t now_us) {
    struct uhid_event event = {.type = UHID_INPUT2};
    size_t length = 0;
    while (output->is_there &&
           yt_interface_report(output->engine, output->interface, event.u.input2.data,
                               YT_REPORT_BYTES + 1, &length) == YT_OK &&
           length > 0) {
        event.u.input2.size = (uint16_t)length;
        if (write(output->file, &event, sizeof event) != (ssize_t)sizeof event) {
            (void)!yt_interface_take_back(output->engine, output->interface, event.u.input2.data,
                                          length);
            return;
        }
        yt_interface_taken(output->engine, output->interface, now_us);
    }
}
