/* Any bytes as text on its way to a terminal (invariant 17). */
#include <stdbool.h>

#include "compiler/messages/plain.h"
#include "fuzz/fuzz.h"

/* Whether it is UTF-8 without a control character but tabs and line ends; C1 is c2 80 to c2 9f. */
static bool is_harmless(const unsigned char *text, size_t size) {
    for (size_t i = 0; i < size; i++) {
        unsigned char c = text[i];
        if (c < ' ' && c != '\n' && c != '\t' &&
            !(c == '\r' && i + 1 < size && text[i + 1] == '\n'))
            return false;
        if (c == 0x7f || (c >= 0x80 && c < 0xc2) || c > 0xf4)
            return false;
        unsigned more = c >= 0xf0 ? 3 : c >= 0xe0 ? 2 : c >= 0xc2 ? 1 : 0;
        for (unsigned k = 1; k <= more; k++)
            if (i + k >= size || (text[i + k] & 0xc0) != 0x80)
                return false;
        if ((c == 0xc2 && text[i + 1] < 0xa0) ||
            (c == 0xe2 && text[i + 1] == 0x80 && text[i + 2] >= 0xa8 && text[i + 2] <= 0xae))
            return false;
        i += more;
    }
    return true;
}

static size_t make(const char *text, size_t size, size_t piece, char *to, size_t *replaced) {
    yt_plain plain = {.count = 0};
    size_t length = 0;
    for (size_t at = 0; at < size; at += piece)
        length +=
            plain_piece(&plain, text + at, size - at < piece ? size - at : piece, to + length);
    length += plain_end(&plain, to + length);
    *replaced = plain.replaced;
    return length;
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    size_t piece = size > 0 ? 1 + data[0] % 9 : 1, replaced, again;
    const char *text = (const char *)data;
    char *one = malloc(size + 8), *other = malloc(size + 8);
    size_t length = make(text, size, size ? size : 1, one, &replaced);
    INVARIANT(17, length <= size);
    INVARIANT(17, is_harmless((const unsigned char *)one, length));
    INVARIANT(17, make(text, size, piece, other, &again) == length && again == replaced);
    INVARIANT(17, memcmp(one, other, length) == 0);
    INVARIANT(17, replaced > 0 || (length == size && memcmp(one, text, size) == 0));
    INVARIANT(17, make(one, length, length ? length : 1, other, &again) == length && again == 0);
    free(one);
    free(other);
    return 0;
}
