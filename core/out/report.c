/* A report is built: what is new goes into what was told, and a copy of that to the host. */
#include <string.h>

#include "hid/bytes.h"
#include "image/layout.h"
#include "image/fill.h"
#include "out/sending.h"
#include "run/evaluate.h"
#include "signal/bits.h"
#include "signal/scale.h"

static unsigned analog_count(const yt_program_report *report) {
    return (unsigned)(report->root_count - report->switch_count);
}

size_t yt_sending_bytes(const yt_program_report *report) {
    return sizeof(yt_sending) + analog_count(report) * sizeof(yt_analog) + report->bytes +
           report->switch_count;
}

void yt_sending_begin(yt_sending *sending, const yt_program *program,
                      const yt_program_report *report, yt_endpoint *endpoint) {
    memset(sending, 0, yt_sending_bytes(report));
    sending->report = report;
    sending->roots = &program->roots[report->first_root];
    sending->endpoint = endpoint;
#ifndef YT_WITHOUT_LIGHTS
    if (program->header->filled_count)
        sending->filled = yt_filled_report(program, (unsigned)(report - program->reports));
#endif
    sending->rest = &program->blob[report->rest_offset];
    sending->shown = (uint8_t *)(sending->analogs + analog_count(report));
    sending->known = sending->shown + report->bytes;
    memcpy(sending->shown, sending->rest, report->bytes);
}

static uint32_t axis_number(const yt_engine *engine, const yt_sending *sending,
                            const yt_program_root *root, unsigned analog) {
    const yt_program_range *range = &engine->evaluator->program.ranges[root->range];
    if (sending->raw >> analog & 1)
        return (uint32_t)sending->analogs[analog].raw;
    return (uint32_t)yt_scale_number(sending->analogs[analog].value, range->minimum, range->rest,
                                     range->maximum);
}

/* Axes go into what was told, where the next report finds them. */
static bool put_axis(const yt_engine *engine, yt_sending *sending, const yt_program_root *root,
                     unsigned analog) {
    yt_place place = root->at;
    size_t size = sending->report->bytes;
    uint32_t raw = axis_number(engine, sending, root, analog) & (UINT32_MAX >> (32 - place.bits));
    if (yt_hid_get(sending->shown, size, place.bit, place.bits) == raw)
        return false;
    yt_hid_set(sending->shown, size, place.bit, place.bits, raw);
    return true;
}

/* Motion that does not fit waits; what has waited for too long goes. */
static bool leave_motion(const yt_engine *engine, yt_sending *sending, unsigned analog,
                         uint32_t now_us) {
    int64_t *owed = &sending->analogs[analog].owed;
    if (!sending->waits) {
        sending->waits = true;
        sending->since_us = now_us;
    }
    if (now_us - sending->since_us > yt_endpoint_wait_us(engine))
        yt_drop_motion(sending, owed);
    else
        sending->touched |= (uint32_t)1 << analog;
    return true;
}

/* Motion only goes into this report, since it counts once. */
static bool put_motion(yt_engine *engine, yt_sending *sending, const yt_program_root *root,
                       unsigned analog, uint8_t *bytes, uint32_t now_us) {
    const yt_program_range *range = &engine->evaluator->program.ranges[root->range];
    int64_t *owed = &sending->analogs[analog].owed;
    bool news;
#ifndef YT_WITHOUT_BOOT
    if (sending->endpoint->rare & YT_ENDPOINT_BOOT) {
        news = yt_boot_motion(sending, root, range, owed, bytes);
    } else
#endif
    {
        int32_t taken = yt_pay_counts(owed, range->minimum, range->maximum);
        yt_hid_set(bytes, sending->report->bytes, root->at.bit, root->at.bits, (uint32_t)taken);
        news = taken != 0;
    }
    if (yt_owed_counts(*owed) == 0)
        return news;
    return leave_motion(engine, sending, analog, now_us);
}

static bool put_motions(yt_engine *engine, yt_sending *sending, uint32_t motions, uint8_t *bytes,
                        uint32_t now_us) {
    const yt_program_root *roots = &sending->roots[sending->report->switch_count];
    bool news = false;
    sending->touched = 0;
    for (; motions; motions &= motions - 1) {
        unsigned analog = yt_lowest_bit(motions);
        news |= put_motion(engine, sending, &roots[analog], analog, bytes, now_us);
    }
    if (!sending->touched)
        sending->waits = false;
    return news;
}

static bool is_boot(const yt_sending *sending) {
#ifndef YT_WITHOUT_BOOT
    return sending->endpoint->rare & YT_ENDPOINT_BOOT;
#else
    (void)sending;
    return false;
#endif
}

/* What was told last, motion at rest, with nothing filled. */
static size_t copy_told(const yt_sending *sending, bool boot, uint8_t *bytes) {
    if (boot)
        return yt_boot_report(sending, bytes);
    yt_bytes_copy(bytes, sending->shown, sending->report->bytes);
    return sending->report->bytes;
}

/* What fills itself in a report that was built `built` times before. */
static void fill(const yt_engine *engine, const yt_sending *sending, uint32_t built,
                 uint8_t *bytes) {
#ifndef YT_WITHOUT_LIGHTS
    const yt_program *program = &engine->evaluator->program;
    yt_fill_report(program, yt_filled_at(program, sending->filled - 1u), built, bytes,
                   sending->report->bytes);
#else
    (void)engine, (void)sending, (void)built, (void)bytes;
#endif
}

size_t yt_sending_state(const yt_engine *engine, const yt_sending *sending, bool boot,
                        uint8_t *bytes) {
    size_t length = copy_told(sending, boot, bytes);
    if (sending->filled && !boot)
        fill(engine, sending, sending->built - (sending->built > 0), bytes);
    return length;
}

/* How many counts of a motion a report has told; in a layout of one's own they may only go up. */
static int64_t told_counts(const yt_engine *engine, const yt_sending *sending,
                           const yt_program_root *root, const uint8_t *bytes) {
#ifndef YT_WITHOUT_BOOT
    if (sending->endpoint->rare & YT_ENDPOINT_BOOT)
        return root->boot_byte ? yt_hid_number(bytes[root->boot_byte], 8, true) : 0;
#endif
    uint32_t raw = yt_hid_get(bytes, sending->report->bytes, root->at.bit, root->at.bits);
    bool is_signed = engine->evaluator->program.ranges[root->range].minimum < 0;
    return yt_hid_number(raw, root->at.bits, is_signed);
}

bool yt_sending_take_back(const yt_engine *engine, yt_sending *sending, const uint8_t *bytes) {
    const yt_program_root *roots = &sending->roots[sending->report->switch_count];
    if (!yt_changes_take_back(sending))
        return false;
    for (unsigned k = 0; k < analog_count(sending->report); k++) {
        int64_t counts =
            roots[k].kind == YT_ROOT_MOTION ? told_counts(engine, sending, &roots[k], bytes) : 0;
        if (counts == 0)
            continue;
        sending->analogs[k].owed += counts * 65536;
        sending->touched |= (uint32_t)1 << k;
    }
    sending->built--;
    sending->fresh = true; /* axes stand in what was told, though nobody was told */
    return true;
}

size_t yt_sending_report(yt_engine *engine, yt_sending *sending, uint8_t *bytes, uint32_t now_us) {
    const yt_program_root *roots = &sending->roots[sending->report->switch_count];
    uint32_t motions = 0;
    bool news = sending->fresh;
    sending->sent_count = 0;
    sending->sent_lost = false;
    if (sending->change_count || sending->is_over)
        news |= yt_changes_put(sending);
    for (uint32_t left = sending->touched; left; left &= left - 1) {
        unsigned analog = yt_lowest_bit(left);
        if (roots[analog].kind == YT_ROOT_MOTION)
            motions |= (uint32_t)1 << analog;
        else
            news |= put_axis(engine, sending, &roots[analog], analog);
    }
    bool boot = is_boot(sending);
    size_t length = copy_told(sending, boot, bytes);
    news |= put_motions(engine, sending, motions, bytes, now_us);
    sending->fresh = false;
    if (!news)
        return 0;
    if (sending->filled && !boot)
        fill(engine, sending, sending->built, bytes);
    sending->built++;
    return length;
}
