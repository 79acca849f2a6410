/* An axis of 32 bits that is copied as it is: whoever moves it while the host sleeps wakes the
 * host, as with any axis; once only axes that are scaled did. */
#include "tests/engine/rig.h"
#include "tests/harness.h"

static const uint8_t wide[] = {0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, 0x09, 0x30, 0x17,
                               0x00, 0x00, 0x00, 0x80, 0x27, 0xff, 0xff, 0xff, 0x7f,
                               0x75, 0x20, 0x95, 0x01, 0x81, 0x02, 0xc0};

static rig r;

int main(void) {
    rig_begin(&r,
              "inputs: {stick: joystick}\noutputs:\n  out: {kind: joystick, descriptor: 05 01 09 "
              "04 a1 01 09 30 17 00 00 00 80 27 ff ff ff 7f 75 20 95 01 81 02 c0}\n"
              "sheet: {out.x: stick.x}\n");
    unsigned stick = RIG_ATTACH(&r, wide);
    RIG_REPORT(&r, stick, 1000, 0, 0, 0, 1);
    CHECK_TEXT(rig_take(&r, 0, 2000), "00 00 00 01");
    yt_connector_suspend(&r.engine, 1, true);
    about("its value changes");
    RIG_REPORT(&r, stick, 3000, 0, 0, 0, 0x40);
    CHECK_EQUAL(r.wakes, 1);
    yt_connector_suspend(&r.engine, 1, false);
    CHECK_TEXT(rig_take(&r, 0, 4000), "00 00 00 40");
    yt_connector_suspend(&r.engine, 1, true);
    about("only its raw number changes");
    RIG_REPORT(&r, stick, 5000, 1, 0, 0, 0x40);
    CHECK_EQUAL(r.wakes, 2);
    yt_connector_suspend(&r.engine, 1, false);
    CHECK_TEXT(rig_take(&r, 0, 6000), "01 00 00 40");
    rig_end(&r);
    return report_checks();
}
