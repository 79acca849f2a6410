/* docs/program-format.md against the code: its tables of instructions and functions are the lists
 * that the core has, and a program read by the page's offsets alone holds what the compiler was
 * told.
 *
 *     format_test PAGE           compares
 *     format_test PAGE write     writes the table of functions into the page first */
#include "image/code.h"
#include "image/functions.h"
#include "image/layout.h"
#include "tests/engine/world.h"
#include "tests/harness.h"

/* A row of the page's tables of instructions and of functions: number, name, what it takes, what it
 * gives. */
typedef struct listed {
    unsigned number;
    const char *name;
    const char *takes;
    char gives;
} listed;

#define YT_CODE(number, NAME, operands, takes, gives, meaning) {(number), #NAME, takes, (gives)},
static const listed codes[] = {
#include "yonder/image/code.def"
};
#undef YT_CODE

#define YT_FUNCTION(group, index, NAME, ...) {YT_DO_##NAME, #NAME, NULL, 0},
#define YT_UNCALLED(group, index, NAME, ...) {YT_DO_##NAME, #NAME, NULL, 0},
static const listed functions[] = {
#include "yonder/image/functions.def"
};

/* What the arguments of each function are in a program, in words. */
#define YT_TAKES_SWITCH(label, meaning)                       ", " label
#define YT_TAKES_NUMBER(label, meaning)                       ", " label
#define YT_TAKES_STICK(label, meaning)                        ", x and y of " label
#define YT_TAKES_MOTION(label, meaning)                       ", " label " in x and in y"
#define YT_TAKES_WHEEL(label, meaning)                        ""
#define YT_TAKES_TURN(label, meaning)                         ", " label
#define YT_TAKES_AXES(label, meaning)                         ", x, y and z of " label
#define YT_TAKES_TIME(label, otherwise, least, most, meaning) ", " label " in microseconds"
#define YT_TAKES_FREQUENCY(label, otherwise, least, most, meaning)                                 \
    ", a period in microseconds, " label
#define YT_TAKES_SPEED(label, otherwise, least, most, meaning) ", how far one count in 4 ms is"
#define YT_TAKES_SLOPE(label, otherwise, least, most, meaning) ", ways a second for " label
#define YT_TAKES_ANGLE(label, otherwise, least, most, meaning) ", " label " in degrees"
#define YT_TAKES_COUNT(label, otherwise, least, most, meaning) ", " label
#define YT_TAKES_SHARE(label, otherwise, least, most, meaning) ", " label
#define YT_TAKES_SWITCH_OR_NONE(label, meaning)                ", " label
#define YT_TAKES_MORE_SWITCHES(first, second, others)          ", presses"
#define YT_TAKES_LAYER_PRESSES                                 ", events of what ends it"
#define YT_ALIVE_0                                             ""
#define YT_ALIVE_1                                             ", alive"
#define YT_FUNCTION(group, index, NAME, name, alive, words, each, timers, most, make, called,      \
                    usage, gives, meaning, example, ability, arguments)                            \
    YT_ALIVE_##alive arguments,
#define YT_UNCALLED(group, index, NAME, name, alive, words, each, timers, most, gives, ability,    \
                    meaning, takes)                                                                \
    YT_ALIVE_##alive ", " meaning,
static const char *const arguments_of[] = {
#include "yonder/image/functions.def"
};

/* The stages of SHAPE. */
static const struct {
    const char *name;
    unsigned takes;
    const char *meaning;
} stages[] = {
#define YT_STAGE(number, NAME, name, takes, meaning) [number] = {#NAME, takes, meaning},
#include "yonder/image/stages.def"
#undef YT_STAGE
};

#define COUNT(list) (sizeof(list) / sizeof(list)[0])

/* The letters of what a function takes, apart, as the page has them. */
static void write_letters(FILE *file, const char *takes) {
    for (; *takes; takes++)
        fprintf(file, "%c ", *takes == '|' ? '+' : *takes);
}

static void write_functions(FILE *file) {
    for (size_t i = 0; i < COUNT(functions); i++) {
        const yt_function *function = yt_function_of(YT_ANY_GROUP, functions[i].number);
        fprintf(file, "| %u | %s | ", functions[i].number, functions[i].name);
        write_letters(file, function->takes);
        fprintf(file, "| %c | %s: %u word%s", function->gives, arguments_of[i] + 2,
                function->state_words, function->state_words == 1 ? "" : "s");
        if (function->words_each)
            fprintf(file, ", %u more for each of the last", function->words_each);
        fprintf(file, "%s%s |\n", function->timers ? ", a timer" : "",
                function->results > 1 ? ", two results" : "");
    }
}

static void write_stages(FILE *file) {
    for (size_t i = 0; i < COUNT(stages); i++)
        fprintf(file, "| %zu | %s | %u | %s |\n", i, stages[i].name, stages[i].takes,
                stages[i].meaning);
}

/* The rows under a heading become those of a list. */
static void write_table(const char *path, const char *heading, void write(FILE *file)) {
    size_t size;
    char *text = read_test_file(path, &size);
    const char *rows = strstr(strstr(text, heading), "|---|"), *end;
    rows = strchr(rows, '\n') + 1;
    for (end = rows; *end == '|'; end = strchr(end, '\n') + 1)
        continue;
    FILE *file = fopen(path, "w");
    if (!file)
        exit(1);
    fwrite(text, 1, (size_t)(rows - text), file);
    write(file);
    fputs(end, file);
    if (fclose(file) != 0)
        exit(1);
    free(text);
}

/* The rows of the table under a heading are those of a list, in its order. */
static void check_table(const char *page, const char *heading, const listed *list, size_t count) {
    const char *at = strstr(page, heading);
    size_t row = 0;
    CHECK(at != NULL);
    for (at = at ? strchr(at, '\n') : NULL; at && at[1] != '#'; at = strchr(at + 1, '\n')) {
        unsigned number;
        char name[40], takes[40], gives[8];
        if (sscanf(at + 1, "| %u | %39[A-Z_] | %39[^|] | %7[^|]", &number, name, takes, gives) != 4)
            continue;
        about("row %zu of %s", row, heading);
        CHECK(row < count);
        if (row >= count)
            return;
        const yt_function *function = yt_function_of(YT_ANY_GROUP, list[row].number);
        const char *wanted = list[row].takes ? list[row].takes : function->takes;
        char joined[16] = "";
        size_t length = 0;
        for (const char *letter = takes; *letter && length + 1 < sizeof joined; letter++)
            if (*letter != ' ' && *letter != '.')
                joined[length++] = *letter == '+' ? '|' : *letter;
        CHECK_EQUAL(number, list[row].number);
        CHECK_TEXT(name, list[row].name);
        CHECK_TEXT(joined, wanted);
        CHECK_EQUAL(gives[0], list[row].takes ? list[row].gives == ' ' ? '.' : list[row].gives
                                              : function->gives);
        row++;
    }
    CHECK_EQUAL(row, count);
}

static void check_page(const char *path) {
    size_t size;
    char *text = read_test_file(path, &size);
    check_table(text, "## Instructions", codes, COUNT(codes));
    check_table(text, "## Functions", functions, COUNT(functions));
    for (size_t i = 0; i < COUNT(stages); i++) {
        char row[600];
        snprintf(row, sizeof row, "\n| %zu | %s | %u | %s |\n", i, stages[i].name, stages[i].takes,
                 stages[i].meaning);
        about("stage %s", stages[i].name);
        CHECK(strstr(text, row) != NULL);
    }
    free(text);
}

/* An entry that does not lie within the image is 64 bytes of 0, however its index came about; in
 * builds for tests asking for one stops the program, so here only those that are there are asked
 * for. */
static void check_entry(const yt_program *program, const void *table, size_t bytes,
                        const char *name) {
    const uint8_t *begin = (const uint8_t *)program->header;
    size_t left = program->header->total_bytes - (size_t)((const uint8_t *)table - begin);
    about("%s, entries of %zu bytes", name, bytes);
    for (size_t i = 0; i < left / bytes; i++)
        CHECK(yt_program_entry(program, table, i, bytes) == (const uint8_t *)table + i * bytes);
#ifndef YT_TRAP_MISSING_ENTRIES
    static const uint8_t nothing[64];
    size_t missing[] = {left / bytes,  left / bytes + 1, UINT16_MAX,
                        SIZE_MAX / 64, (size_t)-1,       (size_t)0 - 65535};
    for (size_t i = 0; i < COUNT(missing); i++) {
        const void *entry = yt_program_entry(program, table, missing[i], bytes);
        bool is_within = (const uint8_t *)entry >= begin &&
                         (const uint8_t *)entry + bytes <= begin + program->header->total_bytes;
        CHECK(is_within || memcmp(entry, nothing, sizeof nothing) == 0);
    }
    CHECK(memcmp(yt_program_entry(program, table, left / bytes, bytes), nothing, 64) == 0);
#endif
}

static void check_entries(void) {
    static world w;
    world_begin(&w, "pad.south: keys.a and keys.b\npad.left_stick.x: hold(keys.c, 300 ms)", 0);
    const yt_program *program = yt_engine_program(&w.engine);
#define CHECK_TABLE(name, type, table, count)                                                      \
    check_entry(program, program->table, sizeof(type), #table);
    YT_TABLES(CHECK_TABLE)
#undef CHECK_TABLE
}

static uint32_t number_at(const uint8_t *bytes, size_t at, unsigned size) {
    uint32_t number = 0;
    for (unsigned i = 0; i < size; i++)
        number |= (uint32_t)bytes[at + i] << (8 * i);
    return number;
}

static size_t behind(size_t at, size_t bytes) {
    return (at + bytes + 3) / 4 * 4;
}

/* pad.south: keys.a and keys.b; pad.left_trigger: 50 %; by the offsets of the page. */
static void check_bytes(void) {
    static world w;
    world_begin(&w, "pad.south: keys.a and keys.b\npad.left_trigger: 50%", 0);
    const uint8_t *image = w.compiled.image;
    about("the header");
    CHECK_EQUAL(memcmp(image, "YTP1", 4), 0);
    CHECK_EQUAL(number_at(image, 4, 2), 9);
    CHECK_EQUAL(number_at(image, 6, 2), 72);
    CHECK_EQUAL(number_at(image, 8, 4), w.compiled.size);
    CHECK_EQUAL(number_at(image, 16, 2), 0); /* no functions */
    CHECK_EQUAL(number_at(image, 68, 2), 0); /* which is plain */
    static const struct {
        const char *what;
        size_t at, bytes;
        unsigned count;
    } tables[] = {{"inputs", 18, 32, 3},     {"controls", 20, 18, 2}, {"targets", 22, 18, 0},
                  {"places", 24, 8, 0},      {"ranges", 26, 16, 1},   {"constants", 28, 4, 1},
                  {"parameters", 30, 20, 0}, {"steps", 32, 12, 2},    {"instructions", 34, 4, 5},
                  {"types", 36, 1, 5},       {"users", 36, 8, 5},     {"marks", 38, 8, 2},
                  {"wires", 62, 8, 0},       {"timers", 42, 2, 0},    {"interfaces", 44, 12, 2},
                  {"reports", 46, 12, 4},    {"outputs", 48, 4, 2},   {"roots", 50, 16, 2},
                  {"pins", 52, 12, 0},       {"relays", 54, 8, 0},    {"filled", 64, 12, 0},
                  {"fills", 66, 28, 0},      {"text", 56, 1, 20},     {"blob", 60, 1, 0}};
    enum {
        CONTROLS = 1,
        RANGES = 4,
        CONSTANTS,
        STEPS = 7,
        CODE,
        TYPES,
        USERS,
        MARKS,
        INTERFACES = 14,
        REPORTS,
        OUTPUTS,
        ROOTS,
        TEXT = 22,
        BLOB
    };
    size_t begins[COUNT(tables)], at = 72;
    for (size_t i = 0; i < COUNT(tables); i++) {
        unsigned count = number_at(image, tables[i].at, 2);
        about("the table of %s", tables[i].what);
        if (i != BLOB)
            CHECK_EQUAL(count, tables[i].count);
        begins[i] = at;
        at = behind(at, (i == USERS ? count - 1 : count) * tables[i].bytes); /* no constants */
    }
    CHECK_EQUAL(at, w.compiled.size);
    about("what stands in the tables");
    CHECK_EQUAL(number_at(image, begins[0], 2), 1);
    CHECK_EQUAL(number_at(image, begins[0] + 2, 2), 6);       /* a keyboard */
    CHECK_EQUAL(number_at(image, begins[0] + 32 + 27, 1), 3); /* a mouse needs relative x */
    CHECK_EQUAL(number_at(image, begins[CONTROLS], 2), 7);
    CHECK_EQUAL(number_at(image, begins[CONTROLS] + 2, 2), 4); /* a */
    CHECK_EQUAL(number_at(image, begins[CONTROLS] + 18 + 2, 2), 5);
    CHECK_EQUAL(number_at(image, begins[CONTROLS] + 10, 2), 65535);
    CHECK_EQUAL(number_at(image, begins[RANGES] + 8, 4), 32767); /* a trigger's maximum */
    CHECK_EQUAL(number_at(image, begins[CONSTANTS], 4), 32768);
    /* Values: 0 the constant, 1 and 2 the keys, 3 what south was told, 4 what the trigger was. */
    static const uint8_t code[5][2] = {
        {YT_CODE_LOAD, 1}, {YT_CODE_AND, 2}, {YT_CODE_END, 0}, {YT_CODE_LOAD, 0}, {YT_CODE_END, 0}};
    for (unsigned i = 0; i < 5; i++) {
        CHECK_EQUAL(image[begins[CODE] + 4 * i], code[i][0]);
        CHECK_EQUAL(number_at(image, begins[CODE] + 4 * i + 2, 2), code[i][1]);
    }
    static const uint8_t types[5] = {1, 0, 0, 0, 1};
    for (unsigned i = 0; i < 5; i++)
        CHECK_EQUAL(image[begins[TYPES] + i], types[i]);
    CHECK_EQUAL(number_at(image, begins[STEPS] + 12, 2), 3); /* the second step's code */
    CHECK_EQUAL(number_at(image, begins[STEPS] + 2, 2), 3);
    CHECK_EQUAL(image[begins[STEPS] + 9], 1);      /* it tells a switch */
    CHECK_EQUAL(image[begins[STEPS] + 12 + 9], 4); /* this one a level */
    for (unsigned i = 0; i < 2; i++) {             /* both keys mark the first step */
        CHECK_EQUAL(number_at(image, begins[USERS] + 8 * i, 2), i);
        CHECK_EQUAL(image[begins[USERS] + 8 * i + 4], 1);
        CHECK_EQUAL(number_at(image, begins[MARKS] + 8 * i, 4), 1);
    }
    size_t descriptor = begins[BLOB] + number_at(image, begins[INTERFACES], 2);
    CHECK_EQUAL(memcmp(image + descriptor, "\x05\x01\x09\x05", 4), 0); /* a gamepad */
    CHECK_EQUAL(image[begins[INTERFACES] + 12 + 8], 2);                /* a boot mouse */
    CHECK_EQUAL(number_at(image, begins[REPORTS] + 2, 2), 15);
    CHECK_EQUAL(image[begins[REPORTS] + 6], 2);                  /* roots */
    CHECK_EQUAL(image[begins[REPORTS] + 7], 1);                  /* one of them a switch */
    CHECK_EQUAL(image[begins[OUTPUTS] + 4 + 3], 1);              /* view is interface 1 */
    CHECK_EQUAL(number_at(image, begins[ROOTS], 2), 0);          /* south is the first bit */
    CHECK_EQUAL(image[begins[ROOTS] + 16 + 10], 7);              /* a level */
    CHECK_EQUAL(number_at(image, begins[ROOTS] + 16 + 4, 2), 1); /* told by the second step */
    CHECK_EQUAL(memcmp(image + begins[TEXT], "keysballslatepadview", 20), 0);
    world_end(&w);
}

int main(int count, char **arguments) {
    bool writes = count == 3 && strcmp(arguments[2], "write") == 0;
    if (count != 2 && !writes)
        return 2;
    if (writes) {
        write_table(arguments[1], "## Functions", write_functions);
        write_table(arguments[1], "## Stages of SHAPE", write_stages);
    }
    check_page(arguments[1]);
    check_bytes();
    check_entries();
    return report_checks();
}
