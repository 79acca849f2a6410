#include "tests/image/changed.h"

#include "tests/harness.h"

uint64_t changed_copy[YT_PROGRAM_BYTES / 8];

void changed_sum(uint8_t *image, size_t size) {
    uint32_t total, checksum;
    memcpy(&total, image + 8, 4);
    if (total > size || total < sizeof(yt_program_header))
        return;
    checksum = yt_checksum(0, image + 16, total - 16);
    memcpy(image + 12, &checksum, 4);
}

size_t changed_offset(const yt_program *program, const void *place) {
    return (size_t)((const uint8_t *)place - (const uint8_t *)program->header);
}

void changed_word(const uint8_t *image, size_t size, size_t offset, uint16_t value,
                  yt_status status, const char *what) {
    yt_program program;
    about("%s", what);
    memcpy(changed_copy, image, size);
    memcpy((uint8_t *)changed_copy + offset, &value, 2);
    changed_sum((uint8_t *)changed_copy, size);
    CHECK_EQUAL(yt_program_check(&program, changed_copy, size), status);
}

void changed_compile(yt_compiled *compiled, const char *name, const char *text) {
    yt_messages messages;
    messages_begin(&messages, name, text, strlen(text));
    if (!compile_profile(compiled, &messages)) {
        messages_print(&messages, stderr);
        exit(1);
    }
    messages_free(&messages);
}

void changed_fields(const yt_compiled *compiled, const void *record, const change *changes,
                    size_t count, yt_status status, const char *what) {
    yt_program program;
    about("%s", what);
    memcpy(changed_copy, compiled->image, compiled->size);
    for (size_t i = 0; i < count; i++)
        memcpy((uint8_t *)changed_copy + changed_offset(&compiled->program, record) +
                   changes[i].offset,
               &changes[i].value, changes[i].bytes);
    changed_sum((uint8_t *)changed_copy, compiled->size);
    CHECK_EQUAL(yt_program_check(&program, changed_copy, compiled->size), status);
}
