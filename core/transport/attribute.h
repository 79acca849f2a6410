/* What the services of HID over GATT share. */
#ifndef YONDER_TRANSPORT_ATTRIBUTE_H
#define YONDER_TRANSPORT_ATTRIBUTE_H

#include <stdint.h>
#include <string.h>

#include "yonder/status.h"

/* Reads a value from an offset on, as much as there is room for (Core Specification, Attribute
 * Protocol, Read Blob). YT_ARGUMENT: the offset is behind its end. */
static inline yt_status yt_attribute_give(const uint8_t *value, size_t whole, size_t offset,
                                          uint8_t *bytes, size_t room, size_t *length) {
    if (offset > whole)
        return YT_ARGUMENT;
    *length = whole - offset < room ? whole - offset : room;
    memcpy(bytes, value + offset, *length);
    return YT_OK;
}

#endif
