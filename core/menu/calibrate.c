/* Calibrating in the menu: which part, how far it is, kept. */
#include "menu/parts.h"

#define PARTS_OF_RATES   3u
#define ACCELEROMETER    50000 /* counts that are smaller than this, in 1 / 2^24, are of g, */
#define ACCELERATION_LOW 0x453 /* or usages of acceleration (HID Usage Tables, 19) */
#define ACCELERATION_TOP 0x455
#define SENSOR_PAGE      0x20

/* ---- the parts that can be calibrated ---- */

typedef struct part {
    unsigned number; /* of the device */
    uint8_t kind;
    uint16_t controls[YT_CALIBRATION_CONTROLS];
} part;

/* The device that a control comes from; YT_DEVICES: none is there. */
static unsigned device_of(const yt_menu *menu, unsigned input) {
    unsigned number = 0;
    while (number < YT_DEVICES && !(yt_engine_inputs_of(menu_engine(menu), number) >> input & 1))
        number++;
    return number;
}

static bool is_accelerometer(const yt_program *program, const yt_program_control *control) {
    if (control->page == SENSOR_PAGE)
        return control->usage >= ACCELERATION_LOW && control->usage <= ACCELERATION_TOP;
    if (control->place == YT_NO_PLACE)
        return false;
    const yt_program_place *place = yt_place_at(program, control->place);
    return (place->flags & YT_PLACE_RANGE) &&
           yt_range_at(program, place->range)->unit_q24 < ACCELEROMETER;
}

/* The other direction of a stick. */
static unsigned other_of(const yt_program *program, unsigned at) {
    const yt_program_control *first = yt_control_at(program, at);
    unsigned i = at + 1;
    for (; i < program->header->control_count; i++) {
        const yt_program_control *other = yt_control_at(program, i);
        if (other->stick == first->stick && other->input == first->input)
            break;
    }
    return i;
}

static bool is_first_of_stick(const yt_program *program, unsigned at) {
    const yt_program_control *control = yt_control_at(program, at);
    for (unsigned i = 0; i < at; i++)
        if (yt_control_at(program, i)->stick == control->stick &&
            yt_control_at(program, i)->input == control->input)
            return false;
    return true;
}

/* What begins at a control; `*next` is the control behind it. False: nothing. */
static bool part_at(const yt_menu *menu, unsigned at, part *part, unsigned *next) {
    const yt_program *program = menu_program(menu);
    const yt_program_control *control = yt_control_at(program, at);
    unsigned count = program->header->control_count;
    *next = at + 1;
    for (unsigned k = 0; k < YT_CALIBRATION_CONTROLS; k++)
        part->controls[k] = (uint16_t)(at + k);
    if (control->from_host)
        return false;
    part->number = device_of(menu, control->input);
    switch (control->kind) {
    case YT_LEVEL:
        part->kind = YT_CALIBRATION_LEVEL;
        break;
    case YT_AXIS:
        part->kind = control->stick ? YT_CALIBRATION_STICK : YT_CALIBRATION_AXIS;
        part->controls[1] = (uint16_t)other_of(program, at);
        if (control->stick && (!is_first_of_stick(program, at) || part->controls[1] == count))
            return false;
        break;
    case YT_RATE:
        part->kind =
            is_accelerometer(program, control) ? YT_CALIBRATION_ACCELEROMETER : YT_CALIBRATION_GYRO;
        if (at + PARTS_OF_RATES > count)
            return false;
        *next = at + PARTS_OF_RATES;
        break;
    default:
        return false;
    }
    return part->number < YT_DEVICES;
}

/* Which part it is, where it can be calibrated. */
static bool begin_part(const yt_menu *menu, const part *part, yt_calibration_part *found) {
    const yt_device *device = menu->parts->device(menu->parts->context, part->number);
    if (!device)
        return false;
    *found = (yt_calibration_part){.kind = part->kind};
    yt_calibration_part_of(found, device);
    return yt_calibration_find(found, menu_engine(menu), part->number, part->controls) == YT_OK;
}

/* The `row`th; else how many there are. */
static unsigned find_part(const yt_menu *menu, unsigned row, part *part) {
    const yt_program *program = menu_program(menu);
    yt_calibration_part found;
    unsigned count = 0, next;
    for (unsigned i = 0; program && i < program->header->control_count; i = next)
        if (part_at(menu, i, part, &next) && begin_part(menu, part, &found) && count++ == row)
            return row;
    return count;
}

static bool is_offered(const yt_menu *menu) {
    part part;
    return menu->parts->device && find_part(menu, UINT32_MAX, &part) > 0;
}

static unsigned part_rows(const yt_menu *menu) {
    part part;
    return find_part(menu, UINT32_MAX, &part);
}

static void part_row(yt_menu *menu, unsigned row, menu_line *line) {
    part part;
    menu_line unseen = {.left = 0};
    find_part(menu, row, &part);
    menu_put_control(menu, line, part.controls[0]);
    bool is_named = menu->rebinds && menu->rebinds->put_name(menu, &unseen, part.controls[0]);
    if (part.kind != YT_CALIBRATION_STICK || is_named)
        return;
    menu_put(line, "+", 1);
    menu_put_control(menu, line, part.controls[1]);
}

static void part_choose(yt_menu *menu, unsigned row) {
    yt_menu_calibration *room = menu->calibration;
    yt_calibration_part found;
    part part;
    find_part(menu, row, &part);
    if (!begin_part(menu, &part, &found) ||
        yt_calibrating_begin(&room->gathering, &found, 0) != YT_OK) {
        menu_say(menu, YT_MENU_ERROR);
        return;
    }
    room->number = (uint8_t)part.number;
    room->is_on = true;
    room->told = YT_CALIBRATING_WAITS;
    menu_go(menu, MENU_CALIBRATING, 0);
}

/* ---- how far it is ---- */

static YT_NEVER_INLINE yt_calibration_news news_of(const yt_menu *menu) {
    yt_calibration_news news;
    yt_calibrating_tell(&menu->calibration->gathering, &news);
    return news;
}

static unsigned two_rows(const yt_menu *menu) {
    (void)menu;
    return 2;
}

/* How far it is, and what is to be done; where it is now. On one line the first of these. */
static void calibrating_row(yt_menu *menu, unsigned row, menu_line *line) {
    yt_calibration_news news = news_of(menu);
    unsigned kind = menu->calibration->gathering.part.kind;
    if (row == 0) {
        menu_put_number(line, news.percent);
        menu_put(line, "% ", 2);
        menu_put_word(menu, line, YT_MENU_ENOUGH + news.advice);
        return;
    }
    unsigned count = kind == YT_CALIBRATION_STICK ? 2 : kind <= YT_CALIBRATION_LEVEL ? 1 : 3;
    for (unsigned i = 0; i < count; i++) {
        menu_put(line, " ", i > 0);
        if (kind == YT_CALIBRATION_GYRO)
            menu_put_value(line, news.at[i] * YT_ONE, YT_UNIT_NONE);
        else
            menu_put_percent(line, news.at[i] * (YT_ONE / 16384));
    }
}

static void begin_anew(yt_menu_calibration *room) {
    yt_calibration_part part = room->gathering.part;
    room->is_on = yt_calibrating_begin(&room->gathering, &part, 0) == YT_OK;
}

static void stop(yt_menu *menu) {
    menu->calibration->is_on = false;
    menu_back(menu);
}

static void calibrating_choose(yt_menu *menu, unsigned row) {
    (void)row;
    yt_menu_calibration *room = menu->calibration;
    yt_calibration_news news = news_of(menu);
    if (news.state == YT_CALIBRATING_ENOUGH) {
        menu_go(menu, MENU_KEEP_CALIBRATION, 0);
    } else if (news.state == YT_CALIBRATING_FAILED) {
        begin_anew(room);
    }
}

/* No, and it goes on; or yes. */
static void keep_row(yt_menu *menu, unsigned row, menu_line *line) {
    menu_put_word(menu, line, row == 0 ? YT_MENU_AGAIN : YT_MENU_KEEP);
}

static void keep_choose(yt_menu *menu, unsigned row) {
    yt_menu_calibration *room = menu->calibration;
    if (row == 0) {
        begin_anew(room);
        menu_back(menu);
        return;
    }
    if (menu_is_locked(menu))
        return;
    yt_status status = yt_calibrating_end(&room->gathering, &room->record);
    room->is_on = false;
    if (status == YT_OK)
        menu_begin_job(menu, MENU_JOB_CALIBRATION, 0, 0);
    else
        menu_say_status(menu, status);
}

static yt_status work(yt_menu *menu) {
    yt_menu_calibration *room = menu->calibration;
    const yt_device *device = menu->parts->device(menu->parts->context, room->number);
    yt_status status = yt_store_calibrate(menu_store(menu), &room->record, room->record.bytes);
    if (status == YT_OK && device)
        yt_adapter_calibrate(menu->parts->adapter, device, room->number);
    return status;
}

static void report(yt_menu *menu, unsigned number, const uint8_t *bytes, size_t size,
                   uint64_t now_us) {
    yt_menu_calibration *room = menu->calibration;
    if (room->is_on && room->number == number)
        yt_calibrating_report(&room->gathering, bytes, size, now_us);
}

/* Where only pulses tell: two, enough was seen; six, it cannot become one. */
static void update(yt_menu *menu) {
    yt_menu_calibration *room = menu->calibration;
    if (!room->is_on || !menu->parts->counts)
        return;
    unsigned state = news_of(menu).state;
    if (state != room->told && state >= YT_CALIBRATING_ENOUGH)
        menu_count(menu, state == YT_CALIBRATING_ENOUGH ? 2 : 6);
    room->told = (uint8_t)state;
}

static void drop(yt_menu *menu) {
    menu->calibration->is_on = false;
}

void yt_menu_calibrates(yt_menu *menu, yt_menu_calibration *room) {
    static const menu_screen screens[] = {
        [MENU_CALIBRATE - MENU_CALIBRATE] = {part_rows, part_row, part_choose, .is_list = true},
        [MENU_CALIBRATING - MENU_CALIBRATE] = {two_rows, calibrating_row, calibrating_choose,
                                               .back = stop, .is_live = true},
        [MENU_KEEP_CALIBRATION -
            MENU_CALIBRATE] = {two_rows, keep_row, keep_choose, .is_list = true}};
    static const struct yt_menu_calls calls = {.screens = screens,
                                               .is_offered = is_offered,
                                               .update = update,
                                               .report = report,
                                               .work = work,
                                               .drop = drop};
    room->is_on = false;
    menu->calibration = room;
    menu->calibrates = &calls;
}
