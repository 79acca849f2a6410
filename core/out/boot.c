/* Reports of the boot protocol (HID 1.11, appendix B): what a PC's firmware understands, which
 * reads no report descriptors. They are made of what was told, so both protocols tell the same. */
#include <string.h>

#include "out/sending.h"

#ifndef YT_WITHOUT_BOOT

#define ROLL_OVER 1
#define KEYS      6

/* Modifiers, a byte that is reserved, then up to six keys; more keys than that are told by their
 * error number in all six places (HID 1.11, B.1 and appendix C). */
static void boot_keyboard(const yt_sending *sending, uint8_t *bytes) {
    unsigned keys = 0; /* modifiers are 0xe0 to 0xe7, in the order of their bits */
    for (unsigned k = 0; k < sending->report->switch_count; k++) {
        const yt_program_root *root = &sending->roots[k];
        if (!(sending->known[k] & YT_TOLD))
            continue;
        if (root->kind == YT_ROOT_MODIFIER)
            bytes[0] = (uint8_t)(bytes[0] | 1u << (root->number % 8));
        else if (keys < KEYS)
            bytes[2 + keys++] = (uint8_t)root->number;
        else
            keys = KEYS + 1;
    }
    if (keys > KEYS)
        memset(bytes + 2, ROLL_OVER, KEYS);
}

size_t yt_boot_report(const yt_sending *sending, uint8_t *bytes) {
    if (sending->report->boot == YT_BOOT_KEYBOARD) {
        memset(bytes, 0, YT_BOOT_KEYBOARD_BYTES);
        boot_keyboard(sending, bytes);
        return YT_BOOT_KEYBOARD_BYTES;
    }
    if (sending->report->boot != YT_BOOT_MOUSE)
        return 0;
    memset(bytes, 0, YT_BOOT_MOUSE_BYTES);
    bytes[0] = sending->shown[0] & 7; /* three buttons (B.2) */
    return YT_BOOT_MOUSE_BYTES;
}

#define COUNTS 127 /* the farthest that a boot mouse can tell of in one report */

static int32_t within(int32_t counts) {
    return counts > COUNTS ? COUNTS : counts < -COUNTS ? -COUNTS : counts;
}

bool yt_boot_motion(yt_sending *sending, const yt_program_root *root, const yt_program_range *range,
                    int64_t *owed, uint8_t *bytes) {
    if (root->boot_byte == 0) {
        yt_drop_motion(sending, owed);
        return false;
    }
    int32_t taken = yt_pay_counts(owed, within(range->minimum), within(range->maximum));
    bytes[root->boot_byte] = (uint8_t)taken;
    return taken != 0;
}

#else /* no host is in it */

size_t yt_boot_report(const yt_sending *sending, uint8_t *bytes) {
    (void)sending, (void)bytes;
    return 0;
}

#endif
