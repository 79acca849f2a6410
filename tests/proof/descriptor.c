/* The reader of report descriptors: up to 64 bytes, of which nothing is known. */
#include "__fc_builtin.h"
#include "yonder/hid.h"

int main(void) {
    uint8_t bytes[64];
    yt_hid_reader reader;
    yt_hid_field field = {0};
    Frama_C_make_unknown((char *)bytes, sizeof bytes);
    yt_hid_open(&reader, bytes, (size_t)Frama_C_interval(0, sizeof bytes));
    while (yt_hid_next(&reader, &field) == YT_OK) {
        yt_hid_usage(&field, Frama_C_unsigned_int_interval(0, UINT16_MAX));
        yt_hid_is_null(&field, field.minimum);
    }
    yt_hid_error_offset(&reader);
    yt_hid_uses_ids(&reader);
    yt_hid_report_bits(&reader, YT_HID_INPUT, (uint8_t)Frama_C_interval(0, 255));
    return 0;
}
