/* What the image reads and writes: records of a type byte and little-endian numbers.
 *
 * In: 'T' u32 poll time in microseconds; 'P' u32 size, a program in place of the built-in one;
 *     'G': reports are given directly, without the engine's queue;
 *     'B': the hosts ask for the boot protocol;
 *     'D' u8 input, u16 vendor, u16 product, u16 size, report descriptor: a device is attached;
 *     'C' u8 device, u16 size, record: it is calibrated by that;
 *     'R' u64 microseconds, u8 device, u16 size, report.
 *     T, P, G and B come first, in this order, then all D, then C, then all R in the order of time.
 * Out: 'O' u64 microseconds, u8 output, u16 size, report: the host has taken it. */
#ifndef YONDER_BARE_SCRIPT_H
#define YONDER_BARE_SCRIPT_H

#define SCRIPT_POLL        'T'
#define SCRIPT_PROGRAM     'P'
#define SCRIPT_DIRECT      'G'
#define SCRIPT_BOOT        'B'
#define SCRIPT_DEVICE      'D'
#define SCRIPT_CALIBRATION 'C'
#define SCRIPT_REPORT      'R'
#define SCRIPT_OUT         'O'
#define SCRIPT_DESCRIPTOR  1024 /* the longest report descriptor */
#define SCRIPT_BYTES       64   /* the longest report */

#endif
