/* A starting profile for a device: every likely cell filled in, the rest as comments. */
#include <argp.h>
#include <ctype.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/reading/include.h"
#include "tool/options.h"
#include "tool/fields.h"
#include "tool/source.h"

#define SOURCES         4
#define DESCRIPTION_END ".yaml"

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

#define DEVICES 16 /* of all that is given */

/* Something that is given: a device, several of one recording, or a description. */
typedef struct given {
    bool is_described;
    device_source source;
    description_file file;
} given;

typedef struct input {
    char name[24];
    char kind[80]; /* or the name of its description */
    const field_list *fields;
    const yt_device_kind *is;
    const yt_description *description; /* NULL: what its report descriptor says */
} input;

/* A control of an input that a formula has: one drives one thing, or is looked at by several. */
typedef struct claim {
    unsigned input;
    yt_element element;
    uint8_t part;  /* of a hat */
    bool is_alone; /* it is the whole formula */
} claim;

#define CLAIMS  2048
#define OUTPUTS 1024

typedef struct writing {
    input inputs[DEVICES];
    unsigned input_count;
    const char *output; /* its name in the profile */
    const char *to;
    FILE *file;
    claim claims[CLAIMS];
    unsigned claim_count;
    char formulas[OUTPUTS][256]; /* of each control of the output; "": none */
} writing;

/* A name of the table on one device: what it is there, and what it is called there. */
typedef struct named {
    claim claims[2]; /* both directions of a stick, of motion */
    unsigned count;
    uint8_t kind; /* yt_kind */
    char text[USAGE_NAME_BYTES + 8];
} named;

/* A control of a description; its number stands in for an element. */
static bool find_described(const yt_description *description, unsigned number, const char *name,
                           size_t length, claim *claim, uint8_t *kind, char *text) {
    for (unsigned i = 0; i < description->control_count; i++) {
        const yt_described_control *control = &description->controls[i];
        yt_control_meaning meaning;
        size_t own = strlen(control->name);
        if (control->is_target || length < own || memcmp(control->name, name, own) != 0 ||
            (length > own && !control->is_hat) ||
            !described_find(description, name, length, false, &meaning))
            continue;
        snprintf(text, USAGE_NAME_BYTES, "%.*s", (int)length, name);
        *kind = meaning.name.kind;
        *claim = (struct claim){number, {0, i}, meaning.name.part, false};
        return true;
    }
    return false;
}

static bool find_one(const writing *writing, unsigned number, const char *name, size_t length,
                     claim *claim, uint8_t *kind, char *text) {
    static const char *const directions[] = {".up", ".right", "", ".down", "", "", "", ".left"};
    const input *input = &writing->inputs[number];
    yt_control_name meaning;
    yt_element element;
    char whole[USAGE_NAME_BYTES];
    if (input->description)
        return find_described(input->description, number, name, length, claim, kind, text);
    if (!control_named(input->is, name, length, &meaning) ||
        !device_control(&input->fields->device, input->is, &meaning, false, &element))
        return false;
    device_element_name(&input->fields->device, input->is, element, true, whole);
    bool is_hat = meaning.part && field_is_hat(&input->fields->device.fields[element.field]);
    sprintf(text, "%s%s", whole, is_hat ? directions[meaning.part - 1] : "");
    *kind = meaning.kind;
    *claim = (struct claim){number, element, is_hat ? meaning.part : 0, false};
    return true;
}

/* A name of one control, or of a stick or motion as a whole. */
static bool find_named(const writing *writing, unsigned number, const char *name, size_t length,
                       named *named) {
    char part[64], along[USAGE_NAME_BYTES + 8];
    uint8_t kind;
    named->count = 1;
    if (find_one(writing, number, name, length, &named->claims[0], &named->kind, named->text))
        return true;
    named->count = 2;
    snprintf(part, sizeof part, "%.*s.x", (int)(length < 40 ? length : 40), name);
    if (!find_one(writing, number, part, strlen(part), &named->claims[0], &named->kind,
                  named->text))
        return false;
    part[strlen(part) - 1] = 'y';
    snprintf(named->text, sizeof named->text, "%.*s", (int)(length < 40 ? length : 40), name);
    return find_one(writing, number, part, strlen(part), &named->claims[1], &kind, along);
}

/* Whether a control may be used: by a formula of its own only where nothing else has it. */
static bool is_free(const writing *writing, const claim *claim, bool is_alone) {
    for (unsigned i = 0; i < writing->claim_count; i++) {
        const struct claim *other = &writing->claims[i];
        if (other->input == claim->input && other->element.field == claim->element.field &&
            other->element.index == claim->element.index && other->part == claim->part &&
            (is_alone || other->is_alone))
            return false;
    }
    return writing->claim_count + 8 < CLAIMS;
}

static size_t name_length(const char *name) {
    size_t length = 0;
    while (isalnum((unsigned char)name[length]) || name[length] == '_' ||
           (name[length] == '.' && isalpha((unsigned char)name[length + 1])))
        length++;
    return length;
}

/* A formula of the table for one input; false where the device lacks a control of it, or has it in
 * use. */
static bool fill_in(writing *writing, unsigned number, const char *formula, char *text,
                    size_t room) {
    claim claims[8];
    unsigned count = 0;
    size_t used = 0;
    bool is_alone = formula[0] == '$' && name_length(formula + 1) == strlen(formula + 1);
    for (const char *at = formula; *at && used + 100 < room;) {
        named named;
        if (*at != '$') {
            text[used++] = *at++;
            continue;
        }
        size_t length = name_length(++at);
        if (count + 2 > 8 || !find_named(writing, number, at, length, &named))
            return false;
        for (unsigned i = 0; i < named.count; i++) {
            if (!is_free(writing, &named.claims[i], is_alone))
                return false;
            claims[count] = named.claims[i];
            claims[count++].is_alone = is_alone;
        }
        used += (size_t)snprintf(text + used, room - used, "%s.%s", writing->inputs[number].name,
                                 named.text);
        at += length;
    }
    text[used] = 0;
    for (unsigned i = 0; i < count; i++)
        writing->claims[writing->claim_count++] = claims[i];
    return true;
}

/* Whether a name means the same on an input as on an output: the home of a pad is no home key. */
static bool means_same(const input *input, const char *name, const yt_control_name *meaning) {
    yt_control_name there;
    if (input->description)
        return true; /* a person has named it so */
    return control_named(input->is, name, strlen(name), &there) && there.page == meaning->page &&
           there.usage == meaning->usage;
}

/* What is of the output's name and type drives it. */
static bool find_same(writing *writing, const yt_profile_output *output, const char *name,
                      char *text, size_t room) {
    yt_control_name meaning;
    yt_output_control control;
    named named;
    char part[64], formula[80];
    snprintf(part, sizeof part, "%.40s.x", name);
    bool is_one = control_named(output->kind, name, strlen(name), &meaning) &&
                  output_control_find(output, &meaning, &control);
    if (!is_one && (!control_named(output->kind, part, strlen(part), &meaning) ||
                    !output_control_find(output, &meaning, &control)))
        return false;
    snprintf(formula, sizeof formula, "$%.70s", name);
    for (unsigned k = 0; k < writing->input_count; k++)
        if (means_same(&writing->inputs[k], is_one ? name : part, &meaning) &&
            find_named(writing, k, name, strlen(name), &named) && (named.count == 1) == is_one &&
            named.kind == control.kind && fill_in(writing, k, formula, text, room))
            return true;
    return false;
}

/* The likeliest formula for an output control; false: there is none. */
static bool find_likely(writing *writing, const char *name, char *text, size_t room) {
    for (size_t i = 0; i < sizeof likely / sizeof likely[0]; i++)
        for (unsigned k = 0; k < writing->input_count; k++)
            if (strcmp(likely[i].to, writing->to) == 0 && strcmp(likely[i].output, name) == 0 &&
                fill_in(writing, k, likely[i].in, text, room))
                return true;
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

/* A described control that drives nothing yet drives what is free and of its type, in the order of
 * both: nobody can tell what it is meant for. */
static bool find_rest(writing *writing, const yt_profile_output *output, const char *name,
                      char *text, size_t room) {
    yt_control_name meaning;
    yt_output_control control;
    char formula[USAGE_NAME_BYTES + 2];
    if (!control_named(output->kind, name, strlen(name), &meaning) || meaning.part ||
        !output_control_find(output, &meaning, &control))
        return false;
    for (unsigned k = 0; k < writing->input_count; k++) {
        const yt_description *description = writing->inputs[k].description;
        for (unsigned i = 0; description && i < description->control_count; i++) {
            const yt_described_control *described = &description->controls[i];
            snprintf(formula, sizeof formula, "$%s", described->name);
            if (!described->is_target && !described->is_hat &&
                described->meaning.name.kind == control.kind &&
                fill_in(writing, k, formula, text, room))
                return true;
        }
    }
    return false;
}

/* First what has the same name, so that nothing else takes it; then what is likely; then the rest
 * of what is described. */
static bool find_formulas(writing *writing, const yt_profile_output *output,
                          const char *const *names, size_t count) {
    bool any = false;
    for (unsigned pass = 0; pass < 3; pass++)
        for (size_t i = 0; i < count; i++) {
            char *text = writing->formulas[i];
            size_t room = sizeof writing->formulas[i];
            if (*text)
                continue;
            bool found = pass == 0   ? find_same(writing, output, names[i], text, room)
                         : pass == 1 ? find_likely(writing, names[i], text, room)
                                     : find_rest(writing, output, names[i], text, room);
            if (!found)
                *text = 0;
            any |= found;
        }
    return any;
}

static void write_sheet(writing *writing, const yt_profile_output *output) {
    const char *names[OUTPUTS];
    size_t count = output_controls(writing->to, output, names, OUTPUTS - 1);
    bool is_large = count > 60; /* a keyboard: only what is likely */
    bool any = find_formulas(writing, output, names, count);
    for (size_t i = 0; i < count; i++)
        if (*writing->formulas[i])
            fprintf(writing->file, "  %s.%s: %s\n", writing->output, names[i],
                    writing->formulas[i]);
        else if (!is_large)
            fprintf(writing->file, "  # %s.%s:\n", writing->output, names[i]);
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

static input *add_input(writing *writing, const yt_device_kind *is, const char *usual) {
    if (writing->input_count == DEVICES)
        return NULL;
    input *input = &writing->inputs[writing->input_count];
    snprintf(input->name, sizeof input->name, "%s", usual);
    for (int number = 2; is_named(writing, input->name); number++)
        snprintf(input->name, sizeof input->name, "%s%d", usual, number);
    writing->input_count++;
    input->is = is;
    return input;
}

/* An input for each kind of collection that the device has. */
static void add_inputs(writing *writing, const field_list *fields) {
    for (unsigned i = 0; i < fields->device.count; i++) {
        const yt_device_kind *kind = fields->named[i].kind;
        bool known = fields->device.fields[i].direction != YT_HID_INPUT;
        for (unsigned k = 0; k < writing->input_count; k++)
            known |= writing->inputs[k].fields == fields && writing->inputs[k].is == kind;
        input *input = known ? NULL : add_input(writing, kind, kind->usual);
        if (!input)
            continue;
        snprintf(input->kind, sizeof input->kind, "%s", kind->name);
        input->fields = fields;
    }
}

/* What a profile calls the description in a file: its name without the ending. */
static size_t description_name(const char *path, const char **name) {
    *name = strrchr(path, '/') ? strrchr(path, '/') + 1 : path;
    return strlen(*name) - strlen(DESCRIPTION_END);
}

/* An input that is described: called as its kind usually is, of the description's name. */
static void add_described(writing *writing, const yt_description *description, const char *path) {
    const yt_device_kind *kind =
        description->is_board ? device_kind_named("device") : description->kind;
    input *input = add_input(writing, kind, kind->usual);
    if (!input)
        return;
    const char *name;
    size_t length = description_name(path, &name);
    snprintf(input->kind, sizeof input->kind, "%.*s", (int)length, name);
    input->description = description;
}

static void add_given(writing *writing, const given *given, const char *path, field_list *lists,
                      unsigned *list_count) {
    if (given->is_described) {
        add_described(writing, given->file.description, path);
        return;
    }
    const recording *recording = &given->source.recording;
    for (size_t i = 0; i < recording->device_count && *list_count < DEVICES; i++) {
        const recorded_device *device = &recording->devices[i];
        field_list *list = &lists[(*list_count)++];
        field_list_read(list, device->descriptor, device->descriptor_size, NULL);
        add_inputs(writing, list);
    }
}

static bool write_profile(const options *options, const given *given, whole_file *file) {
    static field_list lists[DEVICES];
    static writing writing;
    unsigned list_count = 0;
    profile only;
    memset(&writing, 0, sizeof writing);
    writing.to = options->to;
    for (unsigned i = 0; i < options->from_count; i++)
        add_given(&writing, &given[i], options->from[i], lists, &list_count);
    if (writing.input_count == 0) {
        fprintf(stderr, "%s: there is no control to begin with\n", options->from[0]);
        return false;
    }
    if (!profile_of_output(&only, options->to))
        return false;
    bool is_open = file->file || whole_file_open(file, options->out, CONTENT_TEXT);
    writing.output = output_kind_usual(options->to);
    writing.file = file->file;
    if (is_open) {
        write_head(&writing);
        write_sheet(&writing, &only.compiled.outputs[0]);
    }
    profile_close(&only);
    return is_open;
}

/* Whether a profile can name a description that is called like this file; else it is said. */
static bool can_be_named(const char *path) {
    char text[sizeof((input *)0)->kind];
    const char *name;
    size_t length = description_name(path, &name);
    snprintf(text, sizeof text, "%.*s", (int)length, name);
    if (length < sizeof text && is_file_name(name, length) && *name != '-' &&
        !device_kind_named(text))
        return true;
    fprintf(stderr,
            "%s: a profile cannot name a description that is called so; give the file a name of a "
            "to z, 0 to 9, _ and -, up to %zu, the first no -, that is no kind of device (%s)\n",
            path, sizeof text - 1, device_kind_list());
    return false;
}

static bool open_given(given *given, const char *path) {
    size_t length = strlen(path), end = strlen(DESCRIPTION_END);
    given->is_described = length > end && strcmp(path + length - end, DESCRIPTION_END) == 0;
    if (!given->is_described)
        return source_open(&given->source, path);
    return can_be_named(path) && description_open(&given->file, path);
}

static void close_given(given *given) {
    if (given->is_described)
        description_close(&given->file);
    else
        source_close(&given->source);
}

/* Opens all that is given and writes the profile; into a file that is open, where one is. */
static bool write_from(const options *options, whole_file *file) {
    given given[SOURCES] = {0};
    unsigned opened = 0;
    while (opened < options->from_count && open_given(&given[opened], options->from[opened]))
        opened++;
    bool good = opened == options->from_count && write_profile(options, given, file);
    while (opened > 0)
        close_given(&given[--opened]);
    return good;
}

char *new_profile(const char *const *from, unsigned count, const char *to) {
    char *text = NULL;
    size_t size;
    options options = {.from_count = count < SOURCES ? count : SOURCES, .to = to};
    for (unsigned i = 0; i < options.from_count; i++)
        options.from[i] = from[i];
    whole_file file = {.file = open_memstream(&text, &size)};
    if (!file.file)
        abort();
    bool good = write_from(&options, &file);
    fclose(file.file);
    if (!good)
        free(text);
    return good ? text : NULL;
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
         "a recording, a node such as /dev/hidraw0, or a description (NAME.yaml); may be given "
         "several times",
         0},
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
    whole_file file = {0};
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    return write_from(&options, &file) && whole_file_close(&file) ? 0 : 1;
}
