/* Wrong profiles and what is said of them, from tests/compiler/messages.txt. */
#include "compiler/formulas/named.h"
#include "compiler/profile/compile.h"
#include "tests/harness.h"

static const char head[] = "yonder: 1\ninputs: {keys: keyboard, ball: mouse, slate: tablet}\n"
                           "outputs: {pad: gamepad, view: mouse}\nsheet:\n";

/* The messages as the file has them: "LINE:COLUMN: TEXT", a line each, in the order of places. */
static void list_messages(yt_messages *messages, char *text, size_t room) {
    char *printed = NULL, *save = NULL;
    size_t size, used = 0;
    FILE *file = open_memstream(&printed, &size);
    messages_print(messages, file);
    fclose(file);
    text[0] = 0;
    for (char *line = strtok_r(printed, "\n", &save); line; line = strtok_r(NULL, "\n", &save)) {
        const char *name = "crane/p.yaml:";
        size_t length = strlen(name);
        if (strncmp(line, name, length) == 0 && line[length] != ' ')
            used += (size_t)snprintf(text + used, room - used, "%s\n", line + length);
        else if (strncmp(line, name, length) == 0)
            used += (size_t)snprintf(text + used, room - used, "0:0: %s\n", line + length + 1);
    }
    free(printed);
}

/* Whether not all lines of what is expected are warnings. */
static bool has_errors(const char *expected) {
    for (const char *line = expected; line && *line; line = strchr(line, '\n') + 1)
        if (strncmp(strchr(line, ' '), " warning: ", 10) != 0)
            return true;
    return false;
}

/* A case that begins with DESCRIPTION is one of a device or a board. */
static void check_case(const char *profile, const char *expected) {
    yt_compiled compiled;
    yt_messages messages;
    char text[4096];
    bool is_description = strncmp(profile, "DESCRIPTION\n", 12) == 0;
    profile += is_description ? 12 : 0;
    messages_begin(&messages, "crane/p.yaml", profile, strlen(profile));
    if (is_description) {
        yt_pool pool = {0};
        CHECK(!description_parse(&pool, &messages, 0, "p"));
        pool_free(&pool);
    } else {
        bool fails = has_errors(expected);
        CHECK_EQUAL(compile_profile(&compiled, &messages), !fails);
        if (!fails)
            pool_free(&compiled.pool);
    }
    list_messages(&messages, text, sizeof text);
    CHECK_TEXT(text, expected);
    messages_free(&messages);
}

/* A case's profile ends at its last line of three dashes. */
static char *last_dashes(char *text) {
    char *last = NULL;
    for (char *at = text; (at = strstr(at, "---\n")) != NULL; at++)
        if (at == text || at[-1] == '\n')
            last = at;
    return last;
}

static unsigned check_file(char *text) {
    unsigned cases = 0;
    char *next = strstr(text, "\n=== ");
    while (next) {
        char *title = next + 5;
        next = strstr(title, "\n=== ");
        if (next)
            next[1] = 0; /* keeps the line end of what is expected */
        char *body = strchr(title, '\n');
        *body++ = 0;
        char *expected = last_dashes(body);
        about("%s", title);
        CHECK(expected != NULL);
        if (!expected)
            continue;
        char profile[4096];
        *expected = 0;
        bool has_head = strncmp(body, "HEAD\n", 5) == 0;
        snprintf(profile, sizeof profile, "%s%s", has_head ? head : "", has_head ? body + 5 : body);
        check_case(profile, expected + 4);
        cases++;
    }
    return cases;
}

/* What is shown under a message: the line, and a mark under the words at fault. */
static void check_mark(void) {
    char *printed = NULL, profile[512];
    size_t size;
    yt_compiled compiled;
    yt_messages messages;
    about("the line and the mark");
    snprintf(profile, sizeof profile, "%s  pad.south: keys.a or keys.spcae\n", head);
    messages_begin(&messages, "p.yaml", profile, strlen(profile));
    CHECK(!compile_profile(&compiled, &messages));
    FILE *file = open_memstream(&printed, &size);
    messages_print(&messages, file);
    fclose(file);
    CHECK_TEXT(printed, "p.yaml:5:24: keys (a keyboard) has no control \"spcae\"; did you mean "
                        "\"keys.space\"?\n"
                        "      pad.south: keys.a or keys.spcae\n"
                        "                           ^^^^^^^^^^\n");
    free(printed);
    messages_free(&messages);
}

/* Profiles that are too much: one error, soon, and no crash. */
static void check_hostile(const char *what, const char *begin, const char *repeated, int times,
                          const char *end, const char *expected) {
    size_t length = strlen(begin) + strlen(repeated) * (size_t)times + strlen(end);
    char *profile = malloc(length + 1), *at = profile + sprintf(profile, "%s", begin);
    yt_compiled compiled;
    yt_messages messages;
    about("%s", what);
    for (int i = 0; i < times; i++)
        at = stpcpy(at, repeated);
    strcpy(at, end);
    messages_begin(&messages, "p.yaml", profile, strlen(profile));
    CHECK(!compile_profile(&compiled, &messages));
    CHECK(messages.count >= 1);
    CHECK(strstr(messages.list[0].text, expected) != NULL);
    if (!strstr(messages.list[0].text, expected))
        CHECK_TEXT(messages.list[0].text, expected);
    messages_free(&messages);
    free(profile);
}

/* Each named formula uses the next. */
static void check_named_chain(int count, const char *expected) {
    char *chain = NULL;
    size_t size;
    FILE *file = open_memstream(&chain, &size);
    fprintf(file, "yonder: 1\ninputs: {keys: keyboard}\noutputs: {pad: gamepad}\nnamed:\n");
    for (int i = 0; i < count - 1; i++)
        fprintf(file, "  f%d: not f%d\n", i, i + 1);
    fprintf(file, "  f%d: keys.a\nsheet: {pad.south: f0}\n", count - 1);
    fclose(file);
    check_hostile("a chain of named formulas", chain, "", 0, "", expected);
    free(chain);
}

static void check_too_much(void) {
    char cell[600];
    snprintf(cell, sizeof cell, "%s  pad.south: ", head);
    check_hostile("parentheses", cell, "(", 10000, "\n", "nested too deep");
    check_hostile("nots", cell, "not ", 10000, "keys.a\n", "nested too deep");
    check_hostile("minuses", strcat(cell, "1 "), "- ", 10000, "1\n", "nested too deep");
    snprintf(cell, sizeof cell, "%s  pad.south: ", head);
    check_hostile("maps", "a: ", "{a: ", 10000, "1", "nested too deep");
    check_hostile("lists", "a: ", "[", 10000, "1", "nested too deep");
    check_hostile("a name without end", cell, "keyskeyskeyskeyskeyskeys", 10000, "\n",
                  "there is no input or output");
    check_hostile("a profile of a megabyte", head, "# long\n", 200000, "", "longer than");
    check_hostile("a formula without end", cell, "keys.a or ", 60000, "keys.zz\n",
                  "more than 1000 parts");
    check_hostile("10,000 layers",
                  "yonder: 1\ninputs: {keys: keyboard}\noutputs: {pad: gamepad}\n"
                  "sheet: {pad.south: keys.a}\nlayers:\n",
                  "  - {while: keys.z, sheet: {pad.south: keys.b}}\n", 10000, "",
                  "up to 120 layers");
    check_hostile("100,000 cells", head, "  pad.south: keys.a\n", 100000, "", "longer than");
    check_hostile("50,000 wrong cells", head, "  ? pad.q\n  : keys.a\n", 40000, "", "twice");
    check_hostile("aliases that multiply", "a: &a [x, x]\nb: ", "[*a, *a]", 1, "\n", "aliases");
    check_named_chain(PROFILE_NAMED, "use one another more than 64 deep");
    check_named_chain(PROFILE_NAMED + 2, "up to 1000 named formulas");
    check_hostile("20 inputs", "yonder: 1\ninputs:\n", "  a: keyboard\n", 2, "", "twice");
}

int main(int count, char **arguments) {
    size_t size;
    if (count != 2)
        return 2;
    char *text = read_test_file(arguments[1], &size);
    unsigned cases = check_file(text);
    printf("%u wrong profiles\n", cases);
    CHECK(cases >= 100);
    free(text);
    check_mark();
    check_too_much();
    return report_checks();
}
