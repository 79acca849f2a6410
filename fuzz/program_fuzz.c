/* Any bytes as a program, with its length and checksum made right, and behind it choices: what
 * passes the check takes whatever calls the choices make of the public interface (invariants 6 and
 * 16). The image stands in a block of its exact size. */
#include "compiler/reading/kept_text.h"
#include "fuzz/fuzz.h"
#include "tests/engine/drive.h"
#include "yonder/image/program.h"

size_t LLVMFuzzerMutate(uint8_t *data, size_t size, size_t room);
size_t LLVMFuzzerCustomMutator(uint8_t *data, size_t size, size_t room, unsigned seed);

/* How many of the bytes are the image, as its header says; all of them where it says nothing good.
 */
static size_t image_size(const uint8_t *data, size_t size) {
    uint32_t total = 0;
    if (size >= sizeof(yt_program_header))
        memcpy(&total, data + offsetof(yt_program_header, total_bytes), sizeof total);
    return total >= sizeof(yt_program_header) && total <= size ? total : size;
}

/* The text behind a program: what is found lies within the bytes. */
static void read_text(const uint8_t *data, size_t size) {
    yt_kept_file files[KEPT_FILES];
    int count = kept_text_read(data, size, files);
    for (int i = 0; i < count; i++) {
        const uint8_t *name = (const uint8_t *)files[i].name;
        const uint8_t *text = (const uint8_t *)files[i].text;
        INVARIANT(15, name >= data && name + files[i].name_bytes == text &&
                          files[i].bytes <= (size_t)(data + size - text));
    }
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    yt_program program;
    size_t length = image_size(data, size);
    uint8_t *image = malloc(length ? length : 1);
    memcpy(image, data, length);
    drive_mend(image, length);
    if (yt_program_check(&program, image, length) == YT_OK)
        drive_program(image, length, data + length, size - length);
    free(image);
    read_text(data, size);
    return 0;
}

static uint32_t next(uint32_t *dice) {
    *dice = *dice * 1664525u + 1013904223u;
    return *dice >> 8;
}

/* A byte or a word of the image becomes one of the values that are told apart most often. */
static void change_field(uint8_t *image, size_t size, uint32_t *dice) {
    static const uint16_t values[] = {0,    1,    2,    4,      7,      8,      0x7f,
                                      0x80, 0xfe, 0xff, 0x7fff, 0x8000, 0xfffe, 0xffff};
    size_t first = offsetof(yt_program_header, input_count);
    size_t at = first + next(dice) % (size - first);
    unsigned value = values[next(dice) % (sizeof values / sizeof values[0])];
    if (next(dice) % 4 == 0)
        value = image[at] + next(dice) % 5 - 2;
    image[at] = (uint8_t)value;
    if (at % 2 == 0 && at + 1 < size && next(dice) % 2)
        image[at + 1] = (uint8_t)(value >> 8);
}

/* Half of the time the choices are others, half of the time some fields; length and checksum of the
 * image stay right. */
size_t LLVMFuzzerCustomMutator(uint8_t *data, size_t size, size_t room, unsigned seed) {
    uint32_t dice = seed;
    size_t length = image_size(data, size);
    if (length < sizeof(yt_program_header) + 2)
        return LLVMFuzzerMutate(data, size, room);
    if (next(&dice) % 2)
        return length + LLVMFuzzerMutate(data + length, size - length, room - length);
    for (unsigned changes = 1 + next(&dice) % 3; changes > 0; changes--)
        change_field(data, length, &dice);
    drive_mend(data, length);
    return size;
}
