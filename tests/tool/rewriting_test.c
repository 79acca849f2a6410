/* A profile's text is changed in one place: over all profiles that are shipped, and all cells of
 * their sheets, one line is another and every other byte is as it was; with no change there is
 * none; what would not be right is refused, and the text stays. */
#include <glob.h>

#include "compiler/reading/keys.h"
#include "tests/harness.h"
#include "tool/rewriting.h"

#define CELLS 200

static unsigned done, refused;

/* How many lines of a text are not at the same place in another that has as many; -1: it has not.
 */
static int lines_apart(const char *one, const char *other) {
    int apart = 0;
    while (*one || *other) {
        size_t a = strcspn(one, "\n"), b = strcspn(other, "\n");
        if (!*one != !*other)
            return -1;
        apart += a != b || memcmp(one, other, a) != 0;
        one += a + (one[a] == '\n');
        other += b + (other[b] == '\n');
    }
    return apart;
}

static unsigned lines_of(const char *text) {
    unsigned count = 0;
    for (; *text; text++)
        count += *text == '\n';
    return count;
}

static unsigned cells_of(const rewriting *rewriting, char names[CELLS][100]) {
    const yt_part *sheet = find_value(rewriting->top, "sheet");
    unsigned count = 0;
    for (const yt_part *key = sheet ? sheet->first : NULL; key && count < CELLS;
         key = key->next->next)
        if (key->bytes < 100)
            memcpy(names[count++], key->text, key->bytes + 1);
    return count;
}

/* One cell becomes another formula; what is right then is one line. */
static void change_cell(const char *path, const char *name, const char *formula) {
    rewriting rewriting;
    about("%s: %s: %s", path, name, formula);
    if (!rewriting_begin(&rewriting, path)) {
        CHECK(false);
        return;
    }
    bool good = rewriting_set(&rewriting, "sheet", name, formula) && rewriting_apply(&rewriting);
    int apart = lines_apart(rewriting.before, rewriting.profile.source);
    CHECK(apart == (good ? 1 : 0) || (good && apart == 0)); /* it said so already */
    done += good;
    refused += !good;
    rewriting_abandon(&rewriting);
}

/* A cell that is not there is one line more. */
static void add_cell(const char *path, const char *name) {
    rewriting rewriting;
    about("%s: a new %s", path, name);
    if (!rewriting_begin(&rewriting, path)) {
        CHECK(false);
        return;
    }
    const yt_part *sheet = find_value(rewriting.top, "sheet");
    bool is_lines = sheet && sheet->first && !sheet->first->in_flow;
    if (is_lines && rewriting_set(&rewriting, "sheet", name, "none") &&
        rewriting_apply(&rewriting)) {
        const char *before = rewriting.before, *after = rewriting.profile.source;
        CHECK_EQUAL(lines_of(after), lines_of(before) + 1);
        while (*before && *before == *after)
            before++, after++;
        const char *behind = strchr(after, '\n');
        CHECK(behind != NULL);
        CHECK(strstr(rewriting.profile.source, name) != NULL);
        done++;
    }
    rewriting_abandon(&rewriting);
}

static void check_profile(const char *path) {
    static char names[CELLS][100];
    rewriting rewriting;
    about("%s, unchanged", path);
    if (!rewriting_begin(&rewriting, path)) {
        CHECK(false);
        return;
    }
    unsigned count = cells_of(&rewriting, names);
    CHECK(rewriting_apply(&rewriting));
    CHECK_TEXT(rewriting.profile.source, rewriting.before);
    rewriting_abandon(&rewriting);
    for (unsigned i = 0; i < count; i++) {
        change_cell(path, names[i], "none");
        change_cell(path, names[i], "nothing.at_all");
    }
    add_cell(path, "pad.paddle4");
}

int main(void) {
    static const char *const patterns[] = {"crane/*.yaml", "crane/ready/*.yaml",
                                           "crane/slots/*.yaml", "examples/*.yaml"};
    glob_t found = {0};
    for (size_t i = 0; i < sizeof patterns / sizeof patterns[0]; i++)
        glob(patterns[i], i ? GLOB_APPEND : 0, NULL, &found);
    for (size_t i = 0; i < found.gl_pathc; i++)
        check_profile(found.gl_pathv[i]);
    printf("%zu profiles: %u changes were made, %u refused\n", found.gl_pathc, done, refused);
    CHECK(found.gl_pathc > 20);
    CHECK(done > 100);
    CHECK(refused > 100);
    globfree(&found);
    return report_checks();
}
