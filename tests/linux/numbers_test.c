/* `yonder describe --host-numbers` against a real Linux kernel: each button and axis of a device is
 * moved alone, and joydev says which number that is.
 * usage: numbers_test MACHINE INIT FOLDER    (tests/linux/machine, init built static) */
#include "tests/harness.h"
#include "tests/linux/machine.h"
#include "tool/fields.h"
#include "tool/source.h"

#define MOVES  512
#define STICKS 4

enum { EV_KEY = 1, EV_ABS = 3 };

/* A report descriptor, or outputs whose interfaces are tried. */
static const struct {
    const char *what, *outputs, *descriptor;
} cases[] = {
    {"a gamepad", "{pad: gamepad}", NULL},
    {"a joystick", "{pad: joystick}", NULL},
    {"two of each", "{one: gamepad, stick: joystick, two: gamepad, more: joystick}", NULL},
    {"a composite", "{pad: gamepad, media: consumer, stick: joystick}", NULL},
    {"several hats and all triggers", "{crane: {buttons: 3, sticks: 3, hats: 4, triggers: 2}}",
     NULL},
    {"buttons in no order, and more than have a code",
     "{crane: {kind: joystick, fields: [{usage: button9, count: 8}, {usage: button1, count: 8}, "
     "{usage: hat, range: [0, 3]}, {pad: 4}, {usage: x, bits: 8}, {usage: button17, count: 80}]}}",
     NULL},
    {"the same usage twice", NULL,
     "05010904a101050919012908150025017501950881021901290881020501093909392507463b0165147504"
     "950281426500093609360938093816018026ff7f751095048102093009300931950381020502"
     "09c409c509ba09bb09c8950581020502950109bb8102c0"},
    {"two top-level collections of one usage", NULL,
     "05010905a101850105091901290815002501750195088102050109"
     "3026ff0075089501810"
     "2c005010905a1018502050919012908250175019508810205010930"
     "093126ff00750895028102c0"},
    {"four buttons of directions", NULL,
     "05010905a1010509190129081500250175019508810205010990099109920993950481029504"
     "81010930093126ff00750895028102c0"}};

/* What moved for the host: the event of a control. */
typedef struct move {
    char name[USAGE_NAME_BYTES];
    char group[64]; /* the device that Linux makes */
    bool is_hat, is_heard;
    unsigned node, type, code;
} move;

typedef struct stick {
    unsigned axes[64], buttons[768];
    size_t axis_count, button_count;
} stick;

static move moves[MOVES];
static size_t move_count;
static FILE *job;

static void print_bytes(const char *before, const uint8_t *bytes, size_t size) {
    fprintf(job, "%s", before);
    for (size_t i = 0; i < size; i++)
        fprintf(job, "%02x", bytes[i]);
    fputc('\n', job);
}

/* A report in which one element is moved; none: -1. */
static void send(const field_list *list, const yt_hid_field *moved, unsigned element, bool moves) {
    uint8_t bytes[YT_REPORT_BYTES + 1] = {moved->report_id};
    size_t head = moved->report_id ? 1 : 0, bits = 0;
    for (unsigned i = 0; i < list->device.count; i++) {
        const yt_hid_field *field = &list->device.fields[i];
        if (field->direction != YT_HID_INPUT || field->report_id != moved->report_id)
            continue;
        for (unsigned k = 0; k < field->count; k++) {
            bool is_moved = moves && field == moved && k == element;
            int64_t value = 0;
            if (field_is_hat(field)) /* to the right, or none */
                value = is_moved
                            ? field->minimum + ((int64_t)field->maximum - field->minimum + 1) / 4
                            : (int64_t)field->maximum + 1;
            else if (is_moved)
                value = field->maximum;
            yt_hid_set(bytes + head, sizeof bytes - head, field->bit + k * field->bits, field->bits,
                       (uint32_t)value);
        }
        size_t end = field->bit + (size_t)field->count * field->bits;
        bits = end > bits ? end : bits;
    }
    print_bytes("send ", bytes, head + (bits + 7) / 8);
}

static bool has_number(const yt_hid_field *field, uint16_t usage) {
    bool is_desktop = field->usage_page == PAGE_DESKTOP;
    return field->direction == YT_HID_INPUT && (field->flags & YT_HID_VARIABLE) &&
           (field->usage_page == PAGE_BUTTON || field->usage_page == PAGE_SIMULATION ||
            (is_desktop && usage >= 0x30 && usage <= 0x39) ||
            (is_desktop && usage >= 0x90 && usage <= 0x93));
}

/* Each element is moved alone, between two reports of rest. */
static void write_job(const uint8_t *descriptor, size_t size) {
    static field_list list;
    field_list_read(&list, descriptor, size, NULL);
    move_count = 0;
    print_bytes("create case ", descriptor, size);
    for (unsigned i = 0; i < list.device.count; i++)
        for (unsigned k = 0; k < field_elements(&list.device.fields[i]); k++) {
            const yt_hid_field *field = &list.device.fields[i];
            if (!has_number(field, yt_hid_usage(field, k)) || move_count == MOVES)
                continue;
            move *at = &moves[move_count++];
            memset(at, 0, sizeof *at);
            at->is_hat = field_is_hat(field);
            field_element_name(&list, i, k, NULL, at->name);
            usage_name(field->application_page, field->application_usage, at->group);
            send(&list, field, k, false);
            send(&list, field, k, true);
            send(&list, field, k, false);
        }
    fprintf(job, "sticks\nremove\n");
}

static size_t read_codes(const char *text, unsigned *codes, size_t room) {
    size_t count = 0;
    int length;
    for (; count < room && sscanf(text, "%u%n", &codes[count], &length) == 1; text += length)
        count++;
    return count;
}

/* The machine's answers of one device; how many joysticks it is. */
static unsigned listen(FILE *machine, stick *sticks) {
    char line[4096];
    size_t sent = 0;
    unsigned count = 0, node, type, code;
    int value;
    while (fgets(line, sizeof line, machine) && strncmp(line, "removed", 7) != 0) {
        move *at = &moves[sent / 3 < move_count ? sent / 3 : 0];
        stick *stick = &sticks[count < STICKS ? count : STICKS - 1];
        if (sscanf(line, "ev %u %u %u %d", &node, &type, &code, &value) == 4) {
            if (sent % 3 == 1 && !at->is_heard && (type == EV_KEY || type == EV_ABS)) {
                at->is_heard = true;
                at->node = node;
                at->type = type;
                at->code = code;
            }
        } else if (strncmp(line, "sent", 4) == 0)
            sent++;
        else if (strncmp(line, "js axes", 7) == 0)
            stick->axis_count = read_codes(line + 7, stick->axes, 64);
        else if (strncmp(line, "js buttons", 10) == 0) {
            stick->button_count = read_codes(line + 10, stick->buttons, 768);
            count++;
        }
    }
    CHECK_EQUAL(sent, 3 * move_count);
    return count;
}

/* Which of the joysticks a node is: they are in the order of the nodes that moved. */
static unsigned stick_of(unsigned node) {
    bool is_lower[64] = {false};
    unsigned count = 0;
    for (size_t i = 0; i < move_count; i++)
        if (moves[i].is_heard && moves[i].node < node)
            is_lower[moves[i].node] = true;
    for (unsigned i = 0; i < 64; i++)
        count += is_lower[i];
    return count;
}

static void number_heard(const move *at, const stick *sticks, char text[24]) {
    snprintf(text, 24, "none");
    if (!at->is_heard || stick_of(at->node) >= STICKS)
        return;
    const stick *stick = &sticks[stick_of(at->node)];
    const unsigned *codes = at->type == EV_KEY ? stick->buttons : stick->axes;
    size_t count = at->type == EV_KEY ? stick->button_count : stick->axis_count;
    for (size_t i = 0; i < count; i++)
        if (codes[i] == at->code)
            snprintf(text, 24, "%zu", i);
}

/* A line "  NAME  button  0  1" of the device that Linux makes of a kind of collection. */
static bool is_line_of(const char *line, const move *at) {
    char name[2 * USAGE_NAME_BYTES];
    const char *end = strstr(line + 2, "  ");
    snprintf(name, sizeof name, "%.*s", end ? (int)(end - line - 2) : 0, line + 2);
    char *more = strstr(name, ", left and right");
    if (at->is_hat != (more != NULL))
        return false;
    if (more)
        *more = 0;
    return strcmp(name, at->name) == 0;
}

static void number_printed(char *printed, const move *at, char text[24]) {
    bool is_here = true;
    char *save = NULL;
    snprintf(text, 24, "no line");
    for (char *line = strtok_r(printed, "\n", &save); line; line = strtok_r(NULL, "\n", &save)) {
        char *group = strstr(line, ", its ");
        const char *is =
            strstr(line, "  button  ") ? strstr(line, "  button  ") : strstr(line, "  axis  ");
        if (strncmp(line, "case", 4) == 0)
            is_here = !group || strcmp(group + 6, at->group) == 0;
        else if (is_here && is && is_line_of(line, at))
            sscanf(is, "%*s %9s", text);
    }
}

static void judge(const char *what, const uint8_t *descriptor, size_t size, FILE *machine) {
    static stick sticks[STICKS];
    recorded_device device = {.name = "case", .descriptor_size = size};
    memcpy(device.descriptor, descriptor, size);
    memset(sticks, 0, sizeof sticks);
    job = fopen("/dev/null", "w"); /* the same moves once more */
    write_job(descriptor, size);
    fclose(job);
    unsigned count = listen(machine, sticks), groups = 0;
    for (size_t i = 0; i < move_count; i++) {
        char heard[24], said[24], *printed = NULL;
        size_t bytes;
        FILE *file = open_memstream(&printed, &bytes);
        print_host_numbers(file, &device);
        fclose(file);
        number_heard(&moves[i], sticks, heard);
        number_printed(printed, &moves[i], said);
        free(printed);
        about("%s, %s of the %s", what, moves[i].name, moves[i].group);
        CHECK_TEXT(said, heard);
        if (i == 0 || strcmp(moves[i].group, moves[i - 1].group) != 0)
            groups += i == 0 || strcmp(moves[i].group, moves[0].group) != 0;
    }
    about("%s", what);
    CHECK_EQUAL(count, groups);
    printf("%s: %zu controls of %u joysticks\n", what, move_count, count);
}

/* Does something with each descriptor of the cases. */
static void each(void (*what)(const char *, const uint8_t *, size_t, FILE *), FILE *machine) {
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        uint8_t bytes[1024];
        size_t size = 0;
        for (const char *at = cases[i].descriptor; at && sscanf(at, "%2hhx", &bytes[size]) == 1;
             at += 2)
            size++;
        if (size)
            what(cases[i].what, bytes, size, machine);
        if (size)
            continue;
        yt_compiled compiled;
        yt_messages messages;
        char text[1024];
        snprintf(text, sizeof text, "yonder: 1\ninputs: {dev: device}\noutputs: %s\nsheet: {}\n",
                 cases[i].outputs);
        messages_begin(&messages, "case", text, strlen(text));
        CHECK(compile_profile(&compiled, &messages));
        for (unsigned k = 0; k < compiled.program.header->interface_count; k++) {
            const yt_program_interface *at = &compiled.program.interfaces[k];
            what(cases[i].what, compiled.program.blob + at->descriptor_offset, at->descriptor_bytes,
                 machine);
        }
        messages_free(&messages);
        pool_free(&compiled.pool);
    }
}

static void write_one(const char *what, const uint8_t *descriptor, size_t size, FILE *machine) {
    (void)what;
    (void)machine;
    write_job(descriptor, size);
}

int main(int count, char **arguments) {
    char path[512];
    int status;
    if (count != 4)
        return 2;
    snprintf(path, sizeof path, "%s/numbers-job", arguments[3]);
    job = fopen(path, "w");
    if (!job)
        return 1;
    each(write_one, NULL);
    fclose(job);
    FILE *machine = machine_start(arguments[1], arguments[2], path, &status);
    if (!machine)
        return status;
    each(judge, machine);
    CHECK_EQUAL(pclose(machine), 0);
    return report_checks();
}
