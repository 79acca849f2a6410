/* What a sweep tells of a profile, against what its formulas say; and what is no input or output.
 */
#include <math.h>
#include <unistd.h>

#include "tests/harness.h"
#include "tool/sweep.h"

static const char text[] =
    "yonder: 1\ninputs: {hand: gamepad, grip: lapwing-grip}\noutputs: {pad: gamepad}\nsheet:\n"
    "  pad.left_stick: deadzone(hand.left_stick, inner=20%)\n"
    "  pad.right_stick.x: hand.right_stick.x * 50%\n"
    "  pad.right_trigger: trigger_range(hand.right_trigger, start=10%, end=70%)\n"
    "  pad.south: pressed(hand.left_trigger, at=30%, back=20%)\n"
    "  pad.east: grip.gyro.y > 60 deg/s\n"
    "  pad.left_trigger: lowpass(hand.left_trigger, over=100 ms)\n";

static profile it;
static sweep swept;

static double out_of(const char *in_name, double x, double y, const char *out_name, unsigned side) {
    swept_input input;
    swept_output output;
    double in[2] = {x, y}, out[2] = {9, 9};
    about("%s at %.2f, %.2f, to %s", in_name, x, y, out_name);
    CHECK(sweep_find_input(&it, "it", in_name, &input));
    CHECK(sweep_find_output(&it, "it", out_name, &output));
    sweep_step(&swept, &input, in, &output, out);
    return out[side];
}

static void check_values(void) {
    for (int i = -20; i <= 20; i++) {
        double x = i / 20.0, wanted = fabs(x) < 0.2 ? 0 : copysign((fabs(x) - 0.2) / 0.8, x);
        CHECK(fabs(out_of("hand.left_stick", x, 0, "pad.left_stick", 0) - wanted) < 1e-4);
        CHECK(fabs(out_of("hand.left_stick", 0, x, "pad.left_stick", 1) - wanted) < 1e-4);
        CHECK(fabs(out_of("hand.left_stick", 0, x, "pad.left_stick.y", 0) - wanted) < 1e-4);
        CHECK(fabs(out_of("hand.right_stick.x", x, 0, "pad.right_stick.x", 0) - x / 2) < 1e-4);
        if (i >= 0)
            CHECK(fabs(out_of("hand.right_trigger", x, 0, "pad.right_trigger", 0) -
                       fmax(0, fmin(1, (x - 0.1) / 0.6))) < 1e-4);
    }
    CHECK(out_of("hand.left_trigger", 0.25, 0, "pad.south", 0) == 0);
    CHECK(out_of("hand.left_trigger", 0.35, 0, "pad.south", 0) == 1);
    CHECK(out_of("hand.left_trigger", 0.25, 0, "pad.south", 0) == 1); /* back only at 20% */
    CHECK(out_of("grip.gyro.y", 59, 0, "pad.east", 0) == 0);
    CHECK(out_of("grip.gyro.y", 61, 0, "pad.east", 0) == 1);
    out_of("hand.left_trigger", 0, 0, "pad.left_trigger", 0);
    for (unsigned i = 0; i < 100; i++)
        out_of("hand.left_trigger", 1, 0, "pad.left_trigger", 0);
    CHECK(out_of("hand.left_trigger", 1, 0, "pad.left_trigger", 0) > 0.999); /* time goes by */
}

static void check_unknown(void) {
    swept_input input;
    swept_output output;
    CHECK(!sweep_find_input(&it, "it", "hand.left_stik", &input));
    CHECK(!sweep_find_input(&it, "it", "hand", &input));
    CHECK(!sweep_find_input(&it, "it", "hand.east", &input)); /* nothing reads it */
    CHECK(!sweep_find_input(&it, "it", "nobody.left_stick", &input));
    CHECK(!sweep_find_output(&it, "it", "pad.west", &output));
    CHECK(!sweep_find_output(&it, "it", "hand.left_stick", &output));
}

int main(void) {
    char path[] = "crane/sweep_test_XXXXXX"; /* beside the demo's descriptions */
    int file = mkstemp(path);
    if (file < 0 || write(file, text, sizeof text - 1) != sizeof text - 1)
        return 1;
    close(file);
    bool good = profile_open(&it, path);
    unlink(path);
    if (!good || !sweep_begin(&swept, &it, "it"))
        return 1;
    check_values();
    check_unknown();
    sweep_end(&swept);
    profile_close(&it);
    return report_checks();
}
