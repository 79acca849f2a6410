/* Parameters of the program that runs on an adapter: shown, changed and felt at once, and kept. */
#include "tool/json_text.h"
#include "tool/adapter_tune.h"

#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/formulas/functions.h"
#include "compiler/messages/status_text.h"
#include "tool/tool.h"

#define KEPT_ONE 5u

/* ---- which there are ---- */

static int32_t get_value(const uint8_t *bytes) {
    return (int32_t)((uint32_t)bytes[0] | (uint32_t)bytes[1] << 8 | (uint32_t)bytes[2] << 16 |
                     (uint32_t)bytes[3] << 24);
}

/* What the adapter tells is a parameter, too, whose name no profile can give. */
static bool is_own(const yt_program *program, const yt_program_parameter *parameter) {
    return memchr(program->text + parameter->name_offset, '.', parameter->name_bytes) == NULL;
}

static bool read_program_that_runs(tuned_program *tuned, holder *holder) {
    size_t size;
    yt_program program;
    unsigned slot = linked_fact(&holder->linked, yonder_link_Fact_FACT_RUNS);
    if (holder->linked.has_failed)
        return false;
    if (slot == 0)
        return refuse(holder->path, "no slot runs: activate one");
    yt_status status = holder_read(holder, slot - 1, YT_SLOT_PROGRAM, &tuned->image, &size);
    if (status == YT_OK)
        status = yt_program_check(&program, tuned->image, size);
    if (status != YT_OK)
        return holder_fail(holder, "the slot that runs", status);
    tuned->program = program;
    tuned->slot = slot;
    tuned->checksum = yt_checksum(0, tuned->image, size);
    return true;
}

static bool is_what_runs(const tuned_program *tuned, const link_message *answer) {
    return answer->slot == tuned->slot && answer->checksum == tuned->checksum;
}

/* Their values now. */
static bool read_values(tuned_program *tuned, holder *holder) {
    const yt_program *program = &tuned->program;
    for (unsigned i = 0; i < program->header->parameter_count; i++) {
        const yt_program_parameter *parameter = &program->parameters[i];
        if (!is_own(program, parameter))
            continue;
        yt_status status = linked_ask(
            &holder->linked, (link_message){.what = yonder_link_What_WHAT_PARAMETER, .index = i});
        if (status != YT_OK)
            return holder_fail(holder, "parameters", status);
        if (!is_what_runs(tuned, &holder->linked.answer))
            return refuse(holder->path, "what runs is not what its slot holds: activate it again");
        tuned_parameter *to = &tuned->parameters[tuned->count++];
        to->index = i;
        to->parameter = parameter;
        to->value = holder->linked.answer.value;
        snprintf(to->name, sizeof to->name, "%.*s", parameter->name_bytes,
                 program->text + parameter->name_offset);
        to->kept = parameter->value;
    }
    return true;
}

static bool read_kept(tuned_program *tuned, holder *holder) {
    uint8_t kept[YT_STORE_KEPT];
    size_t size;
    yt_status status = holder_kept(holder, tuned->slot - 1, kept, &size);
    if (status != YT_OK)
        return holder_fail(holder, "what is kept", status);
    for (size_t at = 0; at + KEPT_ONE <= size; at += KEPT_ONE)
        for (unsigned i = 0; i < tuned->count; i++)
            if (tuned->parameters[i].index == kept[at])
                tuned->parameters[i].kept = get_value(kept + at + 1);
    return true;
}

bool tuned_read(tuned_program *tuned, holder *holder) {
    memset(tuned, 0, sizeof *tuned);
    return read_program_that_runs(tuned, holder) && read_values(tuned, holder) &&
           read_kept(tuned, holder);
}

void tuned_free(tuned_program *tuned) {
    free(tuned->image);
    tuned->image = NULL;
}

/* ---- changing ---- */

bool tuned_set(tuned_program *tuned, holder *holder, tuned_parameter *parameter, int32_t value) {
    yt_status status =
        linked_ask(&holder->linked, (link_message){.what = yonder_link_What_WHAT_TUNE,
                                                   .slot = tuned->slot,
                                                   .checksum = tuned->checksum,
                                                   .index = parameter->index,
                                                   .value = value});
    if (status == YT_OK)
        parameter->value = value;
    return status == YT_OK || holder_fail(holder, parameter->name, status);
}

bool tuned_keep(tuned_program *tuned, holder *holder) {
    link_message ask = {.what = yonder_link_What_WHAT_KEEP, .slot = tuned->slot};
    for (unsigned i = 0; i < tuned->count; i++) {
        const tuned_parameter *parameter = &tuned->parameters[i];
        if (parameter->value != parameter->parameter->value)
            ask.chunk.bytes[ask.chunk.size++] = (uint8_t)parameter->index;
    }
    yt_status status = linked_about(&holder->linked, yonder_link_Kind_KIND_PROGRAM, tuned->slot);
    ask.generation = holder->linked.answer.generation;
    if (status == YT_OK)
        status = linked_ask(&holder->linked, ask);
    if (status != YT_OK)
        return holder_fail(holder, "keep", status);
    for (unsigned i = 0; i < tuned->count; i++)
        tuned->parameters[i].kept = tuned->parameters[i].value;
    return true;
}

unsigned tuned_unkept(const tuned_program *tuned) {
    unsigned count = 0;
    for (unsigned i = 0; i < tuned->count; i++)
        count += tuned->parameters[i].value != tuned->parameters[i].kept;
    return count;
}

/* ---- as people write it ---- */

void tuned_text(const tuned_parameter *parameter, int32_t value, char *text, size_t size) {
    amount_text((yt_unit)parameter->parameter->unit, value, text, size);
}

static const struct {
    yt_unit unit;
    const char *name;
    double factor;
} units[] = {{YT_UNIT_NONE, "%", YT_ONE / 100.0},
             {YT_UNIT_NONE, "", YT_ONE},
             {YT_UNIT_TIME, "us", 1},
             {YT_UNIT_TIME, "ms", 1000},
             {YT_UNIT_TIME, "s", 1000000},
             {YT_UNIT_FREQUENCY, "Hz", YT_ONE},
             {YT_UNIT_ANGLE, "deg", YT_ONE},
             {YT_UNIT_SPEED, "/s", YT_ONE},
             {YT_UNIT_TURN, "deg/s", YT_ONE},
             {YT_UNIT_PULL, "g", YT_ONE},
             {YT_UNIT_LENGTH, "mm", YT_ONE}};

static bool value_of(const tuned_parameter *parameter, const char *text, int32_t *value) {
    char *end;
    double number = strtod(text, &end);
    if (end == text || !isfinite(number))
        return false;
    while (*end == ' ')
        end++;
    for (size_t i = 0; i < sizeof units / sizeof units[0]; i++) {
        if (units[i].unit != parameter->parameter->unit || strcmp(end, units[i].name) != 0)
            continue;
        double amount = floor(number * units[i].factor + 0.5);
        *value = (int32_t)amount;
        return amount >= INT32_MIN && amount <= INT32_MAX;
    }
    return false;
}

static tuned_parameter *find(tuned_program *tuned, const char *word, size_t length) {
    const char *names[TUNED];
    for (unsigned i = 0; i < tuned->count; i++) {
        names[i] = tuned->parameters[i].name;
        if (strlen(names[i]) == length && memcmp(names[i], word, length) == 0)
            return &tuned->parameters[i];
    }
    const char *near = nearest_name(word, length, names, tuned->count);
    fprintf(stderr, "there is no parameter \"%.*s\"", (int)length, word);
    fprintf(stderr, near ? "; did you mean \"%s\"?\n" : "; yonder adapter parameters lists them\n",
            near);
    return NULL;
}

static bool tune_word(tuned_program *tuned, holder *holder, const char *word) {
    const char *sign = strchr(word, '=');
    int32_t value;
    if (!sign)
        return refuse(word, "write NAME=VALUE, as in most=60%");
    tuned_parameter *parameter = find(tuned, word, (size_t)(sign - word));
    if (!parameter)
        return false;
    char least[40], most[40];
    tuned_text(parameter, parameter->parameter->minimum, least, sizeof least);
    tuned_text(parameter, parameter->parameter->maximum, most, sizeof most);
    if (!value_of(parameter, sign + 1, &value) || value < parameter->parameter->minimum ||
        value > parameter->parameter->maximum) {
        fprintf(stderr, "%s: it goes from %s to %s\n", word, least, most);
        return false;
    }
    return tuned_set(tuned, holder, parameter, value);
}

/* ---- actions ---- */

static void print_parameter(const tuned_parameter *parameter) {
    const yt_program_parameter *of = parameter->parameter;
    char now[40], least[40], most[40], kept[40];
    tuned_text(parameter, parameter->value, now, sizeof now);
    tuned_text(parameter, of->minimum, least, sizeof least);
    tuned_text(parameter, of->maximum, most, sizeof most);
    tuned_text(parameter, parameter->kept, kept, sizeof kept);
    printf("%-24s %10s  from %s to %s", parameter->name, now, least, most);
    if (parameter->value != parameter->kept)
        printf("; not kept: at the next start it is %s", kept);
    else if (parameter->kept != of->value)
        printf("; kept");
    putchar('\n');
}

static json_t *as_json(const tuned_parameter *parameter) {
    const yt_program_parameter *of = parameter->parameter;
    bool is_time = of->unit == YT_UNIT_TIME;
    double one = is_time ? 1 : YT_ONE;
    json_t *to = json_object();
    json_object_set_new(to, "name", json_text(parameter->name));
    json_object_set_new(to, "value", json_real(parameter->value / one));
    json_object_set_new(to, "minimum", json_real(of->minimum / one));
    json_object_set_new(to, "maximum", json_real(of->maximum / one));
    json_object_set_new(to, "step", json_real(of->step / one));
    json_object_set_new(to, "in_profile", json_real(of->value / one));
    json_object_set_new(to, "kept", json_real(parameter->kept / one));
    json_object_set_new(to, "is_microseconds", json_boolean(is_time));
    return to;
}

bool talk_parameters(holder *holder, const talk_options *options) {
    static tuned_program tuned;
    bool good = tuned_read(&tuned, holder);
    json_t *list = json_array();
    for (unsigned i = 0; i < tuned.count && good; i++)
        if (options->json)
            json_array_append_new(list, as_json(&tuned.parameters[i]));
        else
            print_parameter(&tuned.parameters[i]);
    if (good && options->json)
        good = json_print(json_incref(list));
    else if (good && tuned.count == 0)
        printf("slot %u runs, and has no parameters\n", tuned.slot);
    json_decref(list);
    tuned_free(&tuned);
    return good;
}

static void tell_unkept(const tuned_program *tuned) {
    unsigned count = tuned_unkept(tuned);
    if (count)
        fprintf(stderr,
                "%u of them %s not kept: yonder adapter keep keeps what is set now, in slot %u\n",
                count, count == 1 ? "is" : "are", tuned->slot);
}

bool talk_tune(holder *holder, const talk_options *options) {
    static tuned_program tuned;
    bool good = tuned_read(&tuned, holder);
    for (unsigned i = 1; i < options->word_count && good; i++)
        good = tune_word(&tuned, holder, options->words[i]);
    if (good && options->keeps)
        good = tuned_keep(&tuned, holder);
    for (unsigned i = 0; i < tuned.count && good; i++)
        print_parameter(&tuned.parameters[i]);
    if (good)
        tell_unkept(&tuned);
    tuned_free(&tuned);
    return good;
}

bool talk_keep(holder *holder, const talk_options *options) {
    static tuned_program tuned;
    (void)options;
    bool good = tuned_read(&tuned, holder) && tuned_keep(&tuned, holder);
    for (unsigned i = 0; i < tuned.count && good; i++)
        print_parameter(&tuned.parameters[i]);
    tuned_free(&tuned);
    return good;
}
