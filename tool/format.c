/* Gives profiles, descriptions and rules the usual spacing. */
#include <argp.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/reading/spacing.h"
#include "tool/options.h"
#include "tool/tool.h"

#define FILES 64

typedef struct options {
    const char *paths[FILES];
    unsigned count;
    bool only_looks;
} options;

static bool replace(const char *path, const char *text, size_t size) {
    whole_file file;
    bool is_output = strcmp(path, "-") == 0;
    if (is_output ? !whole_file_open(&file, path, CONTENT_TEXT) : !whole_file_replace(&file, path))
        return false;
    fwrite(text, 1, size, file.file);
    return whole_file_close(&file);
}

/* False: it is not right, or (where that is asked) not in the usual spacing. */
static bool format(const options *options, const char *path) {
    yt_messages messages;
    size_t before, size;
    char *source = read_text(path, &before);
    if (!source)
        return false;
    messages_begin(&messages, path, source, before);
    char *made = spacing_usual(&messages, &size);
    bool good = made != NULL;
    bool differs = good && (size != before || memcmp(made, source, size) != 0);
    bool is_output = strcmp(path, "-") == 0;
    if (!good)
        say_messages(&messages);
    else if (options->only_looks && differs)
        good = refuse(path, "is not in the usual spacing; yonder format gives it that");
    else if (!options->only_looks && (differs || is_output))
        good = replace(path, made, size);
    if (good && differs && !is_output && !options->only_looks)
        printf("%s: laid out anew\n", path);
    messages_free(&messages);
    free(made);
    free(source);
    return good;
}

enum { OPTION_LOOK = OPTION_OWN };

static error_t parse(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    switch (key) {
    case OPTION_LOOK:
        options->only_looks = true;
        return 0;
    case ARGP_KEY_ARG:
        if (options->count == FILES)
            argp_error(state, "at most %d files", FILES);
        options->paths[options->count++] = argument;
        return 0;
    case ARGP_KEY_NO_ARGS:
        argp_error(state, "say which file");
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

int command_format(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"check", OPTION_LOOK, 0, 0, "change nothing, and say which files are not laid out so", 0},
        {0}};
    static const struct argp argp = {
        .options = known,
        .parser = parse,
        .args_doc = "FILE...",
        .doc = "Gives profiles, descriptions and rules the usual spacing: two spaces for each "
               "level, one behind a colon and a comma, and around what stands between two things "
               "in a formula. Comments, order and quotes stay, and so does what the file "
               "says.\v- reads standard input and writes standard output."};
    options options = {0};
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    bool good = true;
    for (unsigned i = 0; i < options.count; i++)
        good &= format(&options, options.paths[i]);
    return good ? 0 : 1;
}
