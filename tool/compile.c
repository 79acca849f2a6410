/* Makes programs: as bytes, as C source, or with a firmware around them. */
#include <argp.h>
#include <ctype.h>
#include <string.h>

#include "tool/c_firmware.h"
#include "tool/options.h"

typedef struct options {
    const char *profile;
    const char *out;
    const char *array;
    const char *firmware;
    const char *inputs[YT_DEVICES];
    unsigned input_count;
    bool with_text, force;
} options;

static bool is_identifier(const char *text) {
    if (!isalpha((unsigned char)*text) && *text != '_')
        return false;
    while (isalnum((unsigned char)*text) || *text == '_')
        text++;
    return *text == 0;
}

enum { OPTION_C_ARRAY = OPTION_OWN, OPTION_C_FIRMWARE, OPTION_WITH_TEXT };

static void check_compile(const options *options, struct argp_state *state) {
    if (!options->profile || (!options->out && !options->firmware))
        argp_error(state, "say which profile, and with --out where the program goes");
    if (options->firmware && (options->out || options->array || options->with_text))
        argp_error(state, "--c-firmware writes a folder, with the program in it: it goes without "
                          "--out, --c-array and --with-text");
    if (!options->firmware && (options->input_count > 0 || options->force))
        argp_error(state, "--in and --force are for --c-firmware");
}

static bool compile_firmware(const options *options, const profile *profile) {
    static plugged plugged;
    bool good = true;
    for (unsigned i = 0; i < options->input_count && good; i++)
        good = plugged_add(&plugged, profile, options->inputs[i]);
    good = good && write_c_firmware(options->firmware, profile, &plugged, options->force);
    plugged_free(&plugged);
    return good;
}

static bool compile_program(const options *options, profile *profile) {
    const uint8_t *bytes = profile->compiled.image;
    size_t size = profile->compiled.size;
    whole_file file;
    if (options->with_text)
        bytes = profile_with_text(profile, &size);
    if (options->array)
        return write_c_array(options->out, options->array, bytes, size);
    if (!whole_file_open(&file, options->out, CONTENT_BYTES))
        return false;
    fwrite(bytes, 1, size, file.file);
    return whole_file_close(&file);
}

static error_t parse_compile(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    switch (key) {
    case ARGP_KEY_INIT:
        state->child_inputs[0] = &options->out;
        return 0;
    case OPTION_C_ARRAY:
        if (!is_identifier(argument))
            argp_error(state, "\"%s\" cannot be the name of a C array", argument);
        options->array = argument;
        return 0;
    case OPTION_C_FIRMWARE:
        options->firmware = argument;
        return 0;
    case 'i':
        if (options->input_count == YT_DEVICES)
            argp_error(state, "at most %d devices", YT_DEVICES);
        options->inputs[options->input_count++] = argument;
        return 0;
    case 'f':
        options->force = true;
        return 0;
    case OPTION_WITH_TEXT:
        options->with_text = true;
        return 0;
    case ARGP_KEY_END:
        check_compile(options, state);
        return 0;
    default:
        return only_argument(key, argument, state, &options->profile, "profile");
    }
}

int command_compile(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"c-array", OPTION_C_ARRAY, "NAME", 0,
         "write it as C source, FILE.c: an array of that name, and its size as NAME_size; a header "
         "that declares them is written beside it, FILE.h",
         0},
        {"c-firmware", OPTION_C_FIRMWARE, "FOLDER", 0,
         "write a small firmware around it, to begin with: it plays the recordings of --in, and "
         "runs in an emulator at once",
         0},
        {"in", 'i', "[NAME=]RECORDING", 0,
         "--c-firmware: plug the device of a recording in; may be given several times", 0},
        {"force", 'f', 0, 0, "--c-firmware: replace files that are there", 0},
        {"with-text", OPTION_WITH_TEXT, 0, 0,
         "keep the profile's text behind the program, and that of the files that it names; yonder "
         "text gives it back",
         0},
        {0}};
    static const struct argp_child children[] = {{&out_argp, 0, 0, 0}, {0}};
    static const struct argp argp = {.options = known,
                                     .children = children,
                                     .parser = parse_compile,
                                     .args_doc = "PROFILE",
                                     .doc = "Makes the program that an adapter stores and runs."};
    options options = {0};
    profile profile;
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    if (!profile_open(&profile, options.profile))
        return 1;
    bool good = options.firmware ? compile_firmware(&options, &profile)
                                 : compile_program(&options, &profile);
    profile_close(&profile);
    return good ? 0 : 1;
}
