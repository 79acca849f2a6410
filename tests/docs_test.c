/* Limits that stand in docs/security.md and docs/semantics.md are those of the headers. */
#include <stdarg.h>

#include "compiler/document.h"
#include "compiler/formula.h"
#include "ports/sim/recording.h"
#include "tests/harness.h"
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

int main(void) {
    read_page("docs/security.md");
    expect("at most %d nested collections, %d pushes, %d reports of 32,768 bits", YT_HID_DEPTH,
           YT_HID_PUSHES, YT_HID_REPORTS);
    CHECK_EQUAL(YT_HID_REPORT_BITS, 32768);
    CHECK_EQUAL(YT_PROGRAM_BYTES, 65536);
    expect("an update at most %d deadlines", YT_DEADLINES);
    expect("a profile at most 1 MiB, %d nested maps, %d nested parentheses", DOCUMENT_DEPTH,
           FORMULA_DEPTH);
    CHECK_EQUAL(DOCUMENT_BYTES, 1048576);
    CHECK_EQUAL(FORMULA_PARTS, 1000);
    expect("a capture at most %u MiB", RECORDING_BYTES / 1048576);
    free(page);
    read_page("docs/semantics.md");
    expect("changes of an output holds %d.", YT_CHANGES);
    expect("An update runs at most %d deadlines one by one.", YT_DEADLINES);
    free(page);
    return report_checks();
}
