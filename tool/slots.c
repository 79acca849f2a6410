/* Slots of an adapter: what is in them, and what is to be. */
#include <argp.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/messages/status_text.h"
#include "tool/options.h"
#include "tool/output.h"
#include "tool/slots.h"
#include "yonder/abilities.h"
#include "yonder/settings.h"

#define WORDS 66

/* Options that some actions take and others do not, a bit each. */
enum {
    TAKES_FORCE = 1,
    TAKES_NAME = 2,
    TAKES_TEXT = 4,
    TAKES_OUT = 8,
    TAKES_PROGRAM = 16,
    TAKES_JSON = 32
};

typedef struct options {
    holder_options holder;
    const char *words[WORDS]; /* the action, and what it is about */
    unsigned word_count;
    unsigned given; /* options, as TAKES_… */
    const char *name;
    text_wanted text;
    const char *into;
    bool program;
    bool without_text;
    bool json;
} options;

typedef struct action {
    const char *name;
    unsigned least, most; /* words behind it */
    unsigned takes;
    bool makes, changes;
    bool (*run)(holder *holder, const options *options);
    const char *usage;
} action;

/* A slot's number, from 1, as people write it. */
static bool slot_word(holder *holder, const char *word, size_t length, unsigned *slot) {
    char *end;
    unsigned long number = strtoul(word, &end, 10);
    if (length > 0 && length < 5 && *word >= '0' && *word <= '9' && end == word + length &&
        number >= 1 && number <= holder->slots) {
        *slot = (unsigned)number - 1;
        return true;
    }
    fprintf(stderr, "there is no slot \"%.*s\": they are 1 to %u", (int)length, word,
            holder->slots);
    fputs(holder->is_linked || holder->file->options->slots
              ? "\n"
              : "; --slots N says how many the adapter has\n",
          stderr);
    return false;
}

static bool slots_of(holder *holder, const options *options, unsigned count, unsigned *slots) {
    for (unsigned i = 0; i < count; i++)
        if (!slot_word(holder, options->words[1 + i], strlen(options->words[1 + i]), &slots[i]))
            return false;
    return true;
}

/* What a slot holds would be lost. */
static bool may_replace(holder *holder, const slot_content *content, const options *options) {
    yt_slot info;
    if ((options->given & TAKES_FORCE) || slot_holds(holder, content) ||
        holder_slot(holder, content->slot, &info) != YT_OK)
        return true;
    fprintf(stderr, "slot %u holds something else, \"%s\"; --force replaces it\n",
            content->slot + 1, info.name);
    return false;
}

static bool list(holder *holder, const options *options) {
    return options->json ? slots_list_json(holder) : slots_list(holder);
}

/* ---- put ---- */

static void warn_of_refused(holder *holder, const slot_content *content) {
    uint8_t settings[YT_SETTINGS_BYTES];
    size_t size;
    const yt_program_header *header = (const yt_program_header *)content->bytes;
    if (holder_record(holder, YT_STORE_SETTINGS, settings, sizeof settings, &size) != YT_OK)
        return;
    uint32_t refused =
        header->abilities & yt_settings_number(settings, size, YT_SETTING_REFUSED, 0);
    for (unsigned i = 0; i < YT_ABILITY_COUNT; i++)
        if (refused >> i & 1)
            fprintf(stderr,
                    "warning: slot %u will not run: the adapter's settings refuse what is able to "
                    "do %s\n",
                    content->slot + 1, yt_ability_name(i));
}

static bool read_content(holder *holder, const options *options, const char *word,
                         slot_content *content) {
    const char *sign = strchr(word, '=');
    if (!sign || !sign[1])
        return refuse(word, "put takes SLOT=PROFILE, as in 2=crane/crane.yaml");
    if (!slot_word(holder, word, (size_t)(sign - word), &content->slot) ||
        !slot_content_read(content, sign + 1, !options->without_text))
        return false;
    if (options->name)
        snprintf(content->name, sizeof content->name, "%s", options->name);
    return may_be_named(content->name) || refuse(word, name_rule);
}

static bool write_content(holder *holder, const slot_content *content) {
    yt_slot info;
    yt_status status = holder_slot(holder, content->slot, &info);
    bool is_there = status == YT_OK && slot_holds(holder, content);
    if (is_there && strcmp(info.name, content->name) == 0) {
        printf("slot %u: holds it already\n", content->slot + 1);
        return true;
    }
    const holder_content whole = {.name = content->name,
                                  .program = content->bytes,
                                  .program_bytes = content->program_bytes,
                                  .text = content->bytes + content->program_bytes,
                                  .text_bytes = content->text_bytes};
    status = is_there ? holder_rename(holder, content->slot, content->name)
                      : holder_write(holder, content->slot, &whole);
    if (status != YT_OK)
        return slot_fail(holder, content->slot, status);
    if (is_there)
        printf("slot %u: is \"%s\" now\n", content->slot + 1, content->name);
    else
        printf("slot %u: \"%s\", a program of %zu bytes, a text of %zu\n", content->slot + 1,
               content->name, content->program_bytes, content->text_bytes);
    return true;
}

static bool is_named_twice(const slot_content *contents, unsigned count) {
    for (unsigned i = 0; i < count; i++)
        for (unsigned k = 0; k < i; k++)
            if (contents[i].slot == contents[k].slot) {
                fprintf(stderr, "slot %u is given twice\n", contents[i].slot + 1);
                return true;
            }
    return false;
}

/* A file is written when all is in; an adapter has those that came before. */
static void tell_unwritten(const holder *holder, const slot_content *contents, unsigned written,
                           unsigned count) {
    if (!holder->is_linked || written == 0) {
        fprintf(stderr, "%s: nothing was written\n", holder->path);
        return;
    }
    for (unsigned i = written; i < count; i++)
        fprintf(stderr, "%s: slot %u is as it was\n", holder->path, contents[i].slot + 1);
}

/* All are looked at before the first is written: of a file all are written, or none. */
static bool put(holder *holder, const options *options) {
    slot_content contents[WORDS] = {0};
    unsigned count = options->word_count - 1;
    unsigned written = 0;
    bool good = true;
    if (options->name && count > 1)
        return refuse("--name", "is for one slot at a time");
    for (unsigned i = 0; i < count && good; i++)
        good = read_content(holder, options, options->words[1 + i], &contents[i]);
    good = good && !is_named_twice(contents, count);
    for (unsigned i = 0; i < count && good; i++)
        good = may_replace(holder, &contents[i], options);
    for (; written < count && good; written += good)
        good = write_content(holder, &contents[written]);
    for (unsigned i = 0; i < count && good; i++)
        warn_of_refused(holder, &contents[i]);
    if (!good)
        tell_unwritten(holder, contents, written, count);
    for (unsigned i = 0; i < count; i++)
        slot_content_free(&contents[i]);
    return good;
}

/* ---- get ---- */

static bool get_into(const options *options, const slot_content *content) {
    return slot_text_write(content, options->into, options->given & TAKES_FORCE, true);
}

static bool get_program(const options *options, const slot_content *content) {
    whole_file out;
    if (!whole_file_open(&out, options->text.out ? options->text.out : "-", CONTENT_BYTES))
        return false;
    fwrite(content->bytes, 1, content->program_bytes + content->text_bytes, out.file);
    return whole_file_close(&out);
}

/* A firmware may have kept a text of its own kind: it is given as it is. */
static bool get_plain(const options *options, const slot_content *content) {
    whole_file out;
    if (!whole_file_open(&out, options->text.out ? options->text.out : "-", CONTENT_TEXT))
        return false;
    fwrite(content->bytes + content->program_bytes, 1, content->text_bytes, out.file);
    return whole_file_close(&out);
}

static bool get(holder *holder, const options *options) {
    yt_kept_file files[KEPT_FILES];
    slot_content content;
    char where[32];
    unsigned slot;
    if (!slots_of(holder, options, 1, &slot) || !slot_content_fetch(&content, holder, slot))
        return false;
    size_t size = content.program_bytes + content.text_bytes;
    snprintf(where, sizeof where, "slot %u", slot + 1);
    bool is_plain = content.text_bytes > 0 && !options->text.file && !options->text.list &&
                    kept_text_read(content.bytes, size, files) == 0;
    bool good = options->program ? get_program(options, &content)
                : options->into  ? get_into(options, &content)
                : is_plain
                    ? get_plain(options, &content)
                    : text_give(&options->text, where,
                                "it was put there --without-text; --program gives the program",
                                content.bytes, size);
    if (good)
        slots_tell_kept(holder, &content);
    slot_content_free(&content);
    return good;
}

/* ---- the rest ---- */

static bool done(holder *holder, unsigned slot, yt_status status) {
    return status == YT_OK || slot_fail(holder, slot, status);
}

static bool copy(holder *holder, const options *options) {
    slot_content content;
    unsigned slots[2];
    if (!slots_of(holder, options, 2, slots) || !slot_content_fetch(&content, holder, slots[0]))
        return false;
    content.slot = slots[1];
    bool good = may_replace(holder, &content, options);
    slot_content_free(&content);
    return good && done(holder, slots[0], holder_copy(holder, slots[0], slots[1]));
}

static bool swap(holder *holder, const options *options) {
    unsigned slots[2];
    return slots_of(holder, options, 2, slots) &&
           done(holder, slots[0], holder_swap(holder, slots[0], slots[1]));
}

static bool rename_slot(holder *holder, const options *options) {
    unsigned slot;
    const char *name = options->words[2];
    if (!slots_of(holder, options, 1, &slot))
        return false;
    if (!may_be_named(name))
        return refuse(name, name_rule);
    return done(holder, slot, holder_rename(holder, slot, name));
}

static bool erase(holder *holder, const options *options) {
    unsigned slots[WORDS];
    if (!slots_of(holder, options, options->word_count - 1, slots))
        return false;
    for (unsigned i = 0; i + 1 < options->word_count; i++)
        if (!done(holder, slots[i], holder_erase(holder, slots[i])))
            return false;
    return true;
}

static bool activate(holder *holder, const options *options) {
    yt_slot info;
    unsigned slot;
    if (!slots_of(holder, options, 1, &slot))
        return false;
    yt_status status = holder_slot(holder, slot, &info);
    if (status == YT_OK)
        status = holder_activate(holder, slot);
    return done(holder, slot, status);
}

/* ---- programs of another version ---- */

/* Compiles what a slot keeps anew; the text stays as it was. */
static bool renew_one(holder *holder, unsigned slot) {
    slot_content content;
    profile profile;
    if (!slot_content_fetch(&content, holder, slot))
        return false;
    bool good = slot_profile_open(&profile, &content);
    if (good) {
        const yt_compiled *compiled = &profile.compiled;
        bool is_same = compiled->size == content.program_bytes &&
                       memcmp(compiled->image, content.bytes, compiled->size) == 0;
        const holder_content whole = {.program = compiled->image,
                                      .program_bytes = compiled->size,
                                      .text = content.bytes + content.program_bytes,
                                      .text_bytes = content.text_bytes};
        yt_status status = is_same ? YT_OK : holder_write(holder, slot, &whole);
        good = status == YT_OK || slot_fail(holder, slot, status);
        if (good && is_same)
            printf("slot %u: is as it would be compiled now\n", slot + 1);
        else if (good)
            printf("slot %u: compiled anew, a program of %zu bytes\n", slot + 1, compiled->size);
        profile_close(&profile);
    }
    slot_content_free(&content);
    return good;
}

/* All that hold a profile, or those that are named. */
static bool renew(holder *holder, const options *options) {
    unsigned slots[WORDS], count = options->word_count - 1;
    bool good = slots_of(holder, options, count, slots);
    for (unsigned slot = 0; count == 0 && slot < holder->slots && good; slot++) {
        yt_slot info;
        if (holder_slot(holder, slot, &info) == YT_OK && info.bytes[YT_SLOT_TEXT] > 0)
            good = renew_one(holder, slot);
    }
    for (unsigned i = 0; i < count && good; i++)
        good = renew_one(holder, slots[i]);
    if (!good)
        fprintf(stderr, "%s: nothing was written\n", holder->path);
    return good;
}

static bool has_difference; /* it is no failure, but it is told by the exit status */

static bool differ(holder *holder, const options *options) {
    unsigned slot;
    return slots_of(holder, options, 1, &slot) &&
           slots_differ(holder, slot, options->words[2], &has_difference);
}

static const action actions[] = {
    {"list", 0, 0, TAKES_JSON, false, false, list, ""},
    {"put", 1, WORDS - 1, TAKES_FORCE | TAKES_NAME | TAKES_TEXT, true, true, put,
     "SLOT=PROFILE..."},
    {"get", 1, 1, TAKES_FORCE | TAKES_OUT | TAKES_PROGRAM | TAKES_JSON, false, false, get, "SLOT"},
    {"copy", 2, 2, TAKES_FORCE, false, true, copy, "FROM TO"},
    {"swap", 2, 2, 0, false, true, swap, "SLOT SLOT"},
    {"rename", 2, 2, 0, false, true, rename_slot, "SLOT NAME"},
    {"erase", 1, WORDS - 1, 0, false, true, erase, "SLOT..."},
    {"activate", 1, 1, 0, false, true, activate, "SLOT"},
    {"renew", 0, WORDS - 1, 0, false, true, renew, "[SLOT...]"},
    {"diff", 2, 2, 0, false, false, differ, "SLOT FILE"}};

#define ACTIONS (sizeof actions / sizeof actions[0])

/* ---- the call ---- */

enum { OPTION_NAME = OPTION_OWN, OPTION_WITHOUT_TEXT, OPTION_PROGRAM, OPTION_INTO };

static const action *find_action(struct argp_state *state, const char *word) {
    const char *names[ACTIONS];
    for (size_t i = 0; i < ACTIONS; i++) {
        names[i] = actions[i].name;
        if (strcmp(names[i], word) == 0)
            return &actions[i];
    }
    unknown_word(state, "slots cannot", word, names, ACTIONS,
                 ": say list, put, get, copy, swap, rename, erase, activate, renew or diff");
    return NULL;
}

static void check_call(struct argp_state *state, const options *options) {
    if (options->word_count == 0)
        argp_error(state, "say what to do: list, put, get, copy, swap, rename, erase, activate, "
                          "renew or diff");
    const action *action = find_action(state, options->words[0]);
    if (options->word_count - 1 < action->least || options->word_count - 1 > action->most)
        argp_error(state, "it is: slots %s %s", action->name, action->usage);
    if (options->given & ~action->takes)
        argp_error(state, "%s has no use for one of these options", action->name);
    if (options->program && (options->text.file || options->text.list || options->into))
        argp_error(state, "--program gives the program; --file, --list and --into are of its text");
    if (options->into && (options->text.file || options->text.list || options->text.out))
        argp_error(state, "--into writes all files; leave out --file, --list and --out");
    const char *wrong = strcmp(action->name, "get") == 0 ? text_wrong(&options->text) : NULL;
    if (wrong)
        argp_error(state, "%s", wrong);
    if ((options->given & TAKES_FORCE) && strcmp(action->name, "get") == 0 && !options->into)
        argp_error(state, "--force is for --into");
}

static error_t parse(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    switch (key) {
    case ARGP_KEY_INIT:
        state->child_inputs[0] = &options->holder;
        return 0;
    case 'f':
        options->given |= TAKES_FORCE;
        return 0;
    case OPTION_NAME:
        if (!may_be_named(argument))
            argp_error(state, "--name: %s", name_rule);
        options->name = argument;
        options->given |= TAKES_NAME;
        return 0;
    case OPTION_WITHOUT_TEXT:
        options->without_text = true;
        options->given |= TAKES_TEXT;
        return 0;
    case OPTION_PROGRAM:
        options->program = true;
        options->given |= TAKES_PROGRAM;
        return 0;
    case OPTION_INTO:
        options->into = argument;
        options->given |= TAKES_OUT;
        return 0;
    case 'j':
        options->json = options->text.json = true;
        options->given |= TAKES_JSON;
        return 0;
    case 'o':
        options->text.out = argument;
        options->given |= TAKES_OUT;
        return 0;
    case 't':
        options->text.file = argument;
        options->given |= TAKES_OUT;
        return 0;
    case 'l':
        options->text.list = true;
        options->given |= TAKES_OUT;
        return 0;
    case ARGP_KEY_ARG:
        if (options->word_count == WORDS)
            argp_error(state, "too many slots at once");
        options->words[options->word_count++] = argument;
        return 0;
    case ARGP_KEY_END:
        check_call(state, options);
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

int command_slots(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"force", 'f', 0, 0, "replace what is there by something else", 0},
        {"name", OPTION_NAME, "TEXT", 0, "put: the slot's name, in place of the profile's", 0},
        {"without-text", OPTION_WITHOUT_TEXT, 0, 0,
         "put: only the program, so that the profile cannot be fetched again", 0},
        {"json", 'j', 0, 0, "list, and get --list: as JSON", 0},
        {"out", 'o', "FILE", 0, "get: where it goes; standard output if not given", 0},
        {"program", OPTION_PROGRAM, 0, 0, "get: the program, with its text behind it", 0},
        {"list", 'l', 0, 0, "get: only list the files of the text", 0},
        {"file", 't', "NAME", 0, "get: that file, in place of the profile", 0},
        {"into", OPTION_INTO, "FOLDER", 0, "get: write the profile and all files that it names", 0},
        {0}};
    static const struct argp_child children[] = {{&holder_argp, 0, "The adapter:", 1}, {0}};
    static const struct argp argp = {
        .options = known,
        .children = children,
        .parser = parse,
        .args_doc =
            "list\nput SLOT=PROFILE...\nget SLOT\ncopy FROM TO\nswap SLOT SLOT\n"
            "rename SLOT NAME\nerase SLOT...\nactivate SLOT\nrenew [SLOT...]\ndiff SLOT FILE",
        .doc = "Shows and changes what is in the slots of an adapter.\vSlots are numbered from 1. "
               "put compiles profiles, and takes programs as they are; of several all are "
               "written, or none. What get gives is the text that was put, byte for byte. renew "
               "compiles what is kept anew, after the firmware came to another version. diff "
               "exits with 1 where something differs."};
    options options = {0};
    holder holder;
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    const action *action = actions;
    while (strcmp(action->name, options.words[0]) != 0)
        action++;
    if (!holder_open(&holder, &options.holder, action->makes))
        return 1;
    bool good = action->run(&holder, &options);
    if (good && action->changes)
        good = holder_save(&holder);
    holder_close(&holder);
    return good && !has_difference ? 0 : 1;
}
