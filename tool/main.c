/* The `yonder` command: finds the command that is meant and hands its arguments on. */
#include <argp.h>
#include <stdbool.h>
#include <stdlib.h>
#include <string.h>

#include "tool/options.h"
#include "tool/output.h"
#include "tool/tool.h"
#include "yonder/version.h"

const char *argp_program_version = "yonder " YT_VERSION_TEXT;

typedef struct command {
    const char *name;
    int (*run)(int count, char **arguments);
    const char *meaning;
} command;

static const command commands[] = {
    {"list", command_list, "show which devices there are, real and simulated"},
    {"permit", command_permit, "write the udev rule that lets you use one device"},
    {"describe", command_describe, "show the controls of a device, and what they are called"},
    {"watch", command_watch, "show what a device does, or what a host gets, as it happens"},
    {"record", command_record, "record what devices send, several at once by one clock"},
    {"measure", command_measure, "say what a device's sticks and triggers do, and what to set"},
    {"calibrate", command_calibrate, "find out how one stick, trigger or gyro really moves"},
    {"new", command_new, "write a starting profile for a device"},
    {"assign", command_assign, "set a profile up by pressing, moving and turning"},
    {"check", command_check, "look a profile over and say what it takes"},
    {"compile", command_compile, "make the program that an adapter stores and runs"},
    {"format", command_format, "lay a profile out: spacing, with comments and order as they are"},
    {"text", command_text, "give the profile back that a program was made from"},
    {"run", command_run, "play recordings through a profile, and write what the host gets"},
    {"slots", command_slots, "show and change what is in the slots of an adapter"},
    {"adapter", command_adapter, "plug an adapter in, and play recordings through its slots"},
    {"sim", command_sim, "plug a simulated adapter in that other programs can talk to"},
    {"serve", command_serve, "be an adapter: take this machine's devices, and be others to a host"},
    {"obstacles", command_obstacles, "say what stands in the way of being one, and what mends it"},
    {"settings", command_settings,
     "show and change what belongs to an adapter, whichever slot runs"},
    {"share", command_share, "put profiles into one file, with all that they need, to hand on"},
    {"take", command_take, "look over profiles that somebody has shared, and take them"},
    {"plot", command_plot, "draw what a formula makes of a stick, a trigger or a gyro"},
    {"explain", command_explain, "say why an output is what it is at some time"},
    {"names", command_names, "list what controls are called, of a kind or of a device"},
    {"functions", command_functions, "list the functions that formulas may call"},
    {"demo", command_demo, "work a quayside crane with a simulated adapter, step by step"}};

#define COMMANDS (sizeof commands / sizeof commands[0])

typedef struct choice {
    const command *command;
    int first; /* where its own arguments begin */
} choice;

static error_t parse(int key, char *argument, struct argp_state *state) {
    choice *choice = state->input;
    if (key != ARGP_KEY_ARG)
        return ARGP_ERR_UNKNOWN;
    for (size_t i = 0; i < COMMANDS; i++)
        if (strcmp(commands[i].name, argument) == 0)
            choice->command = &commands[i];
    if (!choice->command) {
        const char *names[COMMANDS];
        for (size_t i = 0; i < COMMANDS; i++)
            names[i] = commands[i].name;
        unknown_word(state, "there is no command", argument, names, COMMANDS, "");
    }
    choice->first = state->next - 1;
    state->next = state->argc;
    return 0;
}

static char *help_text(int key, const char *text, void *input) {
    (void)input;
    if (key != ARGP_KEY_HELP_POST_DOC)
        return (char *)text;
    char *list = NULL;
    size_t size;
    FILE *file = open_memstream(&list, &size);
    if (!file)
        return (char *)text;
    fputs("Commands:\n\n", file);
    for (size_t i = 0; i < COMMANDS; i++)
        fprintf(file, "  %-10s %s\n", commands[i].name, commands[i].meaning);
    fputs("\n`yonder COMMAND --help` says more of each. The exit status is 0 when all went well, "
          "1 when the work failed, and 2 when the call was wrong.",
          file);
    fclose(file);
    return list;
}

/* Nothing at all, `help`, `help COMMAND` and -h ask for what --help gives. */
static int ask_for_help(int count, char **arguments, char **asked) {
    static char help[] = "--help";
    bool is_word = count > 1 && strcmp(arguments[1], "help") == 0;
    int size = 0;
    for (int i = 0; i < count; i++)
        if (!is_word || i != 1)
            asked[size++] = arguments[i];
    for (int i = 1; i < size && strcmp(asked[i], "--") != 0; i++)
        if (strcmp(asked[i], "-h") == 0)
            asked[i] = help;
    if (is_word || size == 1)
        asked[size++] = help;
    asked[size] = NULL;
    return size;
}

int main(int given, char **words) {
    char **arguments = calloc((size_t)given + 2, sizeof *arguments);
    if (!arguments)
        abort();
    int count = ask_for_help(given, words, arguments);
    choice choice = {0};
    static const struct argp argp = {
        .parser = parse,
        .args_doc = "COMMAND [ARGUMENT...]",
        .doc = "Remaps controllers: reports of one device in, reports of another out.\v ",
        .help_filter = help_text};
    output_begin();
    argp_err_exit_status = 2;
    if (argp_parse(&argp, count, arguments, ARGP_IN_ORDER, NULL, &choice) != 0)
        return 2;
    char name[64];
    snprintf(name, sizeof name, "yonder %s", choice.command->name);
    arguments[choice.first] = name;
    int status = choice.command->run(count - choice.first, arguments + choice.first);
    free(arguments);
    return output_end(status);
}
