/* What the bytes of a group say of its controls: the obvious way, one control at a time. read.c has
 * ways of its own for what is frequent; they give the same. */
#include "in/device.h"
#include "signal/fixed.h"

static uint32_t bits_of(const yt_bytes_group *group, const uint8_t *at) {
    return yt_field_bits(at, group->shift, group->bits);
}

static int64_t number_of(const yt_bytes_group *group, const yt_binding *binding,
                         const uint8_t *at) {
    return yt_hid_number(bits_of(group, at), group->bits, binding->flags & YT_BINDING_SIGNED);
}

bool yt_number_is_outside(yt_attached *device, const yt_bytes_group *group,
                          const yt_binding *binding, const uint8_t *at) {
    const yt_scale *scale = &yt_attached_scales(device)[binding->as.scale];
    int64_t number = number_of(group, binding, at);
    return number < scale->minimum || number > scale->maximum;
}

bool yt_number_is_null(yt_attached *device, const yt_bytes_group *group, const yt_binding *binding,
                       const uint8_t *at) {
    return (binding->flags & YT_BINDING_NULL) && yt_number_is_outside(device, group, binding, at);
}

yt_q16 yt_number_value(yt_attached *device, const yt_bytes_group *group, const yt_binding *binding,
                       const uint8_t *at) {
    const yt_scale *scale = &yt_attached_scales(device)[binding->as.scale];
    yt_q16 value = yt_scale_value(scale, number_of(group, binding, at));
    if (binding->flags & YT_BINDING_TURNED)
        value = binding->flags & (YT_BINDING_LEVEL | YT_BINDING_HALF) ? YT_ONE - value : -value;
    if (binding->flags & YT_BINDING_HALF)
        return value >= YT_ONE / 2 ? YT_ONE : 0;
    return value;
}

/* Clockwise from up; numbers outside of the hat's range mean that it is centred. */
bool yt_hat_is_on(const yt_bytes_group *group, const yt_binding *binding, const uint8_t *at) {
    static const uint8_t directions[8] = {1, 3, 2, 6, 4, 12, 8, 9};
    uint32_t position = bits_of(group, at) - binding->as.hat.up;
    bool has_four = binding->flags & YT_BINDING_FOUR;
    if (position >= (has_four ? 4u : 8u))
        return false;
    return directions[has_four ? 2 * position : position] & binding->as.hat.direction;
}

yt_q16 yt_motion_of(const yt_binding *binding, uint32_t top, unsigned bits) {
    bool is_signed = binding->flags & YT_BINDING_SIGNED;
    yt_q16 motion;
    if (is_signed && bits <= 16)
        motion = yt_q16_from_top(top, bits);
    else
        motion = yt_q16_from_counts(yt_hid_number(top >> (32 - bits), bits, is_signed));
    return binding->flags & YT_BINDING_TURNED ? yt_q16_subtract(0, motion) : motion;
}

/* A number outside of the range says nothing, nor does what was kept before the first report. */
yt_q16 yt_turned_by(yt_attached *device, const yt_bytes_group *group, const yt_binding *binding,
                    const uint8_t *at) {
    const yt_scale *scale = &yt_attached_scales(device)[binding->as.scale];
    const uint8_t *kept = yt_attached_kept(device) + group->kept;
    bool is_angle = group->reading == YT_READ_ANGLE;
    int64_t moved, span = scale->maximum - scale->minimum + 1;
    if (yt_number_is_outside(device, group, binding, at) ||
        (is_angle && yt_number_is_outside(device, group, binding, kept)))
        return 0;
    moved =
        number_of(group, binding, at) - (is_angle ? number_of(group, binding, kept) : scale->rest);
    if (is_angle && 2 * moved > span)
        moved -= span;
    else if (is_angle && 2 * moved <= -span)
        moved += span;
    return yt_q16_from_counts(binding->flags & YT_BINDING_TURNED ? -moved : moved);
}

static bool is_of_bytes(const yt_bytes_group *group) {
    return group->bits == 8 && group->shift == 0;
}

uint32_t yt_array_element(const yt_bytes_group *group, const uint8_t *at, unsigned index) {
    if (is_of_bytes(group))
        return at[index];
    uint32_t bit = group->shift + index * group->bits;
    return yt_field_bits(at + (bit >> 3), bit & 7, group->bits);
}

static bool has_between(const yt_bytes_group *group, const uint8_t *at, uint32_t first,
                        uint32_t last) {
    if (is_of_bytes(group)) {
        for (const uint8_t *end = at + group->elements; at < end; at++)
            if (*at - first <= last - first)
                return true;
        return false;
    }
    for (unsigned i = 0; i < group->elements; i++)
        if (yt_array_element(group, at, i) - first <= last - first)
            return true;
    return false;
}

bool yt_array_has_error(const yt_bytes_group *group, const uint8_t *at) {
    return group->reading == YT_READ_KEYS && has_between(group, at, 1, 3);
}

bool yt_array_holds(const yt_bytes_group *group, const uint8_t *at, uint32_t number) {
    return has_between(group, at, number, number);
}

yt_q16 yt_group_value(yt_attached *device, const yt_bytes_group *group, const yt_binding *binding,
                      const uint8_t *at) {
    bool on;
    switch (group->reading) {
    case YT_READ_MOTION:
        return yt_motion_of(binding, bits_of(group, at) << (32 - group->bits), group->bits);
    case YT_READ_OFFSET:
    case YT_READ_ANGLE:
        return yt_turned_by(device, group, binding, at);
    case YT_READ_NUMBER:
        return yt_number_value(device, group, binding, at);
    case YT_READ_HAT:
        return yt_hat_is_on(group, binding, at) ? YT_ONE : 0;
    case YT_READ_ARRAY:
    case YT_READ_KEYS:
        return yt_array_holds(group, at, binding->as.number) ? YT_ONE : 0;
    default:
        on = group->reading == YT_READ_BITS ? at[0] >> binding->as.shift & 1 : bits_of(group, at);
        return on != ((binding->flags & YT_BINDING_TURNED) != 0) ? YT_ONE : 0;
    }
}

yt_q16 yt_device_says(const yt_engine *engine, yt_attached *device, const yt_bytes_group *group,
                      const yt_binding *binding) {
    if ((device->rare & YT_RARE_GONE) || (binding->flags & YT_BINDING_MUTED) ||
        yt_group_moves(group))
        return 0;
    if (binding->calibrated)
        return engine->calibrated->calls->says(engine, device, group, binding);
    return yt_group_value(device, group, binding, yt_attached_kept(device) + group->kept);
}

int64_t yt_device_number(yt_attached *device, const yt_bytes_group *group,
                         const yt_binding *binding) {
    return number_of(group, binding, yt_attached_kept(device) + group->kept);
}
