/* Devices of the adapter: their calibrations, and what is held on them. */
#include <string.h>

#include "yonder/adapter.h"
#include "yonder/hid.h"

static yt_adapter_calibration *free_place(const yt_adapter_parts *parts) {
    for (unsigned i = 0; i < parts->calibration_count; i++)
        if (!parts->calibrations[i].is_used)
            return &parts->calibrations[i];
    return NULL;
}

/* Those of calibrations that cannot be read, or that the program does not use, are left. */
static void use_calibrations(const yt_adapter *adapter, const yt_device *device, unsigned number) {
    const yt_adapter_parts *parts = adapter->parts;
    for (unsigned place = 0; place < YT_STORE_CALIBRATIONS; place++) {
        yt_adapter_calibration *at = free_place(parts);
        size_t size;
        if (!at)
            return;
        if (yt_store_calibration(parts->store, place, &at->record, sizeof at->record, &size) !=
                YT_OK ||
            yt_calibration_check(&at->record, size) != YT_OK)
            continue;
        if (yt_calibration_is_on(&at->record.part, device))
            at->is_used =
                yt_engine_calibrate(parts->engine, number, &at->used, &at->record, size) == YT_OK;
    }
}

static void end_calibrations(const yt_adapter *adapter, unsigned number, bool is_attached) {
    const yt_adapter_parts *parts = adapter->parts;
    for (unsigned i = 0; i < parts->calibration_count; i++) {
        yt_adapter_calibration *at = &parts->calibrations[i];
        if (!at->is_used || at->used.number != number)
            continue;
        if (is_attached)
            yt_engine_uncalibrate(parts->engine, &at->used);
        at->is_used = false;
    }
}

void yt_adapter_calibrate(yt_adapter *adapter, const yt_device *device, unsigned number) {
    end_calibrations(adapter, number, true);
    use_calibrations(adapter, device, number);
}

yt_status yt_adapter_attach(yt_adapter *adapter, const yt_device *device, const uint8_t *last,
                            size_t size, unsigned *number) {
    yt_engine *engine = adapter->parts->engine;
    yt_device arriving = *device;
    arriving.stays = last != NULL;
    yt_status status = yt_engine_attach(engine, &arriving, number);
    if (status != YT_OK)
        return status;
    use_calibrations(adapter, device, *number);
    if (last)
        yt_engine_give(engine, *number, last, size, adapter->now_us);
    return YT_OK;
}

void yt_adapter_detach(yt_adapter *adapter, unsigned number, uint64_t now_us) {
    yt_engine_detach(adapter->parts->engine, number, now_us);
    end_calibrations(adapter, number, false);
}

/* ---- what is held ---- */

typedef struct holding {
    uint32_t *held;
    unsigned room, count;
} holding;

static void add(holding *holding, uint16_t page, uint32_t usage) {
    if (usage == 0 || usage > UINT16_MAX || holding->count == holding->room)
        return;
    holding->held[holding->count++] = (uint32_t)page << 16 | usage;
}

/* A variable that is a switch is a bit; an element of an array names what is held. */
static void look_at(holding *holding, const yt_hid_field *field, const uint8_t *bytes,
                    size_t size) {
    bool is_variable = field->flags & YT_HID_VARIABLE;
    if (field->direction != YT_HID_INPUT || (field->flags & YT_HID_CONSTANT) ||
        (is_variable && (field->minimum != 0 || field->maximum != 1)))
        return;
    for (unsigned i = 0; i < field->count; i++) {
        int64_t number = yt_hid_element(field, bytes, size, i);
        if (is_variable && number == 1)
            add(holding, field->usage_page, yt_hid_usage(field, i));
        if (!is_variable && !yt_hid_is_null(field, number) && number >= field->number_first &&
            number - field->number_first <= field->usage_last - field->usage_first)
            add(holding, field->usage_page,
                field->usage_first + (uint32_t)(number - field->number_first));
    }
}

unsigned yt_held_controls(const uint8_t *descriptor, size_t descriptor_size, const uint8_t *report,
                          size_t size, uint32_t *held, unsigned room) {
    holding holding = {.held = held, .room = room};
    yt_hid_reader reader;
    yt_hid_field field;
    yt_status status;
    yt_hid_open(&reader, descriptor, descriptor_size);
    while ((status = yt_hid_next(&reader, &field)) == YT_OK) {
        size_t head = field.report_id ? 1 : 0;
        if (size > head && (head == 0 || report[0] == field.report_id))
            look_at(&holding, &field, report + head, size - head);
    }
    return status == YT_END ? holding.count : 0;
}
