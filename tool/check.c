#include <argp.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#include "compiler/formulas/chords.h"
#include "compiler/messages/plain.h"
#include "compiler/messages/status_text.h"
#include "compiler/profile/cost.h"
#include "compiler/profile/rules.h"
#include "tool/check_json.h"
#include "tool/json_text.h"
#include "tool/left_over.h"
#include "tool/options.h"
#include "tool/rebind_cost.h"
#include "tool/trial.h"
#include "yonder/abilities.h"
#include "yonder/groups.h"

/* The ending of a word behind its number. */
static const char *plural(unsigned count) {
    return count == 1 ? "" : "s";
}

typedef struct checking {
    int status;
    bool undriven;
    bool unused;
    bool typed;
    json_t *json;      /* a list of what each file is; NULL: for people */
    const char *rules; /* NULL: none */
    uint32_t groups;   /* of functions that the firmware has, a bit each */
} checking;

/* The names of groups, a bit each. */
static const char *group_list(uint32_t groups, char *text, size_t size) {
    size_t length = 0;
    *text = 0;
    for (unsigned i = 0; i < YT_GROUPS && length < size; i++)
        if (groups >> i & 1)
            length += (size_t)snprintf(text + length, size - length, "%s%s", length ? ", " : "",
                                       yt_group_name(i));
    return text;
}

/* Says which groups of functions a program needs. False: the firmware has not all of them. */
static bool check_groups(const char *path, const yt_program *program, const checking *checking) {
    char text[200], there[200];
    uint32_t needs = program->header->groups, missing = needs & ~checking->groups;
    if (!missing) {
        if (needs)
            printf("    functions of: %s\n", group_list(needs, text, sizeof text));
        return true;
    }
    fprintf(stderr, "%s: it needs functions of: %s; the firmware has %s\n", path,
            group_list(missing, text, sizeof text),
            checking->groups ? group_list(checking->groups, there, sizeof there) : "none");
    return false;
}

/* The memory that an engine needs for a program and a device at each of its inputs. */
static void print_memory(const yt_program *program, size_t stored) {
    static const yt_port port = {.version = YT_PORT_VERSION};
    printf("    %zu bytes stored; memory on a microcontroller: %zu bytes", stored,
           yt_engine_bytes(program, &port, CHECK_POINTER_BYTES));
    for (unsigned i = 0; i < program->header->input_count; i++) {
        printf("%sup to %zu for ",
               i ? ", " : "\n        more: ", yt_engine_device_bytes(program, (uint32_t)1 << i));
        plain_print(stdout, program->text + program->inputs[i].name_offset,
                    program->inputs[i].name_bytes);
    }
    if (program->header->input_count)
        printf(", and %zu while a device is being attached", yt_engine_spare_bytes(program));
    putchar('\n');
}

static void print_abilities(const yt_program *program);
static bool is_told_by_programs(const char *path, const checking *checking);
static bool judge_program(const char *path, const yt_program *program, const checking *checking);

/* Whether a file is a program, not a profile; if so it is checked. */
static bool check_program(const char *path, const checking *checking, int *status) {
    yt_program program;
    struct stat file;
    size_t size = 0;
    const char *why;
    if (stat(path, &file) != 0 || !S_ISREG(file.st_mode)) /* a pipe is read once, as a profile */
        return false;
    uint8_t *bytes = read_program(path, &size, &why);
    if (!bytes)
        return false;
    yt_status checked = yt_program_check(&program, bytes, size);
    *status = 1;
    if (checked != YT_OK) {
        fprintf(stderr, "%s: %s\n", path, status_text(checked));
    } else {
        printf("%s: fine. A program of %u bytes: %u input%s, %u output%s, %u step%s\n", path,
               program.header->total_bytes, program.header->input_count,
               plural(program.header->input_count), program.header->output_count,
               plural(program.header->output_count), program.header->step_count,
               plural(program.header->step_count));
        print_memory(&program, program_whole_bytes(bytes, size));
        print_abilities(&program);
        bool good = check_groups(path, &program, checking);
        good = is_told_by_programs(path, checking) && good;
        good = judge_program(path, &program, checking) && good;
        *status = good ? 0 : 1;
    }
    free(bytes);
    return true;
}

#define POLL_US 1000 /* that the share of the time is of */

static double share_of(const yt_cost_core *core, uint32_t instructions) {
    return instructions * core->cycles_tenths / 10.0 / (core->clock_mhz * (double)POLL_US);
}

/* What an update may cost at most, on the cores that it was measured for, with a warning where that
 * is longer than a host waits; where nothing comes in there is none. */
static void print_costs(const char *path, const yt_compiled *compiled) {
    for (unsigned i = 0; compiled->input_count > 0 && i < cost_core_count; i++) {
        const yt_cost_core *core = &cost_cores[i];
        yt_cost_bounds bounds = cost_bound(core, &compiled->program);
        double share = share_of(core, bounds.most);
        printf(
            "    at most %u instructions an update on a %s, as %s reports: %.1f %% of %d ms at %u "
            "MHz\n",
            bounds.most, core->name, compiled->inputs[bounds.input].name, 100 * share,
            POLL_US / 1000, core->clock_mhz);
        if (bounds.all_keys > bounds.most)
            printf("        %u (%.1f %%) on a keyboard that tells more than six keys at a time, or "
                   "how deep they are\n",
                   bounds.all_keys, 100 * share_of(core, bounds.all_keys));
        if (share > 1)
            fprintf(
                stderr,
                "%s: warning: on a %s at %u MHz an update may take longer than %d ms, in which a "
                "host may poll\n",
                path, core->name, core->clock_mhz, POLL_US / 1000);
    }
}

/* Which presses come later because chords hold them back. */
static void print_held(FILE *file, const json_t *list) {
    size_t i, k;
    const json_t *one, *control;
    json_array_foreach(list, i, one) {
        char by[40];
        amount_text(YT_UNIT_TIME, json_integer_value(json_object_get(one, "later_us")), by,
                    sizeof by);
        json_array_foreach(json_object_get(one, "controls"), k, control)
            fprintf(file, "%s%s", k ? ", " : "    held back: ", json_string_value(control));
        fprintf(file, ", which come %s later because of the chord in line %d\n", by,
                (int)json_integer_value(json_object_get(one, "line")));
    }
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

enum { OPTION_UNDRIVEN = OPTION_OWN, OPTION_UNUSED, OPTION_GROUPS, OPTION_RULES, OPTION_TYPED };

/* What a program is able to do beyond the plain. */
static void print_abilities(const yt_program *program) {
    const char *comma = "    able to do: ";
    for (unsigned i = 0; i < YT_ABILITY_COUNT; i++)
        if (program->header->abilities >> i & 1) {
            printf("%s%s", comma, yt_ability_name(i));
            comma = ", ";
        }
    if (program->header->abilities)
        putchar('\n');
}

/* Everything that a profile may type on a host, and what does it. */
static void print_typed(FILE *file, const json_t *list) {
    size_t i;
    const json_t *one;
    fputs(json_array_size(list) ? "    it can type:\n" : "    it types nothing\n", file);
    json_array_foreach(list, i, one) {
        const char *key, *by, *source;
        int is_macro, line;
        if (json_unpack((json_t *)one, "{s:s, s:s, s:b, s:s, s:i}", "key", &key, "by", &by,
                        "is_macro", &is_macro, "file", &source, "line", &line) == 0)
            fprintf(file, "        %s  by %s%s, %s:%d\n", key, is_macro ? "the macro " : "", by,
                    source, line);
    }
}

/* False: there are no such rules, which is said. */
static bool open_rules(yt_rules *rules, const char *path) {
    size_t size;
    char *text = read_text(path, &size);
    if (!text)
        return false;
    if (rules_read(rules, path, text, size))
        return true;
    say_messages(&rules->messages);
    rules_free(rules);
    return false;
}

/* What only a profile tells, asked of a program. False: said. */
static bool is_told_by_programs(const char *path, const checking *checking) {
    const char *asked = checking->typed      ? "--typed-keys"
                        : checking->undriven ? "--undriven"
                        : checking->unused   ? "--unused"
                                             : NULL;
    if (asked)
        fprintf(stderr, "%s: %s needs the profile; a program has lost its names\n", path, asked);
    return !asked;
}

/* A program is judged by what it says of itself, which its check has worked out anew. False: it
 * breaks a rule. */
static bool judge_program(const char *path, const yt_program *program, const checking *checking) {
    yt_rules rules;
    if (!checking->rules)
        return true;
    if (!open_rules(&rules, checking->rules))
        return false;
    uint32_t beyond = program->header->abilities & ~rules.allowed;
    for (unsigned i = 0; i < YT_ABILITY_COUNT; i++)
        if (beyond >> i & 1) {
            fprintf(stderr, "%s: it needs \"%s\", which ", path, yt_ability_name(i));
            plain_print(stderr, rules.name, strlen(rules.name));
            fprintf(stderr, " does not allow\n");
        }
    bool is_limited = rules.repetition != INT64_MAX || rules.steps != INT64_MAX;
    if (!beyond) {
        printf(is_limited ? "    its abilities keep to " : "    it keeps to ");
        plain_print(stdout, rules.name, strlen(rules.name));
        printf(is_limited ? "; how fast it is only its profile tells\n" : "\n");
    }
    rules_free(&rules);
    return !beyond;
}

/* False: the profile breaks a rule, which is said, or there are no such rules. */
static bool check_rules(profile *profile, const char *path) {
    yt_rules rules;
    if (!open_rules(&rules, path))
        return false;
    messages_forget(&profile->messages);
    bool good = rules_judge(&rules, &profile->compiled, &profile->messages);
    say_messages(&profile->messages);
    if (good) {
        printf("    it keeps to ");
        plain_print(stdout, rules.name, strlen(rules.name));
        putchar('\n');
    }
    rules_free(&rules);
    return good;
}

/* Prints what was gathered, and lets go of it. */
static void print_list(void (*print)(FILE *file, const json_t *list), json_t *list) {
    print(stdout, list);
    json_decref(list);
}

static int check(const char *path, const checking *checking) {
    profile profile;
    int status;
    if (check_program(path, checking, &status))
        return status;
    if (!profile_open(&profile, path))
        return 1;
    say_messages(&profile.messages); /* warnings */
    const yt_compiled *compiled = &profile.compiled;
    printf("%s: fine. %u input%s, %u output%s, %u control%s read, %u step%s\n", path,
           compiled->input_count, plural(compiled->input_count), compiled->output_count,
           plural(compiled->output_count), compiled->control_count, plural(compiled->control_count),
           compiled->step_count, plural(compiled->step_count));
    print_memory(&compiled->program, compiled->size);
    bool has_groups = check_groups(path, &compiled->program, checking);
    print_costs(path, compiled);
    rebind_cost_print(&profile);
    print_list(print_held, held_of(compiled));
    print_abilities(&compiled->program);
    print_list(print_copies, copies_of(&profile));
    if (checking->undriven)
        print_list(print_undriven, undriven_of(&profile));
    if (checking->unused)
        print_list(print_unused, unused_of(&profile));
    if (checking->typed)
        print_list(print_typed, typed_of(&profile));
    unsigned failed = check_tests(&profile);
    bool keeps = !checking->rules || check_rules(&profile, checking->rules);
    profile_close(&profile);
    return failed || !has_groups || !keeps ? 1 : 0;
}

/* ---- for programs ---- */

static json_t *begin_json(const char *path, const char *kind) {
    json_t *one = json_object();
    json_object_set_new(one, "file", json_text(path));
    json_object_set_new(one, "kind", json_string(kind));
    json_object_set_new(one, "is_good", json_false());
    return one;
}

/* What its program takes, where there is one, behind what is known so far. */
static void add_program(json_t *one, json_t *program) {
    json_object_update(one, program);
    json_decref(program);
}

static int end_json(const checking *checking, json_t *one, bool good) {
    json_object_set_new(one, "is_good", json_boolean(good));
    json_array_append_new(checking->json, one);
    return good ? 0 : 1;
}

/* How it stands to rules; `profile` NULL: of a program. False: it breaks some, or there are none.
 */
static bool judge_as_json(json_t *one, const yt_program *program, profile *profile,
                          const checking *checking) {
    yt_rules rules;
    if (!checking->rules)
        return true;
    if (!open_rules(&rules, checking->rules))
        return false;
    uint32_t beyond = program->header->abilities & ~rules.allowed;
    bool keeps = !beyond;
    if (profile) {
        messages_forget(&profile->messages);
        keeps = rules_judge(&rules, &profile->compiled, &profile->messages);
    }
    json_t *judged = json_object();
    json_object_set_new(judged, "name", json_text(rules.name));
    json_object_set_new(judged, "keeps", json_boolean(keeps));
    json_object_set_new(judged, "not_allowed", abilities_of(beyond));
    json_object_set_new(judged, "messages",
                        profile ? messages_as_json(&profile->messages) : json_array());
    json_object_set_new(one, "rules", judged);
    rules_free(&rules);
    return keeps;
}

static int check_program_as_json(const char *path, const checking *checking, uint8_t *bytes,
                                 size_t size) {
    yt_program program;
    yt_status status = yt_program_check(&program, bytes, size);
    uint32_t missing = status == YT_OK ? program.header->groups & ~checking->groups : 0;
    json_t *one = begin_json(path, "program");
    json_object_set_new(one, "problem",
                        status == YT_OK ? json_null() : json_text(status_text(status)));
    if (status == YT_OK)
        add_program(one, program_as_json(&program, program_whole_bytes(bytes, size), NULL));
    json_object_set_new(one, "missing_groups", groups_of(missing));
    bool good = status == YT_OK && !missing && is_told_by_programs(path, checking);
    good = status == YT_OK && judge_as_json(one, &program, NULL, checking) && good;
    free(bytes);
    return end_json(checking, one, good);
}

static int check_profile_as_json(const char *path, const checking *checking) {
    profile profile;
    opening opening = profile_try(&profile, path);
    if (opening == OPENING_UNREADABLE)
        return end_json(checking, begin_json(path, "unreadable"), false);
    json_t *one = begin_json(path, "profile");
    json_object_set_new(one, "errors", json_integer(profile.messages.count));
    json_object_set_new(one, "warnings", json_integer(profile.messages.warnings));
    json_object_set_new(one, "messages", messages_as_json(&profile.messages));
    if (opening == OPENING_WRONG) {
        profile_discard(&profile);
        return end_json(checking, one, false);
    }
    const yt_compiled *compiled = &profile.compiled;
    uint32_t missing = compiled->program.header->groups & ~checking->groups;
    add_program(one, program_as_json(&compiled->program, compiled->size, compiled));
    json_object_set_new(one, "rebinding", rebind_cost_json(&profile));
    unsigned failed = run_profile_tests(&profile, stderr);
    json_object_set_new(one, "missing_groups", groups_of(missing));
    json_object_set_new(
        one, "tests",
        json_pack("{s:i, s:i}", "count", (int)compiled->tests.count, "failed", (int)failed));
    json_object_set_new(one, "held_back", held_of(compiled));
    json_object_set_new(one, "copies", copies_of(&profile));
    if (checking->undriven)
        json_object_set_new(one, "undriven", undriven_of(&profile));
    if (checking->unused)
        json_object_set_new(one, "unused", unused_of(&profile));
    if (checking->typed)
        json_object_set_new(one, "typed_keys", typed_of(&profile));
    bool keeps = judge_as_json(one, &compiled->program, &profile, checking);
    profile_close(&profile);
    return end_json(checking, one, !failed && !missing && keeps);
}

static int check_as_json(const char *path, const checking *checking) {
    struct stat file;
    size_t size = 0;
    const char *why;
    uint8_t *bytes = NULL;
    if (stat(path, &file) == 0 && S_ISREG(file.st_mode))
        bytes = read_program(path, &size, &why);
    return bytes ? check_program_as_json(path, checking, bytes, size)
                 : check_profile_as_json(path, checking);
}

bool check_into(json_t *list, const char *path, const char *rules) {
    const checking checking = {.typed = true, .json = list, .rules = rules, .groups = UINT32_MAX};
    return check_as_json(path, &checking) == 0;
}

/* "sticks,presses": the groups that a firmware links; "none" is none. */
static uint32_t read_groups(char *list, struct argp_state *state) {
    uint32_t groups = 0;
    char *save = NULL, all[200];
    for (char *name = strtok_r(list, ",", &save); name; name = strtok_r(NULL, ",", &save)) {
        unsigned i = 0;
        while (i < YT_GROUPS && strcmp(yt_group_name(i), name) != 0)
            i++;
        if (i == YT_GROUPS && strcmp(name, "none") != 0)
            argp_error(state, "there is no group of functions \"%.40s\"; there are %s", name,
                       group_list(UINT32_MAX, all, sizeof all));
        groups |= i < YT_GROUPS ? (uint32_t)1 << i : 0;
    }
    return groups;
}

static error_t parse_check(int key, char *argument, struct argp_state *state) {
    checking *checking = state->input;
    switch (key) {
    case OPTION_UNDRIVEN:
        checking->undriven = true;
        return 0;
    case OPTION_UNUSED:
        checking->unused = true;
        return 0;
    case OPTION_TYPED:
        checking->typed = true;
        return 0;
    case OPTION_RULES:
        checking->rules = argument;
        return 0;
    case OPTION_GROUPS:
        checking->groups = read_groups(argument, state);
        return 0;
    case ARGP_KEY_NO_ARGS:
        argp_error(state, "say which profile");
        return 0;
    case 'j':
        checking->json = json_array();
        return 0;
    case ARGP_KEY_ARGS:
        for (int i = state->next; i < state->argc; i++)
            if ((checking->json ? check_as_json : check)(state->argv[i], checking) != 0)
                checking->status = 1;
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

int command_check(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"undriven", OPTION_UNDRIVEN, 0, 0, "list the outputs' controls that nothing drives", 0},
        {"unused", OPTION_UNUSED, 0, 0,
         "list the inputs that nothing reads, and the controls of described ones", 0},
        {"rules", OPTION_RULES, "FILE", 0,
         "judge it by rules: what they allow it to do, and how fast", 0},
        {"typed-keys", OPTION_TYPED, 0, 0,
         "list all keys that it may press on a host, and what presses them", 0},
        {"groups", OPTION_GROUPS, "GROUP,...", 0,
         "the groups of functions that the firmware links (yonder functions says which there are), "
         "or "
         "none: a profile that needs others is refused",
         0},
        JSON_OPTION("as JSON: a list of the files, with what is wrong and what each takes"),
        {0}};
    static const struct argp argp = {
        .options = known,
        .parser = parse_check,
        .args_doc = "PROFILE...",
        .doc = "Looks profiles over, says what they take on an adapter, warns of what is probably "
               "wrong, and runs the tests that stand in them. Compiled programs are checked as an "
               "adapter checks them."};
    checking checking = {.groups = UINT32_MAX};
    argp_parse(&argp, count, arguments, 0, NULL, &checking);
    if (checking.json && !json_print(checking.json))
        return 1;
    return checking.status;
}
