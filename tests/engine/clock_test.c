/* What a port gets that tells a wrong time, and one whose clock is set. */
#include "tests/engine/rig.h"
#include "tests/harness.h"
#include "tests/engine/lengths.h"

static const char profile[] =
    "inputs: {keys: keyboard, ball: mouse}\noutputs: {typed: keyboard, view: mouse}\nsheet:\n"
    "  typed.a: turbo(keys.a, 10 Hz)\n  typed.b: hold(keys.b, 300 ms)\n"
    "  typed.c: keys.c\n  view.motion: ball.motion\n  view.wheel: keys.d * 9 /s\n";
static const uint8_t mouse[] = {0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x09, 0x30, 0x09, 0x31, 0x15,
                                0x81, 0x25, 0x7f, 0x75, 0x08, 0x95, 0x02, 0x81, 0x06, 0xc0};

enum { A = 4, B, C };
#define MS       UINT64_C(1000)
#define S        UINT64_C(1000000)
#define TYPED    0
#define VIEW     1
#define NOTHING  ""
#define FAR_AWAY (UINT64_C(1) << 60)
#define AHEAD_US ((uint64_t)YT_AHEAD_US)

static rig r;
static unsigned keys, ball;

/* At a time of the port's, with all that the host was told taken. */
static void begin(uint64_t now_us) {
    rig_begin(&r, profile);
    yt_engine_update(&r.engine, now_us);
    keys = RIG_ATTACH(&r, rig_six_keys);
    ball = RIG_ATTACH(&r, mouse);
    while (*rig_take(&r, TYPED, now_us) || *rig_take(&r, VIEW, now_us))
        continue;
}

static void press(unsigned key, uint64_t now_us) {
    RIG_REPORT(&r, keys, now_us, (uint8_t)key, 0, 0, 0, 0, 0);
}

/* Whether an update at a time has something new for the keyboard's host. */
static bool is_news_at(uint64_t now_us) {
    yt_engine_update(&r.engine, now_us);
    return *rig_take(&r, TYPED, now_us) != 0;
}

static void check_end_of_time(void) {
    static const uint64_t wrong[] = {YT_NEVER, YT_NEVER - 1, FAR_AWAY, YT_NEVER / 2 + 1};
    for (size_t i = 0; i < sizeof wrong / sizeof wrong[0]; i++) {
        begin(5 * S);
        press(A, 5 * S);
        about("an update at %" PRIu64 " while a turbo runs", wrong[i]);
        CHECK(is_news_at(5 * S));
        uint64_t due_us = yt_engine_update(&r.engine, wrong[i]);
        CHECK(due_us >= wrong[i]);
        CHECK(yt_engine_counts(&r.engine).deadlines_merged > 0);
        CHECK(yt_engine_counts(&r.engine).deadlines_merged < 8);
        about("and then the right time again: it goes on as fast as before");
        yt_engine_update(&r.engine, 6 * S);
        while (*rig_take(&r, TYPED, 6 * S))
            continue;
        unsigned changes = 0;
        for (uint64_t now_us = 6 * S; now_us < 8 * S; now_us += 5 * MS)
            changes += is_news_at(now_us);
        CHECK(changes == 39 || changes == 40); /* twenty times a second on or off */
        rig_end(&r);
    }
}

static void check_set_back(void) {
    static const uint64_t back[] = {YT_BACK_US + 1, 50 * S, 99 * S};
    for (size_t i = 0; i < sizeof back / sizeof back[0]; i++) {
        about("the clock is set back by %" PRIu64 " us: what is under way keeps its time", back[i]);
        begin(100 * S);
        press(B, 100 * S);
        yt_engine_update(&r.engine, 100 * S + 100 * MS);
        uint64_t set_us = 100 * S + 100 * MS - back[i];
        CHECK_EQUAL(yt_engine_update(&r.engine, set_us), set_us + 200 * MS);
        CHECK(!is_news_at(set_us + 200 * MS - 1));
        CHECK(is_news_at(set_us + 200 * MS));
        about("a report of before, that comes after, happens now");
        RIG_REPORT(&r, keys, 100 * S + 50 * MS, 0, 0, 0, 0, 0, 0);
        CHECK(is_news_at(set_us + 300 * MS));
        rig_end(&r);
    }
}

static void check_a_little_back(void) {
    static const uint64_t back[] = {1, 500 * MS, YT_BACK_US};
    for (size_t i = 0; i < sizeof back / sizeof back[0]; i++) {
        about("a time that is %" PRIu64 " us before the last one counts as that", back[i]);
        begin(100 * S);
        press(B, 100 * S);
        CHECK_EQUAL(yt_engine_update(&r.engine, 100 * S - back[i]), 100 * S + 300 * MS);
        CHECK(!is_news_at(100 * S + 300 * MS - 1));
        CHECK(is_news_at(100 * S + 300 * MS));
        rig_end(&r);
    }
}

static void check_ahead(void) {
    about("half an hour goes by at once, and no more: what was under way is over");
    begin(S);
    press(B, S);
    CHECK(is_news_at(S + AHEAD_US * 3));
    CHECK_EQUAL(r.engine.now_us, S + YT_AHEAD_US);
    about("a time is counted from there");
    press(0, S + AHEAD_US * 3);
    rig_take(&r, TYPED, S + AHEAD_US * 3);
    press(B, S + AHEAD_US * 3);
    CHECK(!is_news_at(S + AHEAD_US * 3 + 300 * MS - 1));
    CHECK(is_news_at(S + AHEAD_US * 3 + 300 * MS));
    rig_end(&r);
}

/* Motion that waits since a wrong time has not waited for long when the clock is right again. */
static void check_waiting_motion(void) {
    about("motion that waited while the clock was wrong");
    begin(S);
    RIG_REPORT(&r, ball, S, 1, 0);
    CHECK(*rig_take(&r, VIEW, 21 * S) != 0);
    for (unsigned i = 0; i < 1000;
         i++) /* as much as fits into four reports, a little before that */
        RIG_REPORT(&r, ball, 21 * S - YT_BACK_US / 2, 127, 0);
    uint8_t bytes[YT_REPORT_BYTES + 1];
    CHECK(next_report(&r.engine, VIEW, bytes, sizeof bytes) > 0);
    yt_interface_taken(&r.engine, VIEW, 2 * S);
    unsigned reports = 0;
    while (*rig_take(&r, VIEW, 2 * S))
        reports++;
    CHECK_EQUAL(reports, 3);
    CHECK_EQUAL(yt_engine_counts(&r.engine).motion_dropped, 0);
    rig_end(&r);
}

/* What a port says of its host at a wrong time does not stay. */
static void check_host(void) {
    about("a report that was taken at a wrong time");
    begin(S);
    RIG_REPORT(&r, ball, S, 5, 0);
    uint8_t bytes[YT_REPORT_BYTES + 1];
    CHECK(next_report(&r.engine, VIEW, bytes, sizeof bytes) > 0);
    yt_interface_taken(&r.engine, VIEW, YT_NEVER);
    for (unsigned i = 1; i <= 100; i++) {
        RIG_REPORT(&r, ball, S + i * 8 * MS, 3, 0);
        CHECK(*rig_take(&r, VIEW, S + i * 8 * MS) != 0);
    }
    CHECK_EQUAL(yt_engine_counts(&r.engine).motion_dropped, 0);
    about("an idle time is counted from when the clock was right again");
    yt_interface_set_idle(&r.engine, TYPED, 40 * MS);
    press(C, 2 * S);
    CHECK(next_report(&r.engine, TYPED, bytes, sizeof bytes) > 0);
    yt_interface_taken(&r.engine, TYPED, FAR_AWAY);
    CHECK_EQUAL(yt_engine_update(&r.engine, 2 * S + MS), 2 * S + 41 * MS);
    CHECK(is_news_at(2 * S + 41 * MS));
    rig_end(&r);
}

/* SET_IDLE, and nobody reads: an update never says that it was due before. */
static void check_idle(void) {
    begin(S);
    about("a host that asks for reports with nothing new, and does not take them");
    yt_interface_set_idle(&r.engine, TYPED, 40 * MS);
    for (uint64_t now_us = S; now_us < 3 * S; now_us += 7 * MS)
        CHECK(yt_engine_update(&r.engine, now_us) > now_us);
    about("it gets one when it does");
    CHECK(*rig_take(&r, TYPED, 3 * S) != 0);
    CHECK_EQUAL(yt_engine_update(&r.engine, 3 * S), 3 * S + 40 * MS);
    CHECK_TEXT(rig_take(&r, TYPED, 3 * S), NOTHING);
    rig_end(&r);
}

/* The same things happen to two engines, after the same pauses; the clock of the second is set back
 * by any time now and then. What their hosts get is the same. */
static void check_any_clock(void) {
    static rig other;
    dice dice = {42};
    about("a clock that is set again and again");
    begin(0);
    unsigned other_keys = 0;
    rig_begin(&other, profile);
    other_keys = RIG_ATTACH(&other, rig_six_keys);
    uint64_t steady_us = 0, set_us = 0;
    while (*rig_take(&other, TYPED, 0))
        continue;
    for (unsigned i = 0; i < 20000; i++) {
        uint64_t pause_us = roll_below(&dice, 60000);
        steady_us += pause_us;
        set_us += pause_us;
        yt_engine_update(&r.engine, steady_us);
        yt_engine_update(&other.engine, set_us);
        if (roll_below(&dice, 8) == 0 && set_us > 2 * YT_BACK_US) {
            set_us -= YT_BACK_US + 1 + roll_below(&dice, (uint32_t)(set_us - 2 * YT_BACK_US));
            yt_engine_update(&other.engine, set_us);
        }
        uint8_t key = (uint8_t)(roll_below(&dice, 2) ? A + roll_below(&dice, 4) : 0);
        RIG_REPORT(&r, keys, steady_us, key, 0, 0, 0, 0, 0);
        RIG_REPORT(&other, other_keys, set_us, key, 0, 0, 0, 0, 0);
        char text[100];
        snprintf(text, sizeof text, "%s", rig_take(&r, TYPED, steady_us));
        CHECK_TEXT(rig_take(&other, TYPED, set_us), text);
        snprintf(text, sizeof text, "%s", rig_take(&r, VIEW, steady_us));
        CHECK_TEXT(rig_take(&other, VIEW, set_us), text);
    }
    CHECK_EQUAL(r.engine.now_us, other.engine.now_us);
    rig_end(&r);
    rig_end(&other);
}

int main(void) {
    check_end_of_time();
    check_set_back();
    check_a_little_back();
    check_ahead();
    check_waiting_motion();
    check_host();
    check_idle();
    check_any_clock();
    return report_checks();
}
