/* A profile that is worked on: over all that are shipped, no change is no difference, one change is
 * one line, and undoing it gives every byte back; layers, copies and swaps; work that was not
 * saved; two programs at once; a file that somebody else changes. */
#include <glob.h>
#include <unistd.h>

#include "tests/tool/files.h"
#include "tool/assign/draft.h"

static char folder[] = "/tmp/draft.XXXXXX", path[64];

static char *read_file(const char *from) {
    size_t size = 0;
    char *text = NULL;
    FILE *file = fopen(from, "r");
    if (!file)
        return NULL;
    if (getdelim(&text, &size, 0, file) < 0) { /* it is empty */
        free(text);
        text = strdup("");
    }
    fclose(file);
    return text;
}

static bool is_there(const char *name) {
    return access(name, F_OK) == 0;
}

static bool open_draft(draft *draft, const char *text) {
    draft_found found;
    write_text(path, text);
    bool good = draft_open(draft, path, NULL, &found);
    CHECK(good);
    CHECK_EQUAL(found, DRAFT_NONE);
    return good;
}

#define HEAD                                                                                       \
    "yonder: 1   # first\ninputs: {keys: keyboard}\noutputs: {pad: gamepad}\n\nsheet:   # cells\n"
#define PLAIN                                                                                      \
    HEAD "  pad.south: keys.a     # one\n  pad.east: keys.b or keys.c\n\n  # a comment\n"          \
         "  pad.west: keys.d"

/* ---- all that is shipped ---- */

static unsigned lines_apart(const char *one, const char *other) {
    unsigned apart = 0;
    while (*one || *other) {
        size_t a = strcspn(one, "\n"), b = strcspn(other, "\n");
        apart += a != b || memcmp(one, other, a) != 0;
        one += a + (one[a] == '\n');
        other += b + (other[b] == '\n');
    }
    return apart;
}

/* Each cell that is a formula in one line becomes `none`, and is undone. */
static unsigned change_cells(draft *draft, unsigned layer, const char *const *names,
                             unsigned count) {
    unsigned changed = 0;
    for (unsigned i = 0; i < count; i++) {
        char *before = strdup(draft_text(draft));
        about("%s: layer %u: %s", draft->path, layer, names[i]);
        if (draft_set(draft, layer, names[i], "none") && strcmp(before, draft_text(draft)) != 0) {
            changed++;
            CHECK_EQUAL(lines_apart(before, draft_text(draft)), 1);
            CHECK_TEXT(draft_formula(draft, layer, names[i], NULL), "none");
            CHECK(draft_is_changed(draft));
            CHECK(draft_undo(draft));
            CHECK(draft_redo(draft));
            CHECK(draft_undo(draft));
        }
        CHECK_TEXT(draft_text(draft), before);
        CHECK(!draft_is_changed(draft));
        free(before);
    }
    return changed;
}

static void check_shipped(void) {
    glob_t files;
    unsigned changed = 0, seen = 0;
    CHECK_EQUAL(glob("crane/*.yaml", 0, NULL, &files), 0);
    for (size_t i = 0; i < files.gl_pathc; i++) {
        draft draft;
        draft_found found;
        const char *names[400];
        char kept[400][100];
        struct stat before, after;
        if (!draft_open(&draft, files.gl_pathv[i], NULL, &found))
            continue; /* a part of a profile, or a description */
        seen++;
        stat(files.gl_pathv[i], &before);
        for (unsigned layer = 0; layer < draft_layers(&draft); layer++) {
            const yt_part *top = draft.rewriting.top, *sheet = find_value(top, "sheet");
            unsigned count = 0;
            for (const yt_part *key = layer == 0 && sheet ? sheet->first : NULL; key && count < 400;
                 key = key->next->next) {
                snprintf(kept[count], sizeof kept[0], "%s", key->text);
                names[count] = kept[count];
                count++;
            }
            changed += change_cells(&draft, layer, names, count);
        }
        draft_close(&draft, false);
        stat(files.gl_pathv[i], &after);
        about("%s was not written", files.gl_pathv[i]);
        CHECK(before.st_ino == after.st_ino && before.st_mtime == after.st_mtime);
    }
    globfree(&files);
    about("there are many");
    CHECK(seen >= 4);
    CHECK(changed >= 30);
}

/* ---- what is done to it ---- */

static void check_changes(void) {
    draft draft;
    open_draft(&draft, PLAIN);
    about("a cell that is there, and one that is not");
    CHECK(draft_set(&draft, 0, "pad.south", "keys.e"));
    CHECK(draft_set(&draft, 0, "pad.north", "toggle(keys.f)"));
    CHECK_TEXT(draft_text(&draft),
               HEAD "  pad.south: keys.e     # one\n  pad.east: keys.b or keys.c\n\n"
                    "  # a comment\n  pad.west: keys.d\n  pad.north: toggle(keys.f)");
    about("a comment stays in its column, as far as there is room");
    CHECK(draft_set(&draft, 0, "pad.south", "keys.space"));
    CHECK(strstr(draft_text(&draft), "\n  pad.south: keys.space # one\n") == NULL);
    CHECK(strstr(draft_text(&draft), "\n  pad.south: keys.space  # one\n"));
    CHECK(draft_undo(&draft));
    CHECK(draft_set(&draft, 0, "pad.south", "keys.up_arrow"));
    CHECK(strstr(draft_text(&draft), "\n  pad.south: keys.up_arrow  # one\n"));
    CHECK(draft_undo(&draft));
    CHECK(draft_set(&draft, 0, "pad.south", "none"));
    CHECK(strstr(draft_text(&draft), "\n  pad.south: none       # one\n"));
    CHECK(draft_undo(&draft));
    about("what is wrong is refused, and said");
    CHECK(!draft_set(&draft, 0, "pad.south", "keys.nothing"));
    CHECK(strstr(draft.said, "no control \"nothing\""));
    CHECK(!draft_set(&draft, 0, "pad.nothing", "keys.a"));
    CHECK(!draft_set(&draft, 0, "pad.south", "keys.a: keys.b"));
    CHECK(!draft_set(&draft, 0, "pad.south", "keys.a # keys.b"));
    CHECK(!draft_set(&draft, 0, "pad.south", "\"keys.a\""));
    CHECK(!draft_set(&draft, 0, "pad.south", ""));
    CHECK(!draft_set(&draft, 0, "pad.south", "keys.a\n  pad.home: keys.b"));
    CHECK_TEXT(draft_formula(&draft, 0, "pad.south", NULL), "keys.e");
    about("taken out, with its line and what stands behind it");
    CHECK(draft_take_out(&draft, 0, "pad.south"));
    CHECK(!draft_take_out(&draft, 0, "pad.south"));
    CHECK_TEXT(draft_text(&draft), HEAD "  pad.east: keys.b or keys.c\n\n  # a comment\n"
                                        "  pad.west: keys.d\n  pad.north: toggle(keys.f)");
    about("copied and swapped");
    CHECK(draft_copy(&draft, 0, "pad.north", 0, "pad.home"));
    CHECK(draft_swap(&draft, 0, "pad.east", 0, "pad.west"));
    CHECK(!draft_swap(&draft, 0, "pad.east", 0, "pad.start"));
    CHECK(!draft_copy(&draft, 0, "pad.start", 0, "pad.east"));
    CHECK_TEXT(draft_text(&draft),
               HEAD "  pad.east: keys.d\n\n  # a comment\n"
                    "  pad.west: keys.b or keys.c\n  pad.north: toggle(keys.f)\n"
                    "  pad.home: toggle(keys.f)");
    about("undone without end, and done again");
    unsigned steps = 0;
    while (draft_undo(&draft))
        steps++;
    CHECK_EQUAL(steps, 5);
    CHECK_TEXT(draft_text(&draft), PLAIN);
    while (draft_redo(&draft))
        steps--;
    CHECK_EQUAL(steps, 0);
    CHECK_TEXT(draft_formula(&draft, 0, "pad.east", NULL), "keys.d");
    about("what is done behind an undo is what there is");
    CHECK(draft_undo(&draft));
    CHECK(draft_set(&draft, 0, "pad.start", "keys.z"));
    CHECK(!draft_redo(&draft));
    draft_close(&draft, false);
}

/* Parts that are new stand where they belong, with an empty line where others have one. */
static void check_sections(void) {
    draft draft;
    char text[200];
    static const char before[] =
        "yonder: 1\n\ninputs:\n  keys: keyboard\n\noutputs: {pad: gamepad}\n\n# the cells\n"
        "sheet:\n  pad.south: keys.a\n";
    open_draft(&draft, before);
    about("new parts");
    CHECK(draft_set(&draft, DRAFT_SECTION + SECTION_NAMED, "slow", "keys.b or keys.c"));
    CHECK(draft_write(&draft, DRAFT_SECTION + SECTION_PARAMETERS, "late",
                      "{value: 1 s, min: 0 s, max: 2 s}"));
    CHECK(draft_write(&draft, DRAFT_SECTION + SECTION_MACROS, "drop",
                      "when: keys.f\nsteps:\n  - {wait: 10 ms}"));
    CHECK(draft_write(&draft, DRAFT_SECTION + SECTION_INPUTS, "ball", "mouse"));
    CHECK(draft_write(&draft, DRAFT_SECTION + SECTION_OUTPUTS, "view",
                      "{kind: mouse, connector: 1}"));
    CHECK_TEXT(draft_text(&draft),
               "yonder: 1\n\ninputs:\n  keys: keyboard\n  ball: mouse\n\n"
               "outputs: {pad: gamepad, view: {kind: mouse, connector: 1}}\n\n"
               "parameters:\n  late: {value: 1 s, min: 0 s, max: 2 s}\n\n"
               "named:\n  slow: keys.b or keys.c\n\n# the cells\nsheet:\n  pad.south: keys.a\n"
               "macros:\n  drop:\n    when: keys.f\n    steps:\n      - {wait: 10 ms}\n");
    about("what they have, as it is written");
    CHECK_EQUAL(draft_keys(&draft, DRAFT_SECTION + SECTION_INPUTS), 2);
    CHECK_TEXT(draft_key(&draft, DRAFT_SECTION + SECTION_OUTPUTS, 1), "view");
    draft_written(&draft, DRAFT_SECTION + SECTION_OUTPUTS, "view", text, sizeof text);
    CHECK_TEXT(text, "{kind: mouse, connector: 1}");
    draft_written(&draft, DRAFT_SECTION + SECTION_MACROS, "drop", text, sizeof text);
    CHECK_TEXT(text, "(2 lines)");
    CHECK_TEXT(draft_formula(&draft, DRAFT_STEP, "wait", NULL), "10 ms");
    CHECK(draft_formula(&draft, DRAFT_STEP + 0x101, "wait", NULL) == NULL);
    about("changed within { }, and taken out with the part where it is the last");
    CHECK(draft_write(&draft, DRAFT_PARAMETER, "max", "3 s"));
    CHECK(draft_write(&draft, DRAFT_SECTION + SECTION_OUTPUTS, "view", "mouse"));
    CHECK(!draft_write(&draft, DRAFT_SECTION + SECTION_MACROS, "drop", "none"));
    CHECK(strstr(draft.said, "written over several lines"));
    CHECK(!draft_write(&draft, DRAFT_SECTION + SECTION_NAMED, "slow", "a\nb"));
    CHECK(strstr(draft.said, "something of several lines"));
    CHECK(draft_take_out(&draft, DRAFT_SECTION + SECTION_MACROS, "drop"));
    CHECK(draft_take_out(&draft, DRAFT_SECTION + SECTION_NAMED, "slow"));
    CHECK(!draft_take_out(&draft, DRAFT_SECTION + SECTION_NAMED, "slow"));
    CHECK_TEXT(draft_text(&draft), "yonder: 1\n\ninputs:\n  keys: keyboard\n  ball: mouse\n\n"
                                   "outputs: {pad: gamepad, view: mouse}\n\n"
                                   "parameters:\n  late: {value: 1 s, min: 0 s, max: 3 s}\n\n"
                                   "\n# the cells\nsheet:\n  pad.south: keys.a\n");
    about("an empty sheet");
    CHECK(draft_set(&draft, 0, "pad.east", "keys.b"));
    CHECK(draft_empty_sheet(&draft));
    CHECK(strstr(draft_text(&draft), "\nsheet:\n  pad.south: none\n") != NULL);
    CHECK(!draft_take_out(&draft, 0, "pad.south")); /* a profile needs one, or a copy */
    draft_close(&draft, false);
}

static void check_layers(void) {
    draft draft;
    int line = 0;
    open_draft(&draft, PLAIN "\n");
    about("a layer that is new");
    CHECK_EQUAL(draft_layers(&draft), 1);
    CHECK(draft_add_layer(&draft, "second row", "keys.left_shift", "pad.south", "keys.e"));
    CHECK(draft_add_layer(&draft, "third", "keys.left_alt", "pad.south", "keys.f"));
    CHECK_TEXT(draft_text(&draft), PLAIN "\nlayers:\n  - name: second row\n    while: "
                                         "keys.left_shift\n    sheet:\n      pad.south: keys.e\n"
                                         "  - name: third\n    while: keys.left_alt\n    sheet:\n"
                                         "      pad.south: keys.f\n");
    CHECK_EQUAL(draft_layers(&draft), 3);
    CHECK_TEXT(draft_layer_name(&draft, 1), "second row");
    CHECK_TEXT(draft_formula(&draft, 2, "pad.south", &line), "keys.f");
    CHECK_EQUAL(line, 19);
    about("a cell of it");
    CHECK(draft_set(&draft, 1, "pad.east", "keys.g"));
    CHECK(draft_set(&draft, 1, "pad.south", "none"));
    CHECK_TEXT(draft_formula(&draft, 1, "pad.east", NULL), "keys.g");
    CHECK_TEXT(draft_formula(&draft, 2, "pad.south", NULL), "keys.f");
    CHECK(draft_take_out(&draft, 1, "pad.south"));
    CHECK(draft_formula(&draft, 1, "pad.south", NULL) == NULL);
    about("names that would be something else");
    static const char *const names[] = {"",    " a", "a ",    "a: b", "a\nb",
                                        "- a", "#a", "\"a\"", "[a]"};
    for (size_t i = 0; i < sizeof names / sizeof names[0]; i++)
        CHECK(!draft_add_layer(&draft, names[i], "keys.y", "pad.south", "keys.x"));
    CHECK(!draft_add_layer(&draft, "wrong", "keys.nothing", "pad.south", "keys.x"));
    draft_close(&draft, false);
    about("in lines that are in one, with commas");
    open_draft(&draft, "yonder: 1\ninputs: {keys: keyboard}\noutputs: {pad: gamepad}\n"
                       "sheet: {pad.south: keys.a, pad.east: \"tap(keys.b, within=90 ms)\"}\n");
    CHECK(draft_set(&draft, 0, "pad.south", "tap(keys.d, within=100 ms)"));
    CHECK(draft_set(&draft, 0, "pad.west", "hold(keys.e, after=100 ms)"));
    CHECK(draft_set(&draft, 0, "pad.north", "keys.f"));
    CHECK(draft_take_out(&draft, 0, "pad.east"));
    CHECK(draft_take_out(&draft, 0, "pad.north"));
    CHECK(strstr(draft_text(&draft), "\nsheet: {pad.south: \"tap(keys.d, within=100 ms)\", "
                                     "pad.west: \"hold(keys.e, after=100 ms)\"}\n"));
    draft_close(&draft, false);
}

/* ---- the file, and the one beside it ---- */

static void check_files(void) {
    draft draft, second;
    draft_found found;
    char beside[80], kept[90], *text;
    snprintf(kept, sizeof kept, "%s.kept", path);
    snprintf(beside, sizeof beside, "%s.draft", path);
    open_draft(&draft, PLAIN);
    about("what is not saved is beside it");
    CHECK(draft_set(&draft, 0, "pad.south", "keys.e"));
    text = read_file(beside);
    CHECK_TEXT(text, draft_text(&draft));
    free(text);
    text = read_file(path);
    CHECK_TEXT(text, PLAIN);
    free(text);
    about("another program is told");
    CHECK(!draft_open(&second, path, NULL, &found));
    CHECK_EQUAL(found, DRAFT_IN_USE);
    CHECK(strstr(second.said, "another program"));
    about("left for another time, and taken up");
    draft_close(&draft, true);
    CHECK(draft_open(&draft, path, NULL, &found));
    CHECK_EQUAL(found, DRAFT_LEFT);
    CHECK_TEXT(draft_formula(&draft, 0, "pad.south", NULL), "keys.a");
    CHECK(draft_take_up(&draft));
    CHECK_TEXT(draft_formula(&draft, 0, "pad.south", NULL), "keys.e");
    about("nobody decided about it: it stays, whatever is done");
    CHECK(draft_undo(&draft) && draft_redo(&draft));
    draft_close(&draft, true);
    for (unsigned i = 0; i < 3; i++) {
        CHECK(draft_open(&draft, path, NULL, &found));
        CHECK_EQUAL(found, DRAFT_LEFT);
        if (i > 0)
            CHECK(draft_set(&draft, 0, "pad.south", "keys.z"));
        if (i > 1)
            CHECK(draft_undo(&draft) && draft_save(&draft, false));
        draft_close(&draft, i % 2);
        text = read_file(beside);
        CHECK(text && strstr(text, "pad.south: keys.e"));
        free(text);
    }
    about("what is wrong there is not taken up, and stays");
    write_text(path, PLAIN);
    rename(beside, kept);
    write_text(beside, "yonder: 1\n");
    CHECK(draft_open(&draft, path, NULL, &found));
    CHECK_EQUAL(found, DRAFT_LEFT);
    CHECK(!draft_take_up(&draft));
    draft_close(&draft, false);
    CHECK(is_there(beside));
    about("dropped, when that is said");
    CHECK(draft_open(&draft, path, NULL, &found));
    draft_drop_left(&draft);
    draft_close(&draft, true);
    CHECK(!is_there(beside));
    rename(kept, beside);
    CHECK(draft_open(&draft, path, NULL, &found));
    CHECK(draft_take_up(&draft));
    about("saved: the file has it, and nothing is beside it any more");
    CHECK(draft_save(&draft, false));
    CHECK(!draft_is_changed(&draft));
    text = read_file(path);
    CHECK_TEXT(text, draft_text(&draft));
    free(text);
    text = read_file(beside);
    CHECK_TEXT(text, "");
    free(text);
    about("somebody else changes the file");
    CHECK(draft_set(&draft, 0, "pad.south", "keys.f"));
    write_text(path, PLAIN "\n# theirs\n");
    CHECK(draft_file_differs(&draft));
    CHECK(!draft_save(&draft, false));
    CHECK(strstr(draft.said, "another program"));
    text = read_file(path);
    CHECK_TEXT(text, PLAIN "\n# theirs\n");
    free(text);
    CHECK(draft_save(&draft, true));
    CHECK(!draft_file_differs(&draft));
    draft_close(&draft, false);
    CHECK(!is_there(beside));
    about("dropped");
    CHECK(draft_open(&draft, path, NULL, &found));
    CHECK(draft_set(&draft, 0, "pad.south", "keys.g"));
    draft_close(&draft, false);
    CHECK(!is_there(beside));
    about("a new one is written when it is saved, and not before");
    unlink(path);
    CHECK(!draft_open(&draft, path, NULL, &found));
    CHECK(draft_open(&draft, path, PLAIN, &found));
    CHECK(draft_is_changed(&draft));
    CHECK(!is_there(path));
    CHECK(draft_save(&draft, false));
    CHECK(is_there(path));
    draft_close(&draft, false);
    about("a wrong one is refused");
    write_text(path, "yonder: 2\n");
    CHECK(!draft_open(&draft, path, NULL, &found));
    CHECK(strlen(draft.said) > 0);
    CHECK(!is_there(beside));
}

int main(void) {
    CHECK(mkdtemp(folder) != NULL);
    snprintf(path, sizeof path, "%s/p.yaml", folder);
    check_shipped();
    check_changes();
    check_sections();
    check_layers();
    check_files();
    unlink(path);
    rmdir(folder);
    return report_checks();
}
