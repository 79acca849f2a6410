#include "ports/sim/linked.h"

#include <stdlib.h>
#include <string.h>
#include <sys/random.h>

static uint32_t random_bits(void *context) {
    uint32_t bits;
    (void)context;
    if (getrandom(&bits, sizeof bits, 0) != (ssize_t)sizeof bits)
        abort();
    return bits;
}

static void wants_press(void *context, unsigned number) {
    ((sim_link *)context)->press_number = number;
}

static const yt_device *device(void *context, unsigned number) {
    const sim_link *linked = context;
    return linked->device(linked->owner, number);
}

static const yt_device *simulated_device(void *owner, unsigned number) {
    const simulation *simulation = owner;
    for (unsigned i = 0; i < simulation->device_count; i++)
        if (simulation->devices[i].engine_number == number)
            return &simulation->devices[i].device;
    return NULL;
}

static void digest_begin(void *context) {
    sha256_init(&((sim_link *)context)->digest);
}

static void digest_take(void *context, const void *bytes, size_t size) {
    sha256_update(&((sim_link *)context)->digest, size, bytes);
}

static void digest_end(void *context, uint8_t digest[32]) {
    sha256_digest(&((sim_link *)context)->digest, 32, digest);
}

static void restart(void *context, bool bootloader) {
    sim_link *linked = context;
    linked->restarts = true;
    linked->to_bootloader = bootloader;
}

static bool is_pressed(void *context) {
    return ((sim_link *)context)->is_held;
}

static uint32_t fact(void *context, yt_link_fact which) {
    const sim_link *linked = context;
    switch (which) {
    case YT_LINK_REPORTS_IN:
        return (uint32_t)*linked->reports_in;
    case YT_LINK_WORST_UPDATE:
        return linked->worst_us;
    case YT_LINK_LAST_ERROR:
        return linked->last_error;
    default:
        return 0;
    }
}

void sim_link_begin_for(sim_link *linked, yt_adapter *adapter, const char *build, void *owner,
                        const yt_device *(*device_of)(void *owner, unsigned number),
                        const uint64_t *reports_in) {
    memset(linked, 0, sizeof *linked);
    linked->owner = owner;
    linked->device = device_of;
    linked->reports_in = reports_in;
    linked->parts = (yt_link_parts){.adapter = adapter,
                                    .build = build,
                                    .build_number = SIM_BUILD_NUMBER,
                                    .context = linked,
                                    .random = random_bits,
                                    .wants_press = wants_press,
                                    .record = linked->record,
                                    .record_room = sizeof linked->record,
                                    .device = device,
                                    .digest_begin = digest_begin,
                                    .digest_take = digest_take,
                                    .digest_end = digest_end,
                                    .restart = restart,
                                    .is_pressed = is_pressed,
                                    .fact = fact};
    yt_link_init(&linked->link, &linked->parts);
    (void)!yt_link_calibrates(&linked->link, &linked->calibrating); /* all that it needs is there */
}

void sim_link_begin(sim_link *linked, simulation *simulation) {
    sim_link_begin_for(linked, &simulation->adapter, SIM_BUILD, simulation, simulated_device,
                       &simulation->reports_in);
    simulation->link = &linked->link;
}

void sim_link_press(sim_link *linked, uint64_t now_us) {
    yt_link_press(&linked->link, now_us);
}
