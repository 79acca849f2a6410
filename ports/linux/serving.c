#include "ports/linux/serving.h"

#include <errno.h>
#include <stdarg.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

#include "compiler/messages/plain.h"
#include "compiler/messages/status_text.h"
#include "ports/linux/battery.h"
#include "yonder/link_ways.h"

#define BUILD      "yonder serve"
#define WORK_UNIT  8        /* of the store, in each turn */
#define BATTERY_US 60000000 /* between two looks at the battery */

static void say(const serving *serving, bool is_bad, const char *format, ...)
    __attribute__((format(printf, 3, 4)));

static void say(const serving *serving, bool is_bad, const char *format, ...) {
    char text[400];
    va_list rest;
    va_start(rest, format);
    vsnprintf(text, sizeof text, format, rest);
    va_end(rest);
    plain_line(text);
    serving->parts.say(serving->parts.context, is_bad, text);
}

/* ---- devices ---- */

static void tell_device(void *context, const linux_device *device, linux_event event) {
    const serving *serving = context;
    const char *name = device->device.name;
    switch (event) {
    case LINUX_ARRIVED:
        say(serving, false, "%s: %s is taken", device->path, name);
        break;
    case LINUX_FITS_NOT:
        say(serving, device->status != YT_NO_MATCH, "%s: %s is left as it is: %s", device->path,
            name, status_text(device->status));
        break;
    case LINUX_UNREADABLE:
        say(serving, true, "%s: %s", device->path, strerror(device->error));
        break;
    case LINUX_LEFT:
        say(serving, false, "%s: %s is gone", device->path, name);
        if (device->suspected > 1)
            say(serving, true, "%s: %u times some of its reports may have been lost", device->path,
                device->suspected);
        break;
    case LINUX_GRABBED:
        say(serving, false, "%s: this machine does not see it any more", device->path);
        break;
    case LINUX_LOSES:
        say(serving, true, "%s: %d reports waited, so some may be lost", device->path, HIDRAW_KEPT);
        break;
    }
}

static void hand_to_link(void *context, const linux_device *device, const uint8_t *bytes,
                         size_t size, uint64_t now_us) {
    serving *serving = context;
    yt_link_report(&serving->linked.link, device->number, bytes, size, now_us);
}

static const yt_device *attached(void *owner, unsigned number) {
    return devices_attached(&((serving *)owner)->devices, number);
}

/* ---- outputs ---- */

static void end_outputs(serving *serving) {
    for (unsigned i = 0; i < serving->gadget_count; i++)
        gadget_pull_out(&serving->gadgets[i]);
    for (unsigned i = 0; i < serving->output_count; i++)
        uhid_close(&serving->outputs[i]);
    serving->output_count = 0;
    if (serving->has_radio)
        radio_pull_out(&serving->radio);
}

static bool begin_here(serving *serving, unsigned connector) {
    for (unsigned index = 0;
         serving->output_count < YT_INTERFACES &&
         yt_connector_interface(&serving->engine, connector, index) < YT_INTERFACES;
         index++) {
        int error = uhid_open(&serving->outputs[serving->output_count], &serving->engine,
                              &serving->parts.identity, connector, index);
        if (error) {
            say(serving, true, "/dev/uhid: %s", strerror(-error));
            return false;
        }
        serving->output_count++;
    }
    return true;
}

/* A report that another device answers. */
static bool hand_on(void *context, unsigned connector, unsigned number, yt_hid_direction direction,
                    uint8_t id, const uint8_t *bytes, size_t size) {
    serving *serving = context;
    relay_asked asked = {
        .direction = direction, .to_host = bytes == NULL, .has_id = id != 0, .asker = connector};
    int file = devices_file(&serving->devices, number);
    size_t head = !bytes || id ? 1 : 0; /* of GET_REPORT hidraw has a 0 where there is no ID */
    asked.size = head + size < sizeof asked.bytes ? head + size : sizeof asked.bytes;
    if (file < 0 || (bytes && head + size > sizeof asked.bytes))
        return false;
    asked.bytes[0] = id;
    if (bytes)
        memcpy(asked.bytes + head, bytes, size);
    return relay_ask(&serving->relay, file, &asked);
}

static void serve_relay(serving *serving) {
    const relay_asked *answer;
    while ((answer = relay_answer(&serving->relay))) {
        if (answer->error && answer->error != serving->told_error) /* once, until it is another */
            say(serving, true, "%s: %s",
                answer->asker ? "a report that another device is to answer"
                              : "lights and motors of a device",
                strerror(answer->error));
        serving->told_error = answer->error ? answer->error : serving->told_error;
        for (unsigned i = 0; answer->to_host && i < serving->gadget_count; i++)
            if (serving->gadgets[i].connector == answer->asker)
                gadget_answer(&serving->gadgets[i],
                              answer->error || answer->size == 0 ? NULL : answer->bytes + 1,
                              answer->size - 1);
        if (answer->to_host && serving->has_radio && serving->radio.connector == answer->asker)
            radio_answer(&serving->radio,
                         answer->error || answer->size == 0 ? NULL : answer->bytes + 1,
                         answer->size - 1);
    }
}

/* A gadget for a connector, which stays while the program is another. */
static gadget *gadget_of(serving *serving, unsigned connector) {
    char name[GADGET_NAME];
    gadget *gadget = &serving->gadgets[serving->gadget_count];
    for (unsigned i = 0; i < serving->gadget_count; i++)
        if (serving->gadgets[i].connector == connector)
            return &serving->gadgets[i];
    snprintf(name, sizeof name, "%.30s%u", serving->parts.gadget, connector);
    if (!gadget_open(gadget, &serving->engine, &serving->parts.identity, connector, name,
                     serving->parts.folder)) {
        say(serving, true, "%s", gadget->error);
        gadget_close(gadget);
        return NULL;
    }
    gadget->context = serving;
    gadget->relay = hand_on;
    serving->gadget_count++;
    return gadget;
}

static void say_of_radio(void *context, bool is_bad, const char *text) {
    say(context, is_bad, "%s", text);
}

/* The controller, which is taken once. False: it was said. */
static bool take_radio(serving *serving, unsigned connector) {
    radio *radio = &serving->radio;
    if (serving->parts.controller < 0) {
        say(serving, true, "connector %u goes over Bluetooth: --radio says on which controller",
            connector);
        return false;
    }
    if (!radio_open(radio, &serving->engine, &serving->parts.identity, connector,
                    (unsigned)serving->parts.controller, battery_percent())) {
        say(serving, true, "%s", radio->error);
        radio_close(radio);
        return false;
    }
    memcpy(radio->bonds, serving->parts.bonds, sizeof radio->bonds);
    radio->context = serving;
    radio->relay = hand_on;
    radio->say = say_of_radio;
    serving->has_radio = true;
    return true;
}

static bool begin_radio(serving *serving, unsigned connector) {
    radio *radio = &serving->radio;
    if (radio->is_on_air) {
        say(serving, true, "connector %u: one goes over Bluetooth already", connector);
        return false;
    }
    if (!serving->has_radio && !take_radio(serving, connector))
        return false;
    radio->connector = connector;
    if (!radio_plug_in(radio)) {
        say(serving, true, "%s", radio->error);
        return false;
    }
    radio_address(radio->address, serving->devices.own_address);
    say(serving, false, "connector %u goes over Bluetooth, by hci%u, as %s", connector,
        radio->index, serving->devices.own_address);
    return true;
}

static bool begin_gadget(serving *serving, unsigned connector) {
    gadget *gadget = gadget_of(serving, connector);
    if (!gadget)
        return false;
    if (!gadget_plug_in(gadget)) {
        say(serving, true, "%s", gadget->error);
        return false;
    }
    say(serving, false, "connector %u is the gadget %s, on %s", connector, gadget->name,
        gadget->controller);
    return true;
}

/* Each connector that the program has something for. False: none of them can be served. */
static bool begin_outputs(serving *serving) {
    bool any = false, is_wanted = false, by_air = false;
    serving->layout = yt_engine_layout(&serving->engine);
    for (unsigned connector = 1; connector <= SERVING_CONNECTORS; connector++) {
        unsigned first = yt_connector_interface(&serving->engine, connector, 0);
        bool is_empty = first >= YT_INTERFACES;
        if (is_empty && (connector > 1 || !serving->parts.identity.feature))
            continue;
        is_wanted = true;
        bool is_radio = !is_empty && yt_engine_program(&serving->engine)->interfaces[first].radio;
        if (is_radio && connector == 1 && serving->parts.identity.feature)
            say(serving, true, "connector 1 goes over Bluetooth: no cable to configure it over");
        by_air |= is_radio;
        any |= serving->parts.outputs == SERVING_HERE ? begin_here(serving, connector)
               : is_radio                             ? begin_radio(serving, connector)
                                                      : begin_gadget(serving, connector);
    }
    if (serving->parts.controller >= 0 && !by_air)
        say(serving, true, "no output goes over Bluetooth: hci%d is not used",
            serving->parts.controller);
    return any || !is_wanted;
}

/* A host is there and awake, or is not any more. */
static void tell_host(serving *serving, unsigned number) {
    const gadget *gadget = &serving->gadgets[number];
    bool is_awake = gadget->is_enabled && !gadget->is_asleep;
    if (is_awake == serving->told_awake[number])
        return;
    serving->told_awake[number] = is_awake;
    say(serving, false, "connector %u: %s", gadget->connector,
        is_awake             ? "a host uses it"
        : gadget->is_enabled ? "the host sleeps"
                             : "no host uses it");
}

static void keep_bonds(serving *serving) {
    if (serving->radio.has_new_bonds)
        serving->parts.keep_bonds(serving->parts.context, serving->radio.bonds);
    serving->radio.has_new_bonds = false;
}

static bool serve_outputs(serving *serving, uint64_t now_us) {
    bool good = true;
    for (unsigned i = 0; i < serving->gadget_count; i++)
        if (!gadget_serve(&serving->gadgets[i], now_us)) {
            say(serving, true, "%s", serving->gadgets[i].error);
            good = false;
        }
    for (unsigned i = 0; i < serving->gadget_count; i++)
        tell_host(serving, i);
    for (unsigned i = 0; i < serving->output_count; i++)
        uhid_serve(&serving->outputs[i], now_us);
    if (serving->has_radio)
        radio_serve(&serving->radio, now_us);
    keep_bonds(serving);
    return good;
}

/* What a program reads and what a host is told. */
static uint64_t look_at_battery(serving *serving, uint64_t now_us) {
    if (now_us >= serving->battery_us) {
        int percent = battery_percent();
        serving->battery_us = percent < 0 ? YT_NEVER : now_us + BATTERY_US;
        if (percent >= 0)
            yt_engine_tell(&serving->engine, YT_FACT_BATTERY,
                           (yt_q16)(((int64_t)percent << 16) / 100));
        if (serving->has_radio)
            radio_tell_battery(&serving->radio, percent);
    }
    return serving->battery_us;
}

static void send_outputs(serving *serving, uint64_t now_us) {
    for (unsigned i = 0; i < serving->gadget_count; i++) {
        gadget *gadget = &serving->gadgets[i];
        gadget_send(gadget);
        if (gadget->is_asleep && serving->wakes[gadget->connector] && !gadget_wake(gadget))
            say(serving, true, "%s", gadget->error);
        serving->wakes[gadget->connector] = false;
    }
    for (unsigned i = 0; i < serving->output_count; i++)
        uhid_send(&serving->outputs[i], now_us);
    if (!serving->has_radio)
        return;
    /* A host over Bluetooth is woken by what it is told. */
    if (serving->wakes[serving->radio.connector])
        yt_connector_suspend(&serving->engine, serving->radio.connector, false);
    serving->wakes[serving->radio.connector] = false;
    radio_send(&serving->radio, now_us);
}

/* ---- what the engine asks ---- */

static void note_wake(void *context, unsigned connector) {
    serving *serving = context;
    if (connector <= SERVING_CONNECTORS)
        serving->wakes[connector] = true;
}

static void attach_all(void *context) {
    devices_attach_all(&((serving *)context)->devices);
}

static void tell_slot(serving *serving) {
    unsigned slot = yt_adapter_slot(&serving->adapter);
    yt_slot info;
    if (slot == serving->told_slot)
        return;
    serving->told_slot = slot;
    serving->battery_us = 0; /* what the program reads of it is to be told anew */
    if (slot == YT_NO_SLOT)
        say(serving, false, "nothing runs: the slots are empty");
    else if (yt_store_slot(serving->parts.store, slot, &info) == YT_OK)
        say(serving, false, "slot %u runs, \"%s\"", slot + 1, info.name);
}

/* What only a box with lights, or a bootloader, does: said once. */
static void tell_action(serving *serving, unsigned kind) {
    if (!(serving->told_actions >> kind & 1))
        say(serving, false, "the program asks for \"%s\", which nothing here does",
            yt_action_name(kind));
    serving->told_actions |= (uint32_t)1 << kind;
}

/* ---- beginning, ending, going on ---- */

static bool fail(const serving *serving, const char *what, yt_status status) {
    say(serving, true, "%s: %s", what, status_text(status));
    return false;
}

bool serving_begin(serving *serving, const serving_parts *parts, uint64_t now_us) {
    static const yt_plugged_in alone = {.position = -1};
    memset(serving, 0, sizeof *serving);
    serving->parts = *parts;
    serving->told_slot = YT_NO_SLOT + 1;
    serving->port = (yt_port){.version = YT_PORT_VERSION, .context = serving, .wake = note_wake};
    serving->adapter_parts = (yt_adapter_parts){.engine = &serving->engine,
                                                .store = parts->store,
                                                .settings = serving->settings,
                                                .settings_room = sizeof serving->settings,
                                                .calibrations = serving->calibrations,
                                                .calibration_count = SERVING_CALIBRATIONS,
                                                .context = serving,
                                                .attach = attach_all};
    serving->devices.adapter = &serving->adapter;
    serving->devices.engine = &serving->engine;
    serving->devices.may_grab = parts->may_grab;
    serving->devices.own_serial = parts->identity.serial;
    serving->devices.own_vendor = parts->identity.vendor;
    serving->devices.context = serving;
    serving->devices.tell = tell_device;
    serving->devices.reported = hand_to_link;
    if (!devices_begin(&serving->devices)) {
        say(serving, true, "/dev: %s", strerror(errno));
        return false;
    }
    yt_status status =
        yt_engine_init(&serving->engine, serving->memory, sizeof serving->memory, &serving->port);
    if (status != YT_OK)
        return fail(serving, "the engine", status);
    status = yt_adapter_start(&serving->adapter, &serving->adapter_parts, &alone, now_us);
    if (status != YT_OK && status != YT_SLOT_EMPTY)
        fail(serving, "the slot that it starts with", status);
    sim_link_begin_for(&serving->linked, &serving->adapter, BUILD, serving, attached,
                       &serving->devices.reports);
    if (parts->is_linked) {
        serving->feature = yt_link_on_usb(&serving->linked.link);
        serving->parts.identity.feature = &serving->feature;
    }
    tell_slot(serving);
    serving->is_begun = true;
    int error = relay_begin(&serving->relay);
    if (error)
        say(serving, true, "a thread for what devices are sent: %s", strerror(error));
    return begin_outputs(serving);
}

void serving_end(serving *serving, uint64_t now_us) {
    if (serving->is_begun) {
        yt_engine_cancel(&serving->engine);
        yt_engine_update(&serving->engine, now_us);
        devices_drive(&serving->devices, &serving->relay);
        send_outputs(serving, now_us);
    }
    devices_end(&serving->devices, now_us);
    end_outputs(serving);
    for (unsigned i = 0; i < serving->gadget_count; i++)
        gadget_close(&serving->gadgets[i]);
    serving->gadget_count = 0;
    if (serving->has_radio)
        radio_close(&serving->radio);
    keep_bonds(serving);
    serving->has_radio = false;
    relay_end(&serving->relay);
}

void serving_press(serving *serving, uint64_t now_us) {
    sim_link_press(&serving->linked, now_us);
    if (serving->has_radio)
        radio_let_in(&serving->radio, now_us);
}

unsigned serving_wait_for(const serving *serving, struct pollfd *polled) {
    unsigned count = devices_wait_for(&serving->devices, polled);
    for (unsigned i = 0; i < serving->gadget_count; i++)
        count += gadget_wait_for(&serving->gadgets[i], polled + count);
    if (serving->relay.has_thread)
        polled[count++] = (struct pollfd){serving->relay.answered, POLLIN, 0};
    for (unsigned i = 0; i < serving->output_count; i++)
        polled[count++] = (struct pollfd){serving->outputs[i].file, POLLIN, 0};
    if (serving->has_radio)
        count += radio_wait_for(&serving->radio, polled + count);
    return count;
}

static uint64_t earlier(uint64_t one, uint64_t other) {
    return one < other ? one : other;
}

uint64_t serving_turn(serving *serving, uint64_t now_us, bool *good) {
    yt_action action;
    *good = serve_outputs(serving, now_us);
    serve_relay(serving);
    uint64_t next_us = devices_serve(&serving->devices, now_us);
    next_us = earlier(next_us, yt_engine_update(&serving->engine, now_us));
    while (yt_adapter_action(&serving->adapter, now_us, &action))
        tell_action(serving, action.kind);
    next_us = earlier(next_us, yt_adapter_update(&serving->adapter, now_us));
    next_us = earlier(next_us, look_at_battery(serving, now_us));
    (void)!yt_link_work(&serving->linked.link, now_us, WORK_UNIT, true);
    if (serving->layout != yt_engine_layout(&serving->engine)) {
        end_outputs(serving);
        *good = begin_outputs(serving) && *good;
    }
    tell_slot(serving);
    devices_drive(&serving->devices, &serving->relay);
    send_outputs(serving, now_us);
    return next_us;
}
