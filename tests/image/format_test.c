/* docs/program-format.md against the code: its table of operations is the list that the core has,
 * and a program read by the page's offsets alone holds what the compiler was told. */
#include "image/operations.h"
#include "tests/engine/world.h"
#include "tests/harness.h"

typedef struct listed {
    unsigned number;
    const char *name;
} listed;

#define YT_OPERATION(number, NAME, result, arguments, state, meaning) {(number), #NAME},
#define YT_FUNCTION(group, index, NAME, ...)                          {YT_OP_##NAME, #NAME},
#define YT_UNCALLED(group, index, NAME, ...)                          {YT_OP_##NAME, #NAME},
static const listed operations[] = {
#include "yonder/image/operations.def"
#include "yonder/image/functions.def"
};
#undef YT_OPERATION

#define OPERATIONS (sizeof operations / sizeof operations[0])

static void check_page(const char *path) {
    size_t size;
    char *text = read_test_file(path, &size), *save = NULL;
    unsigned rows = 0;
    for (char *line = strtok_r(text, "\n", &save); line; line = strtok_r(NULL, "\n", &save)) {
        unsigned number;
        char name[40], rest[200];
        if (sscanf(line, "| %u | %39[A-Z_] | %199[^\n]", &number, name, rest) != 3)
            continue;
        char takes[16] = "", *bar = strchr(rest, '|');
        size_t length = 0;
        for (char *at = rest; bar && at < bar && length + 1 < sizeof takes; at++)
            if (*at != ' ')
                takes[length++] = *at == '+' ? '|' : *at;
        about("operation %u of the page", number);
        CHECK(rows < OPERATIONS);
        if (rows >= OPERATIONS)
            break;
        const yt_operation *known = yt_operation_of(operations[rows].number);
        CHECK(known != NULL);
        CHECK_EQUAL(number, operations[rows].number);
        CHECK_TEXT(name, operations[rows].name);
        CHECK_TEXT(takes, *rest == '|' ? "" : known->arguments);
        CHECK_EQUAL(bar ? bar[2] : rest[2], known->result);
        rows++;
    }
    CHECK_EQUAL(rows, OPERATIONS);
    free(text);
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
    CHECK_EQUAL(number_at(image, 4, 2), 5);
    CHECK_EQUAL(number_at(image, 6, 2), 60);
    CHECK_EQUAL(number_at(image, 8, 4), w.compiled.size);
    static const struct {
        const char *what;
        size_t at, bytes;
        unsigned count;
    } tables[] = {{"inputs", 16, 32, 3},     {"controls", 18, 20, 2}, {"targets", 50, 20, 0},
                  {"places", 20, 8, 0},      {"ranges", 22, 16, 1},   {"constants", 24, 4, 1},
                  {"nodes", 26, 12, 4},      {"arguments", 28, 2, 2}, {"users", 30, 2, 4},
                  {"interfaces", 32, 12, 2}, {"reports", 34, 12, 4},  {"outputs", 36, 4, 2},
                  {"roots", 38, 12, 2},      {"pins", 52, 12, 0},     {"relays", 54, 8, 0},
                  {"parameters", 56, 24, 0}, {"text", 44, 1, 20},     {"blob", 48, 1, 0}};
    size_t begins[sizeof tables / sizeof tables[0]], at = 60;
    for (size_t i = 0; i < sizeof tables / sizeof tables[0]; i++) {
        unsigned count = number_at(image, tables[i].at, 2);
        about("the table of %s", tables[i].what);
        if (tables[i].at != 48)
            CHECK_EQUAL(count, tables[i].count);
        begins[i] = at;
        at = behind(at, count * tables[i].bytes);
    }
    CHECK_EQUAL(at, w.compiled.size);
    about("what stands in the tables");
    CHECK_EQUAL(number_at(image, begins[0], 2), 1);
    CHECK_EQUAL(number_at(image, begins[0] + 2, 2), 6);       /* a keyboard */
    CHECK_EQUAL(number_at(image, begins[0] + 32 + 27, 1), 3); /* a mouse needs relative x */
    CHECK_EQUAL(number_at(image, begins[1], 2), 7);
    CHECK_EQUAL(number_at(image, begins[1] + 2, 2), 4); /* a */
    CHECK_EQUAL(number_at(image, begins[1] + 20 + 2, 2), 5);
    CHECK_EQUAL(number_at(image, begins[1] + 20 + 10, 2), 1);
    CHECK_EQUAL(number_at(image, begins[1] + 12, 2), 65535);
    CHECK_EQUAL(number_at(image, begins[4] + 8, 4), 32767); /* a trigger's maximum */
    CHECK_EQUAL(number_at(image, begins[5], 4), 32768);
    static const uint8_t expected[4] = {YT_OP_CONTROL, YT_OP_CONTROL, YT_OP_AND, YT_OP_CONSTANT};
    for (unsigned i = 0; i < 4; i++)
        CHECK_EQUAL(image[begins[6] + i * 12], expected[i]);
    CHECK_EQUAL(number_at(image, begins[6] + 2 * 12 + 2, 1), 2);
    CHECK_EQUAL(number_at(image, begins[7], 2), 0);
    CHECK_EQUAL(number_at(image, begins[7] + 2, 2), 1);
    static const uint8_t users_expected[4] = {2, 2, 4, 5}; /* the and, twice; then both roots */
    for (unsigned i = 0; i < 4; i++)
        CHECK_EQUAL(number_at(image, begins[8] + i * 2, 2), users_expected[i]);
    size_t descriptor = begins[17] + number_at(image, begins[9], 2);
    CHECK_EQUAL(memcmp(image + descriptor, "\x05\x01\x09\x05", 4), 0); /* a gamepad */
    CHECK_EQUAL(image[begins[9] + 12 + 8], 2);                         /* a boot mouse */
    CHECK_EQUAL(number_at(image, begins[10] + 2, 2), 15);
    CHECK_EQUAL(image[begins[10] + 6], 2);               /* roots */
    CHECK_EQUAL(image[begins[10] + 7], 1);               /* one of them a switch */
    CHECK_EQUAL(image[begins[11] + 4 + 3], 1);           /* view is interface 1 */
    CHECK_EQUAL(number_at(image, begins[12] + 2, 2), 0); /* south is the first bit */
    CHECK_EQUAL(image[begins[12] + 12 + 7], 7);          /* a level */
    CHECK_EQUAL(number_at(image, begins[12] + 12, 2), 3);
    CHECK_EQUAL(memcmp(image + begins[16], "keysballslatepadview", 20), 0);
    world_end(&w);
}

int main(int count, char **arguments) {
    if (count != 2)
        return 2;
    check_page(arguments[1]);
    check_bytes();
    return report_checks();
}
