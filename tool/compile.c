#include <argp.h>
#include <ctype.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/status_text.h"
#include "tool/trial.h"

/* What the engine's memory holds for a program before any device is attached. */
static size_t memory_of(const compiled *compiled) {
    static uint64_t memory[SIM_MEMORY / 8];
    yt_engine engine;
    yt_port port = {.version = YT_PORT_VERSION};
    if (yt_engine_init(&engine, memory, sizeof memory, &port) != YT_OK ||
        yt_engine_load(&engine, compiled->image, compiled->size) != YT_OK)
        return 0;
    return yt_engine_used(&engine);
}

/* The ending of a word behind its number. */
static const char *plural(unsigned count) {
    return count == 1 ? "" : "s";
}

/* Whether a file is a program, not a profile; if so it is checked. */
static bool check_program(const char *path, int *status) {
    static uint64_t bytes[YT_PROGRAM_BYTES / 8 + 1];
    yt_program program;
    FILE *file = fopen(path, "rb");
    size_t size = file ? fread(bytes, 1, sizeof bytes, file) : 0;
    if (file)
        fclose(file);
    if (size < 4 || memcmp(bytes, "YTP1", 4) != 0)
        return false;
    yt_status good = yt_program_check(&program, bytes, size);
    *status = good == YT_OK ? 0 : 1;
    if (good != YT_OK)
        fprintf(stderr, "%s: %s\n", path, status_text(good));
    else
        printf("%s: fine. A program of %u bytes: %u input%s, %u output%s, %u node%s\n", path,
               program.header->total_bytes, program.header->input_count,
               plural(program.header->input_count), program.header->output_count,
               plural(program.header->output_count), program.header->node_count,
               plural(program.header->node_count));
    return true;
}

/* Runs the tests inside a profile; returns how many failed. */
static unsigned check_tests(const profile *profile) {
    unsigned count = profile->compiled.tests.count;
    fflush(stdout);
    unsigned failed = run_profile_tests(profile, stderr);
    if (count > 0 && failed == 0)
        printf("    %u test%s, %s\n", count, plural(count), count == 1 ? "it passes" : "all pass");
    else if (count > 0)
        printf("    %u test%s, %u fail%s\n", count, plural(count), failed, failed == 1 ? "s" : "");
    return failed;
}

static int check(const char *path) {
    profile profile;
    int status;
    if (check_program(path, &status))
        return status;
    if (!profile_open(&profile, path))
        return 1;
    messages_print(&profile.messages, stderr); /* warnings */
    const compiled *compiled = &profile.compiled;
    printf("%s: fine. %u input%s, %u output%s, %u control%s read, %u node%s\n"
           "    %zu bytes stored; %zu bytes of memory, and more for each device\n",
           path, compiled->input_count, plural(compiled->input_count), compiled->output_count,
           plural(compiled->output_count), compiled->control_count, plural(compiled->control_count),
           compiled->node_count, plural(compiled->node_count), compiled->size, memory_of(compiled));
    unsigned failed = check_tests(&profile);
    profile_close(&profile);
    return failed ? 1 : 0;
}

static error_t parse_check(int key, char *argument, struct argp_state *state) {
    int *status = state->input;
    if (key == ARGP_KEY_NO_ARGS)
        argp_error(state, "say which profile");
    if (key != ARGP_KEY_ARG)
        return ARGP_ERR_UNKNOWN;
    if (check(argument) != 0)
        *status = 1;
    return 0;
}

int command_check(int count, char **arguments) {
    static const struct argp argp = {
        .parser = parse_check,
        .args_doc = "PROFILE...",
        .doc = "Looks profiles over and says what they take on an adapter. Compiled programs are "
               "checked as an adapter checks them."};
    int status = 0;
    argp_parse(&argp, count, arguments, 0, NULL, &status);
    return status;
}

void print_c_array(FILE *file, const char *name, const uint8_t *bytes, size_t size) {
    fprintf(file,
            "/* A program of Yonder Thumb, made by `yonder compile --c-array`. Do not edit. */\n"
            "_Alignas(4) const unsigned char %s[%zu] = {",
            name, size);
    for (size_t i = 0; i < size; i++)
        fprintf(file, "%s0x%02x,", i % 16 ? " " : "\n    ", bytes[i]);
    fprintf(file, "\n};\nconst unsigned long %s_size = sizeof %s;\n", name, name);
}

typedef struct options {
    const char *profile;
    const char *out;
    const char *array;
} options;

static bool is_identifier(const char *text) {
    if (!isalpha((unsigned char)*text) && *text != '_')
        return false;
    while (isalnum((unsigned char)*text) || *text == '_')
        text++;
    return *text == 0;
}

enum { OPTION_C_ARRAY = 256 };

static error_t parse_compile(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    switch (key) {
    case 'o':
        options->out = argument;
        return 0;
    case OPTION_C_ARRAY:
        if (!is_identifier(argument))
            argp_error(state, "\"%s\" cannot be the name of a C array", argument);
        options->array = argument;
        return 0;
    case ARGP_KEY_ARG:
        if (options->profile)
            argp_error(state, "one profile at a time");
        options->profile = argument;
        return 0;
    case ARGP_KEY_END:
        if (!options->profile || !options->out)
            argp_error(state, "say which profile, and with --out where the program goes");
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

int command_compile(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"out", 'o', "FILE", 0, "where the program goes; - is standard output", 0},
        {"c-array", OPTION_C_ARRAY, "NAME", 0,
         "write it as C source: an array of that name, and its size as NAME_size", 0},
        {0}};
    static const struct argp argp = {.options = known,
                                     .parser = parse_compile,
                                     .args_doc = "PROFILE",
                                     .doc = "Makes the program that an adapter stores and runs."};
    options options = {0};
    profile profile;
    whole_file file;
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    if (!profile_open(&profile, options.profile))
        return 1;
    bool good = whole_file_open(&file, options.out);
    if (good) {
        if (options.array)
            print_c_array(file.file, options.array, profile.compiled.image, profile.compiled.size);
        else
            fwrite(profile.compiled.image, 1, profile.compiled.size, file.file);
        good = whole_file_close(&file);
    }
    profile_close(&profile);
    return good ? 0 : 1;
}
