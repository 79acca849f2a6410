#include "tests/engine/descriptors.h"
#include "tests/golden/play.h"
#include "tests/engine/lengths.h"

#include <string.h>

#define EVENTS  1000
#define POLL_US 8000u

/* It stays as it is, as the others do. */
static const uint8_t tablet[] = {0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01,
                                 0x29, 0x08, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x08,
                                 0x81, 0x02, 0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x26, 0xff,
                                 0x7f, 0x75, 0x10, 0x95, 0x02, 0x81, 0x02, 0xc0};

typedef struct model {
    const uint8_t *descriptor;
    uint8_t size;
    uint8_t usage;
    uint8_t report; /* bytes of a report */
    uint8_t motion; /* from this byte on they tell of motion, which rests */
} model;

static const model models[] = {{all_keys, sizeof all_keys, 6, 15, 15},
                               {six_keys, sizeof six_keys, 6, 7, 7},
                               {mouse, sizeof mouse, 2, 4, 1},
                               {tablet, sizeof tablet, 2, 5, 5},
                               {gamepad, sizeof gamepad, 5, 9, 9},
                               {with_ids, sizeof with_ids, 4, 9, 9},
                               {NULL, 0, 0, 16, 16}}; /* by its description alone: a board */

#define MODELS   (sizeof models / sizeof models[0])
#define NO_MODEL 255

/* A device that is plugged in, and what it sent last. */
typedef struct plugged {
    uint8_t model; /* NO_MODEL: none is */
    uint8_t last[16];
} plugged;

typedef struct playing {
    yt_engine engine;
    yt_program program;
    plugged devices[YT_DEVICES];
    uint32_t dice;
    uint64_t now_us;
    uint64_t poll_us; /* the next one */
    bool armed[YT_INTERFACES];
    played played;
    play_sink *sink;
    void *context;
} playing;

/* One at a time: the order of two in an expression is the compiler's, and another on each machine.
 */
static uint32_t roll(playing *playing, uint32_t sides) {
    playing->dice = playing->dice * 1664525u + 1013904223u;
    return (playing->dice >> 12) % sides;
}

static void give(playing *playing, bool to_host, unsigned number, const uint8_t *bytes,
                 size_t size) {
    const uint8_t head[] = {(uint8_t)playing->now_us,
                            (uint8_t)(playing->now_us >> 8),
                            (uint8_t)(playing->now_us >> 16),
                            (uint8_t)(playing->now_us >> 24),
                            to_host,
                            (uint8_t)number,
                            (uint8_t)size};
    playing->played.checksum = yt_checksum(playing->played.checksum, head, sizeof head);
    playing->played.checksum = yt_checksum(playing->played.checksum, bytes, size);
    playing->played.reports++;
    if (playing->sink)
        playing->sink(playing->context, playing->now_us, to_host, number, bytes, size);
}

/* A device for an input: of its usage, the second one of that now and then, or a board's. */
static void attach(playing *playing, unsigned input) {
    const yt_program_input *at = &playing->program.inputs[input];
    unsigned model = 0, number;
    while (model + 1 < MODELS && models[model].usage != at->application_usage)
        model++;
    if (models[model].usage && models[model + 1].usage == models[model].usage)
        model += at->needs & YT_NEEDS_USAGE ? !(at->needs & YT_NEEDS_RELATIVE) : roll(playing, 2);
    yt_device device = {.descriptor = models[model].descriptor,
                        .descriptor_size = models[model].size,
                        .vendor = at->vendor,
                        .product = at->product,
                        .bus = at->bus,
                        .connector = at->connector,
                        .input = (uint8_t)input,
                        .stays = roll(playing, 4) == 0};
    char name[64] = "";
    if (at->device_name_bytes && at->device_name_bytes < sizeof name) {
        memcpy(name, playing->program.text + at->device_name_offset, at->device_name_bytes);
        device.name = name;
    }
    yt_status status = yt_engine_attach(&playing->engine, &device, &number);
    if (status == YT_MEMORY) /* another machine has more: the session is left out here */
        playing->played.status = YT_MEMORY;
    if (status != YT_OK)
        return;
    memset(&playing->devices[number], 0, sizeof playing->devices[number]);
    playing->devices[number].model = (uint8_t)model;
}

static void load(playing *playing, const void *image, size_t size) {
    for (unsigned i = 0; i < YT_DEVICES; i++)
        playing->devices[i].model = NO_MODEL;
    playing->played.status = (uint32_t)yt_engine_load(&playing->engine, image, size);
    if (playing->played.status != YT_OK)
        return;
    for (unsigned i = 0; i < YT_INTERFACES; i++)
        playing->armed[i] = false;
    for (unsigned i = 0; i < playing->program.header->input_count && i < 6; i++)
        attach(playing, i);
}

/* One device sends: mostly a bit more or less than last, of an array a key, of motion some. */
static void send(playing *playing) {
    unsigned number = roll(playing, YT_DEVICES);
    plugged *device = &playing->devices[number];
    for (unsigned i = 0; device->model == NO_MODEL && i < YT_DEVICES; i++)
        device = &playing->devices[number = (number + 1) % YT_DEVICES];
    if (device->model == NO_MODEL)
        return;
    const model *model = &models[device->model];
    unsigned size = model->report, at = roll(playing, size);
    for (unsigned i = model->motion; i < size; i++)
        device->last[i] = 0;
    if (roll(playing, 3) == 0)
        device->last[at] = (uint8_t)roll(playing, 256);
    else
        device->last[at] ^= (uint8_t)(1u << roll(playing, 8));
    if (model->descriptor == with_ids)
        device->last[0] = (uint8_t)(1 + roll(playing, 3));
    if (model->descriptor == six_keys && at > 0)
        device->last[at] = roll(playing, 2) ? (uint8_t)(4 + roll(playing, 40)) : 0;
    if (roll(playing, 40) == 0)
        size = roll(playing, size + 1);
    uint32_t ago_us = roll(playing, 2) ? roll(playing, 900) : 0;
    if (yt_engine_report(&playing->engine, number, device->last, size, playing->now_us - ago_us) ==
        YT_FULL)
        yt_engine_update(&playing->engine, playing->now_us);
}

static void be_a_host(playing *playing) {
    unsigned interface = roll(playing, YT_INTERFACES), connector = 1 + roll(playing, 2);
    uint8_t bytes[12];
    yt_status status = YT_OK;
    switch (roll(playing, 8)) {
    case 0:
        status = yt_interface_set_boot(&playing->engine, interface, roll(playing, 2));
        break;
    case 1:
        yt_interface_set_idle(&playing->engine, interface, roll(playing, 4) * 20000u);
        break;
    case 2:
        yt_connector_suspend(&playing->engine, connector, roll(playing, 3) == 0);
        break;
    case 3:
        yt_connector_reset(&playing->engine, connector);
        for (unsigned i = 0; i < YT_INTERFACES; i++) /* what was on its way is not taken */
            if (i < playing->program.header->interface_count &&
                playing->program.interfaces[i].connector == connector)
                playing->armed[i] = false;
        break;
    default: {
        for (unsigned i = 0; i < sizeof bytes; i++)
            bytes[i] = (uint8_t)roll(playing, i ? 256 : 4);
        yt_hid_direction direction = roll(playing, 2) ? YT_HID_OUTPUT : YT_HID_FEATURE;
        size_t size = 1 + roll(playing, sizeof bytes);
        status = yt_interface_receive(&playing->engine, interface, direction, bytes, size,
                                      playing->now_us);
    }
    }
    (void)status; /* hosts may ask for what is not there */
}

static void change_things(playing *playing, const void *image, size_t size) {
    unsigned which = roll(playing, 16), device = roll(playing, YT_DEVICES);
    const yt_program_header *header = playing->program.header;
    if (which == 0) {
        yt_engine_cancel(&playing->engine);
    } else if (which == 1) {
        load(playing, image, size);
    } else if (which < 6 && header->parameter_count > 0) {
        unsigned number = roll(playing, header->parameter_count);
        const yt_program_parameter *parameter = &playing->program.parameters[number];
        uint32_t span = (uint32_t)parameter->maximum - (uint32_t)parameter->minimum;
        int32_t value = (int32_t)((uint32_t)parameter->minimum + roll(playing, 17) * (span / 16));
        yt_status status = yt_engine_set_parameter(&playing->engine, number, value);
        (void)status;
    } else if (which < 9 && playing->devices[device].model != NO_MODEL) {
        yt_engine_detach(&playing->engine, device, playing->now_us);
        playing->devices[device].model = NO_MODEL;
    } else if (which < 13 && header->input_count > 0) {
        attach(playing, roll(playing, header->input_count));
    } else if (which == 13) {
        yt_device_pulse(&playing->engine, device, playing->now_us, roll(playing, 3) * 70000);
    } else {
        playing->now_us += roll(playing, 3000) * 1000; /* nobody updates for a while */
    }
}

/* Hosts take what they were given and are given the next; devices are. */
static void poll(playing *playing) {
    uint8_t bytes[YT_REPORT_BYTES + 1];
    yt_hid_direction direction;
    for (unsigned i = 0; i < playing->program.header->interface_count; i++) {
        if (playing->armed[i])
            yt_interface_taken(&playing->engine, i, playing->now_us);
        size_t size = next_report(&playing->engine, i, bytes, sizeof bytes);
        playing->armed[i] = size > 0;
        if (size > 0)
            give(playing, true, i, bytes, size);
    }
    for (unsigned i = 0; i < YT_DEVICES; i++) {
        size_t size = device_output(&playing->engine, i, bytes, sizeof bytes, &direction);
        if (size > 0)
            give(playing, false, i, bytes, size);
    }
}

static void go_on(playing *playing, uint32_t for_us) {
    uint64_t until_us = playing->now_us + for_us;
    while (playing->poll_us <= until_us) {
        playing->now_us = playing->poll_us > playing->now_us ? playing->poll_us : playing->now_us;
        yt_engine_update(&playing->engine, playing->now_us);
        poll(playing);
        playing->poll_us = playing->now_us + POLL_US;
    }
    playing->now_us = until_us;
}

played play(const void *image, size_t image_size, void *memory, size_t size, uint32_t seed,
            play_sink *sink, void *context) {
    static const yt_port port = {.version = YT_PORT_VERSION};
    static playing playing;
    memset(&playing, 0, sizeof playing);
    playing.dice = seed;
    playing.sink = sink;
    playing.context = context;
    yt_status status = yt_engine_init(&playing.engine, memory, size, &port);
    if (status == YT_OK)
        status = yt_program_check(&playing.program, image, image_size);
    playing.played.status = (uint32_t)status;
    if (status == YT_OK)
        load(&playing, image, image_size);
    for (unsigned i = 0; i < EVENTS && playing.played.status == YT_OK; i++) {
        unsigned which = roll(&playing, 100);
        if (which < 84)
            send(&playing);
        else if (which < 94)
            be_a_host(&playing);
        else
            change_things(&playing, image, image_size);
        if (roll(&playing, 3))
            yt_engine_update(&playing.engine, playing.now_us);
        go_on(&playing, roll(&playing, 4) ? roll(&playing, 4000) : roll(&playing, 60000));
    }
    if (playing.played.status != YT_OK)
        return playing.played;
    go_on(&playing, 1000000);
    yt_counts counts = yt_engine_counts(&playing.engine);
    const uint32_t ends[] = {counts.pairs_dropped, (uint32_t)counts.motion_dropped,
                             counts.reports_short, counts.reports_unknown};
    playing.played.checksum = yt_checksum(playing.played.checksum, ends, sizeof ends);
    return playing.played;
}
