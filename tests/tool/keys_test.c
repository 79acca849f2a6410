/* Keys by chance in the full screen: it never ends by a signal, never leaves the terminal broken,
 * and never writes the profile or an adapter's flash unasked.
 *
 * Some sessions are watched: they run in a simple terminal whose screen is known here, each key
 * waits for what the one before has done, and it is known at which row Enter is pressed. The others
 * get their keys as fast as they take them, in windows that change their size, with colours and
 * without, with other keys and with one that goes on by itself.
 *
 * usage: keys_test YONDER [SECONDS [SEED]]      (from the source folder; without SECONDS a few
 * sessions) */

#include "tests/tool/files.h"
#include "tests/tool/terminal.h"

#define ROWS    50
#define COLUMNS 140
#define FEW     14 /* sessions, where no time is given */

static const char *yonder;
static char folder[] = "/tmp/keys.XXXXXX", path[120], flash[120];
static unsigned long sessions, keys_sent, saved, put;

/* ---- files ---- */

static void run(const char *format, const char *one, const char *other) {
    char command[1000];
    snprintf(command, sizeof command, format, one, other);
    CHECK_EQUAL(system(command), 0);
}

/* What was in the two files when they were looked at last. */
typedef struct watched_files {
    char *profile, *adapter;
    size_t profile_size, adapter_size;
} watched_files;

static void look(watched_files *files) {
    free(files->profile);
    free(files->adapter);
    files->profile = read_text(path, &files->profile_size);
    files->adapter = read_text(flash, &files->adapter_size);
}

/* Whether one of them is another than when it was looked at. */
static bool differ(watched_files *files, bool *profile, bool *adapter) {
    watched_files now = {0};
    look(&now);
    *profile = now.profile_size != files->profile_size ||
               memcmp(now.profile, files->profile, now.profile_size) != 0;
    *adapter = now.adapter_size != files->adapter_size ||
               memcmp(now.adapter, files->adapter, now.adapter_size) != 0;
    free(files->profile);
    free(files->adapter);
    *files = now;
    return *profile || *adapter;
}

/* ---- a simple terminal ---- */

/* A VT52: what its screen shows. */
typedef struct screen {
    char cells[ROWS][COLUMNS + 1];
    unsigned rows, columns, row, column;
    unsigned state; /* of a sequence: 0 none, 1 behind Escape, 2 and 3 behind Y */
    size_t read;
} screen;

static void clear_from(screen *screen, unsigned row, unsigned column) {
    for (; row < screen->rows; row++, column = 0)
        memset(screen->cells[row] + column, ' ', screen->columns - column);
}

static void line_feed(screen *screen) {
    if (++screen->row < screen->rows)
        return;
    screen->row = screen->rows - 1;
    memmove(screen->cells[0], screen->cells[1], (screen->rows - 1) * sizeof screen->cells[0]);
    memset(screen->cells[screen->row], ' ', screen->columns);
}

static void take_escape(screen *screen, char c) {
    screen->state = c == 'Y' ? 2 : 0;
    switch (c) {
    case 'A':
        screen->row -= screen->row > 0;
        break;
    case 'B':
        screen->row += screen->row + 1 < screen->rows;
        break;
    case 'C':
        screen->column += screen->column + 1 < screen->columns;
        break;
    case 'D':
        screen->column -= screen->column > 0;
        break;
    case 'H':
        screen->row = screen->column = 0;
        break;
    case 'J':
        clear_from(screen, screen->row, screen->column);
        break;
    case 'K':
        memset(screen->cells[screen->row] + screen->column, ' ', screen->columns - screen->column);
        break;
    case 'I':
        if (screen->row-- > 0)
            break;
        screen->row = 0;
        memmove(screen->cells[1], screen->cells[0], (screen->rows - 1) * sizeof screen->cells[0]);
        memset(screen->cells[0], ' ', screen->columns);
        break;
    default: /* character sets, keypad */
        break;
    }
}

static void take_character(screen *screen, char c) {
    switch (c) {
    case '\033':
        screen->state = 1;
        break;
    case '\r':
        screen->column = 0;
        break;
    case '\n':
        line_feed(screen);
        break;
    case '\b':
        screen->column -= screen->column > 0;
        break;
    case '\t':
        screen->column = (screen->column / 8 + 1) * 8;
        if (screen->column >= screen->columns)
            screen->column = screen->columns - 1;
        break;
    default:
        if ((unsigned char)c < ' ')
            break;
        screen->cells[screen->row][screen->column] = c;
        screen->column += screen->column + 1 < screen->columns;
    }
}

/* All that was drawn since the last time. */
static void take_output(screen *screen, terminal *terminal) {
    for (size_t i = 0; i < terminal->size; i++) {
        char c = terminal->output[i];
        switch (screen->state) {
        case 1:
            take_escape(screen, c);
            break;
        case 2:
            screen->row = (unsigned)(c - ' ') < screen->rows ? (unsigned)(c - ' ') : 0;
            screen->state = 3;
            break;
        case 3:
            screen->column = (unsigned)(c - ' ') < screen->columns ? (unsigned)(c - ' ') : 0;
            screen->state = 0;
            break;
        default:
            take_character(screen, c);
        }
    }
    terminal->size = 0;
}

/* Whether it has nothing to do but to wait for a key: it sleeps, and not for a disk. */
static bool is_waiting(pid_t child) {
    char name[60], text[600] = "";
    snprintf(name, sizeof name, "/proc/%d/stat", child);
    FILE *file = fopen(name, "r");
    if (!file)
        return true;
    bool is_read = fread(text, 1, sizeof text - 1, file) > 0;
    fclose(file);
    const char *behind = strrchr(text, ')');
    return !is_read || !behind || strchr("SZX", behind[2]);
}

/* Until all is done that a key comes to: nothing is drawn for a while, and it has slept before that
 * and after it. */
static void settle(screen *screen, terminal *terminal) {
    for (unsigned quiet = 0; quiet < 3;) {
        size_t before = terminal->size;
        bool waited = is_waiting(terminal->child);
        terminal_drain(terminal, 8);
        bool is_quiet = waited && is_waiting(terminal->child) && terminal->size == before;
        quiet = is_quiet ? quiet + 1 : 0;
        take_output(screen, terminal);
    }
}

/* The row that the cursor is at, without the mark; "" where there is none. */
static const char *row_of(const screen *screen) {
    for (unsigned i = 0; i < screen->rows; i++)
        if (screen->cells[i][0] == '>')
            return screen->cells[i] + 1;
    return "";
}

/* ---- keys ---- */

static const char *const all_keys[] = {
    KEY_DOWN_AS,   KEY_DOWN_AS, KEY_DOWN_AS, KEY_UP_AS, KEY_RIGHT_AS, KEY_LEFT_AS, "\n", "\n", "\n",
    KEY_ESCAPE_AS, "u",         "r",         "l",       "w",          "/",         "n",  "?",  "p",
    "e",           "c",         "x",         "d",       " ",          "\177",      "\t", "7",  "a",
    "(",           "\xc3\xa4",  "\033[6~",   "\033[5~", "\x01",       "\033[Z",    "q"};
static const char *const simple_keys[] = {
    "\033B", "\033B", "\033B", "\033B", "\033A", "\033C", "\033D", "\n", "\n", "\n",
    "\n",    "u",     "r",     "l",     "w",     "n",     "?",     "p",  "e",  "c",
    "x",     "d",     " ",     "7",     "a",     "b",     "\177",  "%",  "s"};
/* Each with a recording of what it is worked by; NULL: with none. */
static const struct {
    const char *name, *recording;
} profiles[] = {{"winch", "crane/recordings/otter-winch.hid"},
                {"crane", "crane/recordings/otter-keyboard.hid"},
                {"full-crane", "crane/recordings/dory-trackball.hid"},
                {"jetty", "crane/recordings/lapwing-grip.hid"},
                {"jetty-ball", "crane/recordings/dory-trackball.hid"},
                {"radio", "crane/recordings/heron-radio-set.hid"},
                {"desk-pointer", NULL}};

static const char *roll_key(dice *dice, const char *const *keys, size_t count) {
    keys_sent++;
    return keys[roll_below(dice, (unsigned)count)];
}

/* A profile and an adapter as they come with the project. */
static const char *begin_files(dice *dice, watched_files *files) {
    unsigned which = roll_below(dice, sizeof profiles / sizeof profiles[0]);
    run("rm -rf %s/crane; cp -r crane %s", folder, folder);
    run("cp %s/new.bin %s", folder, flash);
    snprintf(path, sizeof path, "%s/crane/%s.yaml", folder, profiles[which].name);
    look(files);
    return profiles[which].recording;
}

/* Each key waits for the one before; of each it is known what it may write. */
static void watched_session(dice *dice, unsigned keys) {
    static screen screen;
    watched_files files = {0};
    terminal terminal;
    begin_files(dice, &files);
    const char *const arguments[] = {yonder, "assign", path, "--flash", flash, NULL};
    screen =
        (struct screen){.rows = 20 + roll_below(dice, 30), .columns = 60 + roll_below(dice, 80)};
    clear_from(&screen, 0, 0);
    terminal_begin(&terminal, screen.columns, screen.rows, "vt52", arguments);
    for (unsigned i = 0; i < 1000 && *row_of(&screen) == 0; i++)
        settle(&screen, &terminal); /* it begins */
    about("%s: it begins", path);
    CHECK(*row_of(&screen) != 0);
    for (unsigned i = 0; i < keys; i++) {
        bool profile, adapter;
        char row[COLUMNS + 1], title[COLUMNS + 1];
        const char *key = roll_key(dice, simple_keys, sizeof simple_keys / sizeof simple_keys[0]);
        snprintf(row, sizeof row, "%.100s", row_of(&screen));
        snprintf(title, sizeof title, "%.100s", screen.cells[0]);
        bool chooses = *key == '\n' || strcmp(key, "\033C") == 0;
        bool may_save = *key == 's' || (chooses && strncmp(row, "save", 4) == 0);
        bool may_put =
            (chooses && (strncmp(row, "try it", 6) == 0 || strncmp(row, "take it back", 12) == 0 ||
                         strncmp(row, "keep it there", 13) == 0));
        about("%s:%.50s: key %s at row %.40s", path, title,
              *key == '\033' ? key + 1
              : *key == '\n' ? "enter"
                             : key,
              row);
        if (write(terminal.master, key, strlen(key)) < 0)
            break;
        settle(&screen, &terminal);
        if (waitpid(terminal.child, &terminal.status, WNOHANG) != 0)
            break; /* it was left: that takes back what was tried, too */
        if (!differ(&files, &profile, &adapter))
            continue;
        CHECK(!profile || may_save);
        CHECK(!adapter || may_put);
        CHECK(!profile || is_profile(path, files.profile));
        saved += profile;
        put += adapter;
    }
    kill(terminal.child, SIGTERM);
    int status = terminal_end(&terminal, false);
    CHECK(status == 0 || status == 1);
    bool profile, adapter;
    differ(&files, &profile, &adapter);
    about("%s: what is there at the end is right", path);
    CHECK(is_profile(path, files.profile));
    free(files.profile);
    free(files.adapter);
}

/* Keys as fast as they are taken, in a window that changes its size. */
static void fast_session(dice *dice, unsigned keys) {
    watched_files files = {0};
    terminal terminal;
    unsigned count = 3, kind = roll_below(dice, 4);
    const char *recording = begin_files(dice, &files);
    const char *arguments[12] = {yonder, "assign", path};
    if (recording && roll_below(dice, 2))
        arguments[count++] = recording;
    if (roll_below(dice, 3) == 0) {
        arguments[count++] = "--flash";
        arguments[count++] = flash;
    }
    if (kind == 1) {
        arguments[count++] = "--keys";
        arguments[count++] = "down=n choose=7";
    }
    if (kind == 2) {
        arguments[count++] = "--scan";
        arguments[count++] = "0.1s";
    }
    if (roll_below(dice, 2))
        setenv("NO_COLOR", "1", 1);
    else
        unsetenv("NO_COLOR");
    terminal_begin(&terminal, 60 + roll_below(dice, 80), 20 + roll_below(dice, 30),
                   "xterm-256color", arguments);
    terminal_drain(&terminal, 200);
    about("%s, quickly", path);
    bool is_there = true;
    for (unsigned i = 0; i < keys; i++) {
        is_there = waitpid(terminal.child, &terminal.status, WNOHANG) == 0;
        if (!is_there)
            break;
        const char *key = roll_key(dice, all_keys, sizeof all_keys / sizeof all_keys[0]);
        if (write(terminal.master, key, strlen(key)) < 0)
            break;
        if (roll_below(dice, 8) == 0)
            terminal_drain(&terminal, 30);
        if (roll_below(dice, 60) == 0) {
            struct winsize size = {.ws_row = (unsigned short)(1 + roll_below(dice, 50)),
                                   .ws_col = (unsigned short)(1 + roll_below(dice, 140))};
            ioctl(terminal.master, TIOCSWINSZ, &size);
        }
        if (terminal.size > TERMINAL_OUTPUT / 2)
            terminal.size = 0;
    }
    if (is_there)
        kill(terminal.child, roll_below(dice, 2) ? SIGTERM : SIGINT);
    int status = terminal_end(&terminal, true);
    CHECK(status == 0 || status == 1);
    bool profile, adapter;
    differ(&files, &profile, &adapter);
    CHECK(is_profile(path, files.profile));
    free(files.profile);
    free(files.adapter);
}

int main(int count, char **arguments) {
    if (count < 2)
        return 2;
    yonder = arguments[1];
    long seconds = count > 2 ? atol(arguments[2]) : 0;
    dice dice = {count > 3 ? strtoull(arguments[3], NULL, 10) : 1};
    time_t until = time(NULL) + seconds;
    CHECK(mkdtemp(folder) != NULL);
    snprintf(flash, sizeof flash, "%s/box.bin", folder);
    run("%s slots put 1=crane/crane.yaml --flash %s/new.bin >/dev/null 2>&1", yonder, folder);
    for (unsigned i = 0; seconds ? time(NULL) < until : i < (some(2) > 1 ? FEW : 4); i++) {
        sessions++;
        if (i % 2)
            watched_session(&dice, 150);
        else
            fast_session(&dice, 400);
    }
    run("rm -r %s%s", folder, "");
    if (seconds)
        printf("%lu keys in %lu sessions; the profile was saved %lu times, an adapter written %lu "
               "times, each as it was said\n",
               keys_sent, sessions, saved, put);
    return report_checks();
}
