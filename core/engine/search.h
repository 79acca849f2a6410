/* A search through the report descriptor of a device that arrives. */
#ifndef YONDER_ENGINE_SEARCH_H
#define YONDER_ENGINE_SEARCH_H

#include "yonder/engine.h"

#define PAGE_KEYBOARD 0x07
#define PAGE_BUTTON   0x09
#define PAGE_VENDOR   0xff00 /* and above: makers' own */

/* A search through a device's report descriptor, and what it found. It takes most of the stack
 * that the core needs, so there is one, handed on. */
typedef struct search {
    const yt_device *device;
    yt_hid_reader reader;
    yt_hid_field field;
    unsigned element;
    uint16_t application_page; /* of the collection that an input is looked for */
    uint16_t application_usage;
} search;

/* Reads the descriptor to its end; the reader then knows how long the reports are. */
yt_status yt_search_whole(search *search);

/* The inputs that the device is taken for, a bit each; 0: it fits none. */
uint32_t yt_search_inputs(search *search, const yt_program *program);

/* Finds a control or a target of the program; `field` and `element` say where. YT_END: the device
 * has none such. */
yt_status yt_search_control(search *search, const yt_program *program,
                            const yt_program_control *control, bool is_target);

/* Whether a field can be a hat: it has four or eight positions. */
bool yt_hat_suits(const yt_hid_field *field);

#endif
