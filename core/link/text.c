#include "link/text.h"

/* How many bytes follow a first one, and what its bits say; the least that needs so many. */
static bool begin(uint8_t byte, unsigned *more, uint32_t *letter, uint32_t *least) {
    static const uint32_t leasts[] = {0, 0x80, 0x800, 0x10000};
    *more = byte < 0x80 ? 0 : byte < 0xe0 ? 1 : byte < 0xf0 ? 2 : 3;
    *letter = byte < 0x80 ? byte : byte & (0x3fu >> *more);
    *least = leasts[*more];
    return byte < 0x80 || (byte >= 0xc0 && byte < 0xf8);
}

bool yt_is_utf8(const uint8_t *bytes, size_t size) {
    for (size_t i = 0; i < size; i++) {
        unsigned more;
        uint32_t letter, least;
        if (!begin(bytes[i], &more, &letter, &least) || more > size - i - 1)
            return false;
        for (; more > 0; more--) {
            uint8_t byte = bytes[++i];
            if ((byte & 0xc0) != 0x80)
                return false;
            letter = letter << 6 | (byte & 0x3f);
        }
        if (letter < least || letter > 0x10ffff || (letter >= 0xd800 && letter < 0xe000))
            return false;
    }
    return true;
}
