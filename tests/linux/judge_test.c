/* A real Linux kernel judges every output: each report that a host gets is given to it through
 * uhid, and what its HID parser makes of it is compared, event by event, with what was meant.
 * usage: judge_test MACHINE INIT FOLDER    (tests/linux/machine, init built static) */
#include "tests/harness.h"
#include "tool/fields.h"
#include "tool/source.h"
#include "tests/engine/lengths.h"
#include "tests/linux/machine.h"

#define STEPS  60
#define EVENTS 65536

/* The kernel's types and codes of events (input-event-codes.h). */
enum { EV_KEY = 1, EV_REL = 2, EV_ABS = 3, EV_MSC = 4, MSC_SCAN = 4 };
enum { REL_HWHEEL = 6, REL_WHEEL = 8, REL_WHEEL_HI_RES = 11, REL_HWHEEL_HI_RES = 12 };

/* A device that can do everything: 256 buttons, eight axes, two levels, motion, wheel and pan. */
static const uint8_t puppet_descriptor[] = {
    0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x2a, 0x00, 0x01, 0x15, 0x00, 0x25,
    0x01, 0x75, 0x01, 0x96, 0x00, 0x01, 0x81, 0x02, 0x05, 0x01, 0x19, 0x30, 0x29, 0x37, 0x16, 0x01,
    0x80, 0x26, 0xff, 0x7f, 0x75, 0x10, 0x95, 0x08, 0x81, 0x02, 0x05, 0x02, 0x09, 0xc4, 0x09, 0xc5,
    0x15, 0x00, 0x95, 0x02, 0x81, 0x02, 0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x09, 0x38, 0x16, 0x01,
    0x80, 0x95, 0x03, 0x81, 0x06, 0x05, 0x0c, 0x0a, 0x38, 0x02, 0x95, 0x01, 0x81, 0x06, 0xc0};

typedef struct puppet {
    uint8_t buttons[32];
    int16_t axes[10]; /* eight axes, two levels */
    int16_t motion[4];
} puppet;

/* What one case gives to the kernel. */
typedef struct outputs_case {
    const char *what;
    const char *outputs;  /* of the profile */
    const char *names[8]; /* of its outputs; NULL ends */
} outputs_case;

static const outputs_case cases[] = {
    {"a gamepad", "{pad: gamepad}", {"pad"}},
    {"a joystick", "{pad: joystick}", {"pad"}},
    {"a keyboard", "{keys: keyboard}", {"keys"}},
    {"a mouse", "{view: mouse}", {"view"}},
    {"media keys", "{media: consumer}", {"media"}},
    {"ten buttons, two sticks and a hat", "{crane: {buttons: 10, sticks: 2, hat: 1}}", {"crane"}},
    {"fields of its own",
     "{crane: {kind: joystick, fields: [{usage: button1, count: 12}, {pad: 4}, {usage: x, bits: "
     "12}, "
     "{usage: y, bits: 12}, {usage: hat, bits: 8}, {usage: rz, bits: 8, range: [0, 200]}]}}",
     {"crane"}},
    {"two gamepads on a connector", "{one: gamepad, two: gamepad}", {"one", "two"}},
    {"two of each on a connector",
     "{one: gamepad, stick: joystick, two: gamepad, ten: {buttons: 10, sticks: 1}}",
     {"one", "stick", "two", "ten"}},
    {"three that share an interface",
     "{pad: gamepad, stick: joystick, media: consumer}",
     {"pad", "stick", "media"}},
    {"keyboard and mouse over one radio",
     "{keys: {kind: keyboard, over: bluetooth}, view: {kind: mouse, over: bluetooth}}",
     {"keys", "view"}}};

typedef struct event {
    uint16_t page, usage;
    int64_t value;
} event;

/* The events of one report: as meant, or as the kernel had them. */
typedef struct event_list {
    event list[EVENTS];
    size_t count;
    size_t ends[EVENTS]; /* of each report */
    size_t reports;
} event_list;

static event_list meant, heard;
static FILE *job;

static void add_event(event_list *events, uint16_t page, uint16_t usage, int64_t value) {
    if (events->count < EVENTS)
        events->list[events->count++] = (event){page, usage, value};
}

static void end_report(event_list *events) {
    if (events->reports < EVENTS)
        events->ends[events->reports++] = events->count;
}

/* Usages for which the kernel has a code of its own: of others several share one. */
static bool is_told_apart(uint16_t page, uint16_t usage, yt_kind kind) {
    static const uint16_t media[] = {0xb0, 0xb1, 0xb2, 0xb3, 0xb4,  0xb5,  0xb6,  0xb7,  0xb8,
                                     0xcd, 0xe2, 0xe9, 0xea, 0x183, 0x18a, 0x192, 0x221, 0x223};
    if (page == PAGE_KEYBOARD)
        return (usage >= 0x04 && usage <= 0x65 && usage != 0x32) ||
               (usage >= 0x68 && usage <= 0x73) || usage >= 0xe0;
    if (page != PAGE_CONSUMER || kind == YT_MOTION)
        return true;
    for (size_t i = 0; i < sizeof media / sizeof media[0]; i++)
        if (media[i] == usage)
            return true;
    return false;
}

typedef struct sheet {
    char text[32768];
    size_t length;
    unsigned buttons, axes, levels;
} sheet;

static void add_cell(sheet *sheet, const char *output, const char *control, yt_kind kind,
                     uint16_t usage) {
    static const char *const axes[] = {"x", "y", "z", "rx", "ry", "rz", "slider", "dial"};
    static const char *const levels[] = {"simulation.accelerator", "simulation.brake"};
    char source[40];
    if (kind == YT_SWITCH && sheet->buttons < 256)
        snprintf(source, sizeof source, "button%u", ++sheet->buttons);
    else if (kind == YT_AXIS && sheet->axes < 8)
        snprintf(source, sizeof source, "%s", axes[sheet->axes++]);
    else if (kind == YT_LEVEL && sheet->levels < 2)
        snprintf(source, sizeof source, "%s", levels[sheet->levels++]);
    else if (kind == YT_MOTION)
        snprintf(source, sizeof source, "%s",
                 usage == 0x30   ? "motion.x"
                 : usage == 0x31 ? "motion.y"
                 : usage == 0x38 ? "wheel"
                                 : "pan");
    else
        return;
    sheet->length +=
        (size_t)snprintf(sheet->text + sheet->length, sizeof sheet->text - sheet->length,
                         "  %s.%s: dev.%s\n", output, control, source);
}

static bool is_repeated(const yt_profile_output *output, const char **names, size_t count,
                        const yt_output_control *control) {
    yt_output_control other;
    yt_control_name meaning;
    for (size_t i = 0; i < count; i++)
        if (control_named(output->kind, names[i], strlen(names[i]), &meaning) &&
            output_control_find(output, &meaning, &other) && !other.from_host &&
            other.report == control->report && other.root.at.bit == control->root.at.bit &&
            other.root.number == control->root.number && other.root.part == control->root.part)
            return true;
    return false;
}

/* A cell for every control of the outputs, each driven by a control of the puppet. */
static void add_cells(sheet *sheet, const yt_profile_output *output) {
    const char *all[1024];
    static char buttons[128][12];
    size_t known = control_names(output->kind, all, 800);
    for (unsigned i = 0; i < 128; i++) {
        snprintf(buttons[i], sizeof buttons[i], "button%u", i + 1);
        all[known++] = buttons[i];
    }
    for (size_t i = 0; i < known; i++) {
        yt_control_name meaning;
        yt_output_control control;
        if (control_named(output->kind, all[i], strlen(all[i]), &meaning) &&
            output_control_find(output, &meaning, &control) && !control.from_host &&
            is_told_apart(meaning.page, meaning.usage, control.kind) &&
            !is_repeated(output, all, i, &control))
            add_cell(sheet, output->name, all[i], control.kind, meaning.usage);
    }
}

static bool compile(yt_compiled *compiled, const char *outputs, const char *cells) {
    static char text[65536];
    yt_messages messages;
    snprintf(text, sizeof text, "yonder: 1\ninputs: {dev: device}\noutputs: %s\nsheet:%s%s",
             outputs, *cells ? "\n" : " {}\n", cells);
    messages_begin(&messages, "case", text, strlen(text));
    bool good = compile_profile(compiled, &messages);
    if (!good)
        messages_print(&messages, stderr);
    messages_free(&messages);
    return good;
}

static size_t put_puppet(const puppet *puppet, uint8_t *bytes) {
    memcpy(bytes, puppet->buttons, 32);
    memcpy(bytes + 32, puppet->axes, 20);
    memcpy(bytes + 52, puppet->motion, 8);
    return 60;
}

static void move_anything(puppet *puppet, const sheet *sheet, dice *dice) {
    memset(puppet->motion, 0, sizeof puppet->motion);
    for (unsigned changes = 1 + roll_below(dice, 3); changes > 0; changes--) {
        unsigned what = roll_below(dice, 4), button = roll_below(dice, sheet->buttons + 1);
        if (what == 0)
            puppet->axes[roll_below(dice, 8)] = (int16_t)((int)roll_below(dice, 65535) - 32767);
        else if (what == 1 && roll_below(dice, 2))
            puppet->axes[8 + roll_below(dice, 2)] = (int16_t)roll_below(dice, 32768);
        else if (what == 1)
            puppet->motion[roll_below(dice, 4)] = (int16_t)((int)roll_below(dice, 2001) - 1000);
        else
            puppet->buttons[button / 8] ^= (uint8_t)(1u << button % 8);
    }
}

static void keep_change(void *context, const host_control *control) {
    (void)context;
    add_event(&meant, control->page, control->usage, control->value);
}

static void print_bytes(const uint8_t *bytes, size_t size) {
    for (size_t i = 0; i < size; i++)
        fprintf(job, "%02x", bytes[i]);
    fputc('\n', job);
}

/* The host asks until there is nothing more; each report is a line of the job. */
static void take_reports(yt_engine *engine, unsigned interface, sim_host *host) {
    uint8_t bytes[YT_REPORT_BYTES + 1];
    size_t size;
    while ((size = next_report(engine, interface, bytes, sizeof bytes)) > 0) {
        fprintf(job, "send ");
        print_bytes(bytes, size);
        CHECK(sim_host_report(host, bytes, size, keep_change, NULL));
        end_report(&meant);
        yt_interface_taken(engine, interface, engine->now_us);
    }
}

/* The kernel asks a mouse for its wheels' high resolution by itself; so does this host. */
static void ask_for_120ths(yt_engine *engine, const yt_program *program, unsigned interface) {
    for (unsigned i = 0; i < program->header->report_count; i++) {
        const yt_program_report *report = &program->reports[i];
        uint8_t bytes[YT_REPORT_BYTES + 1] = {0};
        size_t head = report->id ? 1 : 0;
        if (report->interface != interface || report->direction != YT_HID_FEATURE)
            continue;
        bytes[0] = report->id;
        bytes[head] = 0x05;
        CHECK_EQUAL(
            yt_interface_receive(engine, interface, YT_HID_FEATURE, bytes, head + report->bytes, 0),
            YT_OK);
    }
}

/* Plays random moves through the profile for one interface, and writes the job. */
static void write_job(const yt_compiled *compiled, const sheet *sheet, unsigned interface) {
    static uint64_t memory[65536];
    static sim_host host;
    const yt_program *program = &compiled->program;
    const yt_program_interface *at = &program->interfaces[interface];
    const uint8_t *descriptor = program->blob + at->descriptor_offset;
    yt_port port = {.version = YT_PORT_VERSION};
    yt_device device = {.descriptor = puppet_descriptor,
                        .descriptor_size = sizeof puppet_descriptor,
                        .input = YT_ANY_INPUT};
    yt_engine engine;
    puppet puppet = {0};
    dice dice = {interface + 1};
    unsigned number;
    size_t offset;
    uint8_t bytes[64];
    CHECK_EQUAL(yt_engine_init(&engine, memory, sizeof memory, &port), YT_OK);
    CHECK_EQUAL(yt_engine_load(&engine, compiled->image, compiled->size), YT_OK);
    CHECK_EQUAL(yt_engine_attach(&engine, &device, &number), YT_OK);
    CHECK_EQUAL(sim_host_enumerate(&host, descriptor, at->descriptor_bytes, &offset), YT_OK);
    ask_for_120ths(&engine, program, interface);
    fprintf(job, "create case ");
    print_bytes(descriptor, at->descriptor_bytes);
    for (int step = 0; step < STEPS; step++) {
        move_anything(&puppet, sheet, &dice);
        CHECK_EQUAL(yt_engine_report(&engine, number, bytes, put_puppet(&puppet, bytes),
                                     (uint64_t)step * 1000),
                    YT_OK);
        yt_engine_update(&engine, (uint64_t)step * 1000);
        take_reports(&engine, interface, &host);
    }
    fprintf(job, "light 0 1 1\nsticks\nremove\n");
}

/* A device of the machine, read by the project's own reader of hidraw nodes. */
static void write_node_job(void) {
    fprintf(job, "create Puppet ");
    print_bytes(puppet_descriptor, sizeof puppet_descriptor);
    fprintf(job, "node %0120d\nremove\n", 1020304);
}

static void expect_line(FILE *machine, const char *expected) {
    char line[1024] = "";
    if (!fgets(line, sizeof line, machine))
        line[0] = 0;
    line[strcspn(line, "\n")] = 0;
    CHECK_TEXT(line, expected);
}

static void judge_node(FILE *machine) {
    char expected[1024] = "node 3:1209:0008 Puppet ";
    about("a node as ports/linux reads it");
    for (size_t i = 0; i < sizeof puppet_descriptor; i++)
        sprintf(expected + strlen(expected), "%02x", puppet_descriptor[i]);
    expect_line(machine, "created");
    expect_line(machine, "node /dev/hidraw0 3:1209:0008 Puppet 0 1");
    expect_line(machine, expected);
    expect_line(machine, "node 0");
    char line[256] = "";
    while (strncmp(line, "sent", 4) != 0 && fgets(line, sizeof line, machine))
        CHECK(strncmp(line, "ev ", 3) == 0 || strncmp(line, "sent", 4) == 0);
    snprintf(expected, sizeof expected, "node %0120d", 1020304);
    expect_line(machine, expected);
    about("reports to a node as ports/linux writes them"); /* 0 stands for no ID (hidraw.rst) */
    static const char *const written[] = {"output 1 000a0b", "written 0",      "output 1 030c",
                                          "written 0",       "set 0 4 040d0e", "written 0"};
    for (size_t i = 0; i < sizeof written / sizeof written[0]; i++)
        expect_line(machine, written[i]);
    expect_line(machine, "removed");
}

/* A hat's two axes as its position; 8: centred. */
static int64_t position_of(int x, int y) {
    static const int8_t positions[3][3] = {{7, 0, 1}, {6, 8, 2}, {5, 4, 3}};
    return positions[y + 1][x + 1];
}

typedef struct listening {
    uint32_t scan;
    int hat_x, hat_y;
    bool hat_moved;
    unsigned sticks; /* joysticks that joydev makes of the device */
    unsigned lights; /* reports that came for a light */
    unsigned asked;  /* feature reports that the kernel set by itself */
} listening;

static void hear_axis(listening *listening, unsigned code, int value) {
    static const uint16_t usages[][2] = {{1, 0x30}, {1, 0x31}, {1, 0x32}, {1, 0x33},
                                         {1, 0x34}, {1, 0x35}, {1, 0x36}, {1, 0x37},
                                         {1, 0x38}, {2, 0xc4}, {2, 0xc5}};
    if (code == 16 || code == 17) {
        *(code == 16 ? &listening->hat_x : &listening->hat_y) = value;
        listening->hat_moved = true;
    } else if (code < sizeof usages / sizeof usages[0]) {
        add_event(&heard, usages[code][0], usages[code][1], value);
    } else {
        add_event(&heard, 0, (uint16_t)code, value);
    }
}

static void hear(listening *listening, unsigned type, unsigned code, int value) {
    if (type == EV_MSC && code == MSC_SCAN)
        listening->scan = (uint32_t)value;
    else if (type == EV_KEY && value < 2) /* 2: the kernel repeats a key */
        add_event(&heard, (uint16_t)(listening->scan >> 16), (uint16_t)listening->scan, value);
    else if (type == EV_REL && code == REL_WHEEL_HI_RES)
        add_event(&heard, PAGE_DESKTOP, 0x38, value);
    else if (type == EV_REL && code == REL_HWHEEL_HI_RES)
        add_event(&heard, PAGE_CONSUMER, 0x238, value);
    else if (type == EV_REL && code < 2)
        add_event(&heard, PAGE_DESKTOP, (uint16_t)(0x30 + code), value);
    else if (type == EV_ABS)
        hear_axis(listening, code, value);
}

static void end_heard(listening *listening) {
    if (listening->hat_moved)
        add_event(&heard, PAGE_DESKTOP, 0x39, position_of(listening->hat_x, listening->hat_y));
    listening->hat_moved = false;
    end_report(&heard);
}

static int compare_events(const void *a, const void *b) {
    const event *one = a, *other = b;
    if (one->page != other->page)
        return one->page < other->page ? -1 : 1;
    return (one->usage > other->usage) - (one->usage < other->usage);
}

static void compare_report(const char *what, size_t report) {
    size_t from = report ? meant.ends[report - 1] : 0, to = meant.ends[report];
    size_t heard_from = report ? heard.ends[report - 1] : 0, heard_to = heard.ends[report];
    about("%s, report %zu", what, report);
    CHECK_EQUAL(heard_to - heard_from, to - from);
    if (heard_to - heard_from != to - from)
        return;
    qsort(meant.list + from, to - from, sizeof(event), compare_events);
    qsort(heard.list + heard_from, to - from, sizeof(event), compare_events);
    for (size_t i = 0; i < to - from; i++) {
        const event *one = &meant.list[from + i], *other = &heard.list[heard_from + i];
        bool is_hat = one->page == PAGE_DESKTOP && one->usage == 0x39;
        CHECK_EQUAL(other->page, one->page);
        CHECK_EQUAL(other->usage, one->usage);
        CHECK_EQUAL(other->value, is_hat && one->value > 7 ? 8 : one->value);
    }
}

/* Reads the answers of one device. */
static bool listen(FILE *machine, listening *listening) {
    char line[512];
    unsigned node, type, code;
    int value;
    memset(listening, 0, sizeof *listening);
    heard.count = heard.reports = 0;
    while (fgets(line, sizeof line, machine)) {
        if (sscanf(line, "ev %u %u %u %d", &node, &type, &code, &value) == 4)
            hear(listening, type, code, value);
        else if (strncmp(line, "sent", 4) == 0)
            end_heard(listening);
        else if (strncmp(line, "js axes", 7) == 0)
            listening->sticks++;
        else if (strncmp(line, "output ", 7) == 0)
            listening->lights++;
        else if (strncmp(line, "set 0 ", 6) == 0) /* a feature report */
            listening->asked++;
        else if (strncmp(line, "removed", 7) == 0)
            return true;
        else if (strncmp(line, "created", 7) != 0 && strncmp(line, "lit", 3) != 0 &&
                 strncmp(line, "js buttons", 10) != 0 && strncmp(line, "get", 3) != 0 &&
                 strncmp(line, "set", 3) != 0)
            CHECK_TEXT(line, "an answer of the machine");
    }
    return false;
}

/* A host is to see a joystick of each gamepad and joystick. */
static void check_sticks(const yt_compiled *compiled, unsigned interface, unsigned sticks) {
    unsigned expected = 0;
    for (unsigned i = 0; i < compiled->output_count; i++) {
        const char *kind = compiled->outputs[i].kind->name;
        expected += compiled->outputs[i].interface == interface &&
                    (strcmp(kind, "gamepad") == 0 || strcmp(kind, "joystick") == 0);
    }
    CHECK_EQUAL(sticks, expected);
}

static size_t reports_before; /* of the machine's earlier devices */

static void judge(const outputs_case *at, const yt_compiled *compiled, unsigned interface,
                  FILE *machine) {
    static sheet sheet;
    listening listening;
    memset(&sheet, 0, sizeof sheet);
    for (unsigned i = 0; i < compiled->output_count; i++)
        add_cells(&sheet, &compiled->outputs[i]);
    meant.count = meant.reports = 0;
    job = fopen("/dev/null", "w"); /* the same job once more, for what it means */
    struct yt_compiled whole;
    CHECK(compile(&whole, at->outputs, sheet.text));
    write_job(&whole, &sheet, interface);
    fclose(job);
    about("%s", at->what);
    CHECK(listen(machine, &listening));
    CHECK_EQUAL(heard.reports, meant.reports);
    CHECK(meant.reports > 0 && meant.count > 0);
    for (size_t i = 0; i < meant.reports && i < heard.reports; i++)
        compare_report(at->what, i);
    const yt_program_interface *of = &whole.program.interfaces[interface];
    about("%s, what the kernel asks", at->what);
    CHECK_EQUAL(listening.lights > 0, (of->boot & YT_BOOT_KEYBOARD) != 0);
    CHECK_EQUAL(listening.asked > 0, (of->boot & YT_BOOT_MOUSE) != 0);
    check_sticks(compiled, interface, listening.sticks);
    printf("%s: %zu reports, %zu events\n", at->what, meant.reports, meant.count);
    reports_before += meant.reports;
    pool_free(&whole.pool);
}

/* All jobs in one run of the machine, since it takes seconds to start. */
static void write_jobs(const char *path) {
    job = fopen(path, "w");
    for (size_t i = 0; job && i < sizeof cases / sizeof cases[0]; i++) {
        static sheet sheet;
        yt_compiled bare, whole;
        memset(&sheet, 0, sizeof sheet);
        CHECK(compile(&bare, cases[i].outputs, ""));
        for (unsigned k = 0; k < bare.output_count; k++)
            add_cells(&sheet, &bare.outputs[k]);
        CHECK(compile(&whole, cases[i].outputs, sheet.text));
        for (unsigned k = 0; k < whole.program.header->interface_count; k++)
            write_job(&whole, &sheet, k);
        pool_free(&bare.pool);
        pool_free(&whole.pool);
    }
    if (job) {
        write_node_job();
        fclose(job);
    }
}

int main(int count, char **arguments) {
    char path[512];
    int status;
    if (count != 4)
        return 2;
    snprintf(path, sizeof path, "%s/job", arguments[3]);
    write_jobs(path);
    FILE *machine = machine_start(arguments[1], arguments[2], path, &status);
    if (!machine)
        return status;
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        yt_compiled compiled;
        CHECK(compile(&compiled, cases[i].outputs, ""));
        for (unsigned k = 0; k < compiled.program.header->interface_count; k++)
            judge(&cases[i], &compiled, k, machine);
        pool_free(&compiled.pool);
    }
    judge_node(machine);
    CHECK_EQUAL(pclose(machine), 0);
    return report_checks();
}
