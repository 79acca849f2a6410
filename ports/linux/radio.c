#include "ports/linux/radio.h"

#include <errno.h>
#include <stdio.h>
#include <string.h>
#include <sys/socket.h>
#include <unistd.h>

#include "ports/linux/number.h"

/* ---- what the kernel's headers do not give to programs ---- */

enum { PROTOCOL_L2CAP = 0, PROTOCOL_HCI = 1, CONTROL_CHANNEL = 3, NO_DEVICE = 0xffff };
enum { LEVEL_BLUETOOTH = 274, OPTION_SECURITY = 4, ENCRYPTED = 2, ATT_CHANNEL = 4, LE_RANDOM = 2 };

typedef struct control_address {
    sa_family_t family;
    uint16_t device, channel;
} control_address;

typedef struct channel_address {
    sa_family_t family;
    uint16_t psm;
    uint8_t address[6];
    uint16_t channel;
    uint8_t type;
} channel_address;

/* The management interface ("Bluetooth Management API", doc/mgmt-api.txt of BlueZ, 1.22). */
enum {
    READ_INFORMATION = 0x0004,
    SET_POWERED = 0x0005,
    SET_CONNECTABLE = 0x0007,
    SET_BONDABLE = 0x0009,
    SET_LE = 0x000d,
    LOAD_KEYS = 0x0013,
    DISCONNECT = 0x0014,
    SET_ABILITY = 0x0018, /* what it can show and take while it is bonded */
    CONFIRM = 0x001c,
    DO_NOT_CONFIRM = 0x001d,
    SET_CLASSIC = 0x002a,
    SET_STATIC_ADDRESS = 0x002b,
    SET_SECURE = 0x002d,
    LOAD_IDENTITIES = 0x0030,
    ADD_ADVERTISING = 0x003e,
    REMOVE_ADVERTISING = 0x003f
};
enum {
    COMPLETE = 0x0001,
    STATUS = 0x0002,
    INDEX_ADDED = 0x0004,
    INDEX_REMOVED = 0x0005,
    NEW_KEY = 0x000a,
    ASKS_TO_CONFIRM = 0x000f,
    NEW_IDENTITY = 0x0018
};
enum { HEAD = 6, MESSAGE = 600, NO_INPUT_NO_OUTPUT = 3 };
/* Where the answer to READ_INFORMATION has what it can do, and what it does; bits of both. */
enum { ABILITIES = HEAD + 3 + 9, SETTINGS = ABILITIES + 4, POWERED = 0x01, CLASSIC = 0x80 };

#define WAIT_MS           2000     /* for the controller to do what it was told */
#define STRANGER_US       60000000 /* so long may a host stay that is not bonded: there is one place */
#define AGAIN_MS          50
#define FIND_AGAIN_US     1000000 /* a controller that was busy is told again to invite hosts */
#define ADVERTISING       0x03    /* connectable, generally discoverable */
#define ADVERTISING_BYTES 80
#define SENDING_ROOM      1 /* of the channel: the kernel takes its smallest, two or three reports */

static bool fail(radio *radio, const char *what, const char *why) {
    snprintf(radio->error, sizeof radio->error, "hci%u: %s: %s", radio->index, what, why);
    return false;
}

/* ---- bonds ---- */

static uint32_t layout_of(const radio *radio) {
    return yt_engine_layout(radio->engine);
}

/* What the host at the other end listens to is kept with its bond, as soon as it says so. */
static void keep_choices(radio *radio) {
    radio_bond *bond = bond_find(radio->bonds, layout_of(radio), radio->host_address);
    att_choices choices = att_kept(&radio->att);
    if (!bond || !radio->att.is_encrypted ||
        (bond->choices.listened == choices.listened &&
         bond->choices.to_battery == choices.to_battery))
        return;
    bond->choices = choices;
    radio->has_new_bonds = true;
}

/* Whether the host that is there may use the adapter: it is bonded already, or may be now. Not
 * every kernel asks before it pairs. */
static bool may_use(radio *radio, uint64_t now_us) {
    radio->is_let_in = radio->is_let_in || now_us < radio->open_until_us ||
                       !bond_any(radio->bonds, layout_of(radio)) ||
                       bond_find(radio->bonds, layout_of(radio), radio->host_address);
    return radio->is_let_in;
}

/* ---- the management interface ---- */

void radio_address(const uint8_t address[6], char text[RADIO_ADDRESS]) {
    snprintf(text, RADIO_ADDRESS, "%02X:%02X:%02X:%02X:%02X:%02X", address[5], address[4],
             address[3], address[2], address[1], address[0]);
}

static void say_of(const radio *radio, bool is_bad, const char *what, const uint8_t *address) {
    char text[120], name[RADIO_ADDRESS];
    radio_address(address, name);
    snprintf(text, sizeof text, "hci%u: %s %s", radio->index, name, what);
    if (radio->say)
        radio->say(radio->context, is_bad, text);
}

static bool tell_controller(const radio *radio, unsigned opcode, const uint8_t *bytes,
                            size_t size) {
    uint8_t message[MESSAGE];
    put_number(message, opcode);
    put_number(message + 2, radio->index);
    put_number(message + 4, (unsigned)size);
    if (size > 0)
        memcpy(message + HEAD, bytes, size);
    /* Of what is refused the kernel takes no bytes, and answers. */
    return send(radio->control, message, HEAD + size, MSG_DONTWAIT) >= 0;
}

static void take_event(radio *radio, unsigned event, const uint8_t *bytes, size_t size,
                       uint64_t now_us) {
    radio_bond *bond;
    if (event == INDEX_REMOVED) {
        radio->is_gone = true;
    } else if (event == INDEX_ADDED) {
        radio->is_back = radio->is_gone;
    } else if (event == ASKS_TO_CONFIRM && size >= 7) {
        bool may = now_us < radio->open_until_us || !bond_any(radio->bonds, layout_of(radio));
        radio->is_let_in = may; /* also where it was bonded: it has lost its key, or is another */
        (void)!tell_controller(radio, may ? CONFIRM : DO_NOT_CONFIRM, bytes, 7);
        say_of(radio, !may, may ? "is let in" : "is not let in: kill -USR1 lets one in", bytes);
    } else if (event == NEW_KEY && size >= 1 + RADIO_KEY && bytes[0] && may_use(radio, now_us)) {
        bond = bond_make(radio->bonds, layout_of(radio), bytes + 1);
        memcpy(bond->key, bytes + 1, RADIO_KEY);
        bond->has_key = 1;
        radio->has_new_bonds = true;
        radio->open_until_us = 0; /* one was wanted */
        say_of(radio, false, "is bonded", bytes + 1);
    } else if (event == NEW_IDENTITY && size >= 7 + RADIO_IDENTITY && bytes[0] &&
               may_use(radio, now_us)) {
        bond = bond_make(radio->bonds, layout_of(radio), bytes + 7);
        memcpy(bond->identity, bytes + 7, RADIO_IDENTITY);
        bond->has_identity = 1;
        radio->has_new_bonds = true;
        if (memcmp(radio->host_address, bytes + 1, 6) == 0) /* it came by an address for a while */
            memcpy(radio->host_address, bytes + 7, 7);
    }
}

/* One message; gives its event, -1 where there is none. */
static int take_message(radio *radio, uint8_t *message, ssize_t *size, uint64_t now_us) {
    *size = recv(radio->control, message, MESSAGE, MSG_DONTWAIT);
    if (*size < 0)
        return -1;
    if (*size < HEAD || number_at(message + 2) != radio->index)
        return 0;
    int event = (int)number_at(message);
    if (event != COMPLETE && event != STATUS)
        take_event(radio, (unsigned)event, message + HEAD, (size_t)*size - HEAD, now_us);
    return event;
}

/* Tells the controller something and waits until it is done: only as it goes on air or off, when
 * there is no host. */
static bool command(radio *radio, const char *what, unsigned opcode, const uint8_t *bytes,
                    size_t size) {
    uint8_t message[MESSAGE];
    struct pollfd polled = {radio->control, POLLIN, 0};
    if (!tell_controller(radio, opcode, bytes, size))
        return fail(radio, what, strerror(errno));
    while (poll(&polled, 1, WAIT_MS) > 0) {
        ssize_t length;
        int event = take_message(radio, message, &length, 0);
        if ((event != COMPLETE && event != STATUS) || length < HEAD + 3 ||
            number_at(message + HEAD) != opcode)
            continue;
        switch (message[HEAD + 2]) {
        case 0x00:
            if (opcode == READ_INFORMATION && length > SETTINGS) {
                radio->has_classic = message[ABILITIES] & CLASSIC;
                radio->is_on = message[SETTINGS] & POWERED;
            }
            return true;
        case 0x0c:
            return fail(radio, what, "the controller cannot");
        case 0x11:
            return fail(radio, what, "there is no such controller");
        case 0x12:
            return fail(radio, what, "a switch or a program has turned it off (rfkill)");
        case 0x14:
            return fail(radio, what, "it takes the right CAP_NET_ADMIN");
        default:
            snprintf(radio->error, sizeof radio->error, "hci%u: %s: refused (%u)", radio->index,
                     what, message[HEAD + 2]);
            return false;
        }
    }
    return fail(radio, what, "the controller does not answer");
}

static bool set(radio *radio, const char *what, unsigned opcode, uint8_t value) {
    return command(radio, what, opcode, &value, 1);
}

/* It goes on or off some time after it has said that it has: so it is asked until it is. */
static bool turn(radio *radio, const char *what, bool on) {
    for (unsigned tries = 0; tries < WAIT_MS / AGAIN_MS; tries++) {
        if (!set(radio, what, SET_POWERED, on))
            return false;
        poll(NULL, 0, AGAIN_MS);
        if (!command(radio, what, READ_INFORMATION, NULL, 0))
            return false;
        if (radio->is_on == on)
            return true;
    }
    return fail(radio, what, "it does not");
}

/* Nobody finds it any more before its host is left, which else would come back in between. */
static bool turn_off(radio *radio) {
    if (!command(radio, "looking at it", READ_INFORMATION, NULL, 0))
        return false;
    if (!radio->is_on)
        return true;
    (void)!set(radio, "not being found", REMOVE_ADVERTISING, 0); /* or it was not */
    return set(radio, "no hosts", SET_CONNECTABLE, 0) && turn(radio, "turning it off", false);
}

bool radio_open(radio *radio, yt_engine *engine, const yt_usb_identity *identity,
                unsigned connector, unsigned index, int battery) {
    const control_address all = {AF_BLUETOOTH, NO_DEVICE, CONTROL_CHANNEL};
    memset(radio, 0, sizeof *radio);
    radio->engine = engine;
    radio->identity = identity;
    radio->connector = connector;
    radio->index = index;
    radio->battery = battery;
    radio->listening = radio->host = -1;
    radio->find_at_us = YT_NEVER;
    radio->control = socket(AF_BLUETOOTH, SOCK_RAW | SOCK_CLOEXEC, PROTOCOL_HCI);
    if (radio->control < 0 || bind(radio->control, (const struct sockaddr *)&all, sizeof all) != 0)
        return fail(radio, "Bluetooth", strerror(errno));
    return command(radio, "looking at it", READ_INFORMATION, NULL, 0);
}

/* ---- on air ---- */

/* A static random address (Core, vol 6, part B, 1.3.2.1), which follows from the layout and from
 * which machine this is. */
static void choose_address(radio *radio) {
    char serial[YT_USB_SERIAL_BYTES] = "";
    (void)!yt_usb_serial(radio->engine, radio->identity, serial, sizeof serial);
    uint32_t one = yt_checksum(0, serial, strlen(serial));
    uint32_t other = yt_checksum(one, &radio->connector, sizeof radio->connector);
    memcpy(radio->address, &one, 4);
    memcpy(radio->address + 4, &other, 2);
    radio->address[5] |= 0xc0;
}

static bool load_bonds(radio *radio) {
    uint8_t keys[2 + RADIO_BONDS * RADIO_KEY], identities[2 + RADIO_BONDS * RADIO_IDENTITY];
    unsigned key_count = 0, identity_count = 0;
    for (unsigned i = 0; i < RADIO_BONDS; i++) {
        const radio_bond *bond = &radio->bonds[i];
        if (bond->layout != layout_of(radio))
            continue;
        if (bond->has_key)
            memcpy(keys + 2 + RADIO_KEY * key_count++, bond->key, RADIO_KEY);
        if (bond->has_identity)
            memcpy(identities + 2 + RADIO_IDENTITY * identity_count++, bond->identity,
                   RADIO_IDENTITY);
    }
    put_number(keys, key_count);
    put_number(identities, identity_count);
    return command(radio, "the hosts that are bonded", LOAD_IDENTITIES, identities,
                   2 + RADIO_IDENTITY * identity_count) &&
           command(radio, "the keys of hosts", LOAD_KEYS, keys, 2 + RADIO_KEY * key_count);
}

/* What is sent around (Core Specification Supplement 9, part A): the HID service, what it looks
 * like, and, to who asks, its name. Gives how long the command is. */
static size_t make_advertising(const radio *radio, uint8_t bytes[ADVERTISING_BYTES]) {
    const char *name = radio->identity->product_name ? radio->identity->product_name : "Adapter";
    size_t length = strlen(name) < 26 ? strlen(name) : 26, used = 11;
    uint16_t appearance = att_appearance(&radio->att.gatt);
    const uint8_t told[] = {
        3, 0x03, 0x12, 0x18, 3, 0x19, (uint8_t)appearance, (uint8_t)(appearance >> 8)};
    memset(bytes, 0, ADVERTISING_BYTES);
    bytes[0] = 1; /* the first of its kind, for ever */
    bytes[1] = ADVERTISING;
    bytes[9] = sizeof told;
    bytes[10] = (uint8_t)(length + 2);
    memcpy(bytes + used, told, sizeof told);
    used += sizeof told;
    bytes[used++] = (uint8_t)(length + 1);
    bytes[used++] = length == strlen(name) ? 0x09 : 0x08; /* the whole name, or its beginning */
    memcpy(bytes + used, name, length);
    return used + length;
}

static bool advertise(radio *radio) {
    uint8_t bytes[ADVERTISING_BYTES];
    return command(radio, "being found", ADD_ADVERTISING, bytes, make_advertising(radio, bytes));
}

/* While a host is there nobody finds it; so, where this program is killed, the kernel does not
 * invite that host to a device that nobody serves. */
static void be_found(const radio *radio, bool on) {
    static const uint8_t all = 0;
    uint8_t bytes[ADVERTISING_BYTES];
    if (on)
        (void)!tell_controller(radio, ADD_ADVERTISING, bytes, make_advertising(radio, bytes));
    else
        (void)!tell_controller(radio, REMOVE_ADVERTISING, &all, 1);
}

static bool listen_for_hosts(radio *radio) {
    channel_address here = {.family = AF_BLUETOOTH, .channel = ATT_CHANNEL, .type = LE_RANDOM};
    memcpy(here.address, radio->address, 6);
    radio->listening =
        socket(AF_BLUETOOTH, SOCK_SEQPACKET | SOCK_CLOEXEC | SOCK_NONBLOCK, PROTOCOL_L2CAP);
    return (radio->listening >= 0 &&
            bind(radio->listening, (const struct sockaddr *)&here, sizeof here) == 0 &&
            listen(radio->listening, 1) == 0) ||
           fail(radio, "listening", strerror(errno));
}

bool radio_plug_in(radio *radio) {
    choose_address(radio);
    att_begin(&radio->att, radio->engine, radio->identity, radio->connector, radio->battery);
    radio->att.context = radio->context;
    radio->att.relay = radio->relay;
    radio->is_on_air =
        turn_off(radio) && set(radio, "Bluetooth LE", SET_LE, 1) &&
        (!radio->has_classic || set(radio, "no classic Bluetooth", SET_CLASSIC, 0)) &&
        set(radio, "secure connections", SET_SECURE, 1) && set(radio, "bonds", SET_BONDABLE, 1) &&
        set(radio, "no buttons", SET_ABILITY, NO_INPUT_NO_OUTPUT) &&
        command(radio, "its address", SET_STATIC_ADDRESS, radio->address, 6) && load_bonds(radio) &&
        set(radio, "hosts", SET_CONNECTABLE, 1) && listen_for_hosts(radio) &&
        turn(radio, "turning it on", true) && advertise(radio);
    if (!radio->is_on_air)
        radio_pull_out(radio);
    return radio->is_on_air;
}

static void drop_host(radio *radio) {
    if (radio->host < 0)
        return;
    close(radio->host);
    radio->host = -1;
    radio->waiting_bytes = 0;
    if (radio->is_on_air)
        be_found(radio, true);
    yt_connector_reset(radio->engine, radio->connector);
    yt_connector_suspend(radio->engine, radio->connector, false);
}

void radio_pull_out(radio *radio) {
    char why[sizeof radio->error];
    bool was_on_air = radio->is_on_air;
    memcpy(why, radio->error, sizeof why);
    radio->is_on_air = false;
    drop_host(radio);
    if (radio->listening >= 0)
        close(radio->listening);
    radio->listening = -1;
    if (was_on_air && !radio->is_gone)
        (void)!turn_off(radio);
    memcpy(radio->error, why, sizeof why);
}

void radio_close(radio *radio) {
    if (radio->control < 0)
        return;
    radio_pull_out(radio);
    close(radio->control);
    radio->control = -1;
}

/* ---- serving ---- */

unsigned radio_wait_for(const radio *radio, struct pollfd *polled) {
    unsigned count = 0;
    const int files[RADIO_POLLED] = {radio->control, radio->listening, radio->host};
    for (unsigned i = 0; i < RADIO_POLLED; i++)
        if (files[i] >= 0)
            polled[count++] = (struct pollfd){files[i], POLLIN, 0};
    if (radio->host >= 0 && radio->waiting_bytes > 0)
        polled[count - 1].events |= POLLOUT;
    return count;
}

static void let_host_come(radio *radio, uint64_t now_us) {
    channel_address from;
    socklen_t size = sizeof from;
    int file = accept4(radio->listening, (struct sockaddr *)&from, &size,
                       SOCK_CLOEXEC | SOCK_NONBLOCK),
        room = SENDING_ROOM;
    if (file < 0)
        return;
    if (radio->host >= 0) { /* one at a time */
        close(file);
        return;
    }
    setsockopt(file, SOL_SOCKET, SO_SNDBUF, &room, sizeof room);
    radio->host = file;
    memcpy(radio->host_address, from.address, 6);
    radio->host_address[6] = from.type;
    att_begin(&radio->att, radio->engine, radio->identity, radio->connector, radio->battery);
    yt_connector_reset(radio->engine, radio->connector);
    be_found(radio, false);
    radio->is_let_in = false;
    radio->leave_at_us = now_us + STRANGER_US;
    say_of(radio, false, "has come", radio->host_address);
}

/* The kernel does not tell when a link is encrypted, it has to be asked: until it is. */
static void look_at_encryption(radio *radio, uint64_t now_us) {
    uint8_t security[2] = {0};
    socklen_t size = sizeof security;
    if (radio->att.is_encrypted || radio->host < 0 ||
        getsockopt(radio->host, LEVEL_BLUETOOTH, OPTION_SECURITY, security, &size) != 0 ||
        security[0] < ENCRYPTED || !may_use(radio, now_us))
        return;
    radio->att.is_encrypted = true;
    const radio_bond *bond = bond_find(radio->bonds, layout_of(radio), radio->host_address);
    if (bond)
        att_give_back(&radio->att, bond->choices);
    say_of(radio, false, "uses it", radio->host_address);
}

static void answer_host(radio *radio, uint64_t now_us) {
    uint8_t bytes[1024], answer[ATT_MTU];
    for (unsigned i = 0; i < 64 && radio->host >= 0; i++) {
        ssize_t size = recv(radio->host, bytes, sizeof bytes, MSG_DONTWAIT);
        if (size < 0 && (errno == EAGAIN || errno == EINTR))
            return;
        if (size <= 0) {
            say_of(radio, false, "is gone", radio->host_address);
            drop_host(radio);
            return;
        }
        look_at_encryption(radio, now_us);
        size_t length = att_request(&radio->att, bytes, (size_t)size, answer, now_us);
        if (length > 0)
            (void)!send(radio->host, answer, length, MSG_DONTWAIT | MSG_NOSIGNAL);
        keep_choices(radio);
    }
}

static void say(const radio *radio, bool is_bad, const char *what) {
    char text[260];
    snprintf(text, sizeof text, "hci%u: %s", radio->index, what);
    if (radio->say)
        radio->say(radio->context, is_bad, text);
}

/* The controller was pulled out, or plugged in again. */
static void look_at_controller(radio *radio) {
    if (radio->is_gone && radio->is_on_air) {
        say(radio, true, "the controller is gone");
        radio_pull_out(radio);
    }
    if (!radio->is_back)
        return;
    radio->is_back = radio->is_gone = false;
    if (radio_plug_in(radio))
        say(radio, false, "the controller is there again");
    else if (radio->say)
        radio->say(radio->context, true, radio->error);
}

void radio_serve(radio *radio, uint64_t now_us) {
    uint8_t message[MESSAGE];
    ssize_t size;
    if (radio->control < 0)
        return;
    int event;
    while ((event = take_message(radio, message, &size, now_us)) >= 0)
        if ((event == COMPLETE || event == STATUS) && size >= HEAD + 3 &&
            number_at(message + HEAD) == ADD_ADVERTISING && message[HEAD + 2] != 0)
            radio->find_at_us = now_us + FIND_AGAIN_US;
    if (radio->find_at_us <= now_us) {
        radio->find_at_us = YT_NEVER;
        if (radio->is_on_air && radio->host < 0)
            be_found(radio, true);
    }
    look_at_controller(radio);
    if (radio->listening >= 0)
        let_host_come(radio, now_us);
    answer_host(radio, now_us);
    if (radio->host >= 0 && !radio->att.is_encrypted && now_us >= radio->leave_at_us) {
        say_of(radio, true, "is sent away: it was not bonded in a minute", radio->host_address);
        drop_host(radio);
    }
}

void radio_let_in(radio *radio, uint64_t now_us) {
    radio->open_until_us = now_us + RADIO_LET_IN_US;
}

void radio_answer(radio *radio, const uint8_t *bytes, size_t size) {
    uint8_t answer[ATT_MTU];
    size_t length = radio->host < 0 ? 0 : att_relayed(&radio->att, bytes, size, answer);
    if (length > 0)
        (void)!send(radio->host, answer, length, MSG_DONTWAIT | MSG_NOSIGNAL);
}

void radio_tell_battery(radio *radio, int percent) {
    att_tell_battery(&radio->att, percent);
    if (percent >= 0 && radio->battery >= 0)
        radio->battery = percent;
}

void radio_send(radio *radio, uint64_t now_us) {
    look_at_encryption(radio, now_us);
    while (radio->host >= 0) {
        if (radio->waiting_bytes == 0)
            radio->waiting_bytes = att_notification(&radio->att, radio->waiting, now_us);
        if (radio->waiting_bytes == 0 || send(radio->host, radio->waiting, radio->waiting_bytes,
                                              MSG_DONTWAIT | MSG_NOSIGNAL) < 0)
            return;
        radio->waiting_bytes = 0;
        att_sent(&radio->att, now_us);
    }
}
