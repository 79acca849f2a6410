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

/* Elements of a field, in the bytes that are at hand as a report: signed where the field is, and a
 * number that is set is read again. */
static void check_elements(const yt_hid_field *field, const uint8_t *data, size_t size) {
    uint8_t report[80] = {0};
    for (unsigned i = 0; i < field->count && i < 4; i++) {
        int64_t number = yt_hid_element(field, data, size, i);
        uint32_t bit = (field->bit + (uint32_t)i * field->bits) % 480;
        INVARIANT(18, field->minimum < 0 || number >= 0);
        INVARIANT(18, field->bits > 32 || number < (int64_t)1 << field->bits);
        (void)yt_hid_is_null(field, number);
        yt_hid_set(report, sizeof report, bit, field->bits, (uint32_t)number);
        INVARIANT(18, field->bits > 32 ||
                          yt_hid_number(yt_hid_get(report, sizeof report, bit, field->bits),
                                        field->bits, field->minimum < 0) == number);
    }
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    yt_hid_reader reader;
    yt_hid_field field;
    yt_status status;
    size_t fields = 0;
    yt_hid_open(&reader, data, size);
    while ((status = yt_hid_next(&reader, &field)) == YT_OK) {
        check_field(&field);
        check_elements(&field, data, size);
        uint16_t bits =
            yt_hid_report_bits(&reader, (yt_hid_direction)field.direction, field.report_id);
        INVARIANT(2, field.bit + (uint32_t)field.bits * field.count <= bits);
        INVARIANT(3, ++fields <= (size_t)YT_HID_REPORT_BITS * YT_HID_REPORTS + size);
    }
    INVARIANT(1, status != YT_OK && yt_hid_error_offset(&reader) <= size);
    INVARIANT(1, yt_hid_next(&reader, &field) == status);
    return 0;
}
