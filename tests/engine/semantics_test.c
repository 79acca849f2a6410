/* Reads the tables of docs/semantics.md and holds the engine against each row. */
#include "tests/engine/world.h"
#include "tests/harness.h"

static char *trim(char *text) {
    while (*text == ' ')
        text++;
    size_t length = strlen(text);
    while (length > 0 && text[length - 1] == ' ')
        text[--length] = 0;
    return text;
}

static unsigned device_named(const char *name) {
    return strcmp(name, "ball") == 0    ? WORLD_BALL
           : strcmp(name, "slate") == 0 ? WORLD_SLATE
                                        : WORLD_KEYS;
}

/* "press a", "move 5 -3": one thing; what is pressed is sent when the moment's list is done. */
static bool act(world *world, char *action, int *held_device) {
    char name[40];
    int x, y;
    if (sscanf(action, "press %39s", name) == 1 || sscanf(action, "release %39s", name) == 1) {
        world_hold(world, name, *action == 'p');
        *held_device = strncmp(name, "ball.", 5) == 0 ? WORLD_BALL : WORLD_KEYS;
    } else if (sscanf(action, "move %d %d", &x, &y) == 2) {
        world_move(world, x, y, 0);
    } else if (sscanf(action, "wheel %d", &x) == 1) {
        world_move(world, 0, 0, x);
    } else if (sscanf(action, "slate %d %d", &x, &y) == 2) {
        world_slate(world, (uint16_t)x, (uint16_t)y);
    } else if (sscanf(action, "unplug %39s", name) == 1) {
        world_unplug(world, device_named(name));
    } else if (sscanf(action, "plug %39s", name) == 1) {
        world_plug(world, device_named(name));
    } else {
        return false;
    }
    return true;
}

static void act_at(world *world, char *moment) {
    int used = 0, held = -1;
    double ms;
    char *save = NULL;
    if (sscanf(moment, "%lf%n", &ms, &used) != 1) {
        CHECK_TEXT(moment, "a time");
        return;
    }
    uint64_t time_us = (uint64_t)(ms * 1000);
    if (time_us > 0)
        world_run_until(world, time_us - 1);
    world->now_us = time_us;
    for (char *action = strtok_r(moment + used, "+", &save); action;
         action = strtok_r(NULL, "+", &save))
        CHECK(act(world, trim(action), &held));
    if (held >= 0)
        world_send(world, (unsigned)held);
}

static void check_row(char **cells) {
    static world world;
    char *save = NULL, *sheet = cells[1];
    about("%s", cells[0]);
    char lines[1024];
    for (char *at = sheet; (at = strstr(at, " & ")) != NULL;)
        memcpy(at, " \n ", 3);
    size_t length = 0;
    for (char *line = strtok_r(sheet, "\n", &save); line; line = strtok_r(NULL, "\n", &save))
        length += (size_t)snprintf(lines + length, sizeof lines - length, "%s\n", trim(line));
    world_begin(&world, lines, (uint64_t)(atof(cells[3]) * 1000));
    save = NULL;
    for (char *moment = strtok_r(cells[2], ";", &save); moment; moment = strtok_r(NULL, ";", &save))
        act_at(&world, trim(moment));
    world_run_until(&world, world.now_us + 1000000);
    CHECK_TEXT(world.log, cells[4]);
    world_end(&world);
}

int main(int count, char **arguments) {
    size_t size;
    char *save = NULL;
    unsigned rows = 0;
    if (count != 2)
        return 2;
    char *text = read_test_file(arguments[1], &size);
    for (char *line = strtok_r(text, "\n", &save); line; line = strtok_r(NULL, "\n", &save)) {
        char *cells[6];
        unsigned found = 0;
        if (*line != '|' || strncmp(line, "| case", 6) == 0 || strncmp(line, "|--", 3) == 0)
            continue;
        for (char *bar = line; bar && found < 6; found++) {
            *bar++ = 0;
            cells[found] = bar;
            bar = strchr(bar, '|');
        }
        for (unsigned i = 0; i < found; i++)
            cells[i] = trim(cells[i]);
        CHECK_EQUAL(found, 6); /* five cells and what is behind the last bar */
        check_row(cells);
        rows++;
    }
    printf("%u rows\n", rows);
    CHECK(rows >= 40);
    free(text);
    return report_checks();
}
