#include "compiler/profile/profile_tests.h"

#include <stdlib.h>
#include <string.h>

#include "compiler/building/operations.h"
#include "compiler/formulas/lowering.h"
#include "compiler/formulas/parameters.h"
#include "compiler/profile/cells.h"
#include "compiler/profile/targets.h"
#include "compiler/reading/keys.h"

#define COUNT(list) (sizeof(list) / sizeof(list)[0])

#define TOLERANCE (YT_ONE / 200) /* half a percent, where a test does not say */

/* One test as it is read. */
typedef struct yt_reading_test {
    yt_scope *scope;
    yt_profile_test *test;
    int64_t at_us; /* of the entry that is read */
    unsigned entry;
    int32_t tolerance;
    bool is_press; /* acts are of switches */
} yt_reading_test;

static yt_messages *messages_of(const yt_reading_test *reading) {
    return reading->scope->messages;
}

static bool read_time(yt_scope *scope, const yt_part *part, int64_t *time_us) {
    yt_value time;
    if (!lower_constant(scope, part, "a time", &time))
        return false;
    if (time.unit != YT_UNIT_TIME || time.amount < 0 || time.amount > TEST_LONGEST) {
        messages_add(scope->messages, part->place,
                     "a time from 0 ms to 60 s belongs here, such as 120 ms");
        return false;
    }
    *time_us = time.amount;
    return true;
}

static bool has_room(yt_reading_test *reading, const yt_part *part) {
    if (reading->test->act_count + reading->test->expected_count < TEST_STEPS)
        return true;
    messages_add(messages_of(reading), part->place, "a test has up to %d steps", TEST_STEPS);
    return false;
}

static void add_act(yt_reading_test *reading, act_kind kind, const yt_part *part, unsigned node,
                    unsigned other, int64_t value) {
    yt_profile_test *test = reading->test;
    if (!has_room(reading, part))
        return;
    test->acts = pool_grow(reading->scope->pool, test->acts, test->act_count, &test->act_room,
                           sizeof *test->acts);
    test->acts[test->act_count++] = (yt_test_act){.kind = kind,
                                                  .part = part,
                                                  .at_us = reading->at_us,
                                                  .entry = reading->entry,
                                                  .is_press = reading->is_press,
                                                  .nodes = {node, other},
                                                  .value = (int32_t)value};
}

/* A control of an input, or what the host sends; VALUE_NOTHING: said. */
static yt_value read_control(yt_reading_test *reading, const yt_part *part) {
    yt_scope *scope = reading->scope;
    const yt_term *term = formula_parse(scope->pool, scope->messages, part);
    yt_value value = {.type = VALUE_NOTHING};
    if (!term)
        return value;
    if (term->kind == TERM_NAME)
        value = lower_formula(scope, part, term);
    if (value.is_control) /* as it is, though a chord holds it back from all else */
        value.node = value.control;
    bool is_control = value.type != VALUE_NOTHING && value.type != VALUE_CONSTANT &&
                      scope->build->nodes[value.node].operation == YT_OP_CONTROL;
    if (is_control || (term->kind == TERM_NAME && value.type == VALUE_NOTHING))
        return value;
    messages_add(scope->messages, part->place,
                 "a control of an input belongs here, as in: keys.space, not %.60s", part->text);
    value.type = VALUE_NOTHING;
    return value;
}

/* A key that tells how deep it is may be read as that as well. */
static void press_one(yt_reading_test *reading, const yt_part *part, bool down) {
    yt_value value = read_control(reading, part);
    unsigned other = BUILD_NOWHERE;
    if (value.type == VALUE_NOTHING)
        return;
    if (value.type != VALUE_SWITCH) {
        messages_add(messages_of(reading), part->place,
                     "%.60s is %s, so it is set, not pressed; write: set: {%.60s: 50%%}",
                     part->text, value_meaning(value), part->text);
        return;
    }
    if (value.has_depth) {
        value.record.kind = YT_LEVEL;
        other = build_control(reading->scope->build, value.record);
    }
    reading->is_press = true;
    add_act(reading, ACT_SET, part, value.node, other, down ? YT_ONE : 0);
    reading->is_press = false;
}

/* `press:`, `release:`, `plug:` and so on: one, or a list. */
static void for_each(yt_reading_test *reading, const yt_part *part,
                     void (*act)(yt_reading_test *reading, const struct yt_part *part, int what),
                     int what) {
    if (part->kind == PART_LIST) {
        for (const struct yt_part *one = part->first; one; one = one->next)
            if (check_kind(messages_of(reading), one, PART_TEXT,
                           "a list of controls, as in: [keys.a, keys.b]"))
                act(reading, one, what);
    } else if (check_kind(messages_of(reading), part, PART_TEXT,
                          "a control or a list of them, as in: keys.space")) {
        act(reading, part, what);
    }
}

static void press(yt_reading_test *reading, const yt_part *part, int down) {
    press_one(reading, part, down != 0);
}

static void plug(yt_reading_test *reading, const yt_part *part, int kind) {
    const yt_scope *scope = reading->scope;
    for (unsigned i = 0; i < scope->devices->input_count; i++)
        if (strcmp(scope->devices->inputs[i].name, part->text) == 0) {
            unsigned before = reading->test->act_count;
            add_act(reading, (act_kind)kind, part, BUILD_NOWHERE, BUILD_NOWHERE, 0);
            if (reading->test->act_count > before)
                reading->test->acts[before].input = i;
            return;
        }
    messages_add(scope->messages, part->place, "there is no input \"%.60s\"", part->text);
}

/* A plain number, or a percentage. */
static bool read_number(yt_reading_test *reading, const yt_part *part, yt_unit unit,
                        int64_t *amount) {
    yt_value value;
    if (!lower_constant(reading->scope, part, "a number", &value))
        return false;
    if (value.unit != unit)
        messages_add(messages_of(reading), part->place, "%s belongs here, not %s",
                     unit_meaning(unit), unit_meaning(value.unit));
    *amount = value.amount;
    return value.unit == unit;
}

static void set_parameter(yt_reading_test *reading, const yt_part *key,
                          const yt_parameter *parameter) {
    const yt_program_parameter *record = NULL;
    const yt_scope *scope = reading->scope;
    int64_t amount;
    unsigned index = 0;
    while (scope->build->parameter_nodes[index] != parameter->value.node)
        index++;
    record = &scope->build->parameters[index];
    yt_unit unit = parameter->value.type == VALUE_QUANTITY ? parameter->value.unit : YT_UNIT_NONE;
    if (!read_number(reading, key->next, unit, &amount))
        return;
    if (amount < record->minimum || amount > record->maximum)
        messages_add(scope->messages, key->next->place,
                     "%s goes from its min to its max; this is neither in between nor one of them",
                     key->text);
    else
        add_act(reading, ACT_PARAMETER, key, index, BUILD_NOWHERE, amount);
}

/* One value of a stick or motion stands for both directions in turn: "[50%, 0%]". */
static void set_directions(yt_reading_test *reading, const yt_part *key, yt_value value,
                           act_kind kind) {
    const yt_part *first = key->next->kind == PART_LIST ? key->next->first : NULL;
    int64_t x, y;
    if (!first || !first->next || first->next->next) {
        messages_add(messages_of(reading), key->next->place,
                     "%.60s has two directions, so it takes two numbers, as in: [50%%, 0%%]",
                     key->text);
        return;
    }
    if (!read_number(reading, first, YT_UNIT_NONE, &x) ||
        !read_number(reading, first->next, YT_UNIT_NONE, &y))
        return;
    add_act(reading, kind, key, value.node, BUILD_NOWHERE, x);
    add_act(reading, kind, key, value.second, BUILD_NOWHERE, y);
}

static bool is_unit_of_rate(yt_unit unit) {
    return unit == YT_UNIT_TURN || unit == YT_UNIT_PULL || unit == YT_UNIT_NONE;
}

static void set_one(yt_reading_test *reading, const yt_part *key, act_kind kind) {
    yt_scope *scope = reading->scope;
    const yt_parameter *parameter = parameter_find(scope, key->text, key->bytes);
    int64_t amount;
    if (parameter && kind == ACT_SET) {
        set_parameter(reading, key, parameter);
        return;
    }
    yt_value value = read_control(reading, key), number;
    if (value.type == VALUE_NOTHING)
        return;
    if (value_is_motion(value) != (kind == ACT_MOVE)) {
        messages_add(scope->messages, key->place, "%.60s is %s; write: %s: {%.60s: …}", key->text,
                     value_meaning(value), kind == ACT_MOVE ? "set" : "move", key->text);
        return;
    }
    if (value_is_pair(value)) {
        set_directions(reading, key, value, kind);
    } else if (value.type == VALUE_RATE) {
        if (lower_constant(scope, key->next, "a rate", &number) && is_unit_of_rate(number.unit))
            add_act(reading, kind, key, value.node, BUILD_NOWHERE, number.amount);
    } else if (read_number(reading, key->next, YT_UNIT_NONE, &amount)) {
        int64_t low = value.type == VALUE_AXIS ? -YT_ONE : 0;
        if (kind == ACT_SET && (amount < low || amount > YT_ONE))
            messages_add(scope->messages, key->next->place, "%.60s goes from %s to 100%%",
                         key->text, low ? "-100%" : "0%");
        else
            add_act(reading, kind, key, value.node, BUILD_NOWHERE, amount);
    }
}

static void set_all(yt_reading_test *reading, const yt_part *map, act_kind kind) {
    if (!check_kind(messages_of(reading), map, PART_MAP,
                    kind == ACT_MOVE ? "move: holds a line for each control, as in: {ball.wheel: 1}"
                                     : "set: holds a line for each control, as in: "
                                       "{desk.pedal: 50%}"))
        return;
    for (const yt_part *key = map->first; key; key = key->next->next)
        set_one(reading, key, kind);
}

/* `at` of an entry, and whether all its keys are known. */
static bool begin_entry(yt_reading_test *reading, const yt_part *entry, const char *const *known,
                        size_t count) {
    yt_messages *messages = messages_of(reading);
    if (!check_kind(messages, entry, PART_MAP, "an entry is a map, as in: {at: 0 ms, …}"))
        return false;
    const yt_part *at = find_value(entry, "at");
    bool good = true;
    for (const yt_part *key = entry->first; key; key = key->next->next)
        if (!is_among(key->text, known, count)) {
            unknown_key(messages, key, known, count);
            good = false;
        }
    if (!at) {
        messages_add(messages, entry->place, "when is this? add, for example: at: 0 ms");
        return false;
    }
    reading->entry++;
    return read_time(reading->scope, at, &reading->at_us) && good;
}

static void read_act(yt_reading_test *reading, const yt_part *entry) {
    static const char *const known[] = {"at", "press", "release", "set", "move", "unplug", "plug"};
    if (!begin_entry(reading, entry, known, COUNT(known)))
        return;
    if (find_value(entry, "unplug"))
        for_each(reading, find_value(entry, "unplug"), plug, ACT_UNPLUG);
    if (find_value(entry, "plug"))
        for_each(reading, find_value(entry, "plug"), plug, ACT_PLUG);
    if (find_value(entry, "release"))
        for_each(reading, find_value(entry, "release"), press, 0);
    if (find_value(entry, "press"))
        for_each(reading, find_value(entry, "press"), press, 1);
    if (find_value(entry, "set"))
        set_all(reading, find_value(entry, "set"), ACT_SET);
    if (find_value(entry, "move"))
        set_all(reading, find_value(entry, "move"), ACT_MOVE);
}

/* A light or a motor of a device. */
static bool find_device_control(const yt_scope *scope, unsigned input, const char *name,
                                yt_test_expected *expected) {
    yt_control_meaning meaning;
    if (!is_drivable(&scope->devices->inputs[input], name, &meaning))
        return false;
    yt_program_control record = input_control_record(scope->build, input, &meaning);
    expected->is_device = true;
    expected->control.kind = meaning.name.kind;
    expected->target = BUILD_NOWHERE;
    for (unsigned i = 0; i < scope->build->target_count; i++)
        if (is_same_control(&scope->build->targets[i], &record))
            expected->target = i;
    return true;
}

static bool find_output_control(const yt_scope *scope, unsigned output, const char *name,
                                yt_test_expected *expected) {
    const yt_profile_output *at = &scope->devices->outputs[output];
    expected->output = output;
    return control_named(at->kind, name, strlen(name), &expected->name) &&
           output_control_find(at, &expected->name, &expected->control) &&
           !expected->control.from_host;
}

/* What may be expected. False: said. */
static bool find_expected(yt_reading_test *reading, const yt_part *part,
                          yt_test_expected *expected) {
    const yt_scope *scope = reading->scope;
    const char *dot = strchr(part->text, '.');
    size_t length = dot ? (size_t)(dot - part->text) : 0;
    for (unsigned i = 0; dot && i < scope->devices->output_count; i++)
        if (is_name(scope->devices->outputs[i].name, part->text, length) &&
            find_output_control(scope, i, dot + 1, expected))
            return true;
    for (unsigned i = 0; dot && i < scope->devices->input_count; i++)
        if (is_name(scope->devices->inputs[i].name, part->text, length) &&
            find_device_control(scope, i, dot + 1, expected))
            return true;
    messages_add(scope->messages, part->place,
                 "a control of an output belongs here, as in: pad.south, or a light or motor of an "
                 "input; not %.60s",
                 part->text);
    return false;
}

static void add_expected(yt_reading_test *reading, yt_expected_kind kind, const yt_part *part,
                         int64_t value) {
    yt_profile_test *test = reading->test;
    yt_test_expected expected = {.kind = kind,
                                 .part = part,
                                 .at_us = reading->at_us,
                                 .value = (int32_t)value,
                                 .tolerance = reading->tolerance};
    if (!has_room(reading, part) || !find_expected(reading, part, &expected))
        return;
    bool is_switch = expected.control.kind == YT_SWITCH;
    bool is_motion = expected.control.kind == YT_MOTION;
    bool wants_switch = kind != EXPECTED_VALUE && kind != EXPECTED_MOVED;
    if (is_switch != wants_switch || (!is_switch && is_motion != (kind == EXPECTED_MOVED))) {
        messages_add(messages_of(reading), part->place, "%.60s is %s; write: %s", part->text,
                     is_switch   ? "a switch"
                     : is_motion ? "motion"
                                 : "no switch",
                     is_switch   ? "pressed:, released: or presses:"
                     : is_motion ? "moved:"
                                 : "value:");
        return;
    }
    int64_t low = expected.control.kind == YT_AXIS ? -YT_ONE : 0;
    if (kind == EXPECTED_VALUE && (value < low || value > YT_ONE)) {
        messages_add(messages_of(reading), part->next->place, "%.60s goes from %s to 100%%",
                     part->text, low ? "-100%" : "0%");
        return;
    }
    if (kind == EXPECTED_PRESSES && value < 0) {
        messages_add(messages_of(reading), part->next->place,
                     "nothing is pressed less than 0 times");
        return;
    }
    if (kind == EXPECTED_PRESSES && (expected.name.part || expected.is_device)) {
        messages_add(messages_of(reading), part->place,
                     "presses: counts neither the directions of a hat nor lights; write pressed: "
                     "and released:");
        return;
    }
    test->expected = pool_grow(reading->scope->pool, test->expected, test->expected_count,
                               &test->expected_room, sizeof *test->expected);
    test->expected[test->expected_count++] = expected;
}

static void expect_switch(yt_reading_test *reading, const yt_part *part, int kind) {
    add_expected(reading, (yt_expected_kind)kind, part, 0);
}

static void expect_number(yt_reading_test *reading, const yt_part *key, yt_expected_kind kind) {
    int64_t amount;
    if (!read_number(reading, key->next, YT_UNIT_NONE, &amount))
        return;
    if (kind == EXPECTED_VALUE)
        add_expected(reading, kind, key, amount);
    else if (amount % YT_ONE == 0)
        add_expected(reading, kind, key, amount / YT_ONE);
    else
        messages_add(messages_of(reading), key->next->place, "a whole number belongs here");
}

static void expect_numbers(yt_reading_test *reading, const yt_part *map, yt_expected_kind kind) {
    if (!check_kind(messages_of(reading), map, PART_MAP,
                    "a line for each control belongs here, as in: {pad.left_trigger: 50%}"))
        return;
    for (const yt_part *key = map->first; key; key = key->next->next)
        expect_number(reading, key, kind);
}

static void read_expected(yt_reading_test *reading, const yt_part *entry) {
    static const char *const known[] = {"at",    "pressed", "released", "value",
                                        "moved", "presses", "within"};
    int64_t tolerance = TOLERANCE;
    if (!begin_entry(reading, entry, known, COUNT(known)))
        return;
    if (find_value(entry, "within") &&
        !read_number(reading, find_value(entry, "within"), YT_UNIT_NONE, &tolerance))
        return;
    reading->tolerance = (int32_t)tolerance;
    if (find_value(entry, "pressed"))
        for_each(reading, find_value(entry, "pressed"), expect_switch, EXPECTED_PRESSED);
    if (find_value(entry, "released"))
        for_each(reading, find_value(entry, "released"), expect_switch, EXPECTED_RELEASED);
    if (find_value(entry, "value"))
        expect_numbers(reading, find_value(entry, "value"), EXPECTED_VALUE);
    if (find_value(entry, "moved"))
        expect_numbers(reading, find_value(entry, "moved"), EXPECTED_MOVED);
    if (find_value(entry, "presses"))
        expect_numbers(reading, find_value(entry, "presses"), EXPECTED_PRESSES);
}

static int compare_acts(const void *a, const void *b) {
    const yt_test_act *one = a, *other = b;
    if (one->at_us != other->at_us)
        return one->at_us < other->at_us ? -1 : 1;
    return one->entry < other->entry ? -1 : one->entry > other->entry;
}

static int compare_expected(const void *a, const void *b) {
    const yt_test_expected *one = a, *other = b;
    if (one->at_us != other->at_us)
        return one->at_us < other->at_us ? -1 : 1;
    if (one->part->place.line != other->part->place.line)
        return one->part->place.line < other->part->place.line ? -1 : 1;
    return one->part->place.column - other->part->place.column;
}

/* A list of entries, or one. */
static void read_entries(yt_reading_test *reading, const yt_part *list,
                         void (*read)(yt_reading_test *reading, const yt_part *entry)) {
    if (list->kind == PART_LIST)
        for (const yt_part *entry = list->first; entry; entry = entry->next)
            read(reading, entry);
    else
        read(reading, list);
}

static void read_test(yt_scope *scope, const yt_part *map, yt_profile_test *test) {
    static const char *const known[] = {"name", "poll", "do", "expect"};
    yt_reading_test reading = {.scope = scope, .test = test};
    *test = (yt_profile_test){.part = map, .poll_us = 1000};
    if (!check_kind(scope->messages, map, PART_MAP, "a test is a map: with name, do and expect"))
        return;
    const yt_part *name = find_value(map, "name"), *poll = find_value(map, "poll");
    const yt_part *acts = find_value(map, "do"), *expected = find_value(map, "expect");
    for (const yt_part *key = map->first; key; key = key->next->next)
        if (!is_among(key->text, known, COUNT(known)))
            unknown_key(scope->messages, key, known, COUNT(known));
    test->name = "a test without a name";
    if (name && check_kind(scope->messages, name, PART_TEXT, "the name of a test is a text"))
        test->name = name->text;
    if (poll && read_time(scope, poll, &test->poll_us) && test->poll_us < 100)
        messages_add(scope->messages, poll->place, "hosts ask every 0.1 ms at most");
    if (!expected)
        messages_add(scope->messages, map->place, "a test must expect something; add: expect:");
    if (acts)
        read_entries(&reading, acts, read_act);
    if (expected)
        read_entries(&reading, expected, read_expected);
    if (test->act_count > 0)
        qsort(test->acts, test->act_count, sizeof *test->acts, compare_acts);
    if (test->expected_count > 0)
        qsort(test->expected, test->expected_count, sizeof *test->expected, compare_expected);
}

void read_tests(yt_scope *scope, const yt_part *list, yt_profile_tests *tests) {
    if (!check_kind(
            scope->messages, list, PART_LIST,
            "tests: is a list; each test begins with a dash, as in: - name: space is south"))
        return;
    for (const yt_part *map = list->first; map; map = map->next) {
        if (tests->count == PROFILE_TESTS) {
            messages_add(scope->messages, map->place, "a profile has up to %d tests",
                         PROFILE_TESTS);
            return;
        }
        tests->list =
            pool_grow(scope->pool, tests->list, tests->count, &tests->room, sizeof *tests->list);
        read_test(scope, map, &tests->list[tests->count++]);
    }
}

void place_tests(const yt_build *build, yt_profile_tests *tests) {
    for (unsigned i = 0; i < tests->count; i++)
        for (unsigned k = 0; k < tests->list[i].act_count; k++) {
            yt_test_act *act = &tests->list[i].acts[k];
            for (int n = 0; n < 2 && act->kind != ACT_PARAMETER; n++)
                if (act->nodes[n] != BUILD_NOWHERE)
                    act->nodes[n] = build->numbers[act->nodes[n]];
        }
}
