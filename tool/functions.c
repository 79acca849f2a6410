/* Prints the table of functions: for people, or as the page docs/functions.md. */
#include "compiler/profile/cost.h"

#include <argp.h>
#include <string.h>

#include "tool/json_text.h"
#include "tool/tool.h"

typedef struct options {
    const char *name;
    bool page, json;
} options;

static void print_range(const yt_listed_argument *argument) {
    char low[40], high[40], otherwise[40];
    argument_text(argument, argument->low, low, sizeof low);
    argument_text(argument, argument->high, high, sizeof high);
    argument_text(argument, argument->otherwise, otherwise, sizeof otherwise);
    if (argument->high > 0)
        printf(", %s to %s", low, high);
    if (argument->may_lack && argument->otherwise)
        printf("; %s if left out", otherwise);
    else if (argument->may_lack)
        printf("; may be left out");
}

/* A text in lines of up to 76 characters, indented. */
static void print_wrapped(const char *text) {
    size_t column = 0;
    while (*text) {
        size_t word = strcspn(text, " ");
        if (column > 0 && column + word > 76) {
            printf("\n");
            column = 0;
        }
        column += (size_t)printf("%s%.*s", column ? " " : "    ", (int)word, text);
        text += word + (text[word] == ' ');
    }
    printf("\n");
}

static void print_cost(const yt_listed_function *function) {
    if (cost_of_function(cost_cores, function) == 0) {
        printf("Costs nothing by itself");
        return;
    }
    printf("In the bound that `yonder check` prints it counts for ");
    for (unsigned i = 0; i < cost_core_count; i++)
        printf("%s%u%s on a %s", i ? ", " : "", cost_of_function(&cost_cores[i], function),
               i ? "" : " instructions", cost_cores[i].name);
    printf(", each time that it is looked at");
}

/* The group whose code a firmware links for it; made of operations it needs none. */
static void print_group(const yt_listed_function *function, const char *mark) {
    const char *group = function_group(function);
    if (group)
        printf("Group: %s%s%s. ", mark, group, mark);
}

static const char *ability_of(const yt_listed_function *function) {
    unsigned ability = 0;
    while (ability < YT_ABILITY_COUNT && !(function_ability(function) >> ability & 1))
        ability++;
    return yt_ability_name(ability);
}

static void print_function(const yt_listed_function *function) {
    char text[600];
    printf("%s\n", function->usage);
    snprintf(text, sizeof text, "Gives %s. %s", function->gives, function->meaning);
    print_wrapped(text);
    for (unsigned i = 0; i < function_argument_count(function); i++) {
        const yt_listed_argument *argument =
            &function->arguments[function_argument_at(function, i)];
        printf("    %-9s %s: %s", argument->label, argument->meaning,
               wanted_meaning(argument->wanted));
        print_range(argument);
        printf("\n");
    }
    printf("    ");
    if (function_ability(function))
        printf("Ability: %s. ", ability_of(function));
    print_group(function, "");
    if (function_ability(function) || function_group(function))
        printf("\n    ");
    print_cost(function);
    printf("\n    As in: %s\n\n", function->example);
}

static void print_page(void) {
    printf(
        "# Functions\n\n"
        "Written by `yonder functions --page`, from the table that the compiler reads; a test "
        "compares them\n"
        "and compiles every example. What formulas are, [the language](language.md) says.\n\n"
        "A function is looked at when something that it takes has changed, and when its time is "
        "over; else it\n"
        "costs nothing. What it counts for in the bound of an update is measured on emulated "
        "cores, with all that\n"
        "an update does around it (`bench/costs`); what a call takes by itself stands in "
        "[budgets](budgets.md). The\n"
        "figures of "
        "`if`, `min`,\n"
        "`max`, `abs` and `clamp` are for one number; a stick and motion are two. Those of "
        "`chord` and "
        "`whole_chord` are for two keys.\n\n"
        "What remembers something begins afresh when its layer has ended and owns no press any "
        "more, or when a\n"
        "device leaves that it depends on: it goes off, and nothing fires because of it. An "
        "update that comes late\n"
        "gives what punctual ones would have given, and what it gives does not hang on how often "
        "the host asks\n"
        "([the rules of time](semantics.md); `ctest -R engine_intervals`).\n\n"
        "A firmware may link some groups of functions and leave out others "
        "(`yonder/groups.h`);\n"
        "`yonder check --groups` says whether a profile can do with some.\n");
    for (unsigned i = 0; i < FUNCTION_COUNT; i++) {
        const yt_listed_function *function = &functions[i];
        printf("\n## `%s`\n\n%s Gives %s.%s%s%s\n\n    %s\n\n| argument | what | takes |\n|---|---|"
               "---|\n",
               function->usage, function->meaning, function->gives,
               function_ability(function) ? " Ability: " : "", ability_of(function),
               function_ability(function) ? "." : "", function->example);
        for (unsigned k = 0; k < function_argument_count(function); k++) {
            const yt_listed_argument *argument =
                &function->arguments[function_argument_at(function, k)];
            printf("| `%s` | %s | %s", argument->label, argument->meaning,
                   wanted_meaning(argument->wanted));
            print_range(argument);
            printf(" |\n");
        }
        printf("\n");
        print_group(function, "`");
        print_cost(function);
        printf(".\n");
    }
}

/* ---- for programs ---- */

static json_t *amount_or_null(const yt_listed_argument *argument, int64_t amount, bool is_there) {
    char text[40];
    if (!is_there)
        return json_null();
    argument_text(argument, amount, text, sizeof text);
    return json_text(text);
}

static json_t *argument_as_json(const yt_listed_argument *argument) {
    json_t *one = json_object();
    bool has_range = argument->high > 0;
    json_object_set_new(one, "name", json_text(argument->label));
    json_object_set_new(one, "meaning", json_text(argument->meaning));
    json_object_set_new(one, "takes", json_text(wanted_meaning(argument->wanted)));
    json_object_set_new(one, "least", amount_or_null(argument, argument->low, has_range));
    json_object_set_new(one, "most", amount_or_null(argument, argument->high, has_range));
    json_object_set_new(one, "may_be_left_out", json_boolean(argument->may_lack));
    json_object_set_new(
        one, "otherwise",
        amount_or_null(argument, argument->otherwise, argument->may_lack && argument->otherwise));
    return one;
}

static json_t *function_as_json(const yt_listed_function *function) {
    json_t *one = json_object(), *arguments = json_array(), *costs = json_array();
    json_object_set_new(one, "name", json_text(function->name));
    json_object_set_new(one, "usage", json_text(function->usage));
    json_object_set_new(one, "gives", json_text(function->gives));
    json_object_set_new(one, "meaning", json_text(function->meaning));
    json_object_set_new(one, "example", json_text(function->example));
    for (unsigned i = 0; i < function_argument_count(function); i++)
        json_array_append_new(
            arguments, argument_as_json(&function->arguments[function_argument_at(function, i)]));
    json_object_set_new(one, "arguments", arguments);
    json_object_set_new(one, "ability", json_text_or_null(ability_of(function)));
    json_object_set_new(one, "group", json_text_or_null(function_group(function)));
    for (unsigned i = 0; i < cost_core_count; i++)
        json_array_append_new(costs,
                              json_pack("{s:s, s:i}", "core", cost_cores[i].name, "instructions",
                                        (int)cost_of_function(&cost_cores[i], function)));
    json_object_set_new(one, "costs", costs);
    return one;
}

static bool print_json(const char *name) {
    json_t *all = json_array();
    for (unsigned i = 0; i < FUNCTION_COUNT; i++)
        if (!name || strcmp(name, functions[i].name) == 0)
            json_array_append_new(all, function_as_json(&functions[i]));
    return json_print(all);
}

static error_t parse(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    if (key == 'p') {
        options->page = true;
        return 0;
    }
    if (key == 'j') {
        options->json = true;
        return 0;
    }
    if (key == ARGP_KEY_END && options->page && (options->json || options->name))
        argp_error(state, "--page goes without --json and without a function");
    if (key != ARGP_KEY_ARG)
        return ARGP_ERR_UNKNOWN;
    if (options->name)
        argp_error(state, "one function at a time");
    options->name = argument;
    return 0;
}

static bool print_named(const char *name, bool json) {
    const char *names[FUNCTION_COUNT];
    bool any = false;
    for (unsigned i = 0; i < FUNCTION_COUNT; i++) {
        names[i] = functions[i].name;
        if (strcmp(name, names[i]) != 0)
            continue;
        if (!json)
            print_function(&functions[i]);
        any = true;
    }
    const char *near = any ? NULL : nearest_name(name, strlen(name), names, FUNCTION_COUNT);
    if (!any) {
        fprintf(stderr, "yonder functions: there is no function \"%s\"", name);
        fprintf(stderr, near ? "; did you mean \"%s\"?\n" : "\n", near);
        for (unsigned i = 0; i < FUNCTION_COUNT && !near; i++)
            if (strcasestr(functions[i].meaning, name))
                fprintf(stderr, "  %s says of itself: %s\n", functions[i].name,
                        functions[i].meaning);
        if (!near)
            fprintf(stderr, "  `yonder functions` lists all of them\n");
    }
    return any && (!json || print_json(name));
}

int command_functions(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"page", 'p', 0, 0, "write all of it as the manual's page", 0},
        JSON_OPTION("as JSON"),
        {0}};
    static const struct argp argp = {
        .options = known,
        .parser = parse,
        .args_doc = "[FUNCTION]",
        .doc = "Lists the functions that formulas may call, or says more of one: its arguments, "
               "their units and ranges, and what they are if they are left out."};
    options options = {0};
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    if (options.page)
        print_page();
    else if (options.name)
        return print_named(options.name, options.json) ? 0 : 1;
    else if (options.json)
        return print_json(NULL) ? 0 : 1;
    for (unsigned i = 0; !options.page && i < FUNCTION_COUNT; i++)
        printf("%-48s %s\n", functions[i].usage, functions[i].gives);
    return 0;
}
