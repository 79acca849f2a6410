/* A device that is not there: loaded in front of the C library (LD_PRELOAD), it makes a hidraw node
 * out of a recording, so that what the command does with a device that is plugged in can be tried
 * anywhere. PRETENDED is the recording (a HID recording text), PRETENDED_SPEED how fast it is told.
 * Opening a path with "hidraw" in it opens the device; behind the last report it has gone. */
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <linux/hidraw.h>
#include <pthread.h>
#include <stdarg.h>
#include <stdbool.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <sys/socket.h>
#include <time.h>
#include <unistd.h>

#define BYTES 4096

int open(const char *path, int flags, ...);
int open64(const char *path, int flags, ...);
int ioctl(int file, unsigned long request, ...);
ssize_t read(int file, void *bytes, size_t size);

static int node = -1; /* that was opened; reports come out of it */

static FILE *recording(void) {
    const char *path = getenv("PRETENDED");
    FILE *file = path ? fopen(path, "r") : NULL;
    if (!file)
        abort();
    return file;
}

/* Bytes in hexadecimal, up to the end of a line. */
static size_t bytes_of(const char *text, uint8_t bytes[BYTES]) {
    size_t count = 0;
    unsigned byte;
    int used;
    while (count < BYTES && sscanf(text, " %2x%n", &byte, &used) == 1) {
        bytes[count++] = (uint8_t)byte;
        text += used;
    }
    return count;
}

/* A line of the recording that begins so; what stands behind that. */
static bool find_line(const char *begin, char *rest, size_t size) {
    static char line[4 * BYTES];
    FILE *file = recording();
    bool found = false;
    while (!found && fgets(line, sizeof line, file)) {
        found = strncmp(line, begin, strlen(begin)) == 0;
        line[strcspn(line, "\r\n")] = 0;
    }
    fclose(file);
    if (found)
        snprintf(rest, size, "%s", line + strlen(begin));
    return found;
}

static double now_s(void) {
    struct timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    return (double)now.tv_sec + (double)now.tv_nsec / 1e9;
}

/* Tells all reports at their times, then goes. */
static void *tell(void *context) {
    static char line[4 * BYTES];
    const char *said = getenv("PRETENDED_SPEED");
    double speed = said ? atof(said) : 1, begun = now_s(), first = -1;
    int end = (int)(intptr_t)context;
    FILE *file = recording();
    while (fgets(line, sizeof line, file)) {
        uint8_t bytes[BYTES];
        double at;
        unsigned length;
        int used;
        if (sscanf(line, "E: %lf %u%n", &at, &length, &used) != 2)
            continue;
        first = first < 0 ? at : first;
        double wait = (at - first) / speed - (now_s() - begun);
        if (wait > 0)
            usleep((useconds_t)(wait * 1e6));
        size_t size = bytes_of(line + used, bytes);
        if (send(end, bytes, size, MSG_NOSIGNAL) < 0)
            break;
    }
    fclose(file);
    close(end);
    return NULL;
}

static int open_node(void) {
    int ends[2];
    pthread_t thread;
    if (socketpair(AF_UNIX, SOCK_SEQPACKET | SOCK_CLOEXEC, 0, ends) != 0)
        return -1;
    if (pthread_create(&thread, NULL, tell, (void *)(intptr_t)ends[1]) != 0)
        return -1;
    pthread_detach(thread);
    return node = ends[0];
}

static int open_other(const char *name, const char *path, int flags, mode_t mode) {
    int (*other)(const char *, int, ...) = (int (*)(const char *, int, ...))dlsym(RTLD_NEXT, name);
    return strstr(path, "hidraw") ? open_node() : other(path, flags, mode);
}

static mode_t mode_of(int flags, va_list arguments) {
    return flags & (O_CREAT | O_TMPFILE) ? (mode_t)va_arg(arguments, int) : 0;
}

int open(const char *path, int flags, ...) {
    va_list arguments;
    va_start(arguments, flags);
    mode_t mode = mode_of(flags, arguments);
    va_end(arguments);
    return open_other("open", path, flags, mode);
}

int open64(const char *path, int flags, ...) {
    va_list arguments;
    va_start(arguments, flags);
    mode_t mode = mode_of(flags, arguments);
    va_end(arguments);
    return open_other("open64", path, flags, mode);
}

static int answer(unsigned long request, void *to) {
    static char rest[4 * BYTES];
    if (request == HIDIOCGRDESCSIZE || request == HIDIOCGRDESC) {
        struct hidraw_report_descriptor *descriptor = to;
        uint8_t bytes[BYTES];
        int used = 0;
        if (!find_line("R: ", rest, sizeof rest) || sscanf(rest, "%*u%n", &used) < 0)
            return -1;
        size_t size = bytes_of(rest + used, bytes);
        if (request == HIDIOCGRDESCSIZE)
            *(int *)to = (int)size;
        else
            memcpy(descriptor->value, bytes, size);
        return 0;
    }
    if (request == HIDIOCGRAWINFO) {
        struct hidraw_devinfo *info = to;
        unsigned bus, vendor, product;
        if (!find_line("I: ", rest, sizeof rest) ||
            sscanf(rest, "%x %x %x", &bus, &vendor, &product) != 3)
            return -1;
        *info = (struct hidraw_devinfo){bus, (int16_t)vendor, (int16_t)product};
        return 0;
    }
    if (_IOC_TYPE(request) == 'H' && _IOC_NR(request) == 4 && find_line("N: ", rest, sizeof rest)) {
        size_t length = strnlen(rest, _IOC_SIZE(request) - 1);
        memcpy(to, rest, length);
        ((char *)to)[length] = 0;
        return (int)length;
    }
    errno = ENOTTY;
    return -1;
}

int ioctl(int file, unsigned long request, ...) {
    int (*other)(int, unsigned long, void *) =
        (int (*)(int, unsigned long, void *))dlsym(RTLD_NEXT, "ioctl");
    va_list arguments;
    va_start(arguments, request);
    void *to = va_arg(arguments, void *);
    va_end(arguments);
    return file == node && node >= 0 ? answer(request, to) : other(file, request, to);
}

ssize_t read(int file, void *bytes, size_t size) {
    ssize_t (*other)(int, void *, size_t) =
        (ssize_t(*)(int, void *, size_t))dlsym(RTLD_NEXT, "read");
    ssize_t length = other(file, bytes, size);
    if (file != node || length != 0)
        return length;
    errno = ENODEV; /* it has gone */
    return -1;
}
