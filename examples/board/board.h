/* A made-up board, so that the examples run on a desk: put your own in its place.
 *
 * What a firmware asks of its hardware stands in the first half, what the hardware's stacks call in
 * the second. made_up.c plays a story: what is plugged in and pressed, and when. It prints what the
 * hosts get. */
#ifndef BOARD_H
#define BOARD_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* ---- Your hardware. */

/* Microseconds since the start; any clock that does not stop. */
uint64_t board_us(void);

/* Sleeps until an interrupt comes, or until that time. False: the story is over, which never
 * happens on a desk of yours. */
bool board_sleep(uint64_t until_us);

/* The level of pin `pin`, what ADC channel `channel` reads, 0 to 4,095. */
bool board_pin(unsigned pin);
uint16_t board_channel(unsigned channel);

/* A light or a motor on a pin, 0 to 255. */
void board_drive(unsigned pin, unsigned level);

/* Arms an interrupt IN endpoint of connector 1, 2… with a report; it has to stay until it was
 * taken. */
void board_arm(unsigned connector, unsigned interface, const uint8_t *bytes, size_t size);

/* Sends a report to a device: SET_REPORT, or its interrupt OUT endpoint. */
void board_to_device(unsigned address, const uint8_t *bytes, size_t size);

/* Flash: sectors of 4 KiB that are programmed 8 bytes at a time, as yonder/port.h has it; 0: it
 * went well. On the desk it is a file; false: it cannot be used. */
#define BOARD_SECTORS      16
#define BOARD_SECTOR_BYTES 4096
bool board_flash_begin(const char *path);
int board_flash_read(void *context, uint32_t offset, void *bytes, size_t size);
int board_flash_program(void *context, uint32_t offset, const void *bytes, size_t size);
int board_flash_erase(void *context, uint32_t sector);

/* Prints a line behind the time, with a number; a firmware has a display, or nothing. */
void board_say(const char *text);
void board_say_number(const char *text, long number);

/* ---- What its stacks call. */

/* A device, as a USB host stack tells of it. */
typedef struct board_device {
    const uint8_t *descriptor; /* its report descriptor */
    size_t descriptor_size;
    uint16_t vendor, product;
} board_device;

/* All are called from board_sleep; those of devices would be interrupts. NULL: nobody cares. */
typedef struct board_calls {
    void (*plugged)(unsigned address, const board_device *device);
    void (*unplugged)(unsigned address);
    void (*sent)(unsigned address, const uint8_t *bytes, size_t size);
    void (*host_took)(unsigned connector, unsigned interface);
    void (*host_sent)(unsigned connector, unsigned interface, const uint8_t *bytes, size_t size);
    void (*host_sleeps)(unsigned connector, bool sleeps);
    void (*sampled)(void); /* every millisecond */
} board_calls;

/* Begins. `arguments` of main: the story's file. */
void board_begin(int count, char **arguments, const board_calls *calls);

#ifdef __cplusplus
}
#endif

#endif
