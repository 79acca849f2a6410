/* docs/program-format.md against the code: its table of operations is the list that the core has,
 * and a program read by the page's offsets alone holds what the compiler was told. */
#include "program/operations.h"
#include "tests/engine/world.h"
#include "tests/harness.h"

typedef struct listed {
    unsigned number;
    const char *name;
    char result;
    const char *arguments;
} listed;

#define YT_OPERATION(number, name, result, arguments, state, meaning)                              \
    {(number), #name, (result), arguments},
static const listed operations[] = {
#include "yonder/operations.def"
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
                takes[length++] = *at;
        about("operation %u of the page", number);
        CHECK(rows < OPERATIONS);
        if (rows >= OPERATIONS)
            break;
        CHECK_EQUAL(number, operations[rows].number);
        CHECK_TEXT(name, operations[rows].name);
        CHECK_TEXT(takes, *rest == '|' ? "" : operations[rows].arguments);
        CHECK_EQUAL(bar ? bar[2] : rest[2], operations[rows].result);
        CHECK(yt_operation_of(number) != NULL);
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
    CHECK_EQUAL(number_at(image, 4, 2), 1);
    CHECK_EQUAL(number_at(image, 6, 2), 48);
    CHECK_EQUAL(number_at(image, 8, 4), w.compiled.size);
    unsigned inputs = number_at(image, 16, 2), controls = number_at(image, 18, 2);
    unsigned constants = number_at(image, 20, 2), nodes = number_at(image, 22, 2);
    unsigned arguments = number_at(image, 24, 2), users = number_at(image, 26, 2);
    unsigned outputs = number_at(image, 28, 2), roots = number_at(image, 30, 2);
    CHECK_EQUAL(inputs, 3);
    CHECK_EQUAL(controls, 2);
    CHECK_EQUAL(constants, 1);
    CHECK_EQUAL(nodes, 4);
    CHECK_EQUAL(arguments, 2);
    CHECK_EQUAL(users, 4);
    CHECK_EQUAL(outputs, 2);
    CHECK_EQUAL(roots, 2);
    CHECK_EQUAL(number_at(image, 32, 2) + number_at(image, 34, 2), 0);
    about("the tables");
    size_t at = 48;
    CHECK_EQUAL(number_at(image, at, 2), 1);
    CHECK_EQUAL(number_at(image, at + 2, 2), 6);       /* a keyboard */
    CHECK_EQUAL(number_at(image, at + 16 + 15, 1), 3); /* a mouse needs relative x */
    at = behind(at, inputs * 16);
    CHECK_EQUAL(number_at(image, at, 2), 7);
    CHECK_EQUAL(number_at(image, at + 2, 2), 4); /* a */
    CHECK_EQUAL(number_at(image, at + 12 + 2, 2), 5);
    CHECK_EQUAL(number_at(image, at + 12 + 4, 2), 1);
    at = behind(at, controls * 12);
    CHECK_EQUAL(number_at(image, at, 4), 32768);
    at = behind(at, constants * 4);
    static const uint8_t expected[4] = {YT_OP_CONTROL, YT_OP_CONTROL, YT_OP_AND, YT_OP_CONSTANT};
    for (unsigned i = 0; i < nodes; i++)
        CHECK_EQUAL(image[at + i * 12], expected[i]);
    CHECK_EQUAL(number_at(image, at + 2 * 12 + 2, 1), 2);
    at = behind(at, nodes * 12);
    CHECK_EQUAL(number_at(image, at, 2), 0);
    CHECK_EQUAL(number_at(image, at + 2, 2), 1);
    at = behind(at, arguments * 2);
    static const uint8_t users_expected[4] = {2, 2, 4, 5}; /* the and, twice; then both roots */
    for (unsigned i = 0; i < users; i++)
        CHECK_EQUAL(number_at(image, at + i * 2, 2), users_expected[i]);
    at = behind(at, users * 2);
    CHECK_EQUAL(image[at], 1);
    CHECK_EQUAL(image[at + 8], 2);
    at = behind(at, outputs * 8);
    CHECK_EQUAL(image[at + 1], 0);      /* south is control 0 */
    CHECK_EQUAL(image[at + 4 + 1], 28); /* the left trigger */
    CHECK_EQUAL(number_at(image, at + 4 + 2, 2), 3);
    at = behind(at, roots * 4);
    CHECK_EQUAL(memcmp(image + at, "keysballslatepadview", 20), 0);
    CHECK_EQUAL(behind(at, number_at(image, 36, 2)), w.compiled.size);
    world_end(&w);
}

int main(int count, char **arguments) {
    if (count != 2)
        return 2;
    check_page(arguments[1]);
    check_bytes();
    return report_checks();
}
