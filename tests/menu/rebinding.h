/* What can be rebound, by the library's calls: on a box with a keyboard or a pad, whose first slot
 * has a profile. */
#ifndef YONDER_TESTS_REBINDING_H
#define YONDER_TESTS_REBINDING_H

#include "tests/menu/user.h"

#define HEAD "name: Winch\ninputs: {keys: keyboard}\noutputs: {pad: gamepad}\n"
#define LETS "rebind: {pad: [keys.a, keys.b, keys.c, keys.d]}\n"
#define PLAIN                                                                                      \
    HEAD LETS "sheet:\n  pad.south: keys.a\n  pad.east: keys.b or keys.c\n  pad.home: none\n"      \
              "  pad.north: keys.d\n"

enum { A = 4, B, C, D, SHIFT = 0xe1 };

#define SOUTH 0x0001u
#define EAST  0x0002u
#define NORTH 0x0008u
#define HOME  0x1000u

extern user u;

/* The table of what runs, and its cells and choices by their names, which must be there. */
const yt_bindings *open_table(yt_bindings *bindings);
unsigned cell_named(const yt_bindings *bindings, const char *name);
unsigned choice_named(const yt_bindings *bindings, const char *name);

/* Writes the slot anew, and goes to it. */
yt_status rebind_all(const yt_rebind *rebinds, unsigned count);

/* A box with a profile and a keyboard; or with a pad of 16 buttons and six axes. */
void begin(const char *profile, bool is_mapped);
void begin_desk(const char *profile);

/* A pad's two sticks and triggers by such formulas, and its buttons. */
extern const char *const stick_cells[4], *const stick_written[4];
void begin_pad(const char *const *cells);

/* The buttons of the pad that two keys press, in hexadecimal. */
unsigned buttons_of(uint8_t one, uint8_t other);

#endif
