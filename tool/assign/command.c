/* `yonder assign`: a profile is set up with the devices in the hands. */
#include <argp.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "tool/assign/faces.h"
#include "tool/options.h"
#include "tool/playing.h"

typedef struct options {
    const char *profile;
    hands hands;
    const char *to;
    bool plain;
    holder_options holder;
    face_options face;
} options;

enum { OPTION_TO = OPTION_OWN, OPTION_PLAIN, OPTION_KEYS, OPTION_SCAN };

static error_t parse(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    watch_options *watched = &options->hands.options;
    char wrong[200];
    switch (key) {
    case ARGP_KEY_INIT:
        state->child_inputs[0] = &options->holder;
        return 0;
    case OPTION_TO:
        if (!output_kind_usual(argument))
            argp_error(state, "--to takes one of: %s; not \"%s\"", output_kind_list(), argument);
        options->to = argument;
        return 0;
    case OPTION_PLAIN:
        options->plain = true;
        return 0;
    case OPTION_KEYS:
        options->face.keys = argument;
        return 0;
    case OPTION_SCAN:
        options->face.scan_us = parse_time(argument);
        if (options->face.scan_us < 100000 || options->face.scan_us > 60000000)
            argp_error(state, "--scan takes a time from 0.1s to 60s, as in 1.2s; not \"%s\"",
                       argument);
        return 0;
    case ARGP_KEY_ARG:
        if (!options->profile)
            options->profile = argument;
        else if (watched->source_count < WATCH_DEVICES)
            watched->sources[watched->source_count++] = argument;
        else
            argp_error(state, "up to %d devices are taken at once", WATCH_DEVICES);
        return 0;
    case ARGP_KEY_END:
        if (!options->profile)
            argp_error(state, "say which profile");
        options->plain |= !isatty(STDOUT_FILENO) || !isatty(STDIN_FILENO);
        if (options->face.keys &&
            !face_keys_good(options->face.keys, options->face.scan_us > 0, wrong, sizeof wrong))
            argp_error(state, "--keys: %s", wrong);
        if (options->plain && (options->face.keys || options->face.scan_us))
            argp_error(state, "--keys and --scan are for a full screen");
        if (access(options->profile, F_OK) != 0 && !options->to)
            argp_error(state, "%s is not there; --to says what the host wants of a new one: %s",
                       options->profile, output_kind_list());
        if (access(options->profile, F_OK) != 0 && watched->source_count == 0)
            argp_error(state, "%s is not there; a new one begins with a device: say which",
                       options->profile);
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

/* It ended without being asked to: what was done is kept beside the file, which is said. */
static bool is_left_unsaved(assign *assign) {
    assign->keeps |= !assign->leaves;
    if (assign->leaves || !draft_is_changed(&assign->draft))
        return false;
    fprintf(stderr, "%s is not saved; what was done is kept in %s\n", assign->draft.path,
            assign->draft.copy_path);
    return true;
}

static bool run(options *options) {
    static assign assign;
    static shelf shelf;
    hands *hands = &options->hands;
    watch_options *watched = &hands->options;
    char *text = NULL;
    watched->profile = options->profile; /* for what is said of it */
    if (access(options->profile, F_OK) != 0) {
        text = new_profile(watched->sources, watched->source_count, options->to);
        if (!text)
            return false;
    }
    bool good = assign_begin(&assign, options->profile, text, watched->source_count ? hands : NULL);
    free(text);
    if (!good)
        return false;
    bool has_box = options->holder.at || options->holder.flash.path;
    shelf.options = &options->holder;
    good = !has_box || shelf_open(&shelf);
    assign.shelf = &shelf;
    assign.spare = watched->source_count ? NULL : hands;
    if (good && has_box)
        assign_hear_adapter(&assign);
    stop_by_signals();
    if (good && options->plain)
        assign_plainly(&assign);
    else if (good)
        good = assign_on_screen(&assign, &options->face);
    good = good && !is_left_unsaved(&assign);
    assign_end(&assign);
    if (watched->source_count || hands->adapter)
        hands_end(hands);
    shelf_close(&shelf);
    return good;
}

int command_assign(int count, char **arguments) {
    static options options = {.hands.options = {.speed = 1, .limit = LIMIT_REPORTS}};
    static const struct argp_option known[] = {
        {"to", OPTION_TO, "KIND", 0, "of a new profile: what the host wants, such as gamepad", 0},
        {"plain", OPTION_PLAIN, 0, 0, "questions and answers, line by line", 0},
        {"keys", OPTION_KEYS, "LIST", 0,
         "other keys, as in \"down=n choose=space back=b\"; they may be all that is used", 0},
        {"scan", OPTION_SCAN, "TIME", 0, "go on to the next row by itself, every so often", 0},
        {0}};
    static const struct argp_child children[] = {
        {&holder_argp, 0, "An adapter that it is put into:", 1}, {0}};
    static const struct argp argp = {
        .options = known,
        .children = children,
        .parser = parse,
        .args_doc = "PROFILE [DEVICE...]",
        .doc = "Sets a profile up by pressing: choose what the host shall get, press or move what "
               "shall drive it, and turn its numbers while you feel them.\vA device is a node such "
               "as /dev/hidraw0 or a recording, which is played while something is waited for. "
               "Without one, an adapter that is talked to tells what is pressed. The "
               "file is written when you say so; what was done until then is kept beside it, in "
               "PROFILE.draft."};
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    return run(&options) ? 0 : 1;
}
