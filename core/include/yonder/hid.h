/* USB HID report descriptors: from bytes to fields, and the bits of a field in a report.
 *
 * Follows "Device Class Definition for Human Interface Devices (HID)" 1.11; section numbers below
 * are from there. The reader holds no table that grows with what a descriptor claims: it gives out
 * one field at a time and walks the local items again where it needs them. It never reads outside
 * the bytes it was given. Bits are numbered from the first bit after the report ID.
 *
 *     yt_hid_reader reader;
 *     yt_hid_field field;
 *     yt_hid_open(&reader, descriptor, descriptor_size);
 *     while (yt_hid_next(&reader, &field) == YT_OK)
 *         if (field.report_id == 0 && field.usage_page == 9)
 *             pressed |= yt_hid_get(bytes, size, field.bit, 1); */
#ifndef YONDER_HID_H
#define YONDER_HID_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "yonder/status.h"

#ifdef __cplusplus
extern "C" {
#endif

#define YT_HID_PUSHES      4     /* nested Push items (6.2.2.7) */
#define YT_HID_DEPTH       32    /* nested collections (6.2.2.6) */
#define YT_HID_REPORTS     32    /* reports: each report ID of input, output and feature is one */
#define YT_HID_REPORT_BITS 32768 /* bits in one report */
#define YT_HID_BYTES       4096  /* of a descriptor; with a longer one a device is not attached */
#define YT_HID_FIELDS      512   /* of a descriptor; with more of them it is not attached either */
#define YT_HID_COLLECTIONS 32    /* top-level ones of a descriptor; likewise */

/* What a report is: one to the host, or one that the host sends, or sets and asks for (6.2.2.5). */
typedef enum yt_hid_direction { YT_HID_INPUT, YT_HID_OUTPUT, YT_HID_FEATURE } yt_hid_direction;

/* Bits of a main item's data (6.2.2.5). */
#define YT_HID_CONSTANT   0x01u
#define YT_HID_VARIABLE   0x02u
#define YT_HID_RELATIVE   0x04u
#define YT_HID_NULL_STATE 0x40u

/* A field: `count` elements of `bits` bits each, one after the other from `bit`.
 *
 * A variable field (YT_HID_VARIABLE) has one control for each element: element i has the usage
 * usage_first + i, but none above usage_last. One main item with several usages gives several
 * fields. In an array field each element holds a number that stands for a usage: number
 * number_first + i stands for usage_first + i, up to usage_last. One array with several usage
 * ranges gives several fields over the same bits. Numbers outside minimum..maximum mean nothing.
 * Fields of more than 32 bits an element are given, but yt_hid_get cannot read them. */
typedef struct yt_hid_field {
    uint8_t direction; /* yt_hid_direction */
    uint8_t report_id; /* 0: the device does not use report IDs */
    uint16_t flags;    /* YT_HID_… */
    uint16_t bit;
    uint16_t bits;
    uint16_t count;
    uint16_t usage_page;
    uint16_t usage_first;
    uint16_t usage_last;
    int64_t number_first; /* array fields only */
    int64_t minimum;      /* logical; below 0 says that the elements are signed */
    int64_t maximum;
    int32_t physical_minimum; /* both 0: the same as logical */
    int32_t physical_maximum;
    uint32_t unit;        /* 6.2.2.7, table of units */
    int8_t unit_exponent; /* power of ten, -8 to 7 */
    uint8_t application;  /* number of the top-level collection, from 0 */
    uint16_t application_page;
    uint16_t application_usage;
} yt_hid_field;

/* Global items (6.2.2.7) as they stand; Push and Pop copy the whole. */
typedef struct yt_hid_globals {
    uint16_t usage_page;
    uint8_t report_id;
    uint8_t maximum_bytes;
    int32_t minimum;
    uint32_t maximum;
    int32_t physical_minimum;
    int32_t physical_maximum;
    uint32_t unit;
    uint32_t report_size;
    uint32_t report_count;
    int8_t unit_exponent;
} yt_hid_globals;

/* The length so far of one report. */
typedef struct yt_hid_report {
    uint8_t direction;
    uint8_t report_id;
    uint16_t bits;
} yt_hid_report;

/* Reads one report descriptor. The caller's memory; may be copied; holds a pointer to the bytes. */
typedef struct yt_hid_reader {
    const uint8_t *bytes;
    size_t size;
    size_t next;   /* the next item */
    size_t item;   /* the item at hand: where an error is */
    size_t locals; /* the first local item of the main item that comes next */
    size_t usages; /* while fields of one main item are given out: the next local item to look at */
    yt_hid_globals globals;
    yt_hid_globals stack[YT_HID_PUSHES];
    yt_hid_report reports[YT_HID_REPORTS];
    yt_hid_field field; /* the main item whose fields are being given out */
    uint32_t elements;  /* of it, how many are still to be given out */
    uint16_t application_page;
    uint16_t application_usage;
    uint8_t application;
    uint8_t depth;
    uint8_t pushed;
    uint8_t report_count;
    yt_status failed; /* YT_OK while there is more */
    bool giving;
    bool any_field;
    bool in_delimiter;
    bool delimiter_used;
} yt_hid_reader;

/* Begins at the first item. `bytes` must stay as they are while the reader is used. */
void yt_hid_open(yt_hid_reader *reader, const uint8_t *bytes, size_t size);

/* Gives the next field, constant padding and output and feature fields too.
 * YT_OK: `field` is filled. YT_END: the descriptor ended as it should. Else the status says what is
 * wrong and yt_hid_error_offset where; the same status comes again at every further call. */
YT_MUST_USE yt_status yt_hid_next(yt_hid_reader *reader, yt_hid_field *field);

/* Where the item at hand begins, in bytes from the start: after an error, the item at fault. */
size_t yt_hid_error_offset(const yt_hid_reader *reader);

/* After YT_END: the length in bits of a report, without the byte of its ID; 0 if there is none. */
uint16_t yt_hid_report_bits(const yt_hid_reader *reader, yt_hid_direction direction, uint8_t id);

/* After YT_END: whether reports begin with a report ID (8.1). */
bool yt_hid_uses_ids(const yt_hid_reader *reader);

/* Reads `bits` bits (0 to 32) from bit `bit` on, least significant first (8.4). Bits past the end
 * of `size` bytes read as 0; so do all of them when `bits` is above 32. */
uint32_t yt_hid_get(const uint8_t *bytes, size_t size, uint32_t bit, unsigned bits);

/* Writes the low `bits` bits (0 to 32) of `value`. Bits past the end are not written. */
void yt_hid_set(uint8_t *bytes, size_t size, uint32_t bit, unsigned bits, uint32_t value);

/* The number that `bits` raw bits (0 to 32) stand for, in two's complement if `is_signed`. */
int64_t yt_hid_number(uint32_t raw, unsigned bits, bool is_signed);

/* Element `index` of a field as a number. Its report is given without the byte of its ID. */
int64_t yt_hid_element(const yt_hid_field *field, const uint8_t *bytes, size_t size,
                       unsigned index);

/* Whether `number` means "no value" in this field: outside of its logical range in a field with a
 * null state (6.2.2.5), or in an array. */
bool yt_hid_is_null(const yt_hid_field *field, int64_t number);

/* The usage of element `index` of a variable field. */
uint16_t yt_hid_usage(const yt_hid_field *field, unsigned index);

#ifdef __cplusplus
}
#endif

#endif
