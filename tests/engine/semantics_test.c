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
    } else if (strcmp(action, "load") == 0) {
        world_load(world);
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

/* "A & B & C" as lines, each behind `indent`. */
static size_t put_lines(char *lines, size_t room, const char *indent, char *cells) {
    char *save = NULL;
    size_t length = 0;
    for (char *at = cells; (at = strstr(at, " & ")) != NULL;)
        memcpy(at, " \n ", 3);
    for (char *line = strtok_r(cells, "\n", &save); line; line = strtok_r(NULL, "\n", &save))
        length += (size_t)snprintf(lines + length, room - length, "%s%s\n", indent, trim(line));
    return length;
}

/* "while CONDITION: copy OUTPUT: INPUT & CELL & CELL & shared: CONTROL" as a layer of YAML. */
static size_t put_layer(char *lines, size_t room, char *layer) {
    char *colon = strstr(layer, ": "), *shared = strstr(layer, " & shared: ");
    CHECK(colon != NULL && strncmp(layer, "while ", 6) == 0);
    *colon = 0;
    size_t length = (size_t)snprintf(lines, room, "  - while: %s\n", layer + 6);
    if (shared) {
        length += (size_t)snprintf(lines + length, room - length, "    shared: %s\n", shared + 11);
        *shared = 0;
    }
    char *cells = colon + 2;
    if (strncmp(cells, "copy ", 5) == 0) {
        char *next = strstr(cells, " & ");
        length += (size_t)snprintf(lines + length, room - length, "    copy: {%.*s}\n",
                                   next ? (int)(next - cells - 5) : 60, cells + 5);
        if (!next)
            return length;
        cells = next + 3;
    }
    length += (size_t)snprintf(lines + length, room - length, "    sheet:\n");
    return length + put_lines(lines + length, room - length, "      ", cells);
}

static void put_layers(char *lines, size_t room, char *layers) {
    size_t length = (size_t)snprintf(lines, room, "layers:\n");
    while (layers) {
        char *next = strstr(layers, " // ");
        if (next)
            *next = 0;
        length += put_layer(lines + length, room - length, trim(layers));
        layers = next ? next + 4 : NULL;
    }
}

/* The cells of a row: with layers the host asks each millisecond, else as the row says. */
static void check_row(char **cells, bool has_layers) {
    static world world;
    char *save = NULL, lines[1024], more[2048] = "";
    about("%s", cells[0]);
    put_lines(lines, sizeof lines, "", cells[1]);
    if (has_layers)
        put_layers(more, sizeof more, cells[2]);
    char *happens = cells[has_layers ? 3 : 2];
    world_begin_with(&world, lines, more, has_layers ? 1000 : (uint64_t)(atof(cells[3]) * 1000));
    for (char *moment = strtok_r(happens, ";", &save); moment; moment = strtok_r(NULL, ";", &save))
        act_at(&world, trim(moment));
    world_run_until(&world, world.now_us + 1000000);
    CHECK_TEXT(world.log, cells[4]);
    world_end(&world);
}

int main(int count, char **arguments) {
    size_t size;
    char *save = NULL;
    unsigned rows[2] = {0, 0};
    bool has_layers = false;
    if (count != 2)
        return 2;
    char *text = read_test_file(arguments[1], &size);
    for (char *line = strtok_r(text, "\n", &save); line; line = strtok_r(NULL, "\n", &save)) {
        char *cells[6];
        unsigned found = 0;
        if (strncmp(line, "| case", 6) == 0)
            has_layers = strstr(line, "| layers |") != NULL;
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
        check_row(cells, has_layers);
        rows[has_layers]++;
    }
    printf("%u rows, %u with layers\n", rows[0], rows[1]);
    CHECK(rows[0] >= 40);
    CHECK(rows[1] >= 40);
    free(text);
    return report_checks();
}
