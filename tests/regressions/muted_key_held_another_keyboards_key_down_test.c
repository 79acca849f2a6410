/* Two keyboards at one input. A key that is down when all is cancelled reads as up until it is
 * pressed anew; once it held the same key of the other keyboard down after that was let go. */
#include <stdlib.h>

#include "tests/engine/rig.h"
#include "tests/harness.h"

static const char profile[] =
    "inputs: {keys: keyboard}\noutputs: {pad: gamepad}\nsheet:\n  pad.south: keys.a\n";

static rig rig_;

/* Whether the host sees the button down; what is not new stays. */
static bool is_down(uint64_t now_us) {
    static bool down;
    const char *report = rig_take(&rig_, 0, now_us);
    if (*report)
        down = strtol(report, NULL, 16) & 1;
    return down;
}

int main(void) {
    enum { A = 4 };
    rig_begin(&rig_, profile);
    unsigned held = RIG_ATTACH(&rig_, rig_six_keys), other = RIG_ATTACH(&rig_, rig_six_keys);
    RIG_REPORT(&rig_, held, 1000, A, 0, 0, 0, 0, 0);
    RIG_REPORT(&rig_, other, 2000, 0, 0, 0, 0, 0, 0);
    CHECK(is_down(3000));
    yt_engine_cancel(&rig_.engine);
    CHECK(!is_down(4000));
    RIG_REPORT(&rig_, other, 5000, A, 0, 0, 0, 0, 0);
    CHECK(is_down(6000));
    RIG_REPORT(&rig_, other, 7000, 0, 0, 0, 0, 0, 0);
    CHECK(!is_down(8000));
    RIG_REPORT(&rig_, held, 9000, 0, 0, 0, 0, 0, 0);
    RIG_REPORT(&rig_, held, 10000, A, 0, 0, 0, 0, 0);
    CHECK(is_down(11000));
    rig_end(&rig_);
    return report_checks();
}
