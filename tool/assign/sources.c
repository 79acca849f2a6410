/* What may drive something, from lists: controls of inputs, named formulas, what lies below a
 * layer, what hosts send. */
#include "tool/assign/parts.h"

#include <string.h>

#include "compiler/formulas/controls.h"
#include "compiler/formulas/named.h"

#define NAMES 512

/* ---- what a control is ---- */

/* The input of a name such as "keys.f", and what follows; NULL: it is of none. */
static const yt_profile_input *input_of(const assign *assign, const char *name,
                                        const char **control) {
    const yt_compiled *compiled = draft_compiled(&assign->draft);
    size_t front = strcspn(name, ".");
    *control = name + front + (name[front] == '.');
    for (unsigned i = 0; i < compiled->input_count; i++)
        if (strncmp(compiled->inputs[i].name, name, front) == 0 &&
            compiled->inputs[i].name[front] == 0)
            return &compiled->inputs[i];
    return NULL;
}

static bool is_of(const yt_profile_input *input, const char *stick, char side) {
    yt_control_meaning meaning;
    char name[HANDS_NAME + 2];
    snprintf(name, sizeof name, "%s.%c", stick, side);
    return input_control_find(input, name, strlen(name), false, &meaning);
}

/* Whether it is the name of an accelerometer's direction. */
static bool is_pull(const yt_profile_input *input, const char *name) {
    yt_control_meaning meaning;
    return input_control_find(input, name, strlen(name), false, &meaning) && meaning.unit &&
           strcmp(meaning.unit, "g") == 0;
}

/* What it is a direction of: a stick, motion, a gyro. */
static void find_whole(const assign *assign, assign_source *source) {
    const char *control;
    const yt_profile_input *input = input_of(assign, source->name, &control);
    size_t length = strlen(control);
    char stick[HANDS_NAME];
    if (!input || length < 3 || control[length - 2] != '.' || !strchr("xyz", control[length - 1]))
        return;
    snprintf(stick, sizeof stick, "%.*s", (int)length - 2, control);
    bool is_turning = source->type == VALUE_RATE;
    if (!is_of(input, stick, 'x') || !is_of(input, stick, 'y') ||
        (is_turning && (!is_of(input, stick, 'z') || is_pull(input, control))))
        return;
    snprintf(source->whole, sizeof source->whole, "%s.%.*s", input->name,
             (int)(HANDS_NAME - 2 - strlen(input->name)), stick);
    source->whole_type = is_turning                     ? VALUE_AXES
                         : source->type == VALUE_MOTION ? VALUE_MOTION_PAIR
                                                        : VALUE_STICK;
}

void assign_source_moved(const assign *assign, const hands_move *move, assign_source *source) {
    *source = (assign_source){.type = value_type_of(move->kind), .is_up = move->to > move->from};
    put_text(source->name, sizeof source->name, move->name);
    find_whole(assign, source);
}

bool assign_pull_of(const assign *assign, const char *gyro, char *name, size_t size) {
    const char *control;
    const yt_profile_input *input = input_of(assign, gyro, &control);
    const yt_description *described = input ? input->description : NULL;
    for (unsigned i = 0; described && i < described->control_count; i++) {
        const char *at = described->controls[i].name;
        size_t length = strlen(at);
        if (length > 2 && strcmp(at + length - 2, ".x") == 0 && is_pull(input, at)) {
            snprintf(name, size, "%s.%.*s", input->name, (int)length - 2, at);
            return true;
        }
    }
    return false;
}

/* ---- what lists there are ---- */

typedef enum source_list { LIST_NAMED, LIST_BELOW, LIST_HOSTS, LIST_BACK } source_list;

static bool has_list(const assign *assign, source_list list) {
    switch (list) {
    case LIST_NAMED:
        return draft_compiled(&assign->draft)->scope->named->count > 0;
    case LIST_BELOW:
        return (assign->layer > 0 || *assign->condition) && assign->wanted == FOR_CELL;
    default:
        return true;
    }
}

/* Which list a row is of; false: it is an input's. */
static bool list_at(const assign *assign, unsigned row, source_list *list) {
    unsigned inputs = draft_compiled(&assign->draft)->input_count;
    if (row < inputs)
        return false;
    for (*list = LIST_NAMED; *list < LIST_BACK; (*list)++)
        if (has_list(assign, *list) && row-- == inputs)
            return true;
    return true;
}

static void sources_title(const assign *assign, char *text, size_t size) {
    (void)assign;
    put_text(text, size, "of which input");
}

static unsigned sources_rows(const assign *assign) {
    unsigned count = draft_compiled(&assign->draft)->input_count + 1;
    for (source_list list = LIST_NAMED; list < LIST_BACK; list++)
        count += has_list(assign, list);
    return count;
}

static void sources_row(const assign *assign, unsigned row, assign_row *shown) {
    static const char *const words[] = {"named formulas", "what lies below this layer",
                                        "what hosts send", "back"};
    const yt_compiled *compiled = draft_compiled(&assign->draft);
    source_list list;
    bool is_list = list_at(assign, row, &list);
    put_text(shown->text, sizeof shown->text,
             is_list ? words[list] : compiled->inputs[row].kind->name);
    put_text(shown->name, sizeof shown->name, is_list ? "" : compiled->inputs[row].name);
    shown->is_part = !is_list || list != LIST_BACK;
}

static void add_source(assign *assign, const char *name, yt_formula_type type) {
    if (assign->source_count == ASSIGN_SOURCES)
        return;
    assign_source *source = &assign->sources[assign->source_count++];
    *source = (assign_source){.type = type, .is_up = true};
    put_text(source->name, sizeof source->name, name);
    find_whole(assign, source);
}

static void add_control(assign *assign, const yt_profile_input *input, const char *name) {
    yt_control_meaning meaning;
    char full[HANDS_NAME];
    if (!input_control_find(input, name, strlen(name), false, &meaning))
        return;
    snprintf(full, sizeof full, "%s.%s", input->name, name);
    add_source(assign, full, value_type_of((yt_kind)meaning.name.kind));
}

/* What its description names, then what its kind has. */
static void list_controls(assign *assign, const yt_profile_input *input) {
    const char *names[NAMES];
    const yt_description *described = input->description;
    size_t count = control_names(input->kind, names, NAMES);
    for (unsigned i = 0; described && i < described->control_count; i++)
        if (!described->controls[i].is_target)
            add_control(assign, input, described->controls[i].name);
    for (size_t i = 0; i < count; i++)
        if (control_is_usual(input->kind, names[i]))
            add_control(assign, input, names[i]);
}

/* Each formula; of what has two directions each of them, too. */
static void list_named(assign *assign) {
    const struct yt_named_formulas *named = draft_compiled(&assign->draft)->scope->named;
    for (unsigned i = 0; i < named->count; i++) {
        char name[HANDS_NAME];
        yt_formula_type type = named->all[i].value.type;
        add_source(assign, named->all[i].key->text, type);
        for (const char *side = "xy"; *side && (type == VALUE_STICK || type == VALUE_MOTION_PAIR);
             side++) {
            snprintf(name, sizeof name, "%s.%c", named->all[i].key->text, *side);
            add_source(assign, name, type == VALUE_STICK ? VALUE_AXIS : VALUE_MOTION);
        }
    }
}

typedef struct hosts_listing {
    assign *assign;
    const yt_profile_output *output;
} hosts_listing;

static void add_sent(void *context, const char *name) {
    hosts_listing *listing = context;
    yt_control_name named;
    yt_output_control control;
    char full[HANDS_NAME];
    if (!control_named(listing->output->kind, name, strlen(name), &named) ||
        !output_control_find(listing->output, &named, &control) || !control.from_host)
        return;
    snprintf(full, sizeof full, "%s.%s", listing->output->name, name);
    add_source(listing->assign, full, value_type_of(control.kind));
}

/* Lights and rumble. */
static void list_sent(assign *assign) {
    const yt_compiled *compiled = draft_compiled(&assign->draft);
    yt_pool pool = {0};
    for (unsigned i = 0; i < compiled->output_count; i++) {
        hosts_listing listing = {assign, &compiled->outputs[i]};
        each_output_name(&pool, listing.output, add_sent, &listing);
    }
    pool_free(&pool);
}

static void sources_choose(assign *assign, unsigned row) {
    source_list list;
    bool is_list = list_at(assign, row, &list);
    if (is_list && list == LIST_BACK) {
        assign_back(assign);
        return;
    }
    if (is_list && list == LIST_BELOW) {
        assign_take_choice(assign, "below");
        return;
    }
    assign->source_count = 0;
    if (!is_list)
        list_controls(assign, &draft_compiled(&assign->draft)->inputs[row]);
    else if (list == LIST_NAMED)
        list_named(assign);
    else
        list_sent(assign);
    assign_open(assign, SCREEN_CONTROLS);
}

const assign_shown assign_sources_screen = {sources_title, sources_rows, sources_row,
                                            sources_choose, NULL};

static void controls_title(const assign *assign, char *text, size_t size) {
    (void)assign;
    put_text(text, size, "which of these");
}

static unsigned controls_rows(const assign *assign) {
    return assign->source_count + 1;
}

static void controls_row(const assign *assign, unsigned row, assign_row *shown) {
    bool is_one = row < assign->source_count;
    put_text(shown->text, sizeof shown->text, is_one ? assign->sources[row].name : "back");
    shown->is_part = is_one;
}

static void controls_choose(assign *assign, unsigned row) {
    if (row >= assign->source_count) {
        assign_back(assign);
        return;
    }
    assign_source source = assign->sources[row];
    assign_take_source(assign, &source, NULL, 0);
}

const assign_shown assign_controls_screen = {controls_title, controls_rows, controls_row,
                                             controls_choose, NULL};
