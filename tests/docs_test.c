/* Limits that stand in docs/security.md and docs/semantics.md are those of the headers. */
#include <stdarg.h>

#include "compiler/formulas/layers.h"
#include "compiler/formulas/named.h"
#include "compiler/formulas/parameters.h"
#include "compiler/profile/rules.h"
#include "compiler/profile/macros.h"
#include "compiler/reading/document.h"
#include "compiler/reading/formula.h"
#include "compiler/reading/include.h"
#include "ports/sim/recording.h"
#include "tests/harness.h"
#include "tool/plugs.h"
#include "yonder/engine.h"
#include "yonder/hid.h"

static char *page;

/* Looks for a sentence, whatever white space breaks its lines. */
__attribute__((format(printf, 1, 2))) static void expect(const char *format, ...) {
    char sentence[256];
    va_list arguments;
    va_start(arguments, format);
    vsnprintf(sentence, sizeof sentence, format, arguments);
    va_end(arguments);
    about("\"%s\"", sentence);
    CHECK(strstr(page, sentence) != NULL);
}

static void read_page(const char *path) {
    size_t size, length = 0;
    page = read_test_file(path, &size);
    for (size_t i = 0; i < size; i++) {
        bool space = page[i] == ' ' || page[i] == '\n';
        if (!space || (length > 0 && page[length - 1] != ' '))
            page[length++] = space ? ' ' : page[i];
    }
    page[length] = 0;
}

/* A block of lines that are indented by four, without that; `*at` goes behind it. */
static char *next_block(const char **at) {
    const char *begin = strstr(*at, "\n\n    ");
    if (!begin)
        return NULL;
    char *block = calloc(1, strlen(begin) + 1), *end = block;
    const char *line = begin + 2;
    while (strncmp(line, "    ", 4) == 0 || (*line == '\n' && strncmp(line + 1, "    ", 4) == 0)) {
        size_t length = strcspn(line, "\n") + 1;
        size_t indent = *line == '\n' ? 0 : 4;
        memcpy(end, line + indent, length - indent);
        end += length - indent;
        line += length;
    }
    *at = line - 1;
    return block;
}

static void check_rules(const char *block) {
    yt_rules rules;
    char *text = strdup(block);
    CHECK(rules_read(&rules, "crane/rules.yaml", text, strlen(text)));
    messages_print(&rules.messages, stderr);
    rules_free(&rules);
}

/* Whole profiles and descriptions in a page are right. `head` and `tail` make a profile of a part.
 */
static unsigned check_examples(const char *path) {
    size_t size;
    char *text = read_test_file(path, &size);
    const char *at = text;
    unsigned count = 0;
    for (char *block; (block = next_block(&at)); free(block)) {
        yt_messages messages;
        yt_compiled compiled;
        yt_pool pool = {0};
        if (strncmp(block, "yonder: 1", 9) != 0)
            continue;
        about("%s: %.60s", path, block + 10);
        messages_begin(&messages, "crane/example.yaml", block, strlen(block));
        if (strstr(block, "\ndevice:") || strstr(block, "\nboard:"))
            description_parse(&pool, &messages, 0, "example");
        else if (strstr(block, "\nrules:"))
            check_rules(block);
        else if (compile_profile(&compiled, &messages))
            pool_free(&compiled.pool);
        messages_print(&messages, stderr);
        CHECK_EQUAL(messages.count, 0);
        messages_free(&messages);
        pool_free(&pool);
        count++;
    }
    free(text);
    return count;
}

int main(void) {
    about("examples in the pages");
    CHECK_EQUAL(check_examples("docs/guide/1-what-do-i-have.md"), 1);
    CHECK_EQUAL(check_examples("docs/guide/3-what-drives-what.md"), 2);
    CHECK_EQUAL(check_examples("docs/guide/4-one-key-two-meanings.md"), 2);
    CHECK_EQUAL(check_examples("docs/guide/5-why-did-it-do-that.md"), 1);
    CHECK_EQUAL(check_examples("docs/guide/6-how-should-it-feel.md"), 1);
    CHECK_EQUAL(check_examples("docs/guide/8-aim.md"), 4);
    CHECK_EQUAL(check_examples("docs/descriptions.md"), 2);
    CHECK_EQUAL(check_examples("docs/language.md"), 2);
    read_page("docs/security.md");
    expect("4,096 bytes, %d fields, %d nested collections, %d pushes, %d reports of 32,768 bits",
           YT_HID_FIELDS, YT_HID_DEPTH, YT_HID_PUSHES, YT_HID_REPORTS);
    CHECK_EQUAL(YT_HID_BYTES, 4096);
    expect("65,536 bytes, 1,024 controls and targets, %d inputs, %d interfaces, %d reports",
           YT_PROGRAM_INPUTS, YT_INTERFACES, YT_REPORTS);
    CHECK_EQUAL(YT_PROGRAM_CONTROLS, 1024);
    CHECK_EQUAL(YT_HID_REPORT_BITS, 32768);
    CHECK_EQUAL(YT_PROGRAM_BYTES, 65536);
    expect("at most %d deadlines one by one", YT_DEADLINES);
    expect("a run gives at most 1,000,000 reports out");
    CHECK_EQUAL(LIMIT_REPORTS, 1000000);
    expect("a profile has at most 1 MiB, %d nested maps, %d nested parentheses", DOCUMENT_DEPTH,
           FORMULA_DEPTH);
    CHECK_EQUAL(DOCUMENT_BYTES, 1048576);
    CHECK_EQUAL(FORMULA_PARTS, 1000);
    CHECK_EQUAL(PROFILE_NAMED, 1000);
    expect(
        "1,000 named formulas that use one another %d deep, %d layers, %d macros of %d steps, %d "
        "parameters, %d tests of 1,000 steps, and %d files that are included",
        NAMED_DEPTH, PROFILE_LAYERS, PROFILE_MACROS, MACRO_STEPS, PROFILE_PARAMETERS, PROFILE_TESTS,
        PROFILE_FILES - 1);
    CHECK_EQUAL(TEST_STEPS, 1000);
    expect("a capture at most %u MiB", RECORDING_BYTES / 1048576);
    free(page);
    read_page("docs/semantics.md");
    expect("changes of an output holds %d.", YT_CHANGES);
    expect("An update runs at most %d deadlines one by one.", YT_DEADLINES);
    CHECK_EQUAL(YT_BACK_US, 1000000);
    expect("A time up to 1 second before the last one");
    CHECK_EQUAL(YT_AHEAD_US, 1800000000);
    expect("no more than half an hour (1,800 s) goes by at once");
    free(page);
    return report_checks();
}
