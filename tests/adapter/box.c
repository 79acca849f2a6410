#include "tests/adapter/box.h"

#include "tests/engine/lengths.h"

const yt_plugged_in box_alone = {.position = -1};

static void restart(void *context, uint32_t layout) {
    (void)layout;
    ((box *)context)->restarts++;
}

static void attach(void *context) {
    box *box = context;
    box->device = (yt_device){.descriptor = box->descriptor,
                              .descriptor_size = box->descriptor_size,
                              .vendor = 0x1209,
                              .product = 5,
                              .input = YT_ANY_INPUT};
    if (box->has_keyboard)
        CHECK_EQUAL(yt_adapter_attach(&box->adapter, &box->device,
                                      box->last_size ? box->last : NULL, box->last_size,
                                      &box->keyboard),
                    YT_OK);
}

static void light(void *context, unsigned slot, uint32_t colour, unsigned percent) {
    box *box = context;
    box->lights++;
    box->light_slot = slot;
    box->colour = colour;
    box->light_percent = percent;
}

void box_begin(box *box, bool is_mapped) {
    const nor_facts facts = {.sectors = BOX_SECTORS,
                             .sector_bytes = 2048,
                             .unit_bytes = 8,
                             .erased_value = 0xff,
                             .programs = 1,
                             .is_mapped = is_mapped};
    memset(box, 0, sizeof *box);
    CHECK(nor_begin(&box->flash, &facts, 1));
    nor_port(&box->flash, &box->port);
    box->port.restart = restart;
    box->descriptor = rig_six_keys;
    box->descriptor_size = sizeof rig_six_keys;
    box->parts = (yt_adapter_parts){.engine = &box->engine,
                                    .store = &box->store,
                                    .settings = box->settings,
                                    .settings_room = sizeof box->settings,
                                    .calibrations = box->calibrations,
                                    .calibration_count = BOX_CALIBRATIONS,
                                    .copy = box->copy,
                                    .copy_room = sizeof box->copy,
                                    .context = box,
                                    .attach = attach,
                                    .light = light};
    CHECK_EQUAL(yt_store_open(&box->store, &box->port, BOX_SLOTS, box->sectors, BOX_SECTORS),
                YT_OK);
}

void box_end(box *box) {
    CHECK_EQUAL(box->flash.breaches, 0);
    nor_end(&box->flash);
}

void box_write(box *box, unsigned slot, const char *profile) {
    static yt_compiled compiled;
    rig_compile(&compiled, profile);
    CHECK_EQUAL(yt_store_write(&box->store, slot, profile[0] ? "made up" : NULL, compiled.image,
                               compiled.size, profile, strlen(profile)),
                YT_OK);
    pool_free(&compiled.pool);
}

void box_set(box *box, yt_setting setting, unsigned index, uint32_t number) {
    uint8_t settings[YT_SETTINGS_BYTES];
    size_t size;
    if (yt_store_settings(&box->store, settings, sizeof settings, &size) != YT_OK)
        yt_settings_clear(settings, &size);
    CHECK_EQUAL(yt_settings_set(settings, &size, sizeof settings, setting, index, number), YT_OK);
    CHECK_EQUAL(yt_store_set(&box->store, settings, size), YT_OK);
}

yt_status box_plug_in(box *box, const yt_plugged_in *plugged_in, uint64_t now_us) {
    nor_power_on(&box->flash);
    box->restarts = box->lights = 0;
    box->last_size = 0;
    memset(box->calibrations, 0xee, sizeof box->calibrations);
    for (unsigned i = 0; i < BOX_CALIBRATIONS; i++)
        box->calibrations[i].is_used = false;
    CHECK_EQUAL(yt_store_open(&box->store, &box->port, BOX_SLOTS, box->sectors, BOX_SECTORS),
                YT_OK);
    CHECK_EQUAL(yt_engine_init(&box->engine, box->memory, sizeof box->memory, &box->port), YT_OK);
    return yt_adapter_start(&box->adapter, &box->parts, plugged_in, now_us);
}

int box_report(box *box, const uint8_t *bytes, size_t size, uint64_t now_us) {
    yt_action action;
    int left = -1;
    memcpy(box->last, bytes, size);
    box->last_size = size;
    CHECK_EQUAL(yt_engine_report(&box->engine, box->keyboard, bytes, size, now_us), YT_OK);
    yt_engine_update(&box->engine, now_us);
    while (yt_adapter_action(&box->adapter, now_us, &action))
        left = action.kind;
    return left;
}

int box_press(box *box, uint8_t key, uint64_t now_us) {
    const uint8_t bytes[6] = {key};
    return box_report(box, bytes, sizeof bytes, now_us);
}

const char *box_take(box *box, unsigned interface, uint64_t now_us) {
    return taken_report(&box->engine, interface, now_us);
}

void box_begin_three(box *box, bool is_mapped) {
    box_begin(box, is_mapped);
    box->has_keyboard = true;
    box_write(box, 0, BOX_PLAY(1));
    box_write(box, 1, BOX_PLAY(2));
    box_write(box, 2, BOX_PLAY(3));
}

const char *box_button(box *box, uint64_t now_us) {
    static char text[100];
    box_press(box, 0, now_us);
    while (*box_take(box, 0, now_us))
        continue;
    box_press(box, KEY_A, now_us + 1000);
    snprintf(text, sizeof text, "%.2s", box_take(box, 0, now_us + 1000));
    box_press(box, 0, now_us + 2000);
    while (*box_take(box, 0, now_us + 2000))
        continue;
    return text;
}
