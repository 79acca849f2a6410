/* Any text as a description of a device or a board: a clear error, or controls that lie within
 * their reports (invariant 11). */
#include "compiler/reading/description.h"
#include "fuzz/fuzz.h"

static void check(const yt_description *description) {
    INVARIANT(11, description->control_count <= DESCRIPTION_CONTROLS);
    INVARIANT(11, description->pin_count <= YT_BOARD_PINS);
    INVARIANT(11, description->report_bits <= 8 * YT_BOARD_BYTES);
    INVARIANT(11, description->output_bits <= 8 * YT_BOARD_BYTES);
    for (unsigned i = 0; i < description->control_count; i++) {
        const yt_control_meaning *meaning = &description->controls[i].meaning;
        INVARIANT(11, meaning->name.kind < YT_KIND_COUNT);
        if (meaning->has_range)
            INVARIANT(11, meaning->range.minimum <= meaning->range.rest &&
                              meaning->range.rest <= meaning->range.maximum);
        if (meaning->place.flags & YT_PLACE_HERE)
            INVARIANT(11, meaning->place.at.bits >= 1 && meaning->place.at.bits <= 32);
    }
    INVARIANT(11, description->send_count <= FILLS_MOST);
    for (unsigned i = 0; i < description->send_count; i++) {
        const yt_read_send *send = &description->sends[i];
        INVARIANT(11, send->fill_count <= FILLS_MOST && send->filled.direction != YT_HID_INPUT);
        INVARIANT(11, send->filled.every_us <= YT_FILLED_MOST_US);
        for (unsigned k = 0; k < send->fill_count; k++) {
            const yt_program_fill *fill = &send->fills[k].fill;
            INVARIANT(11, fill->at.bits >= 1 && fill->at.bits <= 32);
            INVARIANT(11, fill->at.bit + fill->at.bits <= 8 * YT_REPORT_BYTES);
            INVARIANT(11, fill->first <= fill->end && fill->end <= YT_REPORT_BYTES);
        }
    }
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    yt_pool pool = {0};
    yt_messages messages;
    char *text = malloc(size + 1);
    memcpy(text, data, size);
    text[size] = 0;
    messages_begin(&messages, "description", text, size);
    const yt_description *description = description_parse(&pool, &messages, 0, "description");
    INVARIANT(8, (description != NULL) == (messages.count == 0));
    if (description)
        check(description);
    pool_free(&pool);
    messages_free(&messages);
    free(text);
    return 0;
}
