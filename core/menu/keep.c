/* What was changed: kept, or dropped; and what the flash does for it, a bounded part at a time. */
#include <string.h>

#include "menu/parts.h"

#define COPY_BYTES 256u /* at a time */
#define NO_PROGRAM UINT64_MAX
#define EVERY_WORD 8u /* of the bits of parameters */

/* ---- changes ---- */

static bool has_parameters(const yt_menu *menu) {
    uint32_t any = 0;
    for (unsigned i = 0; i < EVERY_WORD; i++)
        any |= menu->changed[i];
    return any != 0;
}

static bool is_changed(const yt_menu *menu, unsigned parameter) {
    return menu->changed[parameter / 32] >> parameter % 32 & 1;
}

static bool has_rebinds(const yt_menu *menu) {
    return menu->rebinds && menu->rebinds->has_changes(menu);
}

bool menu_has_changes(const yt_menu *menu) {
    return has_parameters(menu) || menu->has_tried || has_rebinds(menu);
}

void menu_look_at_program(yt_menu *menu) {
    const yt_adapter *adapter = menu->parts->adapter;
    uint64_t loaded_us = menu_program(menu) ? adapter->now_us : NO_PROGRAM;
    uint32_t loaded = adapter->checksum;
    bool is_same = loaded_us == menu->loaded_us && loaded == menu->loaded &&
                   adapter->slot == menu->loaded_slot;
    if (is_same)
        return;
    menu->loaded_us = loaded_us;
    menu->loaded = loaded;
    menu->loaded_slot = adapter->slot;
    bool is_cut =
        (menu->job == MENU_JOB_REBIND && has_rebinds(menu)) || menu->job == MENU_JOB_PARAMETERS;
    if (is_cut) { /* it was of the program before */
        if (menu->job == MENU_JOB_REBIND)
            yt_store_give_up(menu_store(menu));
        yt_store_keep_ready(menu_store(menu), menu->ready_before);
        menu->job = MENU_NO_JOB;
    }
    memset(menu->changed, 0, sizeof menu->changed);
    if (menu->rebinds)
        menu->rebinds->drop(menu);
    if (menu->calibrates)
        menu->calibrates->drop(menu);
    menu->closes = false;
    menu->depth = 0;
    menu_level(menu)->cursor = 0;
    menu->has_changed = true;
}

/* The value that a parameter has where nobody changes it here. */
static yt_q16 usual_value(const yt_menu *menu, unsigned parameter) {
    uint8_t number;
    yt_q16 value;
    for (unsigned at = 0; yt_adapter_kept(menu->parts->adapter, at, &number, &value); at++)
        if (number == parameter)
            return value;
    return yt_parameter_at(menu_program(menu), parameter)->value;
}

void menu_drop(yt_menu *menu) {
    const yt_program *program = menu_program(menu);
    unsigned count = program ? program->header->parameter_count : 0;
    for (unsigned i = 0; i < count && i < 32 * EVERY_WORD; i++)
        if (is_changed(menu, i)) {
            yt_status status = yt_engine_set_parameter(menu_engine(menu), i, usual_value(menu, i));
            (void)status; /* it was within its range before */
        }
    memset(menu->changed, 0, sizeof menu->changed);
    if (menu->has_tried)
        yt_adapter_read_settings(menu->parts->adapter);
    menu->has_tried = false;
    if (menu->rebinds)
        menu->rebinds->drop(menu);
}

bool menu_is_locked(yt_menu *menu) {
    if (!menu->parts->adapter->is_event)
        return false;
    menu_say(menu, YT_MENU_LOCKED);
    return true;
}

/* ---- how it went ---- */

void menu_say_status(yt_menu *menu, yt_status status) {
    menu->status = status;
    menu_say(menu, status == YT_OK             ? YT_MENU_DONE
                   : status == YT_ROOM         ? YT_MENU_FULL
                   : status == YT_STORE_FULL   ? YT_MENU_FULL
                   : status == YT_REFUSED      ? YT_MENU_REFUSED
                   : status == YT_SLOT_EMPTY   ? YT_MENU_EMPTY
                   : status == YT_SLOT_DAMAGED ? YT_MENU_DAMAGED
                                               : YT_MENU_ERROR);
}

void menu_go_to_slot(yt_menu *menu, unsigned slot) {
    yt_status status = yt_adapter_go(menu->parts->adapter, slot, menu->now_us);
    menu_look_at_program(menu);
    menu_home(menu);
    menu_say_status(menu, status);
}

/* The next of what was changed; behind the last what the person wanted to do. */
static void keep_next(yt_menu *menu) {
    unsigned then = menu->job_other;
    if (has_parameters(menu)) {
        menu_begin_job(menu, MENU_JOB_PARAMETERS, 0, then);
    } else if (menu->has_tried) {
        menu_begin_job(menu, MENU_JOB_SETTINGS, 0, then);
    } else if (has_rebinds(menu)) {
        menu_begin_job(menu, MENU_JOB_REBIND, 0, then);
    } else if (menu->closes) {
        yt_menu_close(menu);
    } else if (then != YT_NO_SLOT) {
        menu_go_to_slot(menu, then);
    } else {
        menu_home(menu);
        menu_say(menu, YT_MENU_DONE);
    }
}

void menu_keep(yt_menu *menu) {
    const yt_menu_level *level = menu_level(menu);
    menu->job_other = level->screen == MENU_KEEP ? level->about : YT_NO_SLOT;
    if (!menu_is_locked(menu))
        keep_next(menu);
}

/* ---- jobs ---- */

void menu_begin_job(yt_menu *menu, menu_job job, unsigned slot, unsigned other) {
    menu->job = (uint8_t)job;
    menu->job_slot = (uint8_t)slot;
    menu->job_other = (uint8_t)other;
    menu->job_us = (uint32_t)menu->now_us;
    menu->job_begun = menu->has_cleared = false;
    menu->ready_before = menu_store(menu)->keep_ready;
    menu->has_changed = true;
}

/* Those that the slot keeps, and those that were changed. */
static yt_status keep_parameters(yt_menu *menu) {
    yt_adapter *adapter = menu->parts->adapter;
    uint8_t list[YT_ADAPTER_KEPT];
    yt_q16 value;
    unsigned count = 0;
    while (yt_adapter_kept(adapter, count, &list[count], &value))
        count++;
    unsigned kept = count;
    for (unsigned i = 0; i < menu_program(menu)->header->parameter_count; i++) {
        bool is_new = i < 32 * EVERY_WORD && is_changed(menu, i);
        for (unsigned k = 0; k < kept; k++)
            is_new &= list[k] != i;
        if (is_new && count == YT_ADAPTER_KEPT)
            return YT_ROOM;
        if (is_new)
            list[count++] = (uint8_t)i;
    }
    yt_status status = yt_adapter_keep(adapter, list, count);
    if (status == YT_OK)
        memset(menu->changed, 0, sizeof menu->changed);
    return status;
}

static yt_status rename_it(yt_menu *menu) {
    return menu->job_slot == YT_NO_SLOT
               ? yt_adapter_set_text(menu->parts->adapter, YT_SETTING_NAME, menu->name)
               : yt_store_rename(menu_store(menu), menu->job_slot, menu->name);
}

static yt_status copy(yt_menu *menu) {
    yt_store *store = menu_store(menu);
    if (menu->job_begun) {
        yt_status status = yt_store_copy_go_on(store, menu->job_slot, COPY_BYTES);
        return status == YT_OK ? YT_END : status == YT_END ? YT_OK : status;
    }
    yt_status status = yt_store_copy_begin(store, menu->job_slot, menu->job_other);
    return status == YT_OK ? YT_END : status;
}

/* YT_END: not yet. */
static yt_status do_part(yt_menu *menu) {
    yt_adapter *adapter = menu->parts->adapter;
    yt_status status;
    switch (menu->job) {
    case MENU_JOB_PARAMETERS:
        return keep_parameters(menu);
    case MENU_JOB_SETTINGS:
        status = yt_adapter_keep_settings(adapter);
        menu->has_tried = false; /* where it failed they are as they were */
        return status;
    case MENU_JOB_COPY:
        return copy(menu);
    case MENU_JOB_ERASE:
        return yt_store_erase(menu_store(menu), menu->job_slot);
    case MENU_JOB_RENAME:
        return rename_it(menu);
    case MENU_JOB_RESET:
        menu->has_tried = false;
        return yt_adapter_reset_settings(adapter);
    case MENU_JOB_CALIBRATION:
        return menu->calibrates->work(menu);
    default:
        return menu->rebinds->work(menu);
    }
}

static YT_NEVER_INLINE uint32_t slot_bytes(const yt_menu *menu) {
    yt_slot info;
    return yt_store_slot(menu_store(menu), menu->job_slot, &info) == YT_OK
               ? info.bytes[YT_SLOT_PROGRAM] + info.bytes[YT_SLOT_TEXT]
               : 0;
}

static uint32_t job_bytes(const yt_menu *menu) {
    return menu->job == MENU_JOB_COPY     ? slot_bytes(menu)
           : menu->job == MENU_JOB_REBIND ? menu->rebinds->bytes(menu)
                                          : 0;
}

/* Whether it may begin: it is only programmed, or nothing more can be cleared away for it. */
static bool may_begin(yt_menu *menu, unsigned units, bool may_erase, yt_status *status) {
    yt_store *store = menu_store(menu);
    uint32_t bytes = job_bytes(menu);
    if (menu->job_begun || yt_store_ready(store, bytes) || (may_erase && menu->has_cleared))
        return true;
    if (store->keep_ready < bytes)
        yt_store_keep_ready(store, bytes);
    *status = yt_store_work(store, units, may_erase);
    menu->has_cleared |= *status != YT_OK;
    return false;
}

static void end_job(yt_menu *menu, yt_status status) {
    unsigned job = menu->job;
    yt_store_keep_ready(menu_store(menu), menu->ready_before);
    menu->job = MENU_NO_JOB;
    menu->touched_us = (uint32_t)menu->now_us;
    menu->has_changed = true;
    bool is_one_of_several =
        job == MENU_JOB_PARAMETERS || job == MENU_JOB_SETTINGS || job == MENU_JOB_REBIND;
    if (status == YT_OK && is_one_of_several) {
        keep_next(menu);
        return;
    }
    menu->closes = false;
    menu_home(menu);
    menu_say_status(menu, status);
}

bool yt_menu_is_busy(const yt_menu *menu) {
    return menu->job != MENU_NO_JOB;
}

yt_status yt_menu_work(yt_menu *menu, uint64_t now_us, unsigned units, bool may_erase) {
    yt_status status = YT_OK;
    menu->now_us = now_us;
    menu_look_at_program(menu);
    if (menu->job == MENU_NO_JOB)
        return yt_adapter_work(menu->parts->adapter, now_us, units, may_erase);
    if (!may_begin(menu, units, may_erase, &status)) {
        if (!may_erase && menu_since(menu, menu->job_us) >= YT_MENU_PATIENCE_US)
            end_job(menu, YT_STORE_FULL);
        return status;
    }
    status = do_part(menu);
    menu->job_begun = true;
    if (status != YT_END)
        end_job(menu, status);
    return YT_OK;
}
