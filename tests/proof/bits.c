/* Bits of fields: any place, any width, any value, up to 16 bytes of which any may be there. */
#include "__fc_builtin.h"
#include "yonder/hid.h"

int main(void) {
    uint8_t bytes[16];
    yt_hid_field field = {0};
    Frama_C_make_unknown((char *)bytes, sizeof bytes);
    Frama_C_make_unknown((char *)&field, sizeof field);
    size_t size = (size_t)Frama_C_interval(0, sizeof bytes);
    uint32_t bit = Frama_C_unsigned_int_interval(0, UINT32_MAX);
    unsigned bits = Frama_C_unsigned_int_interval(0, UINT32_MAX);
    uint32_t value = Frama_C_unsigned_int_interval(0, UINT32_MAX);
    yt_hid_set(bytes, size, bit, bits, value);
    int64_t number = yt_hid_number(yt_hid_get(bytes, size, bit, bits), bits, value & 1);
    number = yt_hid_element(&field, bytes, size, value);
    yt_hid_is_null(&field, number);
    yt_hid_usage(&field, value);
    return 0;
}
