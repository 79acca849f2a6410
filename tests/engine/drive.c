#include "tests/engine/descriptors.h"
#include "tests/engine/drive.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "yonder/inspect.h"
#include "yonder/yonder.h"
#include "tests/engine/lengths.h"

#define PROMISED(condition)                                                                        \
    do {                                                                                           \
        if (!(condition)) {                                                                        \
            fprintf(stderr, "%s:%d: broken: %s\n", __FILE__, __LINE__, #condition);                \
            abort();                                                                               \
        }                                                                                          \
    } while (0)

#define MEMORY_BYTES (160u << 10)

/* A keyboard by an array and by bits, a mouse, a gamepad with a hat, sticks and triggers, a set
 * with report IDs, lights and motors, and a table of wide axes. */
static const uint8_t wide[] = {0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, 0x09, 0x30, 0x09, 0x31,
                               0x09, 0x32, 0x17, 0x00, 0x00, 0x00, 0x80, 0x27, 0xff, 0xff,
                               0xff, 0x7f, 0x75, 0x20, 0x95, 0x03, 0x81, 0x02, 0xc0};

/* By the usage of their collection, the more usual ones first. */
static const struct {
    const uint8_t *descriptor;
    size_t size;
    uint16_t usage;
} devices[] = {{all_keys, sizeof all_keys, 6},
               {six_keys, sizeof six_keys, 6},
               {mouse, sizeof mouse, 2},
               {gamepad, sizeof gamepad, 5},
               {with_ids, sizeof with_ids, 4},
               {wide, sizeof wide, 4},
               {NULL, 0, 0}};

#define DEVICES (sizeof devices / sizeof devices[0])

static const yt_usb_identity identity = {.vendor = 0x1209,
                                         .product = 8,
                                         .manufacturer = "Quay",
                                         .product_name = "Crane",
                                         .serial = "1",
                                         .packet_bytes = 8,
                                         .milliamperes = 100,
                                         .interval_ms = 8};

#define CALIBRATIONS 3

typedef struct drive {
    const uint8_t *image;
    size_t size;
    const uint8_t *choices;
    size_t count, at;
    yt_program program;
    yt_engine engine;
    uint64_t now_us;
    yt_calibration records[CALIBRATIONS];
    yt_calibrated calibrated[CALIBRATIONS];
} drive;

/* The next choice; behind the last one all are 0. */
static unsigned choose(drive *drive, unsigned count) {
    return drive->at < drive->count ? drive->choices[drive->at++] % count : 0;
}

/* A block of so many bytes that choices fill; at least a byte is there to be freed. */
__attribute__((noinline)) static uint8_t *some_bytes(drive *drive, size_t size) {
    uint8_t *bytes = malloc(size ? size : 1);
    for (size_t i = 0; i < size; i++)
        bytes[i] = (uint8_t)choose(drive, 256);
    return bytes;
}

/* A text of the program, of so many bytes, to be freed; NULL for none. */
static char *text_of(const drive *drive, unsigned offset, unsigned bytes) {
    return bytes ? strndup(drive->program.text + offset, bytes) : NULL;
}

/* What an input of the program asks of a device, but for its descriptor. */
static yt_device wanted_device(const drive *drive, unsigned number) {
    const yt_program_input *input = &drive->program.inputs[number];
    return (yt_device){.vendor = input->vendor,
                       .product = input->product,
                       .name = text_of(drive, input->device_name_offset, input->device_name_bytes),
                       .serial = text_of(drive, input->serial_offset, input->serial_bytes),
                       .bus = input->bus,
                       .connector = input->connector,
                       .input = YT_ANY_INPUT};
}

/* A device of the table, or one whose descriptor differs from it in some bytes: often one that an
 * input of the program asks for. */
static void attach(drive *drive) {
    unsigned kind = choose(drive, DEVICES), changes = choose(drive, 4), number = 99;
    size_t size = devices[kind].size;
    uint8_t *descriptor = malloc(size ? size : 1);
    for (size_t i = 0; i < size; i++)
        descriptor[i] = devices[kind].descriptor[i];
    for (unsigned i = 0; i < changes && size > 0; i++)
        descriptor[choose(drive, 256) % size] = (uint8_t)choose(drive, 256);
    yt_device device = {.vendor = 0x1209, .input = (uint8_t)choose(drive, 34)};
    if (drive->program.header->input_count > 0 && choose(drive, 4))
        device = wanted_device(drive, choose(drive, drive->program.header->input_count));
    device.descriptor = descriptor;
    device.descriptor_size = size;
    device.stays = choose(drive, 2);
    size_t used = yt_engine_used(&drive->engine);
    yt_status status = yt_engine_attach(&drive->engine, &device, &number);
    PROMISED(status == YT_OK ? number < YT_DEVICES && yt_engine_inputs_of(&drive->engine, number)
                             : yt_engine_used(&drive->engine) == used);
    free((char *)device.name);
    free((char *)device.serial);
    free(descriptor);
}

/* For each input a device that it asks for, as far as there is room: the first of its kind in the
 * table, or the last. */
static void attach_all(drive *drive) {
    for (unsigned i = 0; i < drive->program.header->input_count && i < YT_DEVICES; i++) {
        yt_device device = wanted_device(drive, i);
        unsigned usage = drive->program.inputs[i].application_usage, kind = 0, number;
        bool is_last = choose(drive, 2);
        for (unsigned k = DEVICES; k > 0; k--)
            if (devices[k - 1].usage == usage && (kind == 0 || !is_last))
                kind = k - 1;
        device.descriptor = devices[kind].descriptor;
        device.descriptor_size = devices[kind].size;
        yt_status status = yt_engine_attach(&drive->engine, &device, &number);
        PROMISED(status != YT_OK || number < YT_DEVICES);
        free((char *)device.name);
        free((char *)device.serial);
    }
}

/* A report of whatever length, or as long as one of the devices sends, with little that is on or
 * with all. */
static void report(drive *drive) {
    static const uint8_t sizes[] = {7, 15, 4, 9, 4, 5, 9, 12};
    bool any = choose(drive, 3) == 0;
    size_t size = any ? choose(drive, 24) : sizes[choose(drive, sizeof sizes)];
    uint8_t *bytes = any ? some_bytes(drive, size) : malloc(size);
    if (!any) {
        memset(bytes, choose(drive, 4) ? 0 : 0xff, size);
        bytes[choose(drive, 256) % size] = (uint8_t)choose(drive, 256);
    }
    uint64_t happened_us = drive->now_us + choose(drive, 3) * 1000u - 1000u;
    unsigned number = choose(drive, YT_DEVICES + 1);
    if (choose(drive, 4) == 0) {
        PROMISED(yt_engine_give(&drive->engine, number, bytes, size, drive->now_us) >=
                 drive->now_us);
    } else {
        yt_status status = yt_engine_report(&drive->engine, number, bytes, size, happened_us);
        PROMISED(status == YT_OK || status == YT_FULL || status == YT_ARGUMENT);
    }
    free(bytes);
}

/* What is asked of the adapter is something that there is, and no more than may wait. */
static void take_actions(drive *drive) {
    yt_action action;
    unsigned count = 0;
    while (yt_engine_action(&drive->engine, &action)) {
        PROMISED(*yt_action_name(action.kind) != 0 && ++count <= YT_ACTIONS);
        PROMISED(action.number <= 16 && action.value >= 0 && action.value <= YT_ONE);
    }
}

static void update(drive *drive) {
    uint64_t due_us = yt_engine_update(&drive->engine, drive->now_us);
    PROMISED(due_us >= drive->now_us);
    if (drive->now_us % 3) /* now and then they wait */
        take_actions(drive);
}

/* Mostly it goes on, now and then it jumps, as the clock of a port that is wrong. */
static void pass_time(drive *drive) {
    static const uint64_t times[] = {0, 1, YT_NEVER, YT_NEVER / 2, UINT32_MAX, 3600000000u};
    unsigned choice = choose(drive, 64);
    if (choice < sizeof times / sizeof times[0])
        drive->now_us = times[choice];
    else
        drive->now_us += choice * choice * 37u;
    update(drive);
}

/* An interface, mostly one that there is. */
static unsigned some_interface(drive *drive) {
    unsigned there = drive->program.header->interface_count;
    return choose(drive, choose(drive, 4) && there ? there : YT_INTERFACES + 1);
}

static void take(drive *drive) {
    unsigned interface = some_interface(drive);
    size_t needed = yt_interface_bytes(&drive->engine, interface), length;
    uint8_t *exact = malloc(needed + 1), *bytes = malloc(YT_REPORT_BYTES + 1);
    PROMISED(needed <= YT_REPORT_BYTES + 1);
    if (needed > 0)
        PROMISED(yt_interface_report(&drive->engine, interface, exact, needed - 1, &length) ==
                     YT_ROOM &&
                 length == needed);
    size_t built = next_report(&drive->engine, interface, exact, needed);
    PROMISED(built <= needed);
    if (built > 0 && choose(drive, 3) == 0) {
        yt_status back = yt_interface_take_back(&drive->engine, interface, exact, built);
        PROMISED(back == YT_OK || back == YT_FULL);
        if (back == YT_OK) /* what it told is to be told again */
            PROMISED(next_report(&drive->engine, interface, exact, needed) > 0);
    }
    if (choose(drive, 4))
        yt_interface_taken(&drive->engine, interface, drive->now_us + choose(drive, 3));
    yt_hid_direction direction = (yt_hid_direction)choose(drive, 3);
    PROMISED(state_of(&drive->engine, interface, direction, (uint8_t)choose(drive, 5), bytes,
                      YT_REPORT_BYTES + 1) <= YT_REPORT_BYTES + 1);
    free(exact);
    free(bytes);
}

static void receive(drive *drive) {
    size_t size = choose(drive, 20);
    uint8_t *bytes = some_bytes(drive, size);
    yt_hid_direction direction = (yt_hid_direction)choose(drive, 3);
    yt_status status = yt_interface_receive(&drive->engine, some_interface(drive), direction, bytes,
                                            size, drive->now_us);
    PROMISED(status == YT_OK || status == YT_ARGUMENT || status == YT_REPORT_SHORT);
    free(bytes);
}

static void be_a_host(drive *drive) {
    yt_engine *engine = &drive->engine;
    unsigned interface = some_interface(drive), connector = choose(drive, 4);
    switch (choose(drive, 5)) {
    case 0:
        if (yt_interface_set_boot(engine, interface, choose(drive, 2)) != YT_OK)
            PROMISED(!yt_interface_is_boot(engine, interface));
        return;
    case 1:
        yt_interface_set_idle(engine, interface, choose(drive, 256) * 4000u);
        return;
    case 2:
        yt_connector_reset(engine, connector);
        return;
    default:
        yt_connector_suspend(engine, connector, choose(drive, 2));
    }
}

static void ask_usb(drive *drive) {
    uint8_t setup[8];
    for (unsigned i = 0; i < sizeof setup; i++)
        setup[i] = (uint8_t)choose(drive, 256);
    if (choose(drive, 4)) { /* most of them something that is known */
        static const uint8_t known[][2] = {{0x80, 6}, {0x81, 6}, {0xa1, 1},  {0xa1, 2},
                                           {0xa1, 3}, {0x21, 9}, {0x21, 10}, {0x21, 11}};
        static const uint8_t types[] = {1, 2, 3, 0x21, 0x22, 0};
        unsigned which = choose(drive, sizeof known / sizeof known[0]);
        setup[0] = known[which][0];
        setup[1] = known[which][1];
        setup[2] %= 4;
        setup[3] = types[choose(drive, sizeof types)];
        setup[4] = (uint8_t)choose(drive, 3);
        setup[5] = setup[7] = 0;
    }
    size_t room = choose(drive, 80), sent = choose(drive, 80);
    uint8_t *data = some_bytes(drive, sent), *answer = some_bytes(drive, room);
    unsigned connector = 1 + choose(drive, 3);
    yt_usb_control control = {.data = data, .size = sent, .answer = answer, .room = room};
    memcpy(control.setup, setup, sizeof setup);
    yt_usb_identity asked = identity;
    asked.speed = (uint8_t)choose(drive, 3);
    asked.can_high_speed = choose(drive, 2);
    size_t length;
    yt_status status =
        yt_usb_configuration(&drive->engine, &asked, connector, answer, room, &length);
    PROMISED(status != YT_OK || length <= room);
    status = yt_usb_string(&drive->engine, &asked, choose(drive, 5), answer, room, &length);
    PROMISED(status == YT_ROOM ? length > room : status == YT_ARGUMENT || length <= room);
    yt_status expected = yt_usb_expects(&drive->engine, &identity, connector, setup);
    status = yt_usb_request(&drive->engine, &asked, connector, &control, drive->now_us);
    PROMISED(control.length <= room && (status == YT_OK || control.length == 0));
    PROMISED(status != YT_RELAYED || expected == YT_RELAYED);
    free(answer);
    free(data);
}

static void ask_bluetooth(drive *drive) {
    size_t size = choose(drive, 24);
    unsigned connector = 1 + choose(drive, 3);
    size_t room = choose(drive, YT_BLUETOOTH_BYTES + 1), length;
    uint8_t *bytes = some_bytes(drive, size), *message = malloc(room + 1);
    yt_bluetooth_answer answer;
    yt_status status =
        yt_bluetooth_control(&drive->engine, connector, bytes, size, &answer, drive->now_us);
    PROMISED(answer.length <= YT_BLUETOOTH_BYTES && (status == YT_OK || answer.length == 0));
    yt_bluetooth_interrupt(&drive->engine, connector, bytes, size, drive->now_us);
    status = yt_bluetooth_message(&drive->engine, connector, message, room, &length);
    PROMISED(status == YT_ROOM ? length > room && length <= YT_BLUETOOTH_BYTES : length <= room);
    yt_bluetooth_sent(&drive->engine, connector, drive->now_us);
    free(message);
    free(bytes);
}

static void ask_gatt(drive *drive) {
    size_t size = choose(drive, 24), length = 0, mtu = choose(drive, 100);
    unsigned connector = 1 + choose(drive, 3), index = choose(drive, YT_GATT_ATTRIBUTES + 2);
    size_t room = choose(drive, YT_REPORT_BYTES + 2);
    uint8_t *bytes = some_bytes(drive, size), *value = malloc(room + 1);
    yt_gatt gatt;
    yt_gatt_begin(&gatt, &drive->engine, connector);
    for (unsigned i = choose(drive, 30); i > 0; i--)
        if (yt_gatt_listen(&gatt, i - 1, true) != YT_OK)
            PROMISED(!(gatt.listened >> (i - 1) & 1));
    yt_status status = yt_gatt_write(&gatt, index, bytes, size, drive->now_us);
    status = yt_gatt_read(&gatt, index, choose(drive, 70), bytes, size, &length);
    PROMISED(length <= size && (status == YT_OK || length == 0));
    status = yt_gatt_notification(&gatt, mtu, &index, value, room, &length, drive->now_us);
    PROMISED(status == YT_ROOM ? length > room
                               : length == 0 || (length + 3 <= mtu && length <= room));
    PROMISED(status == YT_ROOM || length == 0 || (gatt.listened >> index & 1));
    yt_gatt_sent(&gatt, drive->now_us);
    free(value);
    free(bytes);
}

static void ask_device(drive *drive) {
    unsigned number = choose(drive, YT_DEVICES + 1), relayed;
    size_t room = choose(drive, 80);
    uint8_t *bytes = malloc(room ? room : 1), id;
    yt_hid_direction direction;
    PROMISED(device_output(&drive->engine, number, bytes, room, &direction) <= room);
    yt_device_pulse(&drive->engine, number, drive->now_us, choose(drive, 3) * 9000u);
    yt_status status = yt_interface_relay(&drive->engine, some_interface(drive),
                                          (yt_hid_direction)choose(drive, 3),
                                          (uint8_t)choose(drive, 4), &relayed, &id);
    PROMISED(status != YT_OK || relayed < YT_DEVICES);
    for (unsigned i = 0; i < drive->program.header->relay_count; i++) {
        const yt_program_relay *relay = &drive->program.relays[i];
        status = yt_interface_relay(&drive->engine, relay->interface,
                                    (yt_hid_direction)relay->direction, relay->id, &relayed, &id);
        PROMISED(status == YT_OK || status == YT_UNREADABLE || status == YT_NO_MATCH);
    }
    free(bytes);
}

/* Without a program there is nothing to ask for. */
static void ask_nothing(drive *drive) {
    uint8_t bytes[8] = {0}, id;
    unsigned number = 0;
    size_t length = 1;
    PROMISED(yt_interface_relay(&drive->engine, 0, YT_HID_OUTPUT, 0, &number, &id) == YT_NO_MATCH);
    PROMISED(yt_interface_report(&drive->engine, 0, bytes, sizeof bytes, &length) != YT_OK ||
             length == 0);
    PROMISED(yt_engine_report(&drive->engine, 0, bytes, sizeof bytes, 0) != YT_OK);
    PROMISED(yt_engine_update(&drive->engine, 0) == YT_NEVER);
    yt_engine_cancel(&drive->engine);
}

static void set_numbers(drive *drive) {
    uint32_t value = choose(drive, 256) | choose(drive, 256) << 8 | choose(drive, 256) << 16 |
                     (uint32_t)choose(drive, 256) << 24;
    unsigned parameter = choose(drive, 8);
    yt_status status = yt_engine_set_parameter(&drive->engine, parameter, (yt_q16)value);
    PROMISED(status == YT_OK || status == YT_ARGUMENT);
    yt_engine_tell(&drive->engine, (yt_fact)(parameter % (YT_FACT_COUNT + 1)), (yt_q16)value);
    yt_engine_control(&drive->engine, choose(drive, 256));
    yt_engine_counts(&drive->engine);
}

/* The board of an input, where it is one: samples that choices give, in arrays of the exact size.
 */
static void scan(drive *drive) {
    yt_board_part *parts = malloc(YT_BOARD_PINS * sizeof *parts);
    yt_board board;
    size_t pins = choose(drive, 65), channels = choose(drive, 5), sensors = choose(drive, 7);
    if (yt_board_begin(&board, &drive->program, choose(drive, 4), parts, YT_BOARD_PINS) == YT_OK)
        for (unsigned i = 0; i < 6; i++) {
            uint8_t *levels = some_bytes(drive, (pins + 7) / 8), *words = some_bytes(drive, 24);
            uint16_t *sampled = malloc(2 * channels + 1);
            int16_t *sensed = malloc(2 * sensors + 1);
            memcpy(sampled, words, 2 * channels);
            memcpy(sensed, words + 10, 2 * sensors);
            const yt_samples samples = {.pins = levels,
                                        .channels = sampled,
                                        .sensors = sensed,
                                        .pin_count = (uint16_t)pins,
                                        .channel_count = (uint8_t)channels,
                                        .sensor_count = (uint8_t)sensors};
            uint8_t *bytes = malloc(board.bytes + 1u);
            yt_board_sample(&board, &samples, drive->now_us + i * 1000u);
            PROMISED(board_report(&board, bytes, board.bytes) == board.bytes);
            PROMISED(yt_board_drive(&board, bytes, board.bytes, choose(drive, 64)) < 256);
            free(bytes);
            free(sensed);
            free(sampled);
            free(words);
            free(levels);
        }
    free(parts);
}

/* What tools ask of the engine, of any number. */
static void inspect(drive *drive) {
    yt_engine *engine = &drive->engine;
    yt_q16 level = yt_inspect_target(engine, choose(drive, 256));
    PROMISED(level >= 0 && level <= YT_ONE);
    PROMISED(yt_inspect_values(engine) != NULL);
    yt_inspect_value(engine, choose(drive, 256));
    yt_inspect_turn(engine, choose(drive, 256));
    yt_inspect_set(engine, choose(drive, 256), (yt_q16)choose(drive, 256) * 600);
    yt_inspect_settle(engine, drive->now_us);
    if (choose(drive, 4) == 0)
        yt_inspect_let_go(engine, choose(drive, 33), drive->now_us);
}

/* A program that cannot run leaves the engine as it was. */
static void load_nothing(drive *drive) {
    size_t used = yt_engine_used(&drive->engine);
    uint32_t layout = yt_engine_layout(&drive->engine);
    uint32_t words[16] = {YT_PROGRAM_MAGIC, YT_PROGRAM_VERSION | 64u << 16, 64};
    PROMISED(yt_engine_load(&drive->engine, words, choose(drive, 65)) != YT_OK);
    PROMISED(yt_engine_used(&drive->engine) == used && yt_engine_layout(&drive->engine) == layout);
}

/* A record of a kind for what was found, of a stick with four straight ways. */
static void make_record(yt_calibration *record, const yt_calibration_part *part) {
    static const int16_t ways[4][2] = {{0, -1}, {1, 0}, {0, 1}, {-1, 0}};
    const yt_calibration_place *place = part->places;
    bool is_stick = part->kind == YT_CALIBRATION_STICK, is_rate = part->kind >= YT_CALIBRATION_GYRO;
    memset(record, 0, sizeof *record);
    record->magic = YT_CALIBRATION_MAGIC;
    record->version = YT_CALIBRATION_VERSION;
    record->part = *part;
    record->knots = is_stick ? 4 : 0;
    record->bytes =
        (uint16_t)(YT_CALIBRATION_HEAD_BYTES + record->knots * sizeof(yt_calibration_knot));
    for (unsigned i = 0; i < record->knots; i++)
        record->knot[i] = (yt_calibration_knot){
            (int16_t)(ways[i][0] * 8192), (int16_t)(ways[i][1] * 8192),
            (int16_t)(ways[i][0] * 16384), (int16_t)(ways[i][1] * 16384), 1u << 21};
    for (unsigned i = 0; i < YT_CALIBRATION_CONTROLS; i++)
        record->high[i] = is_rate ? YT_ONE : 0;
    if (!is_stick && !is_rate) {
        record->low[0] = part->kind == YT_CALIBRATION_AXIS ? place->minimum : 0;
        record->rest[0] = place->minimum / 2 + place->maximum / 2;
        record->high[0] = place->maximum;
    }
    record->checksum = yt_checksum(0, &record->bytes, record->bytes - 8u);
}

/* A part of a device, if it has such, is calibrated; or one is no more. */
static void calibrate(drive *drive) {
    unsigned at = choose(drive, CALIBRATIONS), number = choose(drive, YT_DEVICES + 1);
    yt_calibration_part part = {.kind = (uint8_t)choose(drive, 7), .unit_q24 = 1};
    uint16_t first = (uint16_t)choose(drive, drive->program.header->control_count + 1u);
    uint16_t controls[3] = {first, (uint16_t)(first + 1), (uint16_t)(first + 2)};
    yt_engine_uncalibrate(&drive->engine, &drive->calibrated[at]);
    if (yt_calibration_find(&part, &drive->engine, number, controls) != YT_OK)
        return;
    make_record(&drive->records[at], &part);
    yt_status status = yt_engine_calibrate(&drive->engine, number, &drive->calibrated[at],
                                           &drive->records[at], drive->records[at].bytes);
    PROMISED(status == YT_OK || status == YT_CALIBRATION_VALUES);
}

static void step(drive *drive) {
    switch (choose(drive, 26)) {
    case 0:
    case 1:
        attach(drive);
        return;
    case 2:
        yt_engine_detach(&drive->engine, choose(drive, YT_DEVICES + 1), drive->now_us);
        return;
    case 3:
    case 4:
    case 5:
    case 6:
        report(drive);
        return;
    case 7: /* many of them, before any host asks */
        for (unsigned left = 1 + choose(drive, 60); left > 0; left--) {
            report(drive);
            update(drive);
        }
        return;
    case 8:
    case 9:
    case 10:
        pass_time(drive);
        return;
    case 11:
    case 12:
        take(drive);
        return;
    case 13:
        receive(drive);
        return;
    case 14:
        be_a_host(drive);
        return;
    case 15:
        ask_usb(drive);
        return;
    case 16:
        ask_bluetooth(drive);
        return;
    case 17:
        ask_gatt(drive);
        return;
    case 18:
        ask_device(drive);
        return;
    case 19:
        set_numbers(drive);
        return;
    case 20:
        scan(drive);
        return;
    case 21:
        load_nothing(drive);
        return;
    case 22:
        yt_engine_cancel(&drive->engine);
        return;
    case 23:
        inspect(drive);
        return;
    case 24:
        calibrate(drive);
        return;
    default:
        PROMISED(yt_engine_load(&drive->engine, drive->image, drive->size) == YT_OK);
        attach_all(drive);
    }
}

/* The engine takes as much memory as was said, and each device no more. */
static void keep_within(drive *drive, const yt_port *port) {
    size_t said = yt_engine_bytes(&drive->program, port, sizeof(void *));
    PROMISED(yt_engine_used(&drive->engine) <= said);
    for (unsigned i = 0; i < drive->program.header->input_count; i++)
        said += yt_engine_device_bytes(&drive->program, (uint32_t)1 << i);
    PROMISED(said + yt_engine_spare_bytes(&drive->program) > 0);
    PROMISED(*yt_group_name(YT_GROUPS) == 0);
}

void drive_program(const uint8_t *image, size_t size, const uint8_t *choices, size_t count) {
    static yt_port port = {.version = YT_PORT_VERSION};
    drive drive = {.image = image, .size = size, .choices = choices, .count = count};
    void *memory = malloc(MEMORY_BYTES);
    PROMISED(yt_program_check(&drive.program, image, size) == YT_OK);
    PROMISED(yt_engine_init(&drive.engine, memory, MEMORY_BYTES, &port) == YT_OK);
    ask_nothing(&drive);
    if (yt_engine_load(&drive.engine, image, size) == YT_OK) {
        keep_within(&drive, &port);
        attach_all(&drive);
        while (drive.at < drive.count)
            step(&drive);
    }
    free(memory);
}

void drive_mend(uint8_t *image, size_t size) {
    uint32_t total = (uint32_t)size, checksum;
    if (size < sizeof(yt_program_header))
        return;
    memcpy(image + offsetof(yt_program_header, total_bytes), &total, 4);
    checksum = yt_checksum(0, image + 16, size - 16);
    memcpy(image + offsetof(yt_program_header, checksum), &checksum, 4);
}
