#include "tool/sim_panel.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "tool/options.h"
#include "tool/output.h"
#include "tool/tool.h"

#define PRESS_US  60000 /* a key of a terminal tells no release */
#define STEP_US   10000
#define MOST_ROWS 1000

bool sim_panel_size(const char *text, unsigned *columns, unsigned *lines) {
    char behind;
    return sscanf(text, "%3ux%3u%c", columns, lines, &behind) == 2 && *columns >= 8 &&
           *columns <= YT_MENU_COLUMNS && *lines >= 1 && *lines <= 16;
}

void sim_panel_wants_press(sim_panel *panel, unsigned number, uint64_t now_us) {
    if (panel->columns)
        yt_menu_wants_press(&panel->menu.menu, number, now_us);
}

void sim_panel_plug_in(sim_panel *panel, simulation *simulation, struct sim_link *linked) {
    memset(panel->down_us, 0, sizeof panel->down_us);
    if (panel->columns)
        (void)sim_menu_begin(&panel->menu, simulation, panel->columns, panel->lines,
                             panel->buttons); /* the size was looked at before */
    panel->menu.linked = linked;
}

static void print_edge(const sim_panel *panel, const char *indent) {
    printf("%s+", indent);
    for (unsigned i = 0; i < panel->columns; i++)
        putchar('-');
    puts("+");
}

void sim_panel_print(sim_panel *panel, const char *indent) {
    char lines[16][YT_MENU_LINE_BYTES];
    memset(lines, 0, sizeof lines);
    for (unsigned i = 0; i < panel->lines; i++)
        yt_menu_line(&panel->menu.menu, i, lines[i]);
    if (memcmp(lines, panel->shown, sizeof lines) == 0)
        return;
    memcpy(panel->shown, lines, sizeof lines);
    print_edge(panel, indent);
    for (unsigned i = 0; i < panel->lines; i++)
        printf("%s|%-*s|\n", indent, lines[i][0] ? 0 : (int)panel->columns, lines[i]);
    print_edge(panel, indent);
    fflush(stdout);
}

/* ---- keys ---- */

bool sim_panel_key(sim_panel *panel, int key, uint64_t now_us) {
    yt_menu *menu = &panel->menu.menu;
    if (!panel->columns)
        return false;
    if (key >= PANEL_KEY_UP && key <= PANEL_KEY_BACK) {
        yt_menu_take(menu, (yt_menu_press)(key - PANEL_KEY_UP), now_us);
        return true;
    }
    if (key == 'm') {
        if (yt_menu_is_open(menu))
            yt_menu_close(menu);
        else
            yt_menu_open(menu, now_us);
        return true;
    }
    unsigned button = (unsigned)(key - '1');
    if (key < '1' || button >= panel->buttons)
        return false;
    if (panel->down_us[button] == 0)
        yt_menu_button(menu, button, true, now_us);
    panel->down_us[button] = now_us + PRESS_US;
    return true;
}

void sim_panel_go_on(sim_panel *panel, uint64_t now_us) {
    yt_menu *menu = &panel->menu.menu;
    for (unsigned i = 0; panel->columns && i < panel->buttons; i++)
        if (panel->down_us[i] > 0 && panel->down_us[i] <= now_us) {
            panel->down_us[i] = 0;
            yt_menu_button(menu, i, false, now_us);
        }
    if (panel->columns && !panel->is_drawn && yt_menu_changed(menu))
        sim_panel_print(panel, "");
}

/* ---- scripts ---- */

static bool wrong(const char *path, const sim_step *step, const char *why) {
    fprintf(stderr, "%s:%u: \"%.60s\": %s\n", path, step->number, step->line, why);
    return false;
}

static bool read_number(const char *text, unsigned least, unsigned most, unsigned *number) {
    char *end;
    unsigned long value = strtoul(text, &end, 10);
    *number = (unsigned)value;
    return text[0] >= '0' && text[0] <= '9' && *end == 0 && value >= least && value <= most;
}

/* What stands behind the first word; NULL: nothing. */
static char *split(char *line) {
    char *space = strchr(line, ' ');
    if (!space)
        return NULL;
    *space = 0;
    while (*++space == ' ')
        continue;
    return *space ? space : NULL;
}

static const char *read_press(sim_step *step, const char *rest) {
    step->kind = STEP_PRESS;
    step->count = 1;
    return rest && !read_number(rest, 1, 1000, &step->count)
               ? "behind it stands how often, 1 to 1000"
               : NULL;
}

static const char *read_button(sim_step *step, char *rest) {
    char *time = rest ? split(rest) : NULL;
    step->kind = STEP_BUTTON;
    step->time_us = time ? parse_time(time) : PRESS_US;
    if (!rest || !read_number(rest, 1, 6, &step->button))
        return "behind it stands which button, from 1, as in: button 2";
    return step->time_us == 0 ? "how long it is held is a time, as in: button 2 600ms" : NULL;
}

/* NULL, or what is wrong. */
static const char *read_step(sim_step *step, char *line) {
    static const char *const presses[] = {"up", "down", "choose", "back"};
    char *rest = split(line);
    for (unsigned i = 0; i < 4; i++)
        if (strcmp(line, presses[i]) == 0) {
            step->press = i;
            return read_press(step, rest);
        }
    if (strcmp(line, "button") == 0)
        return read_button(step, rest);
    if (strcmp(line, "wait") == 0) {
        step->kind = STEP_WAIT;
        step->time_us = rest ? parse_time(rest) : 0;
        return step->time_us ? NULL : "behind it stands a time, as in: wait 500ms";
    }
    if (strcmp(line, "row") == 0) {
        step->kind = STEP_ROW;
        if (!rest || strlen(rest) >= sizeof step->text)
            return "behind it stands what the row begins with, as in: row slots";
        snprintf(step->text, sizeof step->text, "%s", rest);
        return NULL;
    }
    if (rest)
        return "nothing belongs behind this word";
    step->kind = strcmp(line, "open") == 0 ? STEP_OPEN : STEP_POWER;
    return step->kind == STEP_OPEN || strcmp(line, "power") == 0
               ? NULL
               : "a line begins with up, down, choose, back, row, button, open, wait or power";
}

/* Without spaces at both ends, and without what stands behind a hash. */
static char *trimmed(char *line) {
    line[strcspn(line, "#\r")] = 0;
    while (*line == ' ' || *line == '\t')
        line++;
    for (size_t end = strlen(line); end > 0 && (line[end - 1] == ' ' || line[end - 1] == '\t');)
        line[--end] = 0;
    return line;
}

bool sim_script_read(sim_script *script, const char *path) {
    size_t size;
    unsigned number = 0;
    memset(script, 0, sizeof *script);
    script->text = read_text(path, &size);
    if (!script->text)
        return false;
    for (char *line = script->text, *next; line; line = next) {
        sim_step step = {.number = ++number};
        next = strchr(line, '\n');
        if (next)
            *next++ = 0;
        line = trimmed(line);
        char *copy = strdup(line);
        if (!copy)
            abort();
        step.line = line;
        const char *why = *line ? read_step(&step, copy) : NULL;
        free(copy);
        if (why || (*line && script->count == SIM_PANEL_SCRIPT))
            return wrong(path, &step, why ? why : "a script has up to 1000 lines");
        if (*line)
            script->steps[script->count++] = step;
    }
    return true;
}

void sim_script_free(sim_script *script) {
    free(script->text);
    script->text = NULL;
}

static uint64_t now_of(const sim_panel *panel) {
    return panel->menu.simulation->loop.now_us;
}

/* The row of the cursor, without what stands in front of it. */
static void cursor_row(sim_panel *panel, char *text) {
    unsigned line = 0, column;
    bool is_list = yt_menu_cursor(&panel->menu.menu, &line, &column);
    yt_menu_line(&panel->menu.menu, line, text);
    if (is_list)
        memmove(text, text + 1, strlen(text));
}

/* Each row is looked at once, from its beginning. */
static bool go_to_row(sim_panel *panel, const char *path, const sim_step *step, void *context,
                      bool (*go_on)(void *context, uint64_t for_us)) {
    char text[YT_MENU_LINE_BYTES];
    if (!yt_menu_is_open(&panel->menu.menu))
        return wrong(path, step, "the menu is closed: open opens it");
    for (unsigned i = 0; i < MOST_ROWS; i++) {
        cursor_row(panel, text);
        if (strncmp(text, step->text, strlen(step->text)) == 0)
            return true;
        yt_menu_take(&panel->menu.menu, YT_MENU_DOWN, now_of(panel));
        if (!go_on(context, STEP_US))
            return false;
    }
    return wrong(path, step, "no row here begins so");
}

bool sim_script_do(sim_panel *panel, const char *path, const sim_step *step, void *context,
                   bool (*go_on)(void *context, uint64_t for_us)) {
    yt_menu *menu = &panel->menu.menu;
    bool good = true;
    switch (step->kind) {
    case STEP_WAIT:
        return go_on(context, step->time_us);
    case STEP_OPEN:
        yt_menu_open(menu, now_of(panel));
        break;
    case STEP_PRESS:
        for (unsigned i = 0; i < step->count && good; i++) {
            yt_menu_take(menu, (yt_menu_press)step->press, now_of(panel));
            good = go_on(context, STEP_US);
        }
        break;
    case STEP_ROW:
        good = go_to_row(panel, path, step, context, go_on);
        break;
    default:
        if (step->button > panel->buttons)
            return wrong(path, step, "there is no such button; --buttons says how many there are");
        yt_menu_button(menu, step->button - 1, true, now_of(panel));
        good = go_on(context, step->time_us);
        yt_menu_button(menu, step->button - 1, false, now_of(panel));
    }
    return good && go_on(context, STEP_US);
}
