/* The bindings of a device that arrives, in the order in which they stand in its reports, and the
 * groups of bytes by which they are read. */
#include <string.h>

#include "engine/parts.h"
#include "in/device.h"

static bool is_array(unsigned reading) {
    return reading == YT_READ_ARRAY || reading == YT_READ_KEYS;
}

static bool comes_before(const yt_found *a, const yt_found *b) {
    if (a->report_id != b->report_id)
        return a->report_id < b->report_id;
    if (a->bit != b->bit)
        return a->bit < b->bit;
    return is_array(a->reading) && is_array(b->reading) &&
           a->binding.as.number < b->binding.as.number;
}

/* By report, then by place; those of one array stand together, by number. They come in that order
 * but for a few, and where a description says otherwise: steps that become smaller keep the work
 * small whatever it says. */
static void sort_found(yt_found *list, unsigned count) {
    for (unsigned step = count; step > 0;) {
        step = (step >> 1) - (step >> 5); /* no division, which a Cortex-M0 has not */
        for (unsigned i = step; i < count && step > 0; i++) {
            yt_found moved = list[i];
            unsigned at = i;
            for (; at >= step && comes_before(&moved, &list[at - step]); at -= step)
                list[at] = list[at - step];
            list[at] = moved;
        }
    }
}

/* Whether two that stand behind one another are looked at together. */
static bool is_one_group(const yt_found *a, const yt_found *b) {
    if (a->report_id != b->report_id)
        return false;
    if (a->reading == YT_READ_BITS)
        return b->reading == YT_READ_BITS && a->bit / 8 == b->bit / 8;
    if (a->bit != b->bit || a->bits != b->bits)
        return false;
    if (is_array(a->reading))
        return is_array(b->reading);
    bool has_range = a->reading == YT_READ_NUMBER || a->reading >= YT_READ_OFFSET;
    return a->reading == b->reading && (!has_range || (a->binding.as.scale == b->binding.as.scale &&
                                                       (a->binding.flags & YT_BINDING_NULL) ==
                                                           (b->binding.flags & YT_BINDING_NULL)));
}

/* Gives the group of the bindings from `first` on. */
static yt_status add_group(yt_engine *engine, yt_attached *block, const yt_found *list,
                           unsigned first, size_t *kept) {
    yt_bytes_group *group = (yt_bytes_group *)yt_engine_reserve(engine, sizeof *group);
    const yt_found *found = &list[first];
    if (!group)
        return YT_MEMORY;
    bool is_bits = found->reading == YT_READ_BITS;
    *group = (yt_bytes_group){.at = (uint16_t)(found->bit / 8),
                              .kept = (uint16_t)*kept,
                              .first = (uint16_t)first,
                              .reading = found->reading,
                              .shift = (uint8_t)(is_bits ? 0 : found->bit & 7),
                              .bits = (uint8_t)(is_bits ? 8 : found->bits),
                              .elements = found->elements};
    while (first + group->count < block->bindings &&
           is_one_group(found, &list[first + group->count]))
        group->count++;
    *kept += yt_kept_bytes(group);
    block->groups++;
    return *kept <= UINT16_MAX ? YT_OK : YT_MEMORY;
}

static yt_status add_report(yt_engine *engine, yt_attached *block, const yt_hid_reader *reader,
                            uint8_t id, unsigned first) {
    yt_bound_report *report = block->reports < UINT8_MAX
                                  ? (yt_bound_report *)yt_engine_reserve(engine, sizeof *report)
                                  : NULL;
    if (!report)
        return YT_MEMORY;
    unsigned bits = yt_hid_report_bits(reader, YT_HID_INPUT, id);
    *report = (yt_bound_report){
        .first = (uint16_t)first, .bytes = (uint16_t)((bits + 7) / 8), .id = id, .fresh = true};
    block->reports++;
    block->uses_ids |= id != 0;
    return YT_OK;
}

/* The groups of each report, and how far out they stand: a place may be outside of what the
 * descriptor says. */
static yt_status make_reports(yt_engine *engine, yt_attached *block, const yt_hid_reader *reader,
                              const yt_found *list, const yt_bytes_group *groups) {
    yt_bound_report *report = NULL;
    yt_status status = YT_OK;
    for (unsigned i = 0; i < block->groups && status == YT_OK; i++) {
        const yt_found *found = &list[groups[i].first];
        if (!report || report->id != found->report_id) {
            report = (yt_bound_report *)(engine->memory + engine->used);
            status = add_report(engine, block, reader, found->report_id, i);
        }
        unsigned end = groups[i].at + yt_group_bytes(&groups[i]);
        if (status == YT_OK && end > report->bytes)
            report->bytes = (uint16_t)end;
        if (status == YT_OK)
            report->count++;
    }
    return status;
}

/* What was found becomes bindings, each a little shorter than it was; what stands behind them moves
 * up. */
static void settle_bindings(yt_engine *engine, yt_attached *block, const yt_found *list) {
    yt_binding *bindings = yt_attached_bindings(block);
    const uint8_t *behind = (const uint8_t *)&list[block->bindings];
    size_t rest = (size_t)(engine->memory + engine->used - behind);
    for (unsigned i = 0; i < block->bindings; i++) {
        yt_binding binding = list[i].binding;
        bindings[i] = binding;
    }
    size_t end = (block->bindings * sizeof *bindings + 3) & ~(size_t)3;
    memmove((uint8_t *)bindings + end, behind, rest);
    engine->used -= block->bindings * sizeof *list - end;
}

/* A number that none of an array's bindings has, and that tells of no error. */
static uint32_t free_number_of(const yt_bytes_group *group, const yt_binding *bindings) {
    uint32_t number = 0;
    for (unsigned i = 0; i < group->count && bindings[i].as.number <= number; i++)
        if (bindings[i].as.number == number)
            number++;
    return group->reading == YT_READ_KEYS && number >= 1 && number <= 3 ? 0 : number;
}

/* The bits of a field, or an element, while its device rests. */
static uint32_t rest_bits(yt_attached *block, const yt_bytes_group *group,
                          const yt_binding *binding) {
    bool turned = binding->flags & YT_BINDING_TURNED;
    const yt_scale *scale = &yt_attached_scales(block)[binding->as.scale];
    switch (group->reading) {
    case YT_READ_NUMBER:
        return (uint32_t)(turned && (binding->flags & (YT_BINDING_LEVEL | YT_BINDING_HALF))
                              ? scale->maximum
                              : scale->rest);
    case YT_READ_ANGLE: /* nowhere yet */
        return (uint32_t)(scale->maximum + 1);
    case YT_READ_HAT:
        return binding->as.hat.up + (binding->flags & YT_BINDING_FOUR ? 4u : 8u);
    case YT_READ_ARRAY:
    case YT_READ_KEYS:
        return free_number_of(group, binding);
    default:
        return turned ? UINT32_MAX : 0;
    }
}

/* Until the first report it is as if one had said that all rests. A hat or an array that cannot say
 * that says something else: so the first report is looked at whatever was kept. */
static void keep_rest(yt_attached *block) {
    for (unsigned i = 0; i < block->groups; i++) {
        const yt_bytes_group *group = &yt_attached_groups(block)[i];
        const yt_binding *binding = &yt_attached_bindings(block)[group->first];
        uint8_t *kept = yt_attached_kept(block) + group->kept;
        size_t size = yt_kept_bytes(group);
        for (unsigned k = 0; k < group->count && group->reading == YT_READ_BITS; k++)
            yt_hid_set(kept, size, binding[k].as.shift, 1,
                       (binding[k].flags & YT_BINDING_TURNED) != 0);
        for (unsigned k = 0; k < group->elements && group->reading != YT_READ_BITS; k++)
            yt_hid_set(kept, size, group->shift + (uint32_t)k * group->bits, group->bits,
                       rest_bits(block, group, binding));
    }
}

yt_status yt_groups_make(yt_engine *engine, yt_attached *block, const yt_hid_reader *reader) {
    size_t kept = 0;
    block->bindings_at =
        (uint16_t)((uint8_t *)(yt_attached_filled(block) + block->filled) - (uint8_t *)block);
    yt_found *list = (yt_found *)yt_attached_bindings(block);
    sort_found(list, block->bindings);
    yt_bytes_group *groups = (yt_bytes_group *)(engine->memory + engine->used);
    yt_status status = YT_OK;
    for (unsigned i = 0; i < block->bindings && status == YT_OK;
         i += groups[block->groups - 1].count)
        status = add_group(engine, block, list, i, &kept);
    if (status == YT_OK)
        status = make_reports(engine, block, reader, list, groups);
    if (status != YT_OK)
        return status;
    settle_bindings(engine, block, list);
    size_t at = block->bindings_at + ((block->bindings * sizeof(yt_binding) + 3) & ~(size_t)3);
    block->groups_at = (uint16_t)at;
    at += block->groups * sizeof(yt_bytes_group);
    block->reports_at = (uint16_t)at;
    at += block->reports * sizeof(yt_bound_report);
    block->kept_at = (uint16_t)at;
    if (at > UINT16_MAX || !yt_engine_reserve(engine, kept))
        return YT_MEMORY;
    keep_rest(block);
    return YT_OK;
}
