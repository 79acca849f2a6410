/* The firmware to copy (ports/template), with hardware that this test makes up: a keyboard and a
 * mouse that come, press, roll and leave; a host that asks, takes, sleeps and is woken. */
#include <setjmp.h>

#include "tests/engine/descriptors.h"
#include "tests/harness.h"
#include "yonder/yonder.h"

/* What the firmware has, and what it wants. */
int firmware(void);
void device_sent(const uint8_t *bytes, size_t size);
void host_reset(void);
void host_suspended(bool on);
void host_asked(const uint8_t setup[8], const uint8_t *data, size_t size);
void host_took(unsigned endpoint);
uint64_t clock_us(void);
void sleep_until(uint64_t time_us);
bool device_is_there(const uint8_t **descriptor, size_t *size, uint16_t *vendor, uint16_t *product);
void device_send(yt_hid_direction direction, const uint8_t *bytes, size_t size);
void endpoint_send(unsigned endpoint, const uint8_t *bytes, size_t size);
void control_send(const uint8_t *bytes, size_t size);
void control_stall(void);
void bus_wake(void);
void bus_reconnect(void);

static jmp_buf end;
static uint64_t now_us;
static unsigned round_number, sent_count, wakes, stalls;
static bool is_there;
static uint8_t sent[16], answered[512], lights[4];
static size_t sent_bytes, answered_bytes, light_bytes;

uint64_t clock_us(void) {
    return now_us;
}

bool device_is_there(const uint8_t **descriptor, size_t *size, uint16_t *vendor,
                     uint16_t *product) {
    *descriptor = six_keys;
    *size = sizeof six_keys;
    *vendor = 0x1209;
    *product = 1;
    return is_there;
}

void device_send(yt_hid_direction direction, const uint8_t *bytes, size_t size) {
    CHECK_EQUAL(direction, YT_HID_OUTPUT);
    light_bytes = size;
    memcpy(lights, bytes, size);
}

void endpoint_send(unsigned endpoint, const uint8_t *bytes, size_t size) {
    CHECK_EQUAL(endpoint, 1);
    sent_count++;
    sent_bytes = size;
    memcpy(sent, bytes, size < sizeof sent ? size : sizeof sent);
}

void control_send(const uint8_t *bytes, size_t size) {
    answered_bytes = size;
    memcpy(answered, bytes, size);
}

void control_stall(void) {
    stalls++;
}

void bus_wake(void) {
    wakes++;
}

void bus_reconnect(void) {
    CHECK(false); /* the one program has the same interfaces all the time */
}

static void press(uint8_t key) {
    const uint8_t bytes[7] = {0, key};
    device_sent(bytes, sizeof bytes);
}

/* What happens while the firmware sleeps, round by round. */
void sleep_until(uint64_t time_us) {
    static const uint8_t get_device[8] = {0x80, 6, 0, 1, 0, 0, 64, 0},
                         set_lights[8] = {0x21, 9, 0, 2, 0, 0, 1, 0},
                         nonsense[8] = {0x21, 77, 0, 2, 0, 0, 1, 0};
    const uint8_t caps_lock = 2;
    about("round %u", round_number);
    CHECK(time_us >= now_us);
    now_us += 1000;
    switch (round_number++) {
    case 0:
        CHECK_EQUAL(sent_count, 0); /* nothing is plugged in */
        is_there = true;
        break;
    case 1:
        press(4); /* a */
        break;
    case 2:
        CHECK_EQUAL(sent_count, 1);
        CHECK_EQUAL(sent[1], 2); /* the profile makes it b, the second of the bits */
        press(0);
        break;
    case 3:
        CHECK_EQUAL(sent_count, 1); /* the host has not taken the first */
        host_took(1);
        break;
    case 4:
        CHECK_EQUAL(sent_count, 2);
        CHECK_EQUAL(sent[1], 0);
        host_took(1);
        host_asked(get_device, NULL, 0);
        CHECK_EQUAL(answered_bytes, 18);
        host_asked(set_lights, &caps_lock, 1);
        host_asked(nonsense, &caps_lock, 1);
        CHECK_EQUAL(stalls, 1);
        break;
    case 5:
        CHECK_EQUAL(light_bytes, 1); /* the keyboard's light follows the host's */
        CHECK_EQUAL(lights[0], 2);
        host_suspended(true);
        press(4);
        break;
    case 6:
        CHECK_EQUAL(wakes, 1);
        CHECK_EQUAL(sent_count, 2);
        host_suspended(false);
        break;
    case 7:
        CHECK_EQUAL(sent_count, 3);
        host_reset();
        break;
    case 8:
        CHECK_EQUAL(sent_count, 4); /* what is on is told anew */
        host_took(1);
        is_there = false;
        break;
    case 9:
        break;
    default:
        CHECK_EQUAL(sent_count, 5); /* the key went up as its keyboard left */
        CHECK_EQUAL(sent[1], 0);
        longjmp(end, 1);
    }
}

int main(void) {
    if (setjmp(end) == 0)
        CHECK_EQUAL(firmware(), 99); /* it does not come back */
    CHECK_EQUAL(round_number, 11);
    return report_checks();
}
