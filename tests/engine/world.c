#include "tests/engine/world.h"

#include "tests/harness.h"
#include "tool/tool.h"
#include "tests/engine/lengths.h"

/* Every key a bit: eight modifiers, then usages 4 to 111, four bits of padding. */
static const uint8_t keys_descriptor[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07, 0x19,
                                          0xe0, 0x29, 0xe7, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01,
                                          0x95, 0x08, 0x81, 0x02, 0x19, 0x04, 0x29, 0x6f, 0x95,
                                          0x6c, 0x81, 0x02, 0x95, 0x04, 0x81, 0x01, 0xc0};

/* Eight buttons, 16-bit motion, a wheel of 8 bits. */
static const uint8_t ball_descriptor[] = {
    0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x08, 0x15, 0x00,
    0x25, 0x01, 0x75, 0x01, 0x95, 0x08, 0x81, 0x02, 0x05, 0x01, 0x09, 0x30, 0x09, 0x31,
    0x16, 0x00, 0x80, 0x26, 0xff, 0x7f, 0x75, 0x10, 0x95, 0x02, 0x81, 0x06, 0x09, 0x38,
    0x15, 0x81, 0x25, 0x7f, 0x75, 0x08, 0x95, 0x01, 0x81, 0x06, 0xc0};

/* Eight buttons, x and y from 0 to 32767. */
static const uint8_t slate_descriptor[] = {
    0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x08, 0x15,
    0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x08, 0x81, 0x02, 0x05, 0x01, 0x09, 0x30,
    0x09, 0x31, 0x26, 0xff, 0x7f, 0x75, 0x10, 0x95, 0x02, 0x81, 0x02, 0xc0};

static const yt_device devices[WORLD_DEVICES] = {
    {.descriptor = keys_descriptor, .descriptor_size = sizeof keys_descriptor, .input = WORLD_KEYS},
    {.descriptor = ball_descriptor, .descriptor_size = sizeof ball_descriptor, .input = WORLD_BALL},
    {.descriptor = slate_descriptor,
     .descriptor_size = sizeof slate_descriptor,
     .input = WORLD_SLATE}};

static _Noreturn void give_up(const char *what) {
    fprintf(stderr, "the test's world: %s\n", what);
    exit(1);
}

static void compile(world *world, const char *sheet, const char *more) {
    static const char head[] = "yonder: 1\ninputs: {keys: keyboard, ball: mouse, slate: tablet}\n"
                               "outputs: {pad: gamepad, view: mouse}\nsheet:\n";
    char *text = malloc(sizeof head + 3 * strlen(sheet) + strlen(more) + 16);
    size_t length = (size_t)sprintf(text, "%s", head);
    for (const char *at = sheet; *at;) {
        const char *end = strchr(at, '\n');
        int width = end ? (int)(end - at) : (int)strlen(at);
        length += (size_t)sprintf(text + length, "  %.*s\n", width, at);
        at += width + (end != NULL);
    }
    length += (size_t)sprintf(text + length, "%s", more);
    yt_messages messages;
    messages_begin(&messages, "the test's sheet", text, length);
    if (!compile_profile(&world->compiled, &messages)) {
        messages_print(&messages, stderr);
        give_up("the sheet is wrong");
    }
    messages_free(&messages);
    free(text);
}

void world_begin(world *world, const char *sheet, uint64_t poll_us) {
    world_begin_with(world, sheet, "", poll_us);
}

void world_begin_with(world *world, const char *sheet, const char *more, uint64_t poll_us) {
    memset(world, 0, sizeof *world);
    compile(world, sheet, more);
    world->poll_us = poll_us;
    world->slate[0] = world->slate[1] = 16384;
    world->port.version = YT_PORT_VERSION;
    if (yt_engine_init(&world->engine, world->memory, sizeof world->memory, &world->port) !=
            YT_OK ||
        yt_engine_load(&world->engine, world->compiled.image, world->compiled.size) != YT_OK)
        give_up("the engine refuses");
    const yt_program *program = &world->compiled.program;
    for (unsigned i = 0; i < program->header->interface_count; i++) {
        const yt_program_interface *interface = &program->interfaces[i];
        size_t offset;
        if (sim_host_enumerate(&world->hosts[i], program->blob + interface->descriptor_offset,
                               interface->descriptor_bytes, &offset) != YT_OK)
            give_up("the host refuses");
    }
    for (unsigned i = 0; i < WORLD_DEVICES; i++)
        world_plug(world, i);
}

void world_end(world *world) {
    pool_free(&world->compiled.pool);
}

void world_plug(world *world, unsigned device) {
    if (!world->plugged[device] &&
        yt_engine_attach(&world->engine, &devices[device], &world->numbers[device]) != YT_OK)
        give_up("a device does not fit");
    world->plugged[device] = true;
}

void world_load(world *world) {
    if (yt_engine_load(&world->engine, world->compiled.image, world->compiled.size) != YT_OK)
        give_up("the engine refuses");
    for (unsigned i = 0; i < WORLD_DEVICES; i++) {
        yt_device device = devices[i];
        device.stays = true;
        if (world->plugged[i] &&
            yt_engine_attach(&world->engine, &device, &world->numbers[i]) != YT_OK)
            give_up("a device does not fit");
    }
    memset(world->pending, 0, sizeof world->pending);
    for (unsigned i = 0; i < WORLD_DEVICES; i++)
        world_send(world, i);
}

static void build_reports(world *world) {
    for (unsigned i = 0; i < world->engine.interface_count; i++) {
        if (world->pending[i])
            continue;
        world->report_size[i] =
            next_report(&world->engine, i, world->report[i], sizeof world->report[i]);
        world->pending[i] = world->report_size[i] > 0;
    }
}

static void update(world *world) {
    world->due_us = yt_engine_update(&world->engine, world->now_us);
    build_reports(world);
}

void world_unplug(world *world, unsigned device) {
    if (!world->plugged[device])
        return;
    yt_engine_detach(&world->engine, world->numbers[device], world->now_us);
    world->plugged[device] = false;
    if (!world->lazy)
        update(world);
}

/* Without the output's name. */
static void control_name_in(world *world, const host_control *control, char *text, size_t size) {
    char name[160];
    output_control_name(&world->compiled, world->reporting, control, name, sizeof name, NULL);
    snprintf(text, size, "%s", strchr(name, '.') ? strchr(name, '.') + 1 : name);
}

static void log_change(void *context, const host_control *control) {
    static const char *const hats[] = {"up",        "up-right", "right",   "down-right", "down",
                                       "down-left", "left",     "up-left", "centre"};
    world *world = context;
    char value[40], name[160];
    control_name_in(world, control, name, sizeof name);
    if (host_control_is_switch(control))
        snprintf(value, sizeof value, "%s", control->value ? "down" : "up");
    else if (control->maximum == 7)
        snprintf(value, sizeof value, "%s", hats[control->value]);
    else if (control->is_relative)
        snprintf(value, sizeof value, "%" PRId64, control->value);
    else
        snprintf(value, sizeof value, "%.0f%%",
                 100.0 * (double)control->value / (double)control->maximum);
    size_t left = sizeof world->log - world->logged;
    int printed = snprintf(world->log + world->logged, left, "%s%g %s %s",
                           world->logged ? "; " : "", (double)world->now_us / 1000, name, value);
    if ((size_t)printed < left)
        world->logged += (size_t)printed;
}

static void poll(world *world) {
    if (world->lazy)
        update(world);
    for (unsigned i = 0; i < world->engine.interface_count; i++) {
        if (!world->pending[i])
            continue;
        world->reporting = i;
        world->reports++;
        if (!sim_host_report(&world->hosts[i], world->report[i], world->report_size[i], log_change,
                             world))
            give_up("a host cannot read a report");
        world->pending[i] = false;
        yt_interface_taken(&world->engine, i, world->now_us);
    }
    build_reports(world);
}

void world_run_until(world *world, uint64_t time_us) {
    for (;;) {
        uint64_t next_us = world->lazy ? YT_NEVER : world->due_us;
        if (world->poll_us && world->next_poll_us < next_us)
            next_us = world->next_poll_us;
        if (next_us > time_us)
            break;
        if (next_us > world->now_us)
            world->now_us = next_us;
        if (!world->lazy && world->due_us <= world->now_us)
            update(world);
        if (world->poll_us && world->next_poll_us <= world->now_us) {
            poll(world);
            world->next_poll_us += world->poll_us;
        }
    }
    world->now_us = time_us;
}

static void put16(uint8_t *bytes, int value) {
    bytes[0] = (uint8_t)value;
    bytes[1] = (uint8_t)(value >> 8);
}

static void send(world *world, unsigned device, const uint8_t *bytes, size_t size) {
    if (!world->plugged[device])
        return;
    while (yt_engine_report(&world->engine, world->numbers[device], bytes, size, world->now_us) !=
           YT_OK)
        update(world);
    if (!world->lazy)
        update(world);
}

static void send_ball(world *world, int x, int y, int wheel) {
    uint8_t report[6] = {world->buttons[0]};
    put16(report + 1, x);
    put16(report + 3, y);
    report[5] = (uint8_t)wheel;
    send(world, WORLD_BALL, report, sizeof report);
}

void world_send(world *world, unsigned device) {
    uint8_t report[15] = {world->modifiers};
    if (device == WORLD_BALL) {
        send_ball(world, 0, 0, 0);
    } else if (device == WORLD_SLATE) {
        report[0] = world->buttons[1];
        put16(report + 1, world->slate[0]);
        put16(report + 3, world->slate[1]);
        send(world, WORLD_SLATE, report, 5);
    } else {
        memcpy(report + 1, world->keys, sizeof world->keys);
        send(world, WORLD_KEYS, report, sizeof report);
    }
}

static void set_bit(uint8_t *bytes, unsigned bit, bool on) {
    bytes[bit / 8] =
        (uint8_t)(on ? bytes[bit / 8] | 1u << bit % 8 : bytes[bit / 8] & ~(1u << bit % 8));
}

static unsigned device_of(const char *control) {
    return strncmp(control, "ball.", 5) == 0    ? WORLD_BALL
           : strncmp(control, "slate.", 6) == 0 ? WORLD_SLATE
                                                : WORLD_KEYS;
}

void world_hold(world *world, const char *control, bool down) {
    unsigned device = device_of(control);
    const char *dot = strchr(control, '.');
    const char *name = dot ? dot + 1 : control;
    if (device != WORLD_KEYS) {
        set_bit(&world->buttons[device == WORLD_SLATE], (unsigned)atoi(name + 6) - 1, down);
        return;
    }
    uint16_t usage;
    if (!usage_named(PAGE_KEYBOARD, name, strlen(name), &usage))
        give_up("there is no such key");
    if (usage >= 0xe0)
        set_bit(&world->modifiers, usage - 0xe0u, down);
    else
        set_bit(world->keys, usage - 4u, down);
}

void world_press(world *world, const char *control, bool down) {
    world_hold(world, control, down);
    world_send(world, device_of(control));
}

void world_move(world *world, int x, int y, int wheel) {
    send_ball(world, x, y, wheel);
}

void world_slate(world *world, uint16_t x, uint16_t y) {
    world->slate[0] = x;
    world->slate[1] = y;
    world_send(world, WORLD_SLATE);
}
