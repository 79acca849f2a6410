/* Recordings: devices with their report descriptors, and the reports that they sent, with times.
 *
 * Read from usbmon pcaps (through libpcap) and from the Linux HID recording text; written as text:
 *
 *     D: 0                       the device that the lines below are of; 0 if there is no such line
 *     N: Quay USB Keyboard       its name
 *     I: 3 1209 0001             bus (3 is USB), vendor, product, in hexadecimal
 *     R: 63 05 01 09 06 …        its report descriptor: length in decimal, bytes in hexadecimal
 *     E: 000000.000123 8 00 …    a report: seconds.microseconds, length, bytes
 *
 * A report descriptor alone, as it is or as hexadecimal bytes, is a recording without reports. */
#ifndef YONDER_SIM_RECORDING_H
#define YONDER_SIM_RECORDING_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>
#include <stdio.h>

#define RECORDING_DEVICES    16
#define RECORDING_DESCRIPTOR 4096 /* the longest report descriptor, in bytes */
#define RECORDING_REPORT     4097 /* the longest report, with its ID */
#define RECORDING_BYTES      (256u * 1024 * 1024)

typedef struct recorded_device {
    char name[128];
    uint16_t bus;
    uint16_t vendor;
    uint16_t product;
    uint8_t descriptor[RECORDING_DESCRIPTOR];
    size_t descriptor_size;
    unsigned boot_reports; /* left out: sent in boot protocol, before the system took over */
} recorded_device;

typedef struct recorded_report {
    uint64_t time_us; /* in a capture, since its first report; in a text, as it stands there */
    unsigned device;
    size_t offset; /* into the recording's bytes */
    size_t size;
} recorded_report;

typedef struct recording {
    recorded_device *devices;
    size_t device_count;
    recorded_report *reports;
    size_t report_count, report_room;
    uint8_t *bytes;
    size_t byte_count, byte_room;
    char error[300]; /* "file:line: what" or "file: packet 12: what", after a failure */
} recording;

/* Reads a file of either kind. False: `error` says what is wrong; nothing is to be freed. */
bool recording_read(recording *recording, const char *path);

/* The same from memory; `name` is for messages. */
bool recording_parse(recording *recording, const char *name, const uint8_t *bytes, size_t size);

void recording_free(recording *recording);

/* Lines of the text form. */
void recording_write_device(FILE *file, unsigned number, const char *name, uint16_t bus,
                            uint16_t vendor, uint16_t product, const uint8_t *descriptor,
                            size_t size);
void recording_write_report(FILE *file, uint64_t time_us, const uint8_t *bytes, size_t size);

/* For the readers. */

/* A whole file; NULL: `error` says why. */
uint8_t *recording_read_file(recording *recording, const char *path, size_t *size);

/* Makes room for `needed` elements of `size` bytes; ends the program where there is no memory. */
void *recording_grow(void *array, size_t needed, size_t *room, size_t size);
bool recording_fail(recording *recording, const char *format, ...)
    __attribute__((format(printf, 2, 3)));
recorded_device *recording_add_device(recording *recording);
bool recording_add_report(recording *recording, uint64_t time_us, unsigned device,
                          const uint8_t *bytes, size_t size);
bool recording_parse_text(recording *recording, const char *name, const char *text, size_t size);
bool recording_parse_pcap(recording *recording, const char *name, const uint8_t *bytes,
                          size_t size);

#endif
