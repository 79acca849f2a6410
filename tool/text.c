/* Gives the profile's text back that a program was compiled with. */
#include <argp.h>
#include <stdlib.h>
#include <string.h>

#include "tool/json_text.h"
#include "tool/options.h"
#include "tool/output.h"
#include "tool/tool.h"

typedef struct options {
    const char *program;
    text_wanted wanted;
} options;

static bool write_file(const yt_kept_file *file, const char *path) {
    whole_file out;
    if (!whole_file_open(&out, path, CONTENT_TEXT))
        return false;
    bool is_shown = !out.path;
    fwrite(file->text, 1, file->bytes, out.file);
    if (!whole_file_close(&out))
        return false;
    if (is_shown && output_replaced() > 0)
        fprintf(stderr,
                "%zu characters that could steer a terminal are shown as ?; --out FILE keeps "
                "them\n",
                output_replaced());
    return true;
}

static bool is_called(const yt_kept_file *file, const char *name) {
    return !name ||
           (strlen(name) == file->name_bytes && memcmp(name, file->name, file->name_bytes) == 0);
}

static json_t *file_as_json(const yt_kept_file *file) {
    json_t *one = json_object();
    json_object_set_new(one, "name", json_text_of(file->name, file->name_bytes));
    json_object_set_new(one, "bytes", json_integer((json_int_t)file->bytes));
    return one;
}

const char *text_wrong(const text_wanted *wanted) {
    if (wanted->list && (wanted->file || wanted->out))
        return "--list goes without --file and --out";
    return wanted->json && !wanted->list ? "--json is for --list" : NULL;
}

bool text_give(const text_wanted *wanted, const char *where, const char *none,
               const uint8_t *program, size_t size) {
    yt_kept_file files[KEPT_FILES];
    int count = kept_text_read(program, size, files);
    if (count <= 0) {
        fprintf(stderr,
                count ? "%s: the text behind the program is broken\n"
                      : "%s: no text is kept here; %s\n",
                where, none);
        return false;
    }
    json_t *list = wanted->json ? json_array() : NULL;
    for (int i = 0; i < count; i++) {
        if (list)
            json_array_append_new(list, file_as_json(&files[i]));
        else if (wanted->list)
            printf("%8zu bytes  %.*s\n", files[i].bytes, (int)files[i].name_bytes, files[i].name);
        else if (is_called(&files[i], wanted->file))
            return write_file(&files[i], wanted->out ? wanted->out : "-");
    }
    if (list)
        return json_print(list);
    if (!wanted->list)
        fprintf(stderr, "%s: there is no file \"%s\" in it\n", where, wanted->file);
    return wanted->list;
}

static error_t parse(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    switch (key) {
    case ARGP_KEY_INIT:
        state->child_inputs[0] = &options->wanted.out;
        return 0;
    case 'f':
        options->wanted.file = argument;
        return 0;
    case 'l':
        options->wanted.list = true;
        return 0;
    case 'j':
        options->wanted.json = true;
        return 0;
    case ARGP_KEY_END:
        if (text_wrong(&options->wanted))
            argp_error(state, "%s", text_wrong(&options->wanted));
        /* fall through */
    default:
        return only_argument(key, argument, state, &options->program, "program");
    }
}

int command_text(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"list", 'l', 0, 0, "list the files that are kept: the profile, and those that it names",
         0},
        JSON_OPTION("the list as JSON"),
        {"file", 'f', "NAME", 0, "give that file in place of the profile", 0},
        {0}};
    static const struct argp_child children[] = {{&out_argp, 0, 0, 0}, {0}};
    static const struct argp argp = {
        .options = known,
        .children = children,
        .parser = parse,
        .args_doc = "PROGRAM",
        .doc =
            "Gives back the text of the profile that a program was made from, byte for byte, "
            "where it was compiled with --with-text. On standard output a ? stands for what could "
            "steer a terminal."};
    options options = {0};
    size_t size;
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    const char *why;
    uint8_t *program = read_program(options.program, &size, &why);
    if (!program)
        fprintf(stderr, "%s: %s\n", options.program, why);
    bool good = program && text_give(&options.wanted, options.program, "compile with --with-text",
                                     program, size);
    free(program);
    return good ? 0 : 1;
}
