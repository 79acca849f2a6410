/* The board that the examples run on: it plays a story and prints what the hosts get. Each line of
 * a story is a time in milliseconds and what happens then:
 *
 *     0 plug 1 keyboard           a device at an address: keyboard, pad, pedal, ball
 *     10 sends 1 00 00 2c 00      its report, in hexadecimal
 *     12 again 1 8 00 00 00       from now on it sends this every 8 ms
 *     50 unplug 1
 *     20 pin 3 0                  a pin's level, 1 at first
 *     20 channel 0 4095           what an ADC channel reads, 2048 at first
 *     30 host 1 0 02 ff           a report of the host's at a connector, to an interface
 *     40 sleep 1                  that host sleeps; `wake` ends it
 *     90 end */
#include "board.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define PINS      32
#define CHANNELS  4
#define ENDPOINTS 8
#define POLL_US   1000 /* how often the hosts take what is armed, and pins are sampled */

typedef struct endpoint {
    unsigned connector, interface;
    size_t size; /* 0: not armed */
    uint64_t since_us;
    uint8_t bytes[64];
} endpoint;

static const uint8_t keyboard[] = {
    0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07, 0x19, 0xe0, 0x29, 0xe7, 0x15, 0x00, 0x25, 0x01,
    0x75, 0x01, 0x95, 0x08, 0x81, 0x02, 0x75, 0x08, 0x95, 0x01, 0x81, 0x01, 0x05, 0x08, 0x19, 0x01,
    0x29, 0x03, 0x75, 0x01, 0x95, 0x03, 0x91, 0x02, 0x95, 0x05, 0x91, 0x01, 0x05, 0x07, 0x19, 0x00,
    0x2a, 0xff, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x06, 0x81, 0x00, 0xc0};
static const uint8_t pad[] = {0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01,
                              0x29, 0x08, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x08,
                              0x81, 0x02, 0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x26, 0xff,
                              0x00, 0x75, 0x08, 0x95, 0x02, 0x81, 0x02, 0xc0};
static const uint8_t pedal[] = {0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x09, 0x01,
                                0x15, 0x00, 0x25, 0x01, 0x75, 0x08, 0x95, 0x01, 0x81, 0x02,
                                0x05, 0x02, 0x09, 0xc4, 0x26, 0xff, 0x00, 0x81, 0x02, 0xc0};
static const uint8_t ball[] = {0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x09, 0x30, 0x09, 0x31, 0x15,
                               0x81, 0x25, 0x7f, 0x75, 0x08, 0x95, 0x02, 0x81, 0x06, 0xc0};

static const struct {
    const char *name;
    board_device device;
} kinds[] = {{"keyboard", {keyboard, sizeof keyboard, 0x1209, 0x0001}},
             {"pad", {pad, sizeof pad, 0x1209, 0x0002}},
             {"pedal", {pedal, sizeof pedal, 0x1209, 0x0060}},
             {"ball", {ball, sizeof ball, 0x1209, 0x0003}}};

static const board_calls *calls;
static FILE *story;
static char line[200]; /* what comes next; empty: nothing does */
static unsigned line_number;
static const char *path;
static uint64_t now_us, next_us, sampled_us;
static bool pins[PINS];
static uint16_t channels[CHANNELS];
static endpoint endpoints[ENDPOINTS];
static struct {
    unsigned address;
    uint64_t due_us, every_us; /* 0: nothing is sent again */
    uint8_t bytes[64];
    size_t size;
} again;

static void fail(const char *what) {
    fprintf(stderr, "%s:%u: %s\n", path, line_number, what);
    exit(1);
}

static void say_when(void) {
    printf("%9.3f ms  ", (double)now_us / 1000);
}

static void print_bytes(const uint8_t *bytes, size_t size) {
    for (size_t i = 0; i < size; i++)
        printf(" %02x", bytes[i]);
    putchar('\n');
}

static void read_line(void) {
    do {
        line_number++;
        if (!fgets(line, sizeof line, story))
            line[0] = 0;
    } while (line[0] == '#' || line[0] == '\n');
    if (line[0])
        next_us = (uint64_t)(strtod(line, NULL) * 1000);
}

static size_t read_bytes(const char *text, uint8_t *bytes) {
    size_t size = 0;
    unsigned value;
    int length;
    for (; size < 64 && sscanf(text, "%2x%n", &value, &length) == 1; text += length)
        bytes[size++] = (uint8_t)value;
    return size;
}

static void plug(unsigned address, const char *kind) {
    for (size_t i = 0; i < sizeof kinds / sizeof kinds[0]; i++)
        if (strncmp(kind, kinds[i].name, strlen(kinds[i].name)) == 0) {
            if (calls->plugged)
                calls->plugged(address, &kinds[i].device);
            return;
        }
    fail("there is no such device: keyboard, pad, pedal, ball");
}

/* One line of the story. */
static void play(void) {
    char word[20];
    unsigned first = 0, second = 0;
    int rest = 0, more = 0;
    uint8_t bytes[64];
    if (sscanf(line, "%*s %19s %u%n %u%n", word, &first, &rest, &second, &more) < 1)
        fail("a time, and what happens");
    const char *behind = line + rest;
    if (strcmp(word, "plug") == 0)
        plug(first, behind + 1);
    else if (strcmp(word, "unplug") == 0 && calls->unplugged)
        calls->unplugged(first);
    else if (strcmp(word, "sends") == 0 && calls->sent) {
        again.every_us = 0;
        calls->sent(first, bytes, read_bytes(behind, bytes));
    } else if (strcmp(word, "again") == 0 && calls->sent && second > 0) {
        again.address = first;
        again.every_us = second * 1000u;
        again.due_us = now_us;
        again.size = read_bytes(line + more, again.bytes);
    } else if (strcmp(word, "host") == 0 && calls->host_sent)
        calls->host_sent(first, second, bytes, read_bytes(line + more, bytes));
    else if ((strcmp(word, "sleep") == 0 || strcmp(word, "wake") == 0) && calls->host_sleeps)
        calls->host_sleeps(first, word[0] == 's');
    else if (strcmp(word, "pin") == 0 && first < PINS)
        pins[first] = second != 0;
    else if (strcmp(word, "channel") == 0 && first < CHANNELS)
        channels[first] = (uint16_t)second;
    else if (strcmp(word, "end") != 0)
        fail("this board does not know that");
    read_line();
}

void board_begin(int count, char **arguments, const board_calls *given) {
    if (count != 2 || !(story = fopen(path = arguments[1], "r"))) {
        fprintf(stderr, "usage: %s STORY: a file that says what happens\n", arguments[0]);
        exit(2);
    }
    calls = given;
    for (unsigned i = 0; i < PINS; i++)
        pins[i] = true;
    for (unsigned i = 0; i < CHANNELS; i++)
        channels[i] = 2048;
    read_line();
    while (line[0] && next_us == 0 && strstr(line, " pin ")) /* so it was before the start */
        play();
}

uint64_t board_us(void) {
    return now_us;
}

/* The host takes what is armed when it polls next. */
static void poll_hosts(void) {
    for (unsigned i = 0; i < ENDPOINTS; i++) {
        endpoint *at = &endpoints[i];
        if (at->size == 0 || at->since_us + POLL_US > now_us)
            continue;
        say_when();
        printf("host %u, interface %u gets", at->connector, at->interface);
        print_bytes(at->bytes, at->size);
        at->size = 0;
        if (calls->host_took)
            calls->host_took(at->connector, at->interface);
    }
}

static uint64_t earlier(uint64_t a, uint64_t b) {
    return a < b ? a : b;
}

bool board_sleep(uint64_t until_us) {
    uint64_t wake_us = line[0] ? earlier(until_us, next_us) : until_us;
    for (unsigned i = 0; i < ENDPOINTS; i++)
        if (endpoints[i].size > 0)
            wake_us = earlier(wake_us, endpoints[i].since_us + POLL_US);
    if (again.every_us > 0)
        wake_us = earlier(wake_us, again.due_us);
    if (calls->sampled)
        wake_us = earlier(wake_us, sampled_us + POLL_US);
    if (!line[0] && (wake_us == UINT64_MAX || calls->sampled || again.every_us > 0))
        return false;
    now_us = wake_us > now_us ? wake_us : now_us;
    poll_hosts();
    while (line[0] && next_us <= now_us)
        play();
    if (again.every_us > 0 && again.due_us <= now_us) {
        again.due_us = now_us + again.every_us;
        calls->sent(again.address, again.bytes, again.size);
    }
    if (calls->sampled && sampled_us + POLL_US <= now_us) {
        sampled_us = now_us;
        calls->sampled();
    }
    return true;
}

bool board_pin(unsigned pin) {
    return pin < PINS && pins[pin];
}

uint16_t board_channel(unsigned channel) {
    return channel < CHANNELS ? channels[channel] : 0;
}

void board_drive(unsigned pin, unsigned level) {
    say_when();
    printf("pin %u is driven at %u of 255\n", pin, level);
}

void board_arm(unsigned connector, unsigned interface, const uint8_t *bytes, size_t size) {
    for (unsigned i = 0; i < ENDPOINTS; i++)
        if (endpoints[i].size == 0 && size <= sizeof endpoints[i].bytes) {
            endpoints[i] = (endpoint){connector, interface, size, now_us, {0}};
            memcpy(endpoints[i].bytes, bytes, size);
            return;
        }
    fail("more is armed than there are endpoints");
}

void board_to_device(unsigned address, const uint8_t *bytes, size_t size) {
    say_when();
    printf("device %u gets", address);
    print_bytes(bytes, size);
}

void board_say(const char *text) {
    say_when();
    puts(text);
}

void board_say_number(const char *text, long number) {
    say_when();
    printf("%s %ld\n", text, number);
}

static FILE *flash;

int board_flash_read(void *context, uint32_t offset, void *bytes, size_t size) {
    (void)context;
    return fseek(flash, (long)offset, SEEK_SET) != 0 || fread(bytes, 1, size, flash) != size;
}

int board_flash_program(void *context, uint32_t offset, const void *bytes, size_t size) {
    (void)context;
    return fseek(flash, (long)offset, SEEK_SET) != 0 || fwrite(bytes, 1, size, flash) != size ||
           fflush(flash) != 0;
}

int board_flash_erase(void *context, uint32_t sector) {
    static uint8_t erased[BOARD_SECTOR_BYTES];
    memset(erased, 0xff, sizeof erased);
    return board_flash_program(context, sector * BOARD_SECTOR_BYTES, erased, sizeof erased);
}

/* A chip comes erased. */
bool board_flash_begin(const char *file) {
    flash = fopen(file, "r+b");
    if (flash)
        return true;
    flash = fopen(file, "w+b");
    for (uint32_t i = 0; i < BOARD_SECTORS && flash; i++)
        if (board_flash_erase(NULL, i) != 0)
            return false;
    return flash != NULL;
}
