/* Programs that lie: each field of each record is set to its least, greatest and odd values, alone
 * and several at once, with the checksum made right. What is refused is refused; what passes is
 * run, with devices, hosts and boards, in heap blocks of the exact size, so that a sanitizer sees
 * whatever is read or written outside. */
#include "compiler/profile/compile.h"
#include "tests/engine/drive.h"
#include "tests/harness.h"
#include "yonder/image/program.h"

#define CHOICES 400

/* The tables of a program, in the order of the format, and the fields of their records. */
typedef struct field {
    const char *name;
    size_t offset, bytes;
} field;

#define FIELD(structure, member)                                                                   \
    { #member, offsetof(structure, member), sizeof(((structure *)0)->member) }

static const field of_header[] = {
    FIELD(yt_program_header, groups),          FIELD(yt_program_header, input_count),
    FIELD(yt_program_header, control_count),   FIELD(yt_program_header, target_count),
    FIELD(yt_program_header, place_count),     FIELD(yt_program_header, range_count),
    FIELD(yt_program_header, constant_count),  FIELD(yt_program_header, parameter_count),
    FIELD(yt_program_header, step_count),      FIELD(yt_program_header, instruction_count),
    FIELD(yt_program_header, value_count),     FIELD(yt_program_header, mark_count),
    FIELD(yt_program_header, state_words),     FIELD(yt_program_header, timer_count),
    FIELD(yt_program_header, interface_count), FIELD(yt_program_header, report_count),
    FIELD(yt_program_header, output_count),    FIELD(yt_program_header, root_count),
    FIELD(yt_program_header, pin_count),       FIELD(yt_program_header, relay_count),
    FIELD(yt_program_header, filled_count),    FIELD(yt_program_header, fill_count),
    FIELD(yt_program_header, abilities),       FIELD(yt_program_header, reserved),
    FIELD(yt_program_header, text_bytes),      FIELD(yt_program_header, name_bytes),
    FIELD(yt_program_header, blob_bytes),      FIELD(yt_program_header, wire_count)};
static const field of_input[] = {FIELD(yt_program_input, application_page),
                                 FIELD(yt_program_input, application_usage),
                                 FIELD(yt_program_input, application_other),
                                 FIELD(yt_program_input, vendor),
                                 FIELD(yt_program_input, product),
                                 FIELD(yt_program_input, needs_page),
                                 FIELD(yt_program_input, needs_usage),
                                 FIELD(yt_program_input, name_offset),
                                 FIELD(yt_program_input, device_name_offset),
                                 FIELD(yt_program_input, serial_offset),
                                 FIELD(yt_program_input, descriptor),
                                 FIELD(yt_program_input, name_bytes),
                                 FIELD(yt_program_input, device_name_bytes),
                                 FIELD(yt_program_input, serial_bytes),
                                 FIELD(yt_program_input, needs),
                                 FIELD(yt_program_input, bus),
                                 FIELD(yt_program_input, connector),
                                 FIELD(yt_program_input, reserved)};
static const field of_control[] = {
    FIELD(yt_program_control, page),       FIELD(yt_program_control, usage),
    FIELD(yt_program_control, other_page), FIELD(yt_program_control, other_usage),
    FIELD(yt_program_control, other_if),   FIELD(yt_program_control, place),
    FIELD(yt_program_control, input),      FIELD(yt_program_control, kind),
    FIELD(yt_program_control, occurrence), FIELD(yt_program_control, part),
    FIELD(yt_program_control, from_host),  FIELD(yt_program_control, stick)};
static const field of_place[] = {
    FIELD(yt_program_place, at.bit),       FIELD(yt_program_place, at.bits),
    FIELD(yt_program_place, at.report_id), FIELD(yt_program_place, range),
    FIELD(yt_program_place, flags),        FIELD(yt_program_place, reserved)};
static const field of_range[] = {FIELD(yt_program_range, minimum), FIELD(yt_program_range, rest),
                                 FIELD(yt_program_range, maximum),
                                 FIELD(yt_program_range, unit_q24)};
static const field of_constant[] = {{"constant", 0, 4}};
static const field of_step[] = {FIELD(yt_program_step, code),   FIELD(yt_program_step, value),
                                FIELD(yt_program_step, state),  FIELD(yt_program_step, timer),
                                FIELD(yt_program_step, type),   FIELD(yt_program_step, tells),
                                FIELD(yt_program_step, report), FIELD(yt_program_step, number)};
static const field of_instruction[] = {FIELD(yt_instruction, code), FIELD(yt_instruction, count),
                                       FIELD(yt_instruction, operand)};
static const field of_type[] = {{"type", 0, 1}};
static const field of_users[] = {
    FIELD(yt_program_users, first), FIELD(yt_program_users, count),
    FIELD(yt_program_users, seers), FIELD(yt_program_users, first_wire),
    FIELD(yt_program_users, wires), FIELD(yt_program_users, reserved)};
static const field of_wire[] = {FIELD(yt_program_wire, step), FIELD(yt_program_wire, factor),
                                FIELD(yt_program_wire, kind), FIELD(yt_program_wire, reserved)};
static const field of_mark[] = {FIELD(yt_program_mark, bits), FIELD(yt_program_mark, word),
                                FIELD(yt_program_mark, reserved)};
static const field of_word[] = {{"word", 0, 2}};
static const field of_interface[] = {FIELD(yt_program_interface, descriptor_offset),
                                     FIELD(yt_program_interface, descriptor_bytes),
                                     FIELD(yt_program_interface, first_report),
                                     FIELD(yt_program_interface, report_count),
                                     FIELD(yt_program_interface, connector),
                                     FIELD(yt_program_interface, boot),
                                     FIELD(yt_program_interface, radio),
                                     FIELD(yt_program_interface, reserved)};
static const field of_report[] = {
    FIELD(yt_program_report, rest_offset),  FIELD(yt_program_report, first_root),
    FIELD(yt_program_report, bytes),        FIELD(yt_program_report, root_count),
    FIELD(yt_program_report, switch_count), FIELD(yt_program_report, id),
    FIELD(yt_program_report, direction),    FIELD(yt_program_report, interface),
    FIELD(yt_program_report, boot)};
static const field of_output[] = {FIELD(yt_program_output, name_offset),
                                  FIELD(yt_program_output, name_bytes),
                                  FIELD(yt_program_output, interface)};
static const field of_root[] = {
    FIELD(yt_program_root, at.bit),       FIELD(yt_program_root, at.bits),
    FIELD(yt_program_root, at.report_id), FIELD(yt_program_root, step),
    FIELD(yt_program_root, number),       FIELD(yt_program_root, range),
    FIELD(yt_program_root, kind),         FIELD(yt_program_root, lead),
    FIELD(yt_program_root, part),         FIELD(yt_program_root, elements),
    FIELD(yt_program_root, boot_byte),    FIELD(yt_program_root, multiplier)};
static const field of_pin[] = {FIELD(yt_program_pin, bit),     FIELD(yt_program_pin, debounce_us),
                               FIELD(yt_program_pin, kind),    FIELD(yt_program_pin, pin),
                               FIELD(yt_program_pin, other),   FIELD(yt_program_pin, steps),
                               FIELD(yt_program_pin, flags),   FIELD(yt_program_pin, input),
                               FIELD(yt_program_pin, reserved)};
static const field of_relay[] = {
    FIELD(yt_program_relay, interface), FIELD(yt_program_relay, direction),
    FIELD(yt_program_relay, id),        FIELD(yt_program_relay, input),
    FIELD(yt_program_relay, device_id), FIELD(yt_program_relay, reserved)};
static const field of_filled[] = {
    FIELD(yt_program_filled, every_us),   FIELD(yt_program_filled, first_fill),
    FIELD(yt_program_filled, fill_count), FIELD(yt_program_filled, report),
    FIELD(yt_program_filled, input),      FIELD(yt_program_filled, direction),
    FIELD(yt_program_filled, report_id),  FIELD(yt_program_filled, on_arrival)};
static const field of_fill[] = {
    FIELD(yt_program_fill, at.bit),       FIELD(yt_program_fill, at.bits),
    FIELD(yt_program_fill, at.report_id), FIELD(yt_program_fill, number),
    FIELD(yt_program_fill, polynomial),   FIELD(yt_program_fill, final),
    FIELD(yt_program_fill, first),        FIELD(yt_program_fill, end),
    FIELD(yt_program_fill, before_count), FIELD(yt_program_fill, kind),
    FIELD(yt_program_fill, flags)};
static const field of_parameter[] = {
    FIELD(yt_program_parameter, name_offset), FIELD(yt_program_parameter, name_bytes),
    FIELD(yt_program_parameter, unit),        FIELD(yt_program_parameter, value),
    FIELD(yt_program_parameter, minimum),     FIELD(yt_program_parameter, maximum),
    FIELD(yt_program_parameter, step)};

typedef struct table {
    const char *name;
    size_t begin, count, record; /* in bytes, but for the count */
    const field *fields;
    size_t field_count;
} table;

#define TABLES 24
#define TABLE(member, counted, list)                                                               \
    {                                                                                              \
#member, (size_t)((const uint8_t *)program.member - image),                                \
            (size_t)(program.header->counted), sizeof *program.member, list,                       \
            sizeof list / sizeof list[0]                                                           \
    }

static void find_tables(const uint8_t *image, size_t size, table tables[TABLES]) {
    yt_program program;
    CHECK_EQUAL(yt_program_check(&program, image, size), YT_OK);
    const table found[TABLES] = {
        {"header", 0, 1, sizeof(yt_program_header), of_header,
         sizeof of_header / sizeof *of_header},
        TABLE(inputs, input_count, of_input),
        TABLE(controls, control_count, of_control),
        TABLE(targets, target_count, of_control),
        TABLE(places, place_count, of_place),
        TABLE(ranges, range_count, of_range),
        TABLE(constants, constant_count, of_constant),
        TABLE(parameters, parameter_count, of_parameter),
        TABLE(steps, step_count, of_step),
        TABLE(code, instruction_count, of_instruction),
        TABLE(types, value_count, of_type),
        TABLE(users, value_count - program.header->constant_count, of_users),
        TABLE(marks, mark_count, of_mark),
        TABLE(wires, wire_count, of_wire),
        TABLE(timers, timer_count, of_word),
        TABLE(interfaces, interface_count, of_interface),
        TABLE(reports, report_count, of_report),
        TABLE(outputs, output_count, of_output),
        TABLE(roots, root_count, of_root),
        TABLE(pins, pin_count, of_pin),
        TABLE(relays, relay_count, of_relay),
        TABLE(filled, filled_count, of_filled),
        TABLE(fills, fill_count, of_fill),
        {"blob", (size_t)(program.blob - image), program.header->blob_bytes / 2u, 2, of_word, 1}};
    memcpy(tables, found, sizeof found);
}

/* Least, greatest and odd values of a field of so many bytes; one more or less than what stands
 * there. */
static uint32_t some_value(dice *dice, uint32_t now, size_t bytes) {
    uint32_t all = bytes >= 4 ? UINT32_MAX : ((uint32_t)1 << 8 * bytes) - 1;
    switch (roll_below(dice, 11)) {
    case 0:
        return 0;
    case 1:
        return 1;
    case 2:
        return all;
    case 3:
        return all - 1;
    case 4:
        return all / 2;
    case 5:
        return all / 2 + 1;
    case 6:
        return now + 1;
    case 7:
        return now - 1;
    case 8:
        return 0x55555555u & all;
    case 9:
        return (uint32_t)1 << roll_below(dice, (uint32_t)(8 * bytes));
    default:
        return roll_below(dice, 12);
    }
}

typedef struct hostile {
    const char *name;
    const uint8_t *image;
    size_t size;
    table tables[TABLES];
    dice dice;
    unsigned tried, passed;
} hostile;

/* Changes a field of a record and says so. */
static void lie(hostile *hostile, uint8_t *copy, const table *table, size_t record,
                const field *field, char *said, size_t room) {
    uint8_t *at = copy + table->begin + record * table->record + field->offset;
    uint32_t now = 0, value;
    size_t bytes = field->bytes < 4 ? field->bytes : 4;
    memcpy(&now, at, bytes);
    value = some_value(&hostile->dice, now, bytes);
    memcpy(at, &value, bytes);
    size_t used = strlen(said);
    snprintf(said + used, room - used, " %s[%zu].%s %u to %u;", table->name, record, field->name,
             now, value);
}

/* In a block of the exact size; what passes the check is run. */
static void try_out(hostile *hostile, const uint8_t *copy) {
    uint8_t *image = malloc(hostile->size), choices[CHOICES];
    yt_program program;
    memcpy(image, copy, hostile->size);
    drive_mend(image, hostile->size);
    hostile->tried++;
    if (yt_program_check(&program, image, hostile->size) == YT_OK) {
        for (size_t i = 0; i < CHOICES; i++)
            choices[i] = (uint8_t)roll(&hostile->dice);
        hostile->passed++;
        drive_program(image, hostile->size, choices, CHOICES);
    }
    free(image);
    checks_done++;
}

/* Every field of every record, several values each; of a long table so many records as there is
 * time for. */
static void lie_everywhere(hostile *hostile, uint8_t *copy, unsigned times, unsigned most) {
    for (size_t t = 0; t < TABLES; t++) {
        const table *table = &hostile->tables[t];
        size_t step = 1 + table->count / most;
        for (size_t record = 0; record < table->count; record += step)
            for (size_t f = 0; f < table->field_count; f++)
                for (unsigned i = 0; i < times; i++) {
                    char said[200] = "";
                    memcpy(copy, hostile->image, hostile->size);
                    lie(hostile, copy, table, record, &table->fields[f], said, sizeof said);
                    about("%s:%s", hostile->name, said);
                    try_out(hostile, copy);
                }
    }
}

/* Several lies at once, often about one record. */
static void lie_more(hostile *hostile, uint8_t *copy, unsigned times) {
    for (unsigned i = 0; i < times; i += SOME_ROUNDS) {
        char said[400] = "";
        const table *table = NULL;
        size_t record = 0;
        memcpy(copy, hostile->image, hostile->size);
        for (unsigned lies = 2 + roll_below(&hostile->dice, 3); lies > 0;) {
            if (!table || roll_below(&hostile->dice, 2)) { /* else once more in the same record */
                table = &hostile->tables[roll_below(&hostile->dice, TABLES)];
                record = table->count ? roll_below(&hostile->dice, (uint32_t)table->count) : 0;
            }
            if (table->count == 0)
                continue;
            lie(hostile, copy, table, record,
                &table->fields[roll_below(&hostile->dice, (uint32_t)table->field_count)], said,
                sizeof said);
            lies--;
        }
        about("%s:%s", hostile->name, said);
        try_out(hostile, copy);
    }
}

static void check_profile(const char *name, const char *text, size_t length, unsigned effort) {
    yt_compiled compiled;
    yt_messages messages;
    messages_begin(&messages, name, text, length);
    if (!compile_profile(&compiled, &messages)) {
        messages_print(&messages, stderr);
        exit(1);
    }
    hostile hostile = {.name = name, .image = compiled.image, .size = compiled.size, .dice = {17}};
    uint8_t *copy = malloc(compiled.size);
    find_tables(compiled.image, compiled.size, hostile.tables);
    lie_everywhere(&hostile, copy, 4 * effort, 60 * effort);
    lie_more(&hostile, copy, 20000 * effort);
    printf("%s: %u of %u changed programs passed the check and ran\n", name, hostile.passed,
           hostile.tried);
    CHECK(hostile.passed * 20 > hostile.tried);
    free(copy);
    messages_free(&messages);
    pool_free(&compiled.pool);
}

int main(int count, char **arguments) {
    static const char *const paths[] = {"crane/crane.yaml", "crane/radio.yaml",
                                        "crane/desk-gamepad.yaml", "crane/desk-pointer.yaml",
                                        "crane/exhibition.yaml"};
    unsigned effort = count > 1 ? (unsigned)atoi(arguments[1]) : 1;
    size_t length; /* its descriptions are the demo's */
    char *all_kinds = read_test_file("tests/image/all-kinds.yaml", &length);
    check_profile("crane/all-kinds.yaml", all_kinds, length, effort);
    free(all_kinds);
    for (size_t i = 0; i < sizeof paths / sizeof paths[0]; i++) {
        size_t size;
        char *text = read_test_file(paths[i], &size);
        check_profile(paths[i], text, size, effort);
        free(text);
    }
    return report_checks();
}
