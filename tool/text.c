/* Gives the profile's text back that a program was compiled with. */
#include <argp.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/kept_text.h"
#include "tool/tool.h"

typedef struct options {
    const char *program;
    const char *file;
    const char *out;
    bool list;
} options;

static bool write_file(const kept_file *file, const char *path) {
    whole_file out;
    if (!whole_file_open(&out, path))
        return false;
    fwrite(file->text, 1, file->bytes, out.file);
    return whole_file_close(&out);
}

static bool is_called(const kept_file *file, const char *name) {
    return !name ||
           (strlen(name) == file->name_bytes && memcmp(name, file->name, file->name_bytes) == 0);
}

static bool give(const options *options, const uint8_t *program, size_t size) {
    kept_file files[KEPT_FILES];
    int count = kept_text_read(program, size, files);
    if (count <= 0) {
        fprintf(stderr,
                count ? "%s: the text behind the program is broken\n"
                      : "%s: no text is kept here; compile with --with-text\n",
                options->program);
        return false;
    }
    for (int i = 0; i < count; i++) {
        if (options->list)
            printf("%8zu bytes  %.*s\n", files[i].bytes, (int)files[i].name_bytes, files[i].name);
        else if (is_called(&files[i], options->file))
            return write_file(&files[i], options->out ? options->out : "-");
    }
    if (!options->list)
        fprintf(stderr, "%s: there is no file \"%s\" in it\n", options->program, options->file);
    return options->list;
}

static error_t parse(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    switch (key) {
    case 'f':
        options->file = argument;
        return 0;
    case 'o':
        options->out = argument;
        return 0;
    case 'l':
        options->list = true;
        return 0;
    case ARGP_KEY_ARG:
        if (options->program)
            argp_error(state, "one program at a time");
        options->program = argument;
        return 0;
    case ARGP_KEY_END:
        if (!options->program)
            argp_error(state, "say which program");
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

/* A program and the text behind it; NULL: said. */
static uint8_t *read_program(const char *path, size_t *size) {
    size_t room = YT_PROGRAM_BYTES + KEPT_FILES * ((size_t)DOCUMENT_BYTES + 512);
    uint8_t *bytes = malloc(room);
    FILE *file = fopen(path, "rb");
    *size = file && bytes ? fread(bytes, 1, room, file) : 0;
    bool good = file && bytes && !ferror(file);
    if (!good)
        perror(path);
    if (file)
        fclose(file);
    if (good && (*size < 12 || memcmp(bytes, "YTP1", 4) != 0)) {
        fprintf(stderr, "%s: this is not a program\n", path);
        good = false;
    }
    if (good)
        return bytes;
    free(bytes);
    return NULL;
}

int command_text(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"list", 'l', 0, 0, "list the files that are kept: the profile, and those that it names",
         0},
        {"file", 'f', "NAME", 0, "give that file in place of the profile", 0},
        {"out", 'o', "FILE", 0, "where the text goes; standard output if not given", 0},
        {0}};
    static const struct argp argp = {
        .options = known,
        .parser = parse,
        .args_doc = "PROGRAM",
        .doc = "Gives back the text of the profile that a program was made from, byte for byte, "
               "where it was compiled with --with-text."};
    options options = {0};
    size_t size;
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    uint8_t *program = read_program(options.program, &size);
    bool good = program && give(&options, program, size);
    free(program);
    return good ? 0 : 1;
}
