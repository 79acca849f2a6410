/* A starting profile for a device: every likely cell filled in, the rest as comments. */
#include <argp.h>
#include <ctype.h>
#include <stdlib.h>
#include <string.h>

#include "tool/options.h"
#include "tool/fields.h"
#include "tool/source.h"

#define SOURCES 4

typedef struct options {
    const char *from[SOURCES];
    unsigned from_count;
    const char *to;
    const char *out;
} options;

/* What drives a control best: `in` is tried in the order of the list. In a formula $ stands for the
 * input's name; the words behind $ must all be controls of the device. */
static const struct {
    const char *to, *output, *in;
} likely[] = {{"gamepad", "left_stick", "$left_stick"},
              {"gamepad", "left_stick", "stick(left=$a, right=$d, up=$w, down=$s)"},
              {"gamepad", "left_stick",
               "stick(left=$keypad_4, right=$keypad_6, up=$keypad_8, down=$keypad_5)"},
              {"gamepad", "left_stick", "stick(x=$x, y=$y)"},
              {"gamepad", "right_stick", "$right_stick"},
              {"gamepad", "right_stick", "stick_from_motion($motion, full_at=1500 /s)"},
              {"gamepad", "right_stick", "stick(x=$z, y=$rz)"},
              {"gamepad", "left_trigger", "$left_trigger"},
              {"gamepad", "left_trigger", "$throttle"},
              {"gamepad", "right_trigger", "$right_trigger"},
              {"gamepad", "south", "$space"},
              {"gamepad", "east", "$left_control"},
              {"gamepad", "west", "$q"},
              {"gamepad", "north", "$e"},
              {"gamepad", "left_shoulder", "$left_shift"},
              {"gamepad", "right_shoulder", "$f"},
              {"gamepad", "select", "$tab"},
              {"gamepad", "start", "$enter"},
              {"gamepad", "home", "$escape"},
              {"gamepad", "left_click", "$c"},
              {"gamepad", "right_click", "$button3"},
              {"gamepad", "south", "$button1"},
              {"gamepad", "east", "$button2"},
              {"gamepad", "west", "$button4"},
              {"gamepad", "north", "$button5"},
              {"gamepad", "left_shoulder", "$button6"},
              {"gamepad", "right_shoulder", "$button7"},
              {"gamepad", "select", "$button8"},
              {"gamepad", "start", "$button9"},
              {"gamepad", "home", "$button10"},
              {"gamepad", "dpad.up", "$up_arrow"},
              {"gamepad", "dpad.right", "$right_arrow"},
              {"gamepad", "dpad.down", "$down_arrow"},
              {"gamepad", "dpad.left", "$left_arrow"},
              {"gamepad", "dpad.up", "$hat.up"},
              {"gamepad", "dpad.right", "$hat.right"},
              {"gamepad", "dpad.down", "$hat.down"},
              {"gamepad", "dpad.left", "$hat.left"},
              {"mouse", "button1", "$south"},
              {"mouse", "button2", "$east"},
              {"mouse", "button3", "$west"},
              {"mouse", "button1", "$space"},
              {"keyboard", "space", "$south"},
              {"keyboard", "left_control", "$east"},
              {"keyboard", "q", "$west"},
              {"keyboard", "e", "$north"},
              {"keyboard", "enter", "$start"},
              {"keyboard", "tab", "$select"},
              {"keyboard", "up_arrow", "$dpad.up"},
              {"keyboard", "right_arrow", "$dpad.right"},
              {"keyboard", "down_arrow", "$dpad.down"},
              {"keyboard", "left_arrow", "$dpad.left"},
              {"keyboard", "a", "$left_stick.x < -50%"},
              {"keyboard", "d", "$left_stick.x > 50%"},
              {"keyboard", "w", "$left_stick.y < -50%"},
              {"keyboard", "s", "$left_stick.y > 50%"},
              {"keyboard", "space", "$button1"},
              {"keyboard", "enter", "$button2"},
              {"consumer", "volume_up", "$wheel > 0"},
              {"consumer", "volume_down", "$wheel < 0"},
              {"consumer", "play_pause", "$space"},
              {"consumer", "play_pause", "$button1"}};

typedef struct input {
    char name[24];
    char kind[16];
    field_list *fields;
    const yt_device_kind *is;
} input;

typedef struct writing {
    input inputs[SOURCES * 4];
    unsigned input_count;
    const char *output; /* its name in the profile */
    const char *to;
    FILE *file;
} writing;

/* Whether a device has a control of a name, or both directions of it. */
static bool has_control(const input *input, const char *name, size_t length) {
    yt_control_name meaning;
    yt_element element;
    char part[64];
    if (control_named(input->is, name, length, &meaning))
        return device_control(&input->fields->device, input->is, &meaning, false, &element);
    if (length > 40)
        return false;
    snprintf(part, sizeof part, "%.*s.x", (int)length, name);
    return control_named(input->is, part, strlen(part), &meaning) &&
           device_control(&input->fields->device, input->is, &meaning, false, &element);
}

static size_t name_length(const char *name) {
    size_t length = 0;
    while (isalnum((unsigned char)name[length]) || name[length] == '_' ||
           (name[length] == '.' && isalpha((unsigned char)name[length + 1])))
        length++;
    return length;
}

/* A formula of the table for one input; false where the device lacks a control of it. */
static bool fill_in(const input *input, const char *formula, char *text, size_t room) {
    size_t used = 0;
    for (const char *at = formula; *at && used + 64 < room;) {
        if (*at != '$') {
            text[used++] = *at++;
            continue;
        }
        size_t length = name_length(++at);
        if (!has_control(input, at, length))
            return false;
        used += (size_t)snprintf(text + used, room - used, "%s.%.*s", input->name, (int)length, at);
        at += length;
    }
    text[used] = 0;
    return true;
}

/* The likeliest formula for an output control; false: there is none. */
static bool find_formula(const writing *writing, const char *output, char *text, size_t room) {
    for (size_t i = 0; i < sizeof likely / sizeof likely[0]; i++)
        for (unsigned k = 0; k < writing->input_count; k++)
            if (strcmp(likely[i].to, writing->to) == 0 && strcmp(likely[i].output, output) == 0 &&
                fill_in(&writing->inputs[k], likely[i].in, text, room))
                return true;
    for (unsigned k = 0; k < writing->input_count; k++)
        if (has_control(&writing->inputs[k], output, strlen(output))) {
            snprintf(text, room, "%s.%s", writing->inputs[k].name, output);
            return true;
        }
    return false;
}

/* The controls of a kind of output, in an order that suits a reader. */
static size_t output_controls(const char *to, const yt_profile_output *output, const char **names,
                              size_t most) {
    static const char *const pairs[] = {"left_stick", "right_stick", "motion"};
    const char *all[1024];
    size_t count = 0, known = control_names(output->kind, all, 1024);
    yt_output_control control, other;
    yt_control_name meaning;
    for (size_t i = 0; i < 3; i++) {
        char part[32];
        snprintf(part, sizeof part, "%s.x", pairs[i]);
        if (control_named(output->kind, part, strlen(part), &meaning) &&
            output_control_find(output, &meaning, &control))
            names[count++] = pairs[i];
    }
    for (size_t i = 0; i < known && count < most; i++) {
        bool in_pair = strstr(all[i], "stick.") || strncmp(all[i], "motion.", 7) == 0;
        if (in_pair || !control_named(output->kind, all[i], strlen(all[i]), &meaning) ||
            !output_control_find(output, &meaning, &control) || control.from_host)
            continue;
        bool again = false; /* a second name of the same control */
        for (size_t k = 0; k < count; k++)
            again |= control_named(output->kind, names[k], strlen(names[k]), &meaning) &&
                     output_control_find(output, &meaning, &other) &&
                     other.root.at.bit == control.root.at.bit &&
                     other.root.part == control.root.part && other.report == control.report &&
                     other.root.number == control.root.number;
        bool is_axis_again = strcmp(to, "gamepad") == 0 && control.kind == YT_AXIS;
        if (!again && !is_axis_again)
            names[count++] = all[i];
    }
    return count;
}

static void write_sheet(const writing *writing, const yt_profile_output *output) {
    const char *names[1024];
    char formula[256];
    size_t count = output_controls(writing->to, output, names, 1000);
    bool is_large = count > 60; /* a keyboard: only what is likely */
    bool any = false;
    for (size_t i = 0; i < count; i++) {
        bool found = find_formula(writing, names[i], formula, sizeof formula);
        any |= found;
        if (found)
            fprintf(writing->file, "  %s.%s: %s\n", writing->output, names[i], formula);
        else if (!is_large)
            fprintf(writing->file, "  # %s.%s:\n", writing->output, names[i]);
    }
    if (!any && count > 0)
        fprintf(writing->file, "  %s.%s: none\n", writing->output, names[0]);
    if (is_large)
        fprintf(writing->file, "  # and so on for the other %zu controls, such as %s.%s\n", count,
                writing->output, names[count / 2]);
}

/* The names of the controls that the device has and that no cell uses are easy to find with
 * `yonder describe`; they are not repeated here. */
static void write_head(const writing *writing) {
    fprintf(writing->file,
            "# A starting profile. Each line under sheet: is a control that the host gets, and the "
            "formula that\n# drives it. Take the # away where you want a control that nothing "
            "drives yet.\nyonder: 1\n\ninputs:\n");
    for (unsigned i = 0; i < writing->input_count; i++)
        fprintf(writing->file, "  %s: %s\n", writing->inputs[i].name, writing->inputs[i].kind);
    fprintf(writing->file, "\noutputs:\n  %s: %s\n\nsheet:\n", writing->output, writing->to);
}

static bool is_named(const writing *writing, const char *name) {
    for (unsigned i = 0; i < writing->input_count; i++)
        if (strcmp(writing->inputs[i].name, name) == 0)
            return true;
    return false;
}

/* An input for each kind of collection that the device has. */
static void add_inputs(writing *writing, field_list *fields) {
    for (unsigned i = 0; i < fields->device.count; i++) {
        const yt_device_kind *kind = fields->named[i].kind;
        bool known = fields->device.fields[i].direction != YT_HID_INPUT;
        for (unsigned k = 0; k < writing->input_count; k++)
            known |= writing->inputs[k].fields == fields && writing->inputs[k].is == kind;
        if (known || writing->input_count == SOURCES * 4)
            continue;
        input *input = &writing->inputs[writing->input_count];
        snprintf(input->name, sizeof input->name, "%s", kind->usual);
        for (int number = 2; is_named(writing, input->name); number++)
            snprintf(input->name, sizeof input->name, "%s%d", kind->usual, number);
        snprintf(input->kind, sizeof input->kind, "%s", kind->name);
        input->fields = fields;
        input->is = kind;
        writing->input_count++;
    }
}

/* The output as the compiler builds it, to know its controls. */
static bool compile_output(const char *to, yt_compiled *compiled, yt_messages *messages, char *text,
                           size_t room) {
    snprintf(text, room, "yonder: 1\ninputs: {one: device}\noutputs: {two: %s}\nsheet: {}\n", to);
    messages_begin(messages, "output", text, strlen(text));
    return compile_profile(compiled, messages);
}

static bool write_profile(const options *options, device_source *sources) {
    static field_list lists[SOURCES];
    writing writing = {.to = options->to};
    whole_file file;
    yt_compiled compiled;
    yt_messages messages;
    char text[256];
    for (unsigned i = 0; i < options->from_count; i++) {
        const recorded_device *device = sources[i].recording.devices;
        field_list_read(&lists[i], device->descriptor, device->descriptor_size, NULL);
        add_inputs(&writing, &lists[i]);
    }
    if (writing.input_count == 0) {
        fprintf(stderr, "%s: there is no control to begin with\n", options->from[0]);
        return false;
    }
    bool known = compile_output(options->to, &compiled, &messages, text, sizeof text);
    messages_free(&messages);
    if (!known || !whole_file_open(&file, options->out, CONTENT_TEXT))
        return false;
    writing.output = output_kind_usual(options->to);
    writing.file = file.file;
    write_head(&writing);
    write_sheet(&writing, &compiled.outputs[0]);
    pool_free(&compiled.pool);
    return whole_file_close(&file);
}

enum { OPTION_FROM = OPTION_OWN, OPTION_TO };

static error_t parse(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    switch (key) {
    case ARGP_KEY_INIT:
        state->child_inputs[0] = &options->out;
        return 0;
    case OPTION_FROM:
        if (options->from_count == SOURCES)
            argp_error(state, "at most %d devices", SOURCES);
        options->from[options->from_count++] = argument;
        return 0;
    case OPTION_TO:
        if (!output_kind_usual(argument))
            argp_error(state, "--to takes one of: %s; not \"%s\"", output_kind_list(), argument);
        options->to = argument;
        return 0;
    case ARGP_KEY_ARG:
        argp_error(state, "say it with --from %s", argument);
        return 0;
    case ARGP_KEY_END:
        if (options->from_count == 0)
            argp_error(state, "say with --from DEVICE what comes in");
        if (!options->to)
            argp_error(state, "say with --to KIND what the host wants, such as --to gamepad");
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

int command_new(int count, char **arguments) {
    char wanted[200];
    snprintf(wanted, sizeof wanted, "what the host wants, one of: %s", output_kind_list());
    const struct argp_option known[] = {
        {"from", OPTION_FROM, "DEVICE", 0,
         "a recording or a node such as /dev/hidraw0; may be given several times", 0},
        {"to", OPTION_TO, "KIND", 0, wanted, 0},
        {0}};
    static const struct argp_child children[] = {{&out_argp, 0, 0, 0}, {0}};
    const struct argp argp = {
        .options = known,
        .children = children,
        .parser = parse,
        .doc = "Writes a starting profile for a device, with every likely cell filled in and the "
               "rest as comments."};
    options options = {.out = "-"};
    device_source sources[SOURCES];
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    unsigned opened = 0;
    while (opened < options.from_count && source_open(&sources[opened], options.from[opened]))
        opened++;
    bool good = opened == options.from_count && write_profile(&options, sources);
    while (opened > 0)
        source_close(&sources[--opened]);
    return good ? 0 : 1;
}
