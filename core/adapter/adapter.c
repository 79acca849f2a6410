/* Which slot runs, and what becomes of it: chosen at the start, changed in play. */
#include "yonder/adapter.h"

#include <string.h>

#include "inlining.h"
#include "yonder/image/program.h"

#define PULSES_MOST 16u

/* A slot's usual colour, so that neighbours can be told apart. */
static const uint32_t colours[] = {0x0040ff, 0x00ff40, 0xff2000, 0xffa000,
                                   0xa000ff, 0x00ffff, 0xff0080, 0xffffff};
#define COLOURS   (sizeof colours / sizeof colours[0])
#define NO_COLOUR 0xffffffu /* the firmware's own program */

/* ---- settings ---- */

uint32_t yt_adapter_setting(const yt_adapter *adapter, yt_setting setting, unsigned index) {
    return yt_settings_number(adapter->parts->settings, adapter->settings_bytes, setting, index);
}

/* What the settings say counts. */
static void use_settings(yt_adapter *adapter) {
    const yt_adapter_parts *parts = adapter->parts;
    adapter->lock = (uint8_t)yt_adapter_setting(adapter, YT_SETTING_LOCK, 0);
    adapter->is_event = yt_adapter_setting(adapter, YT_SETTING_EVENT, 0);
    adapter->may_activate = yt_adapter_setting(adapter, YT_SETTING_ACTIVATE, 0);
    for (unsigned i = 0; i < YT_MOTORS; i++)
        yt_engine_motor(parts->engine, i, yt_adapter_setting(adapter, YT_SETTING_MOTOR, i));
}

static void read_settings(yt_adapter *adapter) {
    const yt_adapter_parts *parts = adapter->parts;
    if (yt_store_settings(parts->store, parts->settings, parts->settings_room,
                          &adapter->settings_bytes) != YT_OK)
        adapter->settings_bytes = 0;
    use_settings(adapter);
}

void yt_adapter_name(const yt_adapter *adapter, char text[YT_SETTINGS_TEXT + 1]) {
    yt_settings_text(adapter->parts->settings, adapter->settings_bytes, YT_SETTING_NAME, text);
}

yt_status yt_adapter_reset_settings(yt_adapter *adapter) {
    uint8_t usual[4];
    size_t size;
    yt_settings_clear(usual, &size);
    yt_status status = yt_store_set(adapter->parts->store, usual, size);
    if (status == YT_OK)
        yt_adapter_read_settings(adapter);
    return status;
}

/* What was changed in memory is kept, or else is as it was. */
static yt_status keep_settings(yt_adapter *adapter, yt_status status) {
    const yt_adapter_parts *parts = adapter->parts;
    if (status == YT_OK)
        status = yt_store_set(parts->store, parts->settings, adapter->settings_bytes);
    yt_adapter_read_settings(adapter);
    return status;
}

/* There may be none yet, or none that can be read. */
static void begin_settings(yt_adapter *adapter) {
    const yt_adapter_parts *parts = adapter->parts;
    if (adapter->settings_bytes == 0 && parts->settings_room >= 4)
        yt_settings_clear(parts->settings, &adapter->settings_bytes);
}

/* What was only tried is not kept with what is set. */
static void begin_stored_settings(yt_adapter *adapter) {
    read_settings(adapter);
    begin_settings(adapter);
}

yt_status yt_adapter_set(yt_adapter *adapter, yt_setting setting, unsigned index, uint32_t number) {
    const yt_adapter_parts *parts = adapter->parts;
    begin_stored_settings(adapter);
    return keep_settings(adapter, yt_settings_set(parts->settings, &adapter->settings_bytes,
                                                  parts->settings_room, setting, index, number));
}

yt_status yt_adapter_set_text(yt_adapter *adapter, yt_setting setting, const char *text) {
    const yt_adapter_parts *parts = adapter->parts;
    begin_stored_settings(adapter);
    return keep_settings(adapter, yt_settings_set_text(parts->settings, &adapter->settings_bytes,
                                                       parts->settings_room, setting, text));
}

yt_status yt_adapter_end_event(yt_adapter *adapter) {
    return adapter->is_event ? yt_adapter_set(adapter, YT_SETTING_EVENT, 0, 0) : YT_OK;
}

bool yt_adapter_is_locked(const yt_adapter *adapter) {
    return adapter->is_event || adapter->lock == YT_LOCK_NOBODY ||
           (adapter->lock == YT_LOCK_PRESS && !adapter->is_unlocked);
}

/* ---- telling a person ---- */

static void light(const yt_adapter *adapter, bool on) {
    const yt_adapter_parts *parts = adapter->parts;
    unsigned slot = adapter->slot;
    uint32_t colour = NO_COLOUR, percent = 50;
    if (slot != YT_NO_SLOT) {
        colour = yt_adapter_setting(adapter, YT_SETTING_LIGHT, slot);
        percent = yt_adapter_setting(adapter, YT_SETTING_BRIGHTNESS, slot);
        if (colour == 0)
            colour = colours[slot % COLOURS];
    }
    parts->light(parts->context, slot, colour, on ? percent : 0);
}

static void show(const yt_adapter *adapter, bool on, uint64_t now_us) {
    if (adapter->parts->light && (adapter->pulse_ways & YT_PULSE_LIGHT))
        light(adapter, !on); /* it is on else */
    for (unsigned i = 0; (adapter->pulse_ways & YT_PULSE_MOTORS) && i < YT_DEVICES; i++)
        yt_device_pulse(adapter->parts->engine, i, now_us, on ? adapter->pulse_us : 0);
}

static void begin_pulses(yt_adapter *adapter, unsigned pulses, unsigned ways, uint32_t half_us,
                         uint64_t now_us) {
    adapter->pulses = (uint8_t)(2 * (pulses < PULSES_MOST ? pulses : PULSES_MOST));
    adapter->pulse_ways = (uint8_t)ways;
    adapter->pulse_us = half_us;
    adapter->pulse_at_us = now_us;
}

void yt_adapter_pulse(yt_adapter *adapter, unsigned pulses, uint64_t now_us) {
    begin_pulses(adapter, pulses, adapter->parts->light ? YT_PULSE_LIGHT : YT_PULSE_MOTORS,
                 YT_ACTION_PULSE_US, now_us);
}

void yt_adapter_count(yt_adapter *adapter, unsigned number, unsigned ways, uint64_t now_us) {
    begin_pulses(adapter, number, ways, YT_PULSE_COUNT_US, now_us);
    if (adapter->parts->light && (ways & YT_PULSE_LIGHT))
        light(adapter, true); /* of a pulse that was under way */
}

uint64_t yt_adapter_update(yt_adapter *adapter, uint64_t now_us) {
    if (adapter->pulses > 0 && adapter->pulse_at_us <= now_us) {
        show(adapter, adapter->pulses % 2 == 0, now_us);
        adapter->pulses--;
        adapter->pulse_at_us = now_us + adapter->pulse_us;
    }
    return adapter->pulses > 0 ? adapter->pulse_at_us : YT_NEVER;
}

static void tell_locked(const yt_adapter *adapter) {
    yt_engine_tell(adapter->parts->engine, YT_FACT_LOCKED,
                   yt_adapter_is_locked(adapter) ? YT_ONE : 0);
}

static void tell_slot(yt_adapter *adapter, uint64_t now_us) {
    bool is_slot = adapter->slot != YT_NO_SLOT;
    yt_engine_tell(adapter->parts->engine, YT_FACT_SLOT,
                   is_slot ? (yt_q16)(adapter->slot + 1) * YT_ONE : 0);
    tell_locked(adapter);
    if (adapter->parts->light)
        light(adapter, true);
    else if (is_slot)
        yt_adapter_pulse(adapter, adapter->slot + 1u, now_us);
}

static void show_settings(const yt_adapter *adapter) {
    tell_locked(adapter);
    if (adapter->parts->light)
        light(adapter, true);
}

void yt_adapter_read_settings(yt_adapter *adapter) {
    read_settings(adapter);
    show_settings(adapter);
}

yt_status yt_adapter_try(yt_adapter *adapter, yt_setting setting, unsigned index, uint32_t number) {
    const yt_adapter_parts *parts = adapter->parts;
    begin_settings(adapter);
    yt_status status = yt_settings_set(parts->settings, &adapter->settings_bytes,
                                       parts->settings_room, setting, index, number);
    use_settings(adapter);
    show_settings(adapter);
    return status;
}

yt_status yt_adapter_keep_settings(yt_adapter *adapter) {
    begin_settings(adapter);
    return keep_settings(adapter, YT_OK);
}

/* ---- parameters that are kept: for each its number, and its value, the lowest byte first ---- */

#define KEPT_BYTES 5u
_Static_assert(YT_ADAPTER_KEPT == YT_STORE_KEPT / KEPT_BYTES, "kept");

static uint32_t get_value(const uint8_t *bytes) {
    return (uint32_t)bytes[0] | (uint32_t)bytes[1] << 8 | (uint32_t)bytes[2] << 16 |
           (uint32_t)bytes[3] << 24;
}

static void use_kept(yt_adapter *adapter, const yt_slot *info) {
    if (!yt_adapter_setting(adapter, YT_SETTING_KEEPS, adapter->slot))
        return;
    for (unsigned at = 0; at + KEPT_BYTES <= info->kept_bytes; at += KEPT_BYTES) {
        yt_status status = yt_engine_set_parameter(adapter->parts->engine, info->kept[at],
                                                   (yt_q16)get_value(info->kept + at + 1));
        if (status != YT_OK)
            continue; /* nothing that this program has */
        memcpy(adapter->kept + adapter->kept_bytes, info->kept + at, KEPT_BYTES);
        adapter->kept_bytes = (uint8_t)(adapter->kept_bytes + KEPT_BYTES);
    }
}

static void note_kept(yt_adapter *adapter, unsigned at, unsigned parameter, yt_q16 value) {
    adapter->kept[at] = (uint8_t)parameter;
    for (unsigned i = 0; i < 4; i++)
        adapter->kept[at + 1 + i] = (uint8_t)((uint32_t)value >> 8 * i);
}

yt_status yt_adapter_set_parameter(yt_adapter *adapter, unsigned parameter, yt_q16 value,
                                   uint64_t now_us) {
    yt_status status = yt_engine_set_parameter(adapter->parts->engine, parameter, value);
    if (status != YT_OK || adapter->slot == YT_NO_SLOT ||
        !yt_adapter_setting(adapter, YT_SETTING_KEEPS, adapter->slot))
        return status;
    unsigned at = 0;
    while (at < adapter->kept_bytes && adapter->kept[at] != parameter)
        at += KEPT_BYTES;
    if (parameter > UINT8_MAX || at + KEPT_BYTES > YT_STORE_KEPT)
        return YT_ROOM;
    if (at == adapter->kept_bytes)
        adapter->kept_bytes = (uint8_t)(at + KEPT_BYTES);
    note_kept(adapter, at, parameter, value);
    adapter->keeps = true;
    adapter->keep_at_us = now_us + YT_ADAPTER_KEEP_US;
    return YT_OK;
}

/* What runs is what the slot holds; else another program was written into it since. */
static YT_NEVER_INLINE bool is_of_slot(const yt_adapter *adapter, unsigned slot) {
    yt_slot info;
    return adapter->slot == slot && yt_store_slot(adapter->parts->store, slot, &info) == YT_OK &&
           info.checksum[YT_SLOT_PROGRAM] == adapter->checksum;
}

static yt_status keep_parameters(yt_adapter *adapter) {
    adapter->keeps = false;
    return is_of_slot(adapter, adapter->slot) ? yt_store_keep(adapter->parts->store, adapter->slot,
                                                              adapter->kept, adapter->kept_bytes)
                                              : YT_OK;
}

yt_status yt_adapter_keep(yt_adapter *adapter, const uint8_t *parameters, unsigned count) {
    const yt_program *program = yt_engine_program(adapter->parts->engine);
    if (adapter->slot == YT_NO_SLOT || !is_of_slot(adapter, adapter->slot))
        return YT_SLOT;
    if (!yt_adapter_setting(adapter, YT_SETTING_KEEPS, adapter->slot))
        return YT_REFUSED;
    if (count * KEPT_BYTES > YT_STORE_KEPT)
        return YT_ROOM;
    for (unsigned i = 0; i < count; i++)
        if (parameters[i] >= program->header->parameter_count)
            return YT_ARGUMENT;
    for (unsigned i = 0; i < count; i++)
        note_kept(adapter, i * KEPT_BYTES, parameters[i],
                  yt_engine_parameter(adapter->parts->engine, parameters[i]));
    adapter->kept_bytes = (uint8_t)(count * KEPT_BYTES);
    return keep_parameters(adapter);
}

bool yt_adapter_kept(const yt_adapter *adapter, unsigned at, uint8_t *parameter, yt_q16 *value) {
    if (at >= adapter->kept_bytes / KEPT_BYTES)
        return false;
    const uint8_t *kept = adapter->kept + at * KEPT_BYTES;
    *parameter = kept[0];
    *value = (yt_q16)get_value(kept + 1);
    return true;
}

/* One change at a time: that is what the store says that it is ready for. */
static yt_status keep_one(yt_adapter *adapter) {
    yt_store *store = adapter->parts->store;
    if (adapter->keeps)
        return keep_parameters(adapter);
    adapter->keep_at_us = YT_NEVER;
    return adapter->slot != YT_NO_SLOT && yt_store_active(store) != adapter->slot &&
                   yt_adapter_setting(adapter, YT_SETTING_START, 0) == 0
               ? yt_store_activate(store, adapter->slot)
               : YT_OK;
}

yt_status yt_adapter_work(yt_adapter *adapter, uint64_t now_us, unsigned units, bool may_erase) {
    yt_store *store = adapter->parts->store;
    if (adapter->keep_at_us <= now_us && (may_erase || yt_store_ready(store, 0)))
        return keep_one(adapter);
    return yt_store_work(store, units, may_erase);
}

/* ---- loading ---- */

static bool is_refused(const yt_adapter *adapter, const yt_program_header *header) {
    return header->abilities & yt_adapter_setting(adapter, YT_SETTING_REFUSED, 0);
}

/* Where the flash is mapped, a program runs where it stands. */
static YT_NEVER_INLINE yt_status load_in_place(yt_adapter *adapter, unsigned slot) {
    const yt_adapter_parts *parts = adapter->parts;
    yt_pin *pin = &adapter->pins[!adapter->pin];
    const void *program;
    size_t size;
    yt_status status = yt_store_find(parts->store, slot, pin, &program, &size);
    if (status != YT_OK)
        return status;
    status = size < sizeof(yt_program_header) ? YT_PROGRAM_SIZE
             : is_refused(adapter, (const yt_program_header *)program)
                 ? YT_REFUSED
                 : yt_engine_load(parts->engine, program, size);
    if (status != YT_OK) {
        yt_store_unpin(parts->store, pin);
        return status;
    }
    yt_store_unpin(parts->store, &adapter->pins[adapter->pin]);
    adapter->pin = !adapter->pin;
    return YT_OK;
}

/* Whether what would be copied is worth it: what runs is lost by it. */
static YT_NEVER_INLINE yt_status look_before_copy(const yt_adapter *adapter, unsigned slot,
                                                  const yt_slot *info) {
    const yt_adapter_parts *parts = adapter->parts;
    yt_program_header header;
    size_t size = info->bytes[YT_SLOT_PROGRAM];
    if (size == 0)
        return YT_SLOT_EMPTY;
    if (size > parts->copy_room)
        return YT_MEMORY;
    if (size < sizeof header)
        return YT_PROGRAM_SIZE;
    yt_status status = yt_store_verify(parts->store, slot);
    if (status == YT_OK)
        status = yt_store_read(parts->store, slot, YT_SLOT_PROGRAM, 0, &header, sizeof header);
    return status == YT_OK && is_refused(adapter, &header) ? YT_REFUSED : status;
}

/* What ran is overwritten from the moment that it is read. */
static YT_NEVER_INLINE yt_status load_copy(yt_adapter *adapter, unsigned slot) {
    const yt_adapter_parts *parts = adapter->parts;
    yt_slot info;
    yt_status status = yt_store_slot(parts->store, slot, &info);
    if (status == YT_OK)
        status = look_before_copy(adapter, slot, &info);
    if (status != YT_OK)
        return status;
    size_t size = info.bytes[YT_SLOT_PROGRAM];
    adapter->slot = YT_NO_SLOT;
    status = yt_store_read(parts->store, slot, YT_SLOT_PROGRAM, 0, parts->copy, size);
    return status == YT_OK ? yt_engine_load(parts->engine, parts->copy, size) : status;
}

/* What the slot says of its program. */
static YT_NEVER_INLINE void take_info(yt_adapter *adapter) {
    yt_slot info;
    adapter->kept_bytes = 0;
    adapter->checksum = 0;
    if (adapter->slot == YT_NO_SLOT ||
        yt_store_slot(adapter->parts->store, adapter->slot, &info) != YT_OK)
        return;
    adapter->checksum = info.checksum[YT_SLOT_PROGRAM];
    use_kept(adapter, &info);
}

static void begin_slot(yt_adapter *adapter, unsigned slot, uint64_t now_us) {
    const yt_adapter_parts *parts = adapter->parts;
    adapter->slot = (uint8_t)slot;
    adapter->keeps = false;
    adapter->keep_at_us = YT_NEVER;
    for (unsigned i = 0; i < parts->calibration_count; i++)
        parts->calibrations[i].is_used = false; /* a load ends their use */
    take_info(adapter);
    if (slot != YT_NO_SLOT && yt_store_active(parts->store) != slot)
        adapter->keep_at_us = now_us + YT_ADAPTER_KEEP_US;
    adapter->now_us = now_us;
    if (parts->attach)
        parts->attach(parts->context);
    tell_slot(adapter, now_us);
}

static void load_own(yt_adapter *adapter, uint64_t now_us) {
    const yt_adapter_parts *parts = adapter->parts;
    adapter->slot = YT_NO_SLOT;
    if (parts->own_program &&
        yt_engine_load(parts->engine, parts->own_program, parts->own_bytes) == YT_OK)
        begin_slot(adapter, YT_NO_SLOT, now_us);
}

static yt_status load(yt_adapter *adapter, unsigned slot, uint64_t now_us) {
    const yt_adapter_parts *parts = adapter->parts;
    bool is_mapped = parts->store->port->flash.mapped != NULL;
    yt_status status = is_mapped ? load_in_place(adapter, slot) : load_copy(adapter, slot);
    if (status == YT_OK)
        begin_slot(adapter, slot, now_us);
    return status;
}

yt_status yt_adapter_start(yt_adapter *adapter, const yt_adapter_parts *parts,
                           const yt_plugged_in *plugged_in, uint64_t now_us) {
    memset(adapter, 0, sizeof *adapter);
    adapter->parts = parts;
    adapter->slot = YT_NO_SLOT;
    adapter->keep_at_us = YT_NEVER;
    read_settings(adapter);
    unsigned slot = yt_settings_start(parts->settings, adapter->settings_bytes, plugged_in,
                                      yt_store_active(parts->store));
    yt_status status = load(adapter, slot, now_us);
    if (status != YT_OK)
        load_own(adapter, now_us);
    return status;
}

unsigned yt_adapter_slot(const yt_adapter *adapter) {
    return adapter->slot;
}

yt_status yt_adapter_go(yt_adapter *adapter, unsigned slot, uint64_t now_us) {
    unsigned before = adapter->slot;
    if (is_of_slot(adapter, slot))
        return YT_OK;
    if (adapter->keeps) {
        yt_status kept = keep_parameters(adapter);
        (void)kept; /* the flash failed: that is no reason to stay */
    }
    yt_status status = load(adapter, slot, now_us);
    bool is_lost = adapter->slot != before;
    if (status != YT_OK && is_lost && load(adapter, before, now_us) != YT_OK)
        load_own(adapter, now_us);
    return status;
}

/* ---- in play ---- */

static YT_NEVER_INLINE bool has_program(const yt_adapter *adapter, unsigned slot) {
    yt_slot info;
    return yt_store_slot(adapter->parts->store, slot, &info) == YT_OK &&
           info.bytes[YT_SLOT_PROGRAM] > 0;
}

yt_status yt_adapter_go_on(yt_adapter *adapter, bool forward, uint64_t now_us) {
    const yt_store *store = adapter->parts->store;
    unsigned slots = store->slots;
    unsigned from = adapter->slot != YT_NO_SLOT ? adapter->slot : yt_store_active(store);
    yt_status status = YT_SLOT_EMPTY;
    for (unsigned i = 1; i <= slots; i++) {
        unsigned slot = (from + (forward ? i : slots - i)) % slots;
        if (slot == adapter->slot)
            break;
        if (!has_program(adapter, slot))
            continue;
        status = yt_adapter_go(adapter, slot, now_us);
        if (status == YT_OK)
            break;
    }
    return status;
}

yt_status yt_adapter_turn(yt_adapter *adapter, unsigned position, uint64_t now_us) {
    uint32_t slot = yt_adapter_setting(adapter, YT_SETTING_SWITCH_SLOT, position);
    return slot > 0 ? yt_adapter_go(adapter, slot - 1, now_us) : YT_OK;
}

void yt_adapter_unlock(yt_adapter *adapter, bool is_unlocked) {
    adapter->is_unlocked = is_unlocked;
    tell_locked(adapter);
}

/* False: it is for the firmware. */
static bool carry_out(yt_adapter *adapter, const yt_action *action, uint64_t now_us) {
    yt_status status = YT_OK; /* of a slot that cannot run: it stays where it is */
    switch (action->kind) {
    case YT_ACTION_NEXT_SLOT:
        status = yt_adapter_go_on(adapter, true, now_us);
        break;
    case YT_ACTION_PREVIOUS_SLOT:
        status = yt_adapter_go_on(adapter, false, now_us);
        break;
    case YT_ACTION_SLOT:
        status = yt_adapter_go(adapter, action->number - 1u, now_us);
        break;
    case YT_ACTION_RELEASE_ALL:
        yt_engine_cancel(adapter->parts->engine);
        yt_adapter_pulse(adapter, yt_action_pulses(action->kind), now_us);
        break;
    case YT_ACTION_LOCK:
        yt_adapter_unlock(adapter, !adapter->is_unlocked);
        yt_adapter_pulse(adapter, yt_action_pulses(action->kind), now_us);
        break;
    default:
        return false;
    }
    (void)status;
    return true;
}

bool yt_adapter_action(yt_adapter *adapter, uint64_t now_us, yt_action *action) {
    while (yt_engine_action(adapter->parts->engine, action))
        if (!carry_out(adapter, action, now_us))
            return true;
    return false;
}
