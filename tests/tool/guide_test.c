/* Each profile of the guide, made with the rows that its page says stand beside it: line by line,
 * and in a full screen by two keys alone. It comes to the program that the written one comes to.
 * usage: guide_test YONDER      (from the source folder) */
#include <poll.h>
#include <pty.h>
#include <sys/wait.h>
#include <unistd.h>

#include "tests/tool/files.h"
#include "tool/assign/assign.h"

#define PAGE     200000
#define TOKENS   400
#define PROFILES 11 /* that the guide has; */
#define SNIPPETS 6  /* and blocks of lines that come of some rows */

static const char *yonder;
static char folder[] = "/tmp/guide.XXXXXX", path[64];
static assign a; /* does the same beside them, and knows in which row things stand */

/* What is sent: lines, and two keys. */
static char lines[100000], keys[2000000];
static size_t line_bytes, key_bytes;

/* ---- rows ---- */

/* The row of that name, or that begins so; the count where there is none. */
static unsigned row_of(const char *name) {
    unsigned rows = assign_rows(&a), number;
    assign_row row;
    if (sscanf(name, "row %u", &number) == 1)
        return number - 1;
    for (unsigned pass = 0; pass < 3; pass++)
        for (unsigned i = 0; i < rows; i++) {
            assign_row_of(&a, i, &row);
            if (pass == 0   ? strcmp(row.name, name) == 0 || strcmp(row.text, name) == 0
                : pass == 1 ? strncmp(row.name, name, strlen(name)) == 0
                            : strncmp(row.text, name, strlen(name)) == 0)
                return i;
        }
    return rows;
}

static void key(char c) {
    keys[key_bytes++] = c;
}

static void line(const char *text) {
    line_bytes += (size_t)sprintf(lines + line_bytes, "%s\n", text);
}

/* Goes down to a row and chooses it, by keys alone. */
static void choose_by_keys(unsigned row) {
    unsigned rows = assign_rows(&a);
    CHECK(row < rows);
    while (assign_cursor(&a) != row && row < rows) {
        key('n');
        assign_move(&a, 1);
    }
    key(' ');
    assign_choose(&a);
}

/* "row 4" is said by its number, all else as it reads. */
static const char *said_as(const char *name) {
    return strncmp(name, "row ", 4) == 0 ? name + 4 : name;
}

static void choose(const char *name) {
    unsigned row = row_of(name);
    if (row >= assign_rows(&a)) {
        CHECK_TEXT("no such row", name);
        return;
    }
    line(said_as(name));
    choose_by_keys(row);
}

/* A text, by choosing its letters. */
static void type(const char *text) {
    while (*a.entry)
        choose_by_keys(1);
    for (const char *at = text; *at; at++)
        choose_by_keys(row_of(*at == ' ' ? "a space" : (char[]){*at, 0}));
    line(text);
    choose_by_keys(0);
}

/* A number so many steps on: by the rows behind it. */
static void step(const char *name, int by) {
    char text[200];
    unsigned row = row_of(name);
    CHECK(row < assign_rows(&a));
    snprintf(text, sizeof text, "%s %+d", said_as(name), by);
    line(text);
    choose_by_keys(row);
    for (; by >= 10; by -= 10)
        choose_by_keys(row_of("much more"));
    for (; by <= -10; by += 10)
        choose_by_keys(row_of("much less"));
    for (; by > 0; by--)
        choose_by_keys(row_of("more"));
    for (; by < 0; by++)
        choose_by_keys(row_of("less"));
    choose_by_keys(row_of("back"));
}

/* A control, from the list of its input; a formula's name, from that of formulas. */
static void press(const char *name) {
    char input[60];
    choose("choose it");
    if (strcmp(name, "below") == 0) {
        choose("what lies below");
        return;
    }
    snprintf(input, sizeof input, "%.*s", (int)strcspn(name, "."), name);
    choose(row_of(input) < assign_rows(&a) ? input : "named formulas");
    choose(name);
}

static void go_home(void) {
    while (a.depth > 0)
        choose("back");
}

/* A line of a page: rows with > between them. */
static void take_line(char *text) {
    char *tokens[TOKENS];
    unsigned count = 0;
    about("%.300s", text ? text : "");
    for (char *at = text; at && count < TOKENS;) {
        char *next = strstr(at, " > ");
        tokens[count++] = at;
        if (next)
            *next = 0;
        at = next ? next + 3 : NULL;
    }
    go_home();
    for (unsigned i = 0; i < count; i++) {
        char *token = tokens[i], *less = strstr(token, " < "), *end;
        long by = i + 1 < count ? strtol(tokens[i + 1], &end, 10) : 0;
        size_t length = strlen(token);
        if (less) {
            *less = 0;
            step(token, -atoi(less + 3));
        } else if (i + 1 < count && *tokens[i + 1] && !*end) {
            step(token, (int)by);
            i++;
        } else if (*token == '[' && token[length - 1] == ']') {
            token[length - 1] = 0;
            press(token + 1);
        } else if (*token == '"' && token[length - 1] == '"') {
            token[length - 1] = 0;
            type(token + 1);
        } else {
            choose(token);
        }
        CHECK_TEXT(strstr(a.said, ".yaml:") ? a.said : "", "");
    }
}

/* ---- pages ---- */

/* The indented lines from a place on, without what they are indented by; where they end. */
static const char *indented(const char *at, char *text) {
    *text = 0;
    while (strncmp(at, "    ", 4) == 0) {
        size_t length = strcspn(at, "\n");
        strncat(text, at + 4, length - 4 + 1);
        at += length + (at[length] == '\n');
    }
    return at;
}

/* The program of a text; to be freed. */
static bool compiles(const char *text, uint8_t **image, size_t *size) {
    yt_messages messages;
    yt_compiled compiled;
    messages_begin(&messages, path, text, strlen(text));
    bool good = compile_profile(&compiled, &messages);
    if (good) {
        *size = compiled.size;
        *image = malloc(*size);
        memcpy(*image, compiled.image, *size);
        pool_free(&compiled.pool);
    }
    messages_free(&messages);
    return good;
}

static void check_same(const char *made, const char *written) {
    uint8_t *one, *other;
    size_t one_size = 0, other_size = 0;
    bool good = compiles(made, &one, &one_size);
    CHECK(good);
    CHECK(compiles(written, &other, &other_size));
    if (!good)
        return;
    CHECK_EQUAL(one_size, other_size);
    bool is_same = one_size == other_size && memcmp(one, other, one_size) == 0;
    CHECK_TEXT(is_same ? "" : made, "");
    free(one);
    free(other);
}

/* ---- both ways ---- */

static void by_lines(void) {
    char command[300], beside[80];
    snprintf(beside, sizeof beside, "%s.lines", path);
    write_text(beside, lines);
    snprintf(command, sizeof command, "%s assign --plain %s <%s >%s/shown 2>&1", yonder, path,
             beside, folder);
    CHECK_EQUAL(system(command), 0);
    unlink(beside);
}

static void by_two_keys(void) {
    int master, status = -1;
    struct winsize size = {.ws_row = 24, .ws_col = 80};
    char drawn[65536];
    size_t sent = 0;
    pid_t child = forkpty(&master, NULL, NULL, &size);
    if (child == 0) {
        setenv("TERM", "xterm-256color", 1);
        execl(yonder, yonder, "assign", path, "--keys", "down=n choose=space", (char *)NULL);
        _exit(99);
    }
    CHECK(child > 0);
    for (;;) {
        struct pollfd polled = {master, (short)(POLLIN | (sent < key_bytes ? POLLOUT : 0)), 0};
        if (poll(&polled, 1, 60000) <= 0)
            break;
        if (polled.revents & POLLIN && read(master, drawn, sizeof drawn) <= 0)
            break;
        if (polled.revents & POLLOUT) { /* a terminal takes only so much that nobody has read */
            size_t part = key_bytes - sent < 64 ? key_bytes - sent : 64;
            ssize_t took = write(master, keys + sent, part);
            if (took <= 0)
                break;
            sent += (size_t)took;
        }
        if (polled.revents & (POLLHUP | POLLERR) && !(polled.revents & POLLIN))
            break;
    }
    CHECK_EQUAL(waitpid(child, &status, 0), child);
    CHECK_EQUAL(status, 0);
    CHECK_EQUAL(sent, key_bytes);
    close(master);
}

/* Whether the profile has a line, wherever it stands. */
static void has_line(const char *text) {
    const char *at = strstr(draft_text(&a.draft), text);
    about("comes of it");
    CHECK_TEXT(at && at[strlen(text)] == '\n' ? "" : draft_text(&a.draft), "");
}

/* A profile of a page, and the block that says how it is made; NULL: the block says itself what
 * comes of it. */
static void check_profile(const char *written, char *block) {
    const char *devices[8];
    unsigned count = 0;
    char beside[80], *rest = strchr(block, '\n') + 1, *at;
    rest[-1] = 0;
    for (char *word = strtok(block, " "); word; word = strtok(NULL, " "))
        if (strstr(word, ".hid"))
            devices[count++] = word;
    CHECK(count > 0);
    char *text = new_profile(devices, count, "gamepad");
    CHECK(text != NULL);
    if (!text)
        return;
    snprintf(beside, sizeof beside, "%s.draft", path);
    write_text(path, text);
    line_bytes = key_bytes = 0;
    CHECK(assign_begin(&a, path, NULL, NULL));
    while ((at = strsep(&rest, "\n")))
        if (strncmp(at, "= ", 2) == 0)
            has_line(at + 2);
        else if (*at)
            take_line(at);
    go_home();
    about("saved");
    choose("more");
    choose("save");
    go_home();
    choose("more");
    choose("leave");
    CHECK(a.leaves);
    char *made = read_text(path, NULL);
    assign_end(&a);
    if (written)
        check_same(made, written);
    for (unsigned way = 0; way < 2; way++) {
        about(way ? "by two keys" : "line by line");
        write_text(path, text);
        unlink(beside);
        if (way)
            by_two_keys();
        else
            by_lines();
        char *other = read_text(path, NULL);
        CHECK_TEXT(other, made);
        free(other);
    }
    free(made);
    free(text);
}

/* Goes through a page: how many profiles it has, each with its block, and how many other blocks. */
static unsigned check_page(const char *page, unsigned *snippets) {
    static char written[PAGE], block[PAGE];
    char *text = read_text(page, NULL);
    unsigned profiles = 0, blocks = 0;
    written[0] = 0;
    for (const char *at = text; *at;) {
        if (strncmp(at, "    yonder: 1\n", 14) == 0) {
            at = indented(at, written);
            profiles++;
        } else if (strncmp(at, "    $ yonder assign mine", 24) == 0 ||
                   strncmp(at, "    $ yonder assign first", 25) == 0) {
            at = indented(at, block);
            bool is_snippet = strstr(block, "\n= ") != NULL;
            blocks += !is_snippet;
            *snippets += is_snippet;
            check_profile(is_snippet ? NULL : written, block);
        } else {
            at += strcspn(at, "\n");
            at += *at == '\n';
        }
    }
    about("%s: each profile has its block", page);
    CHECK_EQUAL(blocks, profiles);
    free(text);
    return profiles;
}

int main(int count, char **arguments) {
    static const char *const pages[] = {"1-what-do-i-have",
                                        "2-what-does-the-host-want",
                                        "3-what-drives-what",
                                        "4-one-key-two-meanings",
                                        "5-why-did-it-do-that",
                                        "6-how-should-it-feel",
                                        "14-without-a-computer",
                                        "7-calibrate-it",
                                        "8-aim",
                                        "9-keep-it-on-the-adapter"};
    char command[200], page[100];
    unsigned profiles = 0, snippets = 0;
    if (count < 2)
        return 2;
    yonder = arguments[1];
    CHECK(mkdtemp(folder) != NULL);
    snprintf(path, sizeof path, "%s/mine.yaml", folder);
    snprintf(command, sizeof command,
             "mkdir %s/devices && cp crane/devices/lapwing-grip.yaml %s/devices", folder, folder);
    CHECK_EQUAL(system(command), 0);
    for (size_t i = 0; i < sizeof pages / sizeof pages[0]; i++) {
        snprintf(page, sizeof page, "docs/guide/%s.md", pages[i]);
        profiles += check_page(page, &snippets);
    }
    CHECK_EQUAL(profiles, PROFILES);
    CHECK_EQUAL(snippets, SNIPPETS);
    snprintf(command, sizeof command, "rm -r %s", folder);
    CHECK_EQUAL(system(command), 0);
    return report_checks();
}
