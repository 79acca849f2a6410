/* The table of functions: every example compiles, what is left out is what the table says, and
 * docs/functions.md is what the command writes. */
#include "compiler/formulas/calls.h"
#include "compiler/formulas/functions.h"
#include "compiler/profile/compile.h"
#include "image/functions.h"
#include "tests/harness.h"

static const char head[] = "yonder: 1\ninputs: {keys: keyboard, ball: mouse, slate: tablet, desk: "
                           "otter-desk, odd: odd-pad, grip: lapwing-grip}\n"
                           "outputs: {pad: gamepad, view: mouse}\n";

/* A cell, or the condition of a layer, in a profile; the image's CRC. 0: it is wrong. */
static bool expects_wrong;

static uint32_t compile(const char *line) {
    char profile[1000];
    yt_messages messages;
    yt_compiled compiled;
    uint32_t sum = 0;
    if (strncmp(line, "while: ", 7) == 0)
        snprintf(profile, sizeof profile,
                 "%ssheet: {pad.south: keys.a}\nlayers:\n  - %s\n    sheet: {pad.east: keys.b}\n",
                 head, line);
    else
        snprintf(profile, sizeof profile, "%ssheet:\n  %s\n", head, line);
    messages_begin(&messages, "crane/p.yaml", profile, strlen(profile));
    if (compile_profile(&compiled, &messages)) {
        sum = yt_checksum(0, compiled.image, compiled.size) | 1;
        pool_free(&compiled.pool);
    }
    if (!expects_wrong)
        messages_print(&messages, stdout);
    messages_free(&messages);
    return sum;
}

static void check_examples(void) {
    for (unsigned i = 0; i < FUNCTION_COUNT; i++) {
        about("the example of %s", functions[i].usage);
        CHECK(compile(functions[i].example) != 0);
        CHECK(strstr(functions[i].example, functions[i].name) != NULL);
        CHECK(strncmp(functions[i].usage, functions[i].name, strlen(functions[i].name)) == 0);
        CHECK(functions[i].number == FUNCTION_MADE ||
              yt_function_of(YT_ANY_GROUP, functions[i].number) != NULL);
        for (unsigned k = 0; k < function_argument_count(&functions[i]); k++) {
            const yt_listed_argument *argument = &functions[i].arguments[k];
            about("%s of %s", argument->label, functions[i].usage);
            CHECK(argument->low <= argument->high);
            CHECK(!argument->otherwise ||
                  (argument->low <= argument->otherwise && argument->otherwise <= argument->high));
        }
    }
}

/* Something that an argument takes. */
static const char *taken(yt_wanted wanted) {
    switch (wanted) {
    case WANTED_SWITCH:
    case WANTED_SWITCH_OR_NONE:
        return "keys.a";
    case WANTED_STICK:
        return "stick(x=slate.x, y=slate.y)";
    case WANTED_MOTION:
        return "ball.motion";
    case WANTED_TURN:
        return "ball.wheel";
    case WANTED_SPEED:
        return "300 /s";
    case WANTED_ANGLE:
        return "30 deg";
    case WANTED_AXES:
        return "axes(x=slate.x, y=slate.y, z=slate.x)";
    case WANTED_TURNS:
        return "turning(grip.gyro)";
    case WANTED_COUNT:
        return "3";
    case WANTED_POINTS:
        return "30% -> 10%, 70% -> 60%";
    default:
        return "slate.x";
    }
}

/* What may stand before a call in a cell. */
static const char *cell_of(const yt_listed_function *function) {
    const yt_function *made = yt_function_of(YT_ANY_GROUP, function->number);
    if (strcmp(function->gives, "how fast it turns") == 0)
        return "view.motion: motion_from_turning(turn=4000, turning=";
    if (strcmp(function->gives, "motion") == 0)
        return "view.motion: ";
    if (strcmp(function->gives, "a stick") == 0)
        return "pad.left_stick: ";
    return !made || made->gives == 's' ? "pad.south: "
           : made->gives == 'p'        ? "view.wheel: "
           : made->results == 2 && function->arguments[0].wanted != WANTED_NUMBER
               ? "pad.left_stick: "
           : function->make == make_angle ? "pad.south: "
                                          : "pad.left_stick.x: ";
}

/* A cell that calls a function with what it needs, and `more`. */
static void write_call(const yt_listed_function *function, const char *more, char *line,
                       size_t size) {
    const char *cell = cell_of(function);
    size_t length = (size_t)snprintf(line, size, "%s%s(", cell, function->name);
    const char *comma = "";
    for (unsigned k = 0; k < function_argument_count(function); k++) {
        const yt_listed_argument *argument = &function->arguments[k];
        if (argument->may_lack)
            continue;
        bool has_label = argument->wanted != WANTED_POINTS;
        length += (size_t)snprintf(line + length, size - length, "%s%s%s%s", comma,
                                   has_label ? argument->label : "", has_label ? "=" : "",
                                   taken(argument->wanted));
        comma = ", ";
    }
    snprintf(line + length, size - length, "%s%s)%s", *more ? comma : "", more,
             function->make == make_angle ? " > 3 deg"
             : strchr(cell, '(')          ? ")"
                                          : "");
}

/* Whether there is a number that may be left out. */
static bool has_default(const yt_listed_function *function) {
    for (unsigned k = 0; k < function_argument_count(function); k++)
        if (function->arguments[k].may_lack && function->arguments[k].high != 0)
            return true;
    return false;
}

/* A call with what may be left out, written as the table has it, is the call without; with the
 * ends of its range it compiles, and beyond them it does not. */
static void check_defaults(void) {
    for (unsigned i = 0; i < FUNCTION_COUNT; i++) {
        const yt_listed_function *function = &functions[i];
        char line[400], other[400], text[80], amount[40];
        bool is_of_two = function->make == make_let_go || function->make == make_quickened ||
                         function->make == make_whole_chord;
        if (!has_default(function) || is_of_two) /* two numbers of those belong together */
            continue;
        write_call(function, "", line, sizeof line);
        about("%s", line);
        CHECK(compile(line) != 0);
        for (unsigned k = 0; k < function_argument_count(function); k++) {
            const yt_listed_argument *argument = &function->arguments[k];
            int64_t step = wanted_unit(argument->wanted) == YT_UNIT_TIME ? 1000 : YT_ONE;
            if (!argument->may_lack || argument->high == 0)
                continue;
            argument_text(argument, argument->otherwise, amount, sizeof amount);
            snprintf(text, sizeof text, "%s=%s", argument->label, amount);
            write_call(function, text, other, sizeof other);
            about("%s is %s", line, other);
            CHECK_EQUAL(compile(line), compile(other));
            const int64_t tried[] = {argument->low, argument->high, argument->low - step,
                                     argument->high + step};
            for (unsigned way = 0; way < 4; way++) {
                argument_text(argument, tried[way], amount, sizeof amount);
                snprintf(text, sizeof text, "%s=%s", argument->label, amount);
                write_call(function, text, other, sizeof other);
                about("%s", other);
                expects_wrong = way > 0;
                bool is_wide = way == 1 && strcmp(argument->label, "wide") == 0; /* of sectors */
                CHECK_EQUAL(compile(other) != 0, way < 2 && !is_wide);
                expects_wrong = false;
            }
        }
    }
}

/* Where what turns is made faster: from one number to another, which is above it. */
static void check_quickened(void) {
    static const char *const good[] = {"", ", from=0 deg/s, to=1 deg/s, times=20",
                                       ", from=1999 deg/s, to=2000 deg/s, times=0.1"};
    static const char *const wrong[] = {", from=45 deg/s, to=45 deg/s",
                                        ", from=360 deg/s",
                                        ", to=2001 deg/s",
                                        ", times=20.1",
                                        ", times=0",
                                        ", from=-1 deg/s",
                                        ", from=some"};
    char line[200];
    for (unsigned i = 0; i < sizeof good / sizeof good[0]; i++) {
        snprintf(line, sizeof line,
                 "pad.left_stick: stick_from_turning(quickened(turning(grip.gyro)%s))", good[i]);
        about("%s", line);
        CHECK(compile(line) != 0);
    }
    expects_wrong = true;
    about("a gyro for an accelerometer");
    CHECK(compile("pad.left_stick: tilt(grip.gyro, grip.pull)") != 0);
    CHECK(compile("pad.left_stick: tilt(grip.pull, grip.gyro)") == 0);
    for (unsigned i = 0; i < sizeof wrong / sizeof wrong[0]; i++) {
        snprintf(line, sizeof line,
                 "pad.left_stick: stick_from_turning(quickened(turning(grip.gyro)%s))", wrong[i]);
        about("%s", line);
        CHECK(compile(line) == 0);
    }
    expects_wrong = false;
}

/* The two numbers of a spring belong together, and are written. */
static void check_springs(void) {
    static const char *const good[] = {"", ", frequency=8 Hz, damping=2%",
                                       ", frequency=100 Hz, damping=80%"};
    static const char *const wrong[] = {
        ", frequency=20 Hz", ", damping=10%", ", frequency=7 Hz, damping=10%",
        ", frequency=20 Hz, damping=81%", ", frequency=20 Hz, damping=slate.x"};
    char line[200];
    for (size_t i = 0; i < 3 + 5; i++) {
        snprintf(line, sizeof line, "pad.left_stick: let_go(desk.lever%s)",
                 i < 3 ? good[i] : wrong[i - 3]);
        about("%s", line);
        expects_wrong = i >= 3;
        CHECK_EQUAL(compile(line) != 0, i < 3);
        expects_wrong = false;
    }
}

/* A depth in mm is a share of the travel that the description tells: 12 mm. */
static void check_depths(void) {
    static const char *const pairs[][2] = {
        {"pad.south: odd.pump > 6 mm", "pad.south: odd.pump > 50%"},
        {"pad.south: 3 mm <= odd.pump", "pad.south: 25% <= odd.pump"},
        {"pad.south: pressed(odd.pump, at=6 mm, back=3 mm)",
         "pad.south: pressed(odd.pump, at=50%, back=25%)"},
        {"pad.south: going_down(odd.pump, from=1.2 mm, down=0.6 mm, up=0.3 mm)",
         "pad.south: going_down(odd.pump, from=10%, down=5%, up=2.5%)"}};
    static const char *const wrong[] = {"pad.south: slate.x > 6 mm",
                                        "pad.south: pressed(slate.x, at=6 mm)",
                                        "pad.south: pressed(odd.pump, at=13 mm)",
                                        "pad.left_trigger: 3 mm", "pad.south: odd.pump / 2 > 3 mm"};
    for (size_t i = 0; i < sizeof pairs / sizeof pairs[0]; i++) {
        about("%s is %s", pairs[i][0], pairs[i][1]);
        CHECK(compile(pairs[i][0]) != 0);
        CHECK_EQUAL(compile(pairs[i][0]), compile(pairs[i][1]));
    }
    expects_wrong = true;
    for (size_t i = 0; i < sizeof wrong / sizeof wrong[0]; i++) {
        about("%s", wrong[i]);
        CHECK_EQUAL(compile(wrong[i]), 0);
    }
    expects_wrong = false;
}

static void check_page(const char *command, const char *path) {
    char call[400];
    size_t size, length = 0;
    char *page = read_test_file(path, &size);
    char *written = calloc(1, size + 4096);
    snprintf(call, sizeof call, "%s functions --page", command);
    FILE *pipe = popen(call, "r");
    while (pipe && length < size + 4000) {
        size_t more = fread(written + length, 1, size + 4000 - length, pipe);
        if (more == 0)
            break;
        length += more;
    }
    about("docs/functions.md is what `yonder functions --page` writes");
    CHECK(pipe && pclose(pipe) == 0);
    CHECK_TEXT(written, page);
    free(written);
    free(page);
}

int main(int count, char **arguments) {
    if (count != 3)
        return 2;
    check_examples();
    check_defaults();
    check_quickened();
    check_springs();
    check_depths();
    check_page(arguments[1], arguments[2]);
    return report_checks();
}
