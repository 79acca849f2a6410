/* Fixed point and scales: any values; ranges within 32 bits, signed or not, as the callers promise.
 */
#include "__fc_builtin.h"
#include "signal/fixed.h"
#include "signal/scale.h"

static int32_t any_value(void) {
    return Frama_C_interval(INT32_MIN, INT32_MAX);
}

/* Of a field of up to 32 bits, signed or not. */
static int64_t any_number(void) {
    int64_t number = any_value();
    return Frama_C_interval(0, 1) ? number : number + INT64_C(0x80000000);
}

static void prove_scales(void) {
    yt_scale scale, rate;
    int64_t minimum = any_number(), maximum = any_number(), rest;
    if (minimum > maximum)
        return;
    rest = Frama_C_interval(0, 1) ? yt_scale_rest(minimum, maximum) : any_number();
    yt_scale_make(&scale, minimum, rest, maximum);
    yt_scale_make_rate(&rate, minimum, rest, maximum, any_value());
    yt_scale_equals(&scale, &rate);
    yt_scale_value(&scale, any_number());
    yt_scale_value(&rate, any_number());
    yt_scale_number(any_value(), any_value(), any_value(), any_value());
}

int main(void) {
    yt_q16 a = any_value(), b = any_value();
    yt_q16_add(a, b);
    yt_q16_subtract(a, b);
    yt_q16_multiply(a, b);
    yt_q16_divide(a, b);
    yt_q16_clamp(a, b, any_value());
    yt_q16_from_counts(any_number());
    yt_q16_from_top((uint32_t)a, Frama_C_unsigned_int_interval(1, 16));
    prove_scales();
    return 0;
}
