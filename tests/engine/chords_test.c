/* Chords that hold their members back: random presses of three keys, of which two and all three are
 * chords, against what follows from the list of presses. */
#include "tests/engine/rig.h"
#include "tests/harness.h"

#define LENGTH  2500 /* ms of a session */
#define PRESSES 60
#define KEYS    3

typedef struct press {
    int down, up;
    bool is_taken;
} press;

static rig r;
static dice any;
static press presses[KEYS][PRESSES];
static unsigned counts[KEYS];

/* When a chord of some presses is on; false: it does not come about. */
typedef struct stretch {
    int from, until;
} stretch;

static bool comes_about(press *const *of, unsigned count, int within, bool ordered, stretch *on) {
    int first = LENGTH;
    *on = (stretch){-1, LENGTH * 2};
    for (unsigned i = 0; i < count; i++) {
        first = of[i]->down < first ? of[i]->down : first;
        on->from = of[i]->down > on->from ? of[i]->down : on->from;
        on->until = of[i]->up < on->until ? of[i]->up : on->until;
        if (ordered && i > 0 && of[i]->down <= of[i - 1]->down)
            return false;
    }
    return on->from < on->until && on->from - first <= within;
}

static bool is_in(stretch on, int t) {
    return on.from <= t && t < on.until;
}

/* Whether any triple of which a press or a pair is a part comes about. */
static bool is_of_triple(const press *a, const press *b, int within, bool ordered) {
    stretch on;
    for (unsigned i = 0; i < counts[0]; i++)
        for (unsigned k = 0; k < counts[1]; k++)
            for (unsigned m = 0; m < counts[2]; m++) {
                press *of[] = {&presses[0][i], &presses[1][k], &presses[2][m]};
                bool has = (!a || of[0] == a) && (!b || of[1] == b);
                if (has && comes_about(of, 3, within, ordered, &on))
                    return true;
            }
    return false;
}

static void make_presses(unsigned quick) {
    int t = 5, gap = quick ? 12 : 60;
    memset(presses, 0, sizeof presses);
    memset(counts, 0, sizeof counts);
    int down[KEYS] = {-1, -1, -1};
    while (t < LENGTH - 200) {
        unsigned key = roll_below(&any, KEYS);
        if (down[key] < 0) {
            down[key] = t;
        } else if (t - down[key] >= 15 && counts[key] < PRESSES) {
            presses[key][counts[key]++] = (press){down[key], t, false};
            down[key] = -1 - t;
        }
        t += 1 + (int)roll_below(&any, (uint32_t)gap);
        for (unsigned k = 0; k < KEYS; k++) /* no press right behind a release */
            if (down[k] < -1 && t + down[k] + 1 >= 15)
                down[k] = -1;
    }
}

static void check_session(unsigned number) {
    char text[800];
    /* so short that no more than four changes wait at once */
    int two = 5 + (int)roll_below(&any, 11), three = 5 + (int)roll_below(&any, 11);
    int longest = two > three ? two : three;
    bool ordered = number % 2;
    uint32_t shown = 0;
    make_presses(number % 3);
    snprintf(text, sizeof text,
             "inputs: {keys: keyboard}\noutputs: {told: joystick}\nsheet:\n"
             "  told.button1: keys.a\n  told.button2: keys.b\n  told.button3: keys.c\n"
             "  told.button4: whole_chord(keys.a, keys.b, within=%d ms)\n"
             "  told.button5: %s(keys.a, keys.b, keys.c, within=%d ms)\n",
             two, ordered ? "whole_ordered_chord" : "whole_chord", three);
    rig_begin(&r, text);
    unsigned keys = RIG_ATTACH(&r, rig_six_keys);
    static stretch pairs[4 * PRESSES], triples[4 * PRESSES];
    unsigned pair_count = 0, triple_count = 0;
    for (unsigned i = 0; i < counts[0]; i++)
        for (unsigned k = 0; k < counts[1]; k++) {
            press *of[] = {&presses[0][i], &presses[1][k], NULL};
            stretch on;
            if (comes_about(of, 2, two, false, &on)) {
                of[0]->is_taken = of[1]->is_taken = true;
                if (!is_of_triple(of[0], of[1], three, ordered) && pair_count < 4 * PRESSES)
                    pairs[pair_count++] = (stretch){on.from + three + 1, on.until + three + 1};
            }
            for (unsigned m = 0; m < counts[2]; m++) {
                of[2] = &presses[2][m];
                if (!comes_about(of, 3, three, ordered, &on) || triple_count == 4 * PRESSES)
                    continue;
                of[0]->is_taken = of[1]->is_taken = of[2]->is_taken = true;
                triples[triple_count++] = on;
            }
        }
    bool was[KEYS] = {false};
    for (int t = 0; t < LENGTH; t++) {
        uint64_t now_us = (uint64_t)t * 1000;
        bool is[KEYS] = {false};
        uint32_t meant = 0;
        yt_engine_update(&r.engine, now_us);
        for (unsigned k = 0; k < KEYS; k++)
            for (unsigned i = 0; i < counts[k]; i++) {
                const press *press = &presses[k][i];
                int by = (k == 2 ? three : longest) + 1;
                is[k] |= press->down <= t && t < press->up;
                if (!press->is_taken && press->down + by <= t && t < press->up + by)
                    meant |= 1u << k;
            }
        for (unsigned i = 0; i < pair_count; i++)
            meant |= is_in(pairs[i], t) ? 8u : 0;
        for (unsigned i = 0; i < triple_count; i++)
            meant |= is_in(triples[i], t) ? 16u : 0;
        if (memcmp(is, was, sizeof is) != 0)
            RIG_REPORT(&r, keys, now_us, 0, is[0] ? 4 : 0, is[1] ? 5 : 0, is[2] ? 6 : 0, 0, 0);
        memcpy(was, is, sizeof is);
        const char *told;
        while (*(told = rig_take(&r, 0, now_us)))
            sscanf(told, "%x", &shown);
        about("session %u at %d ms: pairs within %d ms, triples within %d ms%s", number, t, two,
              three, ordered ? " in order" : "");
        CHECK_EQUAL(shown, meant);
        if (shown != meant)
            break;
    }
    rig_end(&r);
}

/* What a chord holds back it holds back from layers, conditions, macros and copies too. */
static void check_everywhere(void) {
    rig_begin(&r, "inputs: {hand: gamepad}\noutputs: {pad: gamepad, told: joystick}\n"
                  "copy: {pad: hand}\nnamed: {both: hand.south}\nsheet:\n"
                  "  told.button1: whole_chord(hand.south, hand.east, within=20 ms)\n"
                  "  told.button2: both\n  told.x: hand.east\n"
                  "layers: [{while: hand.south, sheet: {told.button3: hand.east}}]\n"
                  "macros: {it: {when: hand.east, steps: [{press: told.button4, for: 5 ms}]}}\n");
    static const uint8_t pad[] = {0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09,
                                  0x19, 0x01, 0x29, 0x08, 0x15, 0x00, 0x25, 0x01,
                                  0x75, 0x01, 0x95, 0x08, 0x81, 0x02, 0xc0};
    unsigned hand = RIG_ATTACH(&r, pad);
    while (*rig_take(&r, 0, 0))
        continue;
    RIG_REPORT(&r, hand, 1000, 1);
    CHECK_TEXT(rig_take(&r, 0, 1000), "");
    RIG_REPORT(&r, hand, 11000, 3);
    CHECK(strncmp(rig_take(&r, 0, 11000), "02 01 00", 8) == 0);
    CHECK_TEXT(rig_take(&r, 0, 12000), "");
    yt_engine_update(&r.engine, 100000);
    CHECK_TEXT(rig_take(&r, 0, 100000), "");
    RIG_REPORT(&r, hand, 110000, 0);
    CHECK(strncmp(rig_take(&r, 0, 110000), "02 00 00", 8) == 0);
    yt_engine_update(&r.engine, 200000);
    CHECK_TEXT(rig_take(&r, 0, 200000), "");
    about("a device that leaves takes what is held back with it");
    RIG_REPORT(&r, hand, 300000, 1);
    yt_engine_detach(&r.engine, hand, 301000);
    yt_engine_update(&r.engine, 400000);
    CHECK_TEXT(rig_take(&r, 0, 400000), "");
    rig_end(&r);
}

int main(void) {
    any = (dice){2024};
    for (unsigned i = 0; i < 300; i++)
        check_session(i);
    check_everywhere();
    return report_checks();
}
