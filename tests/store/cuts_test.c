/* The power is cut anywhere, again and again: each change is old or new as a whole.
 * usage: store_cuts [CUTS [SEED]]: so many cuts on each kind of flash, and what came of it. */
#include "tests/store/judge.h"

#define ROUND 200u /* changes on one flash, before another one is taken */
#define LONG  8000u

static void run(const judge_kind *kind, uint64_t cuts, uint32_t seed) {
    judge judge;
    uint64_t done = 0, changes = 0, refused = 0, bad = 0;
    for (uint32_t round = 0; done < cuts; round++) {
        judge_begin(&judge, kind, seed * 7919 + round);
        for (unsigned i = 0; i < ROUND; i++) {
            uint32_t how = roll_below(&judge.dice, 8);
            if (how < 2)
                judge_change(&judge);
            else if (how < 7)
                judge_cut(&judge, how - 2);
            else
                judge_restart(&judge);
        }
        done += judge.cuts;
        changes += judge.changes;
        refused += judge.refused;
        bad += judge.bad;
        judge_end(&judge);
        if (bad > 20)
            break;
    }
    printf("%-75s %9" PRIu64 " cuts %9" PRIu64 " changes %6" PRIu64 " refused %4" PRIu64 " bad\n",
           kind->name, done, changes, refused, bad);
    about("%s", kind->name);
    CHECK_EQUAL(bad, 0);
    CHECK(refused < changes / 10);
}

/* One flash for long, on which content that rests is moved so that it wears like what does not. */
static void run_long(const judge_kind *kind, unsigned changes, uint32_t seed) {
    judge judge;
    about("%s, for long", kind->name);
    judge_begin(&judge, kind, seed);
    judge.is_hot = true;
    for (unsigned i = 0; i < changes && judge.bad == 0; i++) {
        if (i % 40 == 39)
            judge_cut(&judge, 3);
        else
            judge_change(&judge);
    }
    printf("%-75s %9" PRIu64 " cuts %9" PRIu64 " changes, %" PRIu32 " erases, for long\n",
           kind->name, judge.cuts, judge.changes,
           judge.flash.sectors[judge.flash.facts.sectors - 1].erases);
    CHECK_EQUAL(judge.bad, 0);
    CHECK(judge.flash.sectors[judge.flash.facts.sectors - 1].erases > some(130));
    judge_end(&judge);
}

int main(int count, char **words) {
    uint64_t cuts = count > 1 ? strtoull(words[1], NULL, 10) : some(600);
    uint32_t seed = count > 2 ? (uint32_t)strtoul(words[2], NULL, 10) : 1;
    for (unsigned i = 0; i < judge_kind_count; i++)
        run(&judge_kinds[i], cuts, seed);
    for (unsigned i = 0; i < 3; i++)
        run_long(&judge_kinds[i], some(LONG), seed);
    return report_checks();
}
