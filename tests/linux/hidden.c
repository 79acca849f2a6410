/* Put in front of a Bluetooth host's service: it does not see the controller that the adapter has,
 * as if that were in another machine. The list of controllers, and what comes to it later, are told
 * by messages of the kernel's management interface. */
#include <dlfcn.h>
#include <stdint.h>
#include <string.h>
#include <unistd.h>

enum { COMPLETE = 1, INDEX_ADDED = 4, INDEX_REMOVED = 5, READ_INDEX_LIST = 3, HIDDEN = 0 };

static unsigned number_at(const uint8_t *bytes) {
    return bytes[0] | (unsigned)bytes[1] << 8;
}

#undef read
ssize_t read(int file, void *buffer, size_t room) {
    static ssize_t (*next)(int, void *, size_t);
    uint8_t *bytes = buffer;
    if (!next)
        *(void **)&next = dlsym(RTLD_NEXT, "read");
    ssize_t size = next(file, buffer, room);
    if (size == 6 && number_at(bytes + 2) == HIDDEN && number_at(bytes + 4) == 0 &&
        (number_at(bytes) == INDEX_ADDED || number_at(bytes) == INDEX_REMOVED))
        bytes[2] = 0x7f; /* none that anybody knows */
    if (size < 11 || number_at(bytes) != COMPLETE || number_at(bytes + 2) != 0xffff ||
        number_at(bytes + 6) != READ_INDEX_LIST)
        return size;
    unsigned count = number_at(bytes + 9), kept = 0;
    for (unsigned i = 0; i < count && 11 + 2 * i + 2 <= (size_t)size; i++)
        if (number_at(bytes + 11 + 2 * i) != HIDDEN) {
            memmove(bytes + 11 + 2 * kept, bytes + 11 + 2 * i, 2);
            kept++;
        }
    bytes[9] = (uint8_t)kept;
    size -= (ssize_t)(2 * (count - kept));
    bytes[4] = (uint8_t)(size - 6);
    return size;
}
