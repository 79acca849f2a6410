/* Text on its way to a line: letters, numbers, units, names of controls. */
#include <string.h>

#include "image/layout.h"
#include "link/text.h"
#include "menu/parts.h"

/* ---- letters ---- */

size_t menu_length(const char *text) {
    size_t size = 0;
    while (text[size])
        size++;
    return size;
}

unsigned menu_letter(const char *text, size_t bytes) {
    uint8_t first = (uint8_t)text[0];
    unsigned size = first < 0x80 ? 1 : first < 0xe0 ? 2 : first < 0xf0 ? 3 : 4;
    if (first < 0x20 || first == 0x7f || size > bytes || !yt_is_utf8((const uint8_t *)text, size))
        return 0;
    return first == 0xc2 && (uint8_t)text[1] < 0xa0 ? 0 : size;
}

void menu_put(menu_line *line, const char *text, size_t bytes) {
    for (size_t i = 0; i < bytes;) {
        unsigned size = menu_letter(text + i, bytes - i);
        line->count++;
        if (line->skip > 0) {
            line->skip--;
        } else if (line->left > 0) {
            memcpy(line->to, size ? text + i : "?", size ? size : 1);
            line->to += size ? size : 1;
            line->left--;
        }
        i += size ? size : 1;
    }
}

void menu_put_text(menu_line *line, const char *text) {
    menu_put(line, text, menu_length(text));
}

void menu_put_word(const yt_menu *menu, menu_line *line, unsigned word) {
    const yt_menu_texts *texts = menu->parts->texts;
    if (texts)
        menu_put_text(line, menu->parts->columns < YT_MENU_WIDE_FROM ? texts->narrow[word]
                                                                     : texts->wide[word]);
}

/* ---- numbers ---- */

void menu_put_number(menu_line *line, uint32_t number) {
    char digits[10];
    unsigned at = sizeof digits;
    do {
        digits[--at] = (char)('0' + number % 10);
        number /= 10;
    } while (number > 0);
    menu_put(line, digits + at, sizeof digits - at);
}

/* Hundredths, without zeros at their end. */
static void put_hundredths(menu_line *line, uint32_t hundredths) {
    unsigned part = hundredths % 100;
    char digits[3] = {'.', (char)('0' + part / 10), (char)('0' + part % 10)};
    menu_put_number(line, hundredths / 100);
    menu_put(line, digits, part == 0 ? 0 : part % 10 == 0 ? 2 : 3);
}

/* How much it is, its sign being put; rounded to hundredths of 1 / 65536. */
static uint32_t put_sign(menu_line *line, yt_q16 value) {
    if (value < 0)
        menu_put(line, "-", 1);
    return value < 0 ? 0u - (uint32_t)value : (uint32_t)value;
}

static uint32_t hundredths_of(uint32_t size) {
    return (size >> 16) * 100 + (((size & 0xffff) * 100 + 32768) >> 16);
}

void menu_put_value(menu_line *line, yt_q16 value, yt_unit unit) {
    static const char *const units[YT_UNIT_COUNT] = {"",    " ms",    " Hz", " deg",
                                                     " /s", " deg/s", " g",  " mm"};
    uint32_t size = put_sign(line, value);
    put_hundredths(line, unit == YT_UNIT_TIME ? size / 10 + (size % 10 >= 5) : hundredths_of(size));
    if (unit < YT_UNIT_COUNT)
        menu_put_text(line, units[unit]);
}

void menu_put_percent(menu_line *line, yt_q16 value) {
    menu_put_number(line, hundredths_of(put_sign(line, value)));
    menu_put(line, "%", 1);
}

/* ---- controls ---- */

/* Usages 0x30 to 0x39 of the page for generic desktop controls, and a consumer's pan. */
static const char desktop[] = "x\0y\0z\0rx\0ry\0rz\0slider\0dial\0wheel\0hat";

static void put_key(menu_line *line, unsigned usage) {
    char letter = (char)(usage >= 4 && usage <= 29 ? 'a' + (usage - 4) : '1' + (usage - 30) % 10);
    if (usage == 39)
        letter = '0';
    if (usage >= 4 && usage <= 39) {
        menu_put(line, &letter, 1);
        return;
    }
    menu_put(line, "key", 3);
    menu_put_number(line, usage);
}

static void put_hat(menu_line *line, unsigned part) {
    static const char directions[] = ".up\0   .right\0.down\0 .left";
    unsigned at = part == 1 ? 0 : part == 2 ? 7 : part == 4 ? 14 : 21;
    if (part)
        menu_put_text(line, directions + at);
}

static void put_usage(menu_line *line, const yt_program_control *control) {
    if (control->page == 7) {
        put_key(line, control->usage);
    } else if (control->page == 9) {
        menu_put(line, "button", 6);
        menu_put_number(line, control->usage);
    } else if (control->page == 2 && (control->usage == 0xc4 || control->usage == 0xc5)) {
        menu_put_text(line, control->usage == 0xc4 ? "right_trigger" : "left_trigger");
    } else if (control->page == 1 && control->usage >= 0x30 && control->usage <= 0x39) {
        const char *name = desktop;
        for (unsigned usage = 0x30; usage < control->usage; usage++)
            name += menu_length(name) + 1;
        menu_put_text(line, name);
        put_hat(line, control->part);
    } else {
        menu_put_number(line, control->page);
        menu_put(line, ":", 1);
        menu_put_number(line, control->usage);
    }
}

void menu_put_control(const yt_menu *menu, menu_line *line, unsigned control) {
    const yt_program *program = menu_program(menu);
    const yt_program_control *at = yt_control_at(program, control);
    const yt_program_input *input = yt_input_at(program, at->input);
    if (menu->rebinds && menu->rebinds->put_name(menu, line, control))
        return;
    menu_put(line, &program->text[input->name_offset], input->name_bytes);
    menu_put(line, ".", 1);
    put_usage(line, at);
}
