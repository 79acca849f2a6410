/* A search through the report descriptor of a device that arrives.
 *
 * A descriptor is walked a number of times that does not depend on how many inputs, collections or
 * controls there are: in each walk every field is looked at once for all that is looked for. */
#ifndef YONDER_ENGINE_SEARCH_H
#define YONDER_ENGINE_SEARCH_H

#include "yonder/engine.h"

#define PAGE_KEYBOARD 0x07
#define PAGE_BUTTON   0x09
#define PAGE_CONSUMER 0x0c
#define PAGE_VENDOR   0xff00 /* and above: makers' own */

/* A search through a device's report descriptor. It takes most of the stack that the core needs, so
 * there is one, handed on. */
typedef struct search {
    const yt_device *device;
    yt_hid_reader reader;
    yt_hid_field field;
    uint16_t field_number; /* which one of the walk it is, from 0 */
    uint32_t inputs;       /* whose collection the field at hand is in, as a bit; 0: nobody's */
    uint8_t suits;         /* what the field at hand can be, a bit each */
    uint8_t *points;       /* how well the device as a whole fits each input; 0: not */
    uint8_t owners[YT_HID_COLLECTIONS]; /* whose each top-level collection is; 0xff: nobody's */
} search;

/* Where a control or a target of the program was found. A list has one for each, the targets behind
 * the controls, as an index in it counts. */
typedef struct yt_sought {
    uint16_t at;         /* how often its usage is still to be passed over; once it was found, the
                            element of the field */
    uint16_t field : 13; /* the field that it stands in, counted from 0, or YT_SOUGHT_… */
    uint16_t other : 1;  /* it was found by its other usage */
    uint16_t met : 1;    /* the device has what its other usage depends on */
} yt_sought;

_Static_assert(YT_HID_FIELDS < 0x1ffd, "the number of a field has 13 bits");

#define YT_SOUGHT_NOT   0x1ffdu /* it is not looked for */
#define YT_SOUGHT_PLACE 0x1ffeu /* it stands where its description says */
#define YT_SOUGHT_STILL 0x1fffu /* it was not found so far */

/* A walk from the beginning: yt_search_next gives a field after the other, as yt_hid_next does. */
void yt_search_begin(search *search);
yt_status yt_search_next(search *search);

/* Checks the descriptor as a whole and gives the inputs that the device is taken for, a bit each;
 * 0: it fits none. `points` has room for YT_PROGRAM_INPUTS of them, until it is done. */
YT_MUST_USE yt_status yt_search_inputs(search *search, const yt_program *program, uint8_t *points,
                                       uint32_t *inputs);

/* Finds out where each of the list stands. The descriptor was found to be good, and is read to its
 * end again: the reader then knows how long the reports are. */
void yt_search_fields(search *search, const yt_program *program, yt_sought *list, unsigned count);

/* Whether the field at hand can be a further place of a key or a media key: a keyboard may tell it
 * in a list and by a bit, and all of its places are one. */
bool yt_search_can_have_keys(search *search);

/* Of such a field: whether it is one for `index`, which was found in an earlier one; `here` says
 * where. */
bool yt_search_is_key_again(const search *search, const yt_program *program, unsigned index,
                            yt_sought *here);

/* The field at hand gets the range that a description gives for `index`, in place of its own; of
 * number YT_SOUGHT_PLACE it is the field that the description gives. */
void yt_search_give_range(search *search, const yt_program *program, unsigned index);

/* The control, or the target, that an index of a list means. */
const yt_program_control *yt_sought_control(const yt_program *program, unsigned index);

/* Whether a field can be a hat: it has four or eight positions. */
bool yt_hat_suits(const yt_hid_field *field);

#endif
