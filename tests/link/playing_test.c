/* Everything is restored while somebody plays: how long a host gets no report. A key goes down and
 * up each millisecond, its host polls each millisecond, and between two polls the link works. The
 * flash takes its time: where it stops the code, the host waits for it. */
#include "tests/link/host.h"

#define UNIT_US  50
#define ERASE_US 22000

static linked_box to;

/* What the host of the mouse got, and when. */
static uint64_t last_us, longest_us, flash_us;
static unsigned reports;
static bool stops_code, is_key_down, is_telling;

static void play(linked_box *box) {
    uint8_t bytes[YT_REPORT_BYTES + 1];
    const uint8_t keys[6] = {is_key_down ? 0 : KEY_A};
    size_t length;
    if (stops_code) /* what the flash took since the last poll, nothing else was done */
        box->now_us += box->box.flash.time_us - flash_us;
    flash_us = box->box.flash.time_us;
    if (!is_telling)
        return;
    is_key_down = !is_key_down;
    box_report(&box->box, keys, sizeof keys, box->now_us);
    if (yt_interface_report(&box->box.engine, 0, bytes, sizeof bytes, &length) != YT_OK ||
        length == 0)
        return;
    yt_interface_taken(&box->box.engine, 0, box->now_us);
    if (reports++ > 0 && box->now_us - last_us > longest_us)
        longest_us = box->now_us - last_us;
    last_us = box->now_us;
}

/* A box that plays slot 1, in a flash that is worn in: several contents were written before. */
static void begin(host *host, bool stops, bool may_erase) {
    linked_begin(&to);
    to.box.has_keyboard = true;
    for (unsigned i = 0; i < 40; i++)
        box_write(&to.box, i % 3, linked_texts[i % 3]);
    box_write(&to.box, 0, linked_texts[0]);
    linked_plug_in(&to);
    to.box.flash.facts.program_us = UNIT_US;
    to.box.flash.facts.erase_us = ERASE_US;
    stops_code = stops;
    flash_us = to.box.flash.time_us;
    last_us = longest_us = reports = 0;
    is_key_down = is_telling = false;
    to.play = play;
    host_begin(host, &to, YT_LINK_CABLE, 1);
    host_unlock(host);
    to.may_erase = may_erase;
    is_telling = true;
}

/* Three slots, one after the other; whoever is told to wait asks again. */
static bool restore(host *host, unsigned *waits) {
    for (unsigned slot = 1; slot <= 3; slot++) {
        int result;
        unsigned tries = 0;
        while ((result = host_put(host, slot, "saved", slot % 3)) == YT_RESULT_BUSY && tries++ < 5)
            ++*waits;
        if (result != YT_RESULT_DONE)
            return false;
    }
    return true;
}

static void check_code_goes_on(void) {
    host host;
    unsigned waits = 0;
    about("code runs while the flash erases");
    begin(&host, false, true);
    CHECK(restore(&host, &waits));
    CHECK(reports > 100);
    CHECK(to.box.flash.time_us > ERASE_US);
    CHECK_EQUAL(longest_us, 1000); /* one interval */
    printf("code runs while the flash erases: %u reports, the longest gap %u us\n", reports,
           (unsigned)longest_us);
    linked_end(&to);
}

static void check_stall_is_allowed(void) {
    host host;
    unsigned waits = 0;
    about("it does not, and the port allows the stall");
    begin(&host, true, true);
    CHECK(restore(&host, &waits));
    CHECK(longest_us >= ERASE_US);
    /* one erase at a time, and what is programmed between two polls: 8 units and a record */
    CHECK(longest_us <= 1000 + ERASE_US + 40 * UNIT_US);
    printf("it stops the code, for %u us an erase: the longest gap %u us\n", ERASE_US,
           (unsigned)longest_us);
    linked_end(&to);
}

static void check_it_waits(void) {
    host host;
    unsigned waits = 0;
    about("it does not, and nothing is erased while somebody plays");
    begin(&host, true, false);
    unsigned tries = 0;
    bool done = restore(&host, &waits);
    CHECK(longest_us <= 1000 + 40 * UNIT_US);
    printf("nothing is erased while somebody plays: the longest gap %u us%s\n",
           (unsigned)longest_us, done ? "" : ", and the host is told to wait");
    about("then play ends, and the rest of it is done");
    CHECK(!done && waits > 0); /* it says so */
    is_telling = false;
    to.may_erase = true;
    while (!restore(&host, &waits) && tries++ < 10)
        continue;
    for (unsigned slot = 1; slot <= 3; slot++)
        host_check_slot(&host, slot, "saved", slot % 3);
    linked_end(&to);
}

int main(void) {
    check_code_goes_on();
    check_stall_is_allowed();
    check_it_waits();
    return report_checks();
}
