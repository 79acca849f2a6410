/* Learning a device: any control answers any question, questions are gone back to, what was found
 * and how far it went is what was done. */
#include "tests/engine/descriptors.h"
#include "tests/harness.h"
#include "tool/learning.h"

/* The gamepad of the descriptors: 16 buttons, a hat in 4 bits, six axes of 8 bits. */
#define BUTTONS 16
#define AXES    6
#define HAT     (BUTTONS + AXES)

typedef struct hand {
    uint8_t report[9];
    learning learning;
    dice dice;
} hand;

static hand it;

static void set_axis(unsigned axis, int value) {
    it.report[3 + axis] = (uint8_t)value;
}

static void send(void) {
    learn_report(&it.learning, it.report, sizeof it.report);
}

static void rest(void) {
    memset(it.report, 0, sizeof it.report);
    it.report[2] = 8;
    for (unsigned i = 0; i < AXES; i++)
        set_axis(i, 128);
}

/* Moves a control far enough to answer, and back; with some noise of the axes in between. */
static void move(unsigned control, bool down) {
    send();
    for (unsigned i = 0; i < AXES; i++)
        set_axis(i, 120 + (int)roll_below(&it.dice, 16));
    send();
    if (control < BUTTONS)
        it.report[control / 8] = (uint8_t)(1u << control % 8);
    else if (control == HAT)
        it.report[2] = 0;
    else
        set_axis(control - BUTTONS, down ? 5 : 250);
    send();
    rest();
    send();
}

/* The control of `place`, as above. */
static unsigned control_of(const yt_field_place *place) {
    return place->bit < BUTTONS    ? place->bit
           : place->bit == BUTTONS ? HAT
                                   : BUTTONS + (place->bit - 24) / 8u;
}

static bool is_one_of(const unsigned *controls, unsigned count, unsigned control) {
    for (unsigned i = 0; i < count; i++)
        if (controls[i] == control)
            return true;
    return false;
}

static unsigned any_other(const unsigned *controls, unsigned count) {
    unsigned control;
    do
        control = roll_below(&it.dice, HAT + 1);
    while (is_one_of(controls, count, control));
    return control;
}

static recorded_device device;

static void begin(uint32_t seed) {
    it.dice = (dice){seed};
    memcpy(device.descriptor, gamepad, sizeof gamepad);
    device.descriptor_size = sizeof gamepad;
    strcpy(device.name, "Tern pad");
    CHECK(learn_begin(&it.learning, &device));
    rest();
    send();
}

/* Each question is answered, said to have none, or gone back to and answered otherwise. */
static void check_answers(uint32_t seed) {
    unsigned given[LEARN_QUESTIONS], kept = 0;
    int at_question[LEARN_QUESTIONS];
    bool down[LEARN_QUESTIONS] = {false};
    begin(seed);
    for (unsigned question = 0; question < LEARN_QUESTIONS;) {
        about("seed %u, question %u", seed, question);
        CHECK_EQUAL(it.learning.state, LEARN_ASKS);
        CHECK_EQUAL(it.learning.at, question);
        at_question[question] = -1;
        switch (roll_below(&it.dice, 6)) {
        case 0:
            learn_none(&it.learning);
            break;
        case 1:
            learn_back(&it.learning);
            question -= question > 0;
            kept -= at_question[question] >= 0 && kept > 0;
            continue;
        case 2:
            if (kept > 0) { /* that one has a name */
                move(given[roll_below(&it.dice, kept)], false);
                break;
            }
            /* fall through */
        default:
            given[kept] = any_other(given, kept);
            down[question] = roll_below(&it.dice, 2);
            move(given[kept], down[question]);
            at_question[question] = (int)given[kept++];
        }
        question++;
    }
    CHECK_EQUAL(it.learning.state, LEARN_MEASURES);
    learn_none(&it.learning);
    CHECK_EQUAL(it.learning.state, LEARN_IS_THROUGH);
    learnt_control learnt[LEARN_QUESTIONS];
    size_t count = learn_result(&it.learning, learnt, LEARN_QUESTIONS);
    CHECK_EQUAL(count, kept);
    for (unsigned i = 0, next = 0; i < LEARN_QUESTIONS && next < count; i++) {
        about("seed %u, %s", seed, learn_name(i));
        if (at_question[i] < 0)
            continue;
        CHECK_TEXT(learnt[next].name, learn_name(i));
        CHECK_EQUAL(control_of(&learnt[next].place), at_question[i]);
        bool is_axis = at_question[i] >= BUTTONS && at_question[i] != HAT;
        CHECK_EQUAL(learnt[next++].is_turned, is_axis && down[i]);
    }
}

static void check_ranges(void) {
    learnt_control learnt[LEARN_QUESTIONS];
    char *text = NULL;
    size_t size;
    begin(1);
    move(0, false);           /* south */
    learn_none(&it.learning); /* east */
    move(BUTTONS, false);     /* west: an axis that is only seen on one side */
    move(BUTTONS + 1, true);
    learn_stop(&it.learning);
    set_axis(1, 7);
    send();
    set_axis(1, 240);
    send();
    size_t count = learn_result(&it.learning, learnt, LEARN_QUESTIONS);
    CHECK_EQUAL(count, 3);
    CHECK(!learnt[1].is_measured);
    CHECK(learnt[2].is_measured && learnt[2].is_turned);
    CHECK_EQUAL(learnt[2].low, 5);
    CHECK_EQUAL(learnt[2].rest, 128);
    CHECK_EQUAL(learnt[2].high, 240);
    FILE *file = open_memstream(&text, &size);
    learn_print_unknown(&it.learning, &device, file);
    fclose(file);
    about("what could not be told: %s", text);
    CHECK(strstr(text, "Not asked, or not answered: left_shoulder, right_shoulder, ") != NULL);
    CHECK(strstr(text, "It has none, you said: east\n") != NULL);
    CHECK(strstr(text, "No question was answered by: button2, button3, ") != NULL);
    CHECK(strstr(text, "hat") != NULL);
    CHECK(strstr(text, "west was seen from 120 to 250 only") != NULL ||
          strstr(text, "west was seen from 12") != NULL);
    CHECK(strstr(text, "north was seen") == NULL);
    free(text);
}

/* Back at the first question, while the control is on its way back, and behind the last. */
static void check_back(void) {
    begin(2);
    learn_back(&it.learning);
    CHECK_EQUAL(it.learning.at, 0);
    it.report[0] = 1;
    send();
    CHECK_EQUAL(it.learning.state, LEARN_RETURNS);
    learn_back(&it.learning); /* the answer at hand is taken back */
    CHECK_EQUAL(it.learning.at, 0);
    CHECK_EQUAL(it.learning.answers[0], LEARN_UNASKED);
    rest();
    send(); /* that it comes up is no answer */
    CHECK_EQUAL(it.learning.state, LEARN_ASKS);
    CHECK_EQUAL(it.learning.at, 0);
    move(3, false);
    CHECK_EQUAL(it.learning.at, 1);
    CHECK_EQUAL(it.learning.view.controls[it.learning.controls[0]].bit, 3);
    learn_stop(&it.learning);
    learn_back(&it.learning);
    CHECK_EQUAL(it.learning.state, LEARN_IS_THROUGH);
}

int main(void) {
    for (uint32_t seed = 1; seed <= 200; seed++)
        check_answers(seed);
    check_ranges();
    check_back();
    return report_checks();
}
