/* Calls of the whole public interface, in an order and with bytes that choices give: for programs
 * that passed the check, whatever they are. Nothing may be read or written outside of what each
 * call was given, which stands in heap blocks of its exact size; what a call promises of its result
 * is checked, and a broken promise ends the program. */
#ifndef YONDER_TESTS_DRIVE_H
#define YONDER_TESTS_DRIVE_H

#include <stddef.h>
#include <stdint.h>

/* Loads a checked program and does what the choices say, to their end. */
void drive_program(const uint8_t *image, size_t size, const uint8_t *choices, size_t count);

/* Makes length and checksum of an image of `size` bytes right. */
void drive_mend(uint8_t *image, size_t size);

#endif
