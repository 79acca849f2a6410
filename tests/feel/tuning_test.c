/* What was measured goes into profiles: into each that is shipped, for all that they read. All but
 * the formulas that use it stays as it was, to the byte; what comes out compiles, says what was to
 * be said, and stays as it is when that is put again. Nothing is written. */
#include <glob.h>

#include "tests/harness.h"
#include "tool/tuning.h"

static const measure_setting settings[] = {
    {"deadzone", {"inner"}, {"12.5%"}, 1, ""},
    {"quiet", {"noise"}, {"0.7%"}, 1, ""},
    {"let_go", {"frequency", "damping"}, {"21.5 Hz", "33%"}, 2, ""},
    {"trigger_range", {"start", "end"}, {"4.5%", "87%"}, 2, ""},
    {"pressed", {"at", "back"}, {"30%", "22%"}, 2, ""}};

static unsigned changed;

/* Lines that have the part, or what stands in one that has: a name of it, a parameter. */
static void compare(const char *before, const char *after, const char *part) {
    unsigned differ = 0;
    while (*before || *after) {
        size_t was = strcspn(before, "\n"), is = strcspn(after, "\n");
        if (was != is || memcmp(before, after, was) != 0) {
            char line[4000];
            snprintf(line, sizeof line, "%.*s", (int)is, after);
            const char *mark = strstr(line, " #"), *old = memmem(before, was, " #", 2);
            differ++;
            CHECK(strstr(line, "12.5%") || strstr(line, "0.7%") || strstr(line, "21.5 Hz") ||
                  strstr(line, "4.5%") || strstr(line, "87%"));
            CHECK(strstr(line, part) || strstr(line, "value:") || strstr(line, "("));
            CHECK_EQUAL(!mark, !old); /* the comment at its end */
            if (mark && old)
                CHECK(strncmp(mark, old, strlen(mark)) == 0);
        }
        before += was + (before[was] == '\n');
        after += is + (after[is] == '\n');
    }
    changed += differ;
}

/* A part of all inputs, as formulas call it. */
static void try_part(const char *path, const char *part, bool is_level) {
    rewriting rewriting;
    char *first = NULL;
    unsigned kept = checks_failed;
    CHECK(rewriting_begin(&rewriting, path));
    if (checks_failed > kept)
        return;
    for (unsigned turn = 0; turn < 2; turn++) {
        for (unsigned i = 0; i < sizeof settings / sizeof settings[0]; i++) {
            if ((i == 0 || i == 2) == is_level && i != 1 && i != 4)
                continue;
            if (i == 3 && !is_level)
                continue;
            about("%s: %s of %s", path, settings[i].function, part);
            CHECK(tuning_put(&rewriting, UINT32_MAX, part, &settings[i]));
        }
        if (turn == 0) {
            compare(rewriting.before, rewriting.profile.source, part);
            first = strdup(rewriting.profile.source);
        } else {
            about("%s, %s: once more", path, part);
            CHECK_TEXT(rewriting.profile.source, first);
        }
    }
    free(first);
    rewriting_abandon(&rewriting);
}

static void try_profile(const char *path) {
    static const char *const sticks[] = {"left_stick", "right_stick", "lever", "x", "y"};
    static const char *const levels[] = {"left_trigger", "right_trigger", "pedal"};
    for (unsigned i = 0; i < 5; i++)
        try_part(path, sticks[i], false);
    for (unsigned i = 0; i < 3; i++)
        try_part(path, levels[i], true);
}

static void write_file(const char *path, const char *text) {
    FILE *file = fopen(path, "w");
    if (!file || fputs(text, file) < 0 || fclose(file) != 0)
        exit(1);
}

/* A profile, what is to come of it, and whether all of it can be changed. */
static const struct {
    const char *before, *after;
    bool good;
} cases[] = {
    {"sheet:\n  pad.left_stick:  hand.left_stick # kept\n",
     "sheet:\n  pad.left_stick:  deadzone(hand.left_stick, inner=12.5%) # kept\n", true},
    {"sheet:\n  pad.left_stick: deadzone( hand.left_stick ,inner = 3% )\n",
     "sheet:\n  pad.left_stick: deadzone( hand.left_stick ,inner = 12.5% )\n", true},
    {"sheet:\n  pad.left_stick: deadzone(hand.left_stick, 3%, outer=2%)\n",
     "sheet:\n  pad.left_stick: deadzone(hand.left_stick, 12.5%, outer=2%)\n", true},
    {"sheet:\n  pad.left_stick: gentle(deadzone(hand.left_stick))\n",
     "sheet:\n  pad.left_stick: gentle(deadzone(hand.left_stick, inner=12.5%))\n", true},
    {"sheet:\n  pad.left_stick: gentle(let_go(quiet(hand.left_stick)))\n",
     "sheet:\n  pad.left_stick: gentle(deadzone(let_go(quiet(hand.left_stick)), inner=12.5%))\n",
     true},
    {"named: {moved: hand.left_stick}\nsheet: {pad.left_stick: 'deadzone(moved, inner=2%)'}\n",
     "named: {moved: hand.left_stick}\nsheet: {pad.left_stick: 'deadzone(moved, inner=12.5%)'}\n",
     true},
    {"named: {moved: hand.left_stick}\nsheet: {pad.left_stick: moved}\n",
     "named: {moved: \"deadzone(hand.left_stick, inner=12.5%)\"}\nsheet: {pad.left_stick: moved}\n",
     true},
    {"parameters: {zone: {value: 8%, min: 1%, max: 20%}}\nsheet:\n  pad.left_stick: "
     "deadzone(hand.left_stick, zone)\n",
     "parameters: {zone: {value: 12.5%, min: 1%, max: 20%}}\nsheet:\n  pad.left_stick: "
     "deadzone(hand.left_stick, zone)\n",
     true},
    {"parameters: {zone: {value: 8%, min: 1%, max: 10%}}\nsheet:\n  pad.left_stick: "
     "deadzone(hand.left_stick, zone)\n",
     NULL, false},
    {"sheet:\n  pad.left_stick: >-\n    deadzone(\n      hand.left_stick)\n", NULL, false},
    {"sheet:\n  pad.left_stick: hand.left_stick * 50%\n  pad.right_stick: -hand.left_stick\n",
     "sheet:\n  pad.left_stick: deadzone(hand.left_stick, inner=12.5%) * 50%\n  pad.right_stick: "
     "-deadzone(hand.left_stick, inner=12.5%)\n",
     true},
    {"sheet:\n  pad.south: sector(hand.left_stick) == 1\n  pad.east: dwell(hand.left_stick)\n",
     "sheet:\n  pad.south: sector(deadzone(hand.left_stick, inner=12.5%)) == 1\n  pad.east: "
     "dwell(hand.left_stick)\n",
     true},
    {"sheet: {pad.left_stick: deadzone(hand.left_stick)}\n",
     "sheet: {pad.left_stick: \"deadzone(hand.left_stick, inner=12.5%)\"}\n", true},
    {"sheet: {pad.left_stick: gentle(deadzone(hand.left_stick)), pad.right_stick: "
     "hand.left_stick}\n",
     "sheet: {pad.left_stick: \"gentle(deadzone(hand.left_stick, inner=12.5%))\", pad.right_stick: "
     "\"deadzone(hand.left_stick, inner=12.5%)\"}\n",
     true},
    {"copy: {pad: hand}\n", "copy: {pad: hand}\n", true},
    {"sheet:\n  pad.left_trigger: hand.left_stick.x\n",
     "sheet:\n  pad.left_trigger: hand.left_stick.x\n", true}};

static void check_cases(void) {
    static const char head[] = "yonder: 1\ninputs: {hand: gamepad}\noutputs: {pad: gamepad}\n";
    char path[] = "/tmp/tuning_XXXXXX";
    if (mkstemp(path) < 0)
        exit(1);
    for (unsigned i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        char text[1000];
        rewriting rewriting;
        snprintf(text, sizeof text, "%s%s", head, cases[i].before);
        write_file(path, text);
        about("case %u: %s", i, cases[i].before);
        CHECK(rewriting_begin(&rewriting, path));
        CHECK_EQUAL(tuning_put(&rewriting, UINT32_MAX, "left_stick", &settings[0]), cases[i].good);
        CHECK_TEXT(rewriting.profile.source + strlen(head),
                   cases[i].after ? cases[i].after : cases[i].before);
        rewriting_abandon(&rewriting);
    }
    remove(path);
}

/* More places than it keeps: all of it stays as it is. */
static void check_many(void) {
    char path[] = "/tmp/tuning_XXXXXX", text[20000];
    size_t length = (size_t)snprintf(text, sizeof text,
                                     "yonder: 1\ninputs: {hand: gamepad}\noutputs: "
                                     "{pad: gamepad}\nnamed:\n");
    for (unsigned i = 0; i < 80; i++)
        length +=
            (size_t)snprintf(text + length, sizeof text - length, "  n%u: hand.left_stick\n", i);
    snprintf(text + length, sizeof text - length, "sheet: {pad.left_stick: n7}\n");
    if (mkstemp(path) < 0)
        exit(1);
    write_file(path, text);
    for (unsigned i = 0; i < 2; i++) {
        rewriting rewriting;
        about("80 places");
        CHECK(rewriting_begin(&rewriting, path));
        CHECK(!tuning_put(&rewriting, UINT32_MAX, "left_stick", &settings[0]));
        CHECK_TEXT(rewriting.profile.source, text);
        rewriting_abandon(&rewriting);
    }
    remove(path);
}

int main(void) {
    static const char *const patterns[] = {"crane/*.yaml", "crane/ready/*.yaml",
                                           "fuzz/profiles/*.yaml"};
    for (unsigned i = 0; i < 3; i++) {
        glob_t found;
        if (glob(patterns[i], 0, NULL, &found) != 0)
            return 1;
        for (size_t k = 0; k < found.gl_pathc; k++)
            try_profile(found.gl_pathv[k]);
        globfree(&found);
    }
    about("%u lines became others", changed);
    CHECK(changed >= 15);
    check_cases();
    check_many();
    return report_checks();
}
