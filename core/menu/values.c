/* The screens of numbers: parameters, the tester, settings, and what the adapter is. */
#include "menu/parts.h"
#include "yonder/version.h"

static unsigned two_rows(const yt_menu *menu) {
    (void)menu;
    return 2;
}

/* ---- parameters ---- */

static unsigned parameters(const yt_menu *menu) {
    const yt_program *program = menu_program(menu);
    unsigned count = program ? program->header->parameter_count : 0;
    return count < 256 ? count : 256;
}

static const yt_program_parameter *parameter_at(const yt_menu *menu, unsigned index) {
    return yt_parameter_at(menu_program(menu), index);
}

static void put_parameter_name(yt_menu *menu, unsigned index, menu_line *line) {
    const yt_program_parameter *parameter = parameter_at(menu, index);
    menu_put(line, &menu_program(menu)->text[parameter->name_offset], parameter->name_bytes);
}

static void put_parameter_value(yt_menu *menu, unsigned index, menu_line *line) {
    const yt_program_parameter *parameter = parameter_at(menu, index);
    yt_q16 value = yt_engine_parameter(menu_engine(menu), index);
    bool is_share = parameter->unit == YT_UNIT_NONE && parameter->minimum >= -YT_ONE &&
                    parameter->maximum <= YT_ONE;
    if (is_share)
        menu_put_percent(line, value);
    else
        menu_put_value(line, value, (yt_unit)parameter->unit);
}

static void tune_row(yt_menu *menu, unsigned row, menu_line *line) {
    put_parameter_name(menu, row, line);
    menu_put(line, " ", 1);
    put_parameter_value(menu, row, line);
}

static void tune_choose(yt_menu *menu, unsigned row) {
    menu_go(menu, MENU_PARAMETER, row);
}

/* Where there is one line, it says the number. */
static void parameter_row(yt_menu *menu, unsigned row, menu_line *line) {
    if (row == 0 && menu->parts->lines > 1)
        put_parameter_name(menu, menu_about(menu), line);
    else
        put_parameter_value(menu, menu_about(menu), line);
}

static void parameter_step(yt_menu *menu, int by) {
    unsigned index = menu_about(menu);
    const yt_program_parameter *parameter = parameter_at(menu, index);
    int64_t range = (int64_t)parameter->maximum - parameter->minimum;
    int64_t step = parameter->step ? parameter->step : range / 100 ? range / 100 : 1;
    int64_t value = menu_stepped(menu, yt_engine_parameter(menu_engine(menu), index), by * step,
                                 parameter->minimum, parameter->maximum);
    if (yt_engine_set_parameter(menu_engine(menu), index, (yt_q16)value) == YT_OK)
        menu_mark_changed(menu, index);
}

/* ---- tester ---- */

static bool is_analog(const yt_program_control *control) {
    return control->kind != YT_SWITCH && control->kind != YT_MOTION && !control->from_host;
}

static unsigned analog_controls(const yt_menu *menu, unsigned wanted, unsigned *control) {
    const yt_program *program = menu_program(menu);
    unsigned count = 0;
    for (unsigned i = 0; program && i < program->header->control_count; i++)
        if (is_analog(yt_control_at(program, i)) && count++ == wanted)
            *control = i;
    return count;
}

static unsigned tester_rows(const yt_menu *menu) {
    unsigned control;
    return 2 + analog_controls(menu, UINT32_MAX, &control);
}

/* Puts the switches that are on; gives how many there are. */
static unsigned put_pressed(const yt_menu *menu, menu_line *line) {
    const yt_program *program = menu_program(menu);
    unsigned count = 0;
    for (unsigned i = 0; program && i < program->header->control_count; i++) {
        const yt_program_control *control = yt_control_at(program, i);
        if (control->kind != YT_SWITCH || control->from_host ||
            !yt_engine_control(menu_engine(menu), i))
            continue;
        if (line && count > 0)
            menu_put(line, "+", 1);
        if (line)
            menu_put_control(menu, line, i);
        count++;
    }
    return count;
}

void menu_count_pressed(yt_menu *menu) {
    unsigned pressed = put_pressed(menu, NULL);
    if (pressed > menu->is_pressed && menu_is_without_display(menu))
        menu_count(menu, 1);
    menu->is_pressed = (uint8_t)pressed;
}

static void tester_row(yt_menu *menu, unsigned row, menu_line *line) {
    unsigned control = 0;
    if (row == 0) {
        if (put_pressed(menu, line) == 0)
            menu_put_word(menu, line, YT_MENU_NOTHING);
        return;
    }
    if (row == 1) {
        menu_put_number(line, menu->reports_a_second);
        menu_put(line, " /s", 3);
        return;
    }
    analog_controls(menu, row - 2, &control);
    yt_q16 value = yt_engine_control(menu_engine(menu), control);
    menu_put_control(menu, line, control);
    menu_put(line, " ", 1);
    if (yt_control_at(menu_program(menu), control)->kind == YT_RATE)
        menu_put_value(line, value, YT_UNIT_NONE);
    else
        menu_put_percent(line, value);
}

static void choose_nothing(yt_menu *menu, unsigned row) {
    (void)menu, (void)row;
}

/* ---- the adapter ---- */

/* The setting of a row of the adapter's screen. */
typedef struct place {
    yt_setting setting;
    unsigned index;
    uint32_t least, most, step;
} place;

static place place_of(const yt_menu *menu, unsigned at) {
    menu_item item = menu_adapter_item(at);
    unsigned slot = menu->parts->adapter->slot;
    switch (item.word) {
    case YT_MENU_BRIGHTNESS:
        return (place){YT_SETTING_BRIGHTNESS, slot, 0, 100, 10};
    case YT_MENU_MOTOR:
        return (place){YT_SETTING_MOTOR, item.index, 0, 100, 10};
    case YT_MENU_LOCK:
        return (place){YT_SETTING_LOCK, 0, 0, 2, 1};
    case YT_MENU_START:
        return (place){YT_SETTING_START, 0, 0, menu_store(menu)->slots, 1};
    default:
        return (place){YT_SETTING_KEEPS, slot, 0, 1, 1};
    }
}

static void put_setting(yt_menu *menu, unsigned at, menu_line *line) {
    place place = place_of(menu, at);
    uint32_t number = yt_adapter_setting(menu->parts->adapter, place.setting, place.index);
    switch (place.setting) {
    case YT_SETTING_LOCK:
        menu_put_word(menu, line, YT_MENU_ANYBODY + number);
        break;
    case YT_SETTING_KEEPS:
        menu_put_word(menu, line, number ? YT_MENU_YES : YT_MENU_NO);
        break;
    case YT_SETTING_START:
        if (number == 0) {
            menu_put_word(menu, line, YT_MENU_LAST);
            break;
        }
        menu_put_number(line, number);
        break;
    default:
        menu_put_number(line, number);
        menu_put(line, "%", 1);
    }
}

static void setting_row(yt_menu *menu, unsigned row, menu_line *line) {
    unsigned at = menu_about(menu);
    if (row == 0 && menu->parts->lines > 1)
        menu_put_word(menu, line, menu_adapter_item(at).word);
    else
        put_setting(menu, at, line);
}

static void setting_step(yt_menu *menu, int by) {
    place place = place_of(menu, menu_about(menu));
    yt_adapter *adapter = menu->parts->adapter;
    int64_t number = menu_stepped(menu, yt_adapter_setting(adapter, place.setting, place.index),
                                  by * (int64_t)place.step, place.least, place.most);
    if (yt_adapter_try(adapter, place.setting, place.index, (uint32_t)number) == YT_OK)
        menu->has_tried = true;
    else
        menu_say(menu, YT_MENU_FULL);
}

/* ---- about ---- */

static const uint8_t about_words[] = {YT_MENU_NAME,    YT_MENU_BUILD,   YT_MENU_LIBRARY,
                                      YT_MENU_DEVICES, YT_MENU_LOST,    YT_MENU_MEMORY,
                                      YT_MENU_ERASES,  YT_MENU_FAILURES};

static unsigned about_rows(const yt_menu *menu) {
    (void)menu;
    return sizeof about_words;
}

static unsigned devices(const yt_menu *menu) {
    unsigned count = 0;
    for (unsigned i = 0; i < YT_DEVICES; i++)
        count += yt_engine_inputs_of(menu_engine(menu), i) != 0;
    return count;
}

static uint32_t most_erases(const yt_store *store) {
    uint32_t most = 0;
    for (unsigned i = 0; i < store->sector_count; i++)
        if (store->sectors[i].erases > most)
            most = store->sectors[i].erases;
    return most;
}

static YT_NEVER_INLINE void put_adapter_name(yt_menu *menu, menu_line *line) {
    char name[YT_SETTINGS_TEXT + 1];
    yt_adapter_name(menu->parts->adapter, name);
    menu_put_text(line, name);
}

static YT_NEVER_INLINE uint32_t lost_pairs(const yt_menu *menu) {
    return yt_engine_counts(menu_engine(menu)).pairs_dropped;
}

static void about_row(yt_menu *menu, unsigned row, menu_line *line) {
    const yt_store *store = menu_store(menu);
    unsigned word = about_words[row];
    menu_put_word(menu, line, word);
    menu_put(line, " ", 1);
    if (word == YT_MENU_NAME)
        put_adapter_name(menu, line);
    else if (word == YT_MENU_BUILD)
        menu_put_text(line, menu->parts->build ? menu->parts->build : "-");
    else if (word == YT_MENU_LIBRARY)
        menu_put_text(line, YT_VERSION_TEXT);
    else
        menu_put_number(line, word == YT_MENU_DEVICES  ? devices(menu)
                              : word == YT_MENU_LOST   ? lost_pairs(menu)
                              : word == YT_MENU_MEMORY ? (uint32_t)yt_engine_used(menu_engine(menu))
                              : word == YT_MENU_ERASES ? most_erases(store)
                                                       : store->counts.failures);
}

const menu_screen menu_value_screens[] = {
    [MENU_TUNE - MENU_TUNE] = {parameters, tune_row, tune_choose, .is_live = true, .is_list = true},
    [MENU_PARAMETER -
        MENU_TUNE] = {two_rows, parameter_row, menu_choose_back, parameter_step, .is_live = true},
    [MENU_TESTER -
        MENU_TUNE] = {tester_rows, tester_row, choose_nothing, .is_live = true, .is_list = true},
    [MENU_SETTING -
        MENU_TUNE] = {two_rows, setting_row, menu_choose_back, setting_step, .is_list = false},
    [MENU_ABOUT - MENU_TUNE] = {about_rows, about_row, choose_nothing, .is_list = true}};
