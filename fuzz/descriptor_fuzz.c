/* Any bytes as a report descriptor. */
#include "fuzz/fuzz.h"
#include "yonder/hid.h"

static void check_field(const yt_hid_field *field) {
    INVARIANT(2, field->count > 0 && field->bits > 0);
    INVARIANT(2, field->bit + (uint32_t)field->bits * field->count <= YT_HID_REPORT_BITS);
    INVARIANT(2, (field->flags & YT_HID_CONSTANT) || field->minimum <= field->maximum);
    INVARIANT(2, field->usage_first <= field->usage_last);
    INVARIANT(2, yt_hid_usage(field, field->count - 1u) <= field->usage_last);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    yt_hid_reader reader;
    yt_hid_field field;
    yt_status status;
    size_t fields = 0;
    yt_hid_open(&reader, data, size);
    while ((status = yt_hid_next(&reader, &field)) == YT_OK) {
        check_field(&field);
        uint16_t bits =
            yt_hid_report_bits(&reader, (yt_hid_direction)field.direction, field.report_id);
        INVARIANT(2, field.bit + (uint32_t)field.bits * field.count <= bits);
        INVARIANT(3, ++fields <= (size_t)YT_HID_REPORT_BITS * YT_HID_REPORTS + size);
    }
    INVARIANT(1, status != YT_OK && yt_hid_error_offset(&reader) <= size);
    INVARIANT(1, yt_hid_next(&reader, &field) == status);
    return 0;
}
