#include "tool/way.h"

#include <errno.h>
#include <fcntl.h>
#include <poll.h>
#include <string.h>
#include <stdio.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/un.h>
#include <termios.h>
#include <time.h>
#include <unistd.h>

#include "ports/linux/hidraw.h"
#include "yonder/link_ways.h"

#define LOOK_MS     1    /* between two looks for an answer that is fetched */
#define PATIENCE_MS 2000 /* for a socket that takes nothing, or does not give what it has */

uint64_t way_clock_ms(void) {
    struct timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    return (uint64_t)now.tv_sec * 1000u + (uint64_t)now.tv_nsec / 1000000u;
}

/* ---- opening ---- */

static bool has_link(const recorded_device *device) {
    yt_hid_reader reader;
    yt_hid_field field;
    yt_hid_open(&reader, device->descriptor, device->descriptor_size);
    while (yt_hid_next(&reader, &field) == YT_OK)
        if (field.direction == YT_HID_FEATURE && field.usage_page == YT_LINK_PAGE &&
            field.report_id == YT_LINK_REPORT_ID)
            return true;
    return false;
}

bool way_is_adapter(const char *path) {
    static recorded_device device;
    int file = hidraw_open(path, &device);
    if (file < 0)
        return false;
    close(file);
    return has_link(&device);
}

static bool open_hidraw(way *way, const char *path, const char **why) {
    static recorded_device device;
    way->kind = WAY_HIDRAW;
    way->file = hidraw_open(path, &device);
    if (way->file < 0) {
        *why = strerror(-way->file);
        way->file = -1;
        return false;
    }
    if (has_link(&device))
        return true;
    way_close(way);
    *why = "it is no adapter: it has no link";
    return false;
}

static bool open_terminal(way *way, const char *path, const char **why) {
    struct termios raw;
    way->kind = WAY_STREAM;
    way->file = open(path, O_RDWR | O_NOCTTY | O_NONBLOCK | O_CLOEXEC);
    if (way->file < 0 || tcgetattr(way->file, &raw) != 0) {
        *why = strerror(errno);
        way_close(way);
        return false;
    }
    cfmakeraw(&raw);
    raw.c_cflag |= CLOCAL;
    tcsetattr(way->file, TCSANOW, &raw);
    tcflush(way->file, TCIOFLUSH);
    return true;
}

static int connect_to(const char *path, int type) {
    struct sockaddr_un address = {.sun_family = AF_UNIX};
    if (strlen(path) >= sizeof address.sun_path) {
        errno = ENAMETOOLONG;
        return -1;
    }
    memcpy(address.sun_path, path, strlen(path) + 1);
    int file = socket(AF_UNIX, type | SOCK_CLOEXEC | SOCK_NONBLOCK, 0);
    for (unsigned tries = 0; file >= 0; tries++) {
        if (connect(file, (const struct sockaddr *)&address, sizeof address) == 0)
            return file;
        if (errno != EAGAIN || tries * LOOK_MS >= PATIENCE_MS)
            break;
        poll(NULL, 0, LOOK_MS); /* others wait before us */
    }
    int why = errno == EAGAIN ? ETIMEDOUT : errno;
    if (file >= 0)
        close(file);
    errno = why;
    return -1;
}

/* Which frames a socket of packets wants, its name says. */
static bool open_socket(way *way, const char *path, const char **why) {
    const char *name = strrchr(path, '/');
    way->kind = WAY_STREAM;
    way->file = connect_to(path, SOCK_STREAM);
    if (way->file < 0 && errno == EPROTOTYPE) {
        way->kind = name && strcmp(name, "/service") == 0 ? WAY_SERVICE : WAY_REPORT;
        way->file = connect_to(path, SOCK_SEQPACKET);
    }
    if (way->file >= 0)
        return true;
    *why = errno == ECONNREFUSED ? "no adapter is served there any more" : strerror(errno);
    return false;
}

bool way_open(way *way, const char *path, const char **why) {
    struct stat there;
    memset(way, 0, sizeof *way);
    way->file = -1;
    if (stat(path, &there) != 0) {
        *why = strerror(errno);
        return false;
    }
    bool is_folder = S_ISDIR(there.st_mode);
    if ((size_t)snprintf(way->path, sizeof way->path, is_folder ? "%s/stream" : "%s", path) >=
        sizeof way->path) {
        *why = strerror(ENAMETOOLONG);
        return false;
    }
    if (is_folder || S_ISSOCK(there.st_mode))
        return open_socket(way, way->path, why);
    if (hidraw_is_node(path))
        return open_hidraw(way, path, why);
    if (S_ISCHR(there.st_mode))
        return open_terminal(way, path, why);
    *why = "it is no adapter: a serial port, a hidraw node, or a socket of yonder sim";
    return false;
}

void way_close(way *way) {
    if (way->file >= 0)
        close(way->file);
    way->file = -1;
}

/* ---- saying ---- */

static bool write_all(int file, const uint8_t *bytes, size_t size) {
    while (size > 0) {
        ssize_t count = send(file, bytes, size, MSG_NOSIGNAL); /* one that is gone is no signal */
        if (count < 0 && errno == ENOTSOCK)
            count = write(file, bytes, size);
        struct pollfd room = {file, POLLOUT, 0};
        if (count < 0 && errno == EAGAIN && poll(&room, 1, PATIENCE_MS) > 0)
            continue;
        if (count < 0 && errno == EINTR)
            continue;
        if (count <= 0)
            return false;
        bytes += count;
        size -= (size_t)count;
    }
    return true;
}

static bool send_packet(int file, const void *packet, size_t size) {
    struct pollfd room = {file, POLLOUT, 0};
    return poll(&room, 1, PATIENCE_MS) > 0 &&
           send(file, packet, size, MSG_NOSIGNAL) == (ssize_t)size;
}

bool way_say(way *way, const uint8_t *bytes, size_t size) {
    uint8_t frame[YT_FRAME_BYTES], report[1 + YT_REPORT_FRAME] = {YT_LINK_REPORT_ID};
    switch (way->kind) {
    case WAY_STREAM:
        return write_all(way->file, frame, yt_frame_pack(bytes, size, frame));
    case WAY_SERVICE:
        return send_packet(way->file, bytes, size);
    case WAY_REPORT:
        return yt_report_pack(bytes, size, report + 1) &&
               send_packet(way->file, report, sizeof report);
    default:
        return yt_report_pack(bytes, size, report + 1) &&
               hidraw_write(way->file, YT_HID_FEATURE, true, report, sizeof report) == 0;
    }
}

/* ---- hearing ---- */

/* Bytes of a stream, until a message is whole. */
static int hear_stream(way *way, uint8_t *bytes, int wait_ms) {
    for (;;) {
        while (way->came_at < way->came_bytes) {
            size_t size = yt_frame_take(&way->coming, way->came[way->came_at++]);
            if (size > 0) {
                memcpy(bytes, way->coming.bytes, size);
                return (int)size;
            }
        }
        struct pollfd come = {way->file, POLLIN, 0};
        int ready = poll(&come, 1, wait_ms);
        if (ready <= 0)
            return 0;
        ssize_t size = read(way->file, way->came, sizeof way->came);
        if (size < 0 && (errno == EAGAIN || errno == EINTR))
            continue;
        if (size <= 0)
            return -1;
        way->came_at = 0;
        way->came_bytes = (unsigned)size;
    }
}

static int hear_service(way *way, uint8_t *bytes, int wait_ms) {
    struct pollfd come = {way->file, POLLIN, 0};
    if (poll(&come, 1, wait_ms) <= 0)
        return 0;
    ssize_t size = recv(way->file, bytes, YT_MESSAGE_BYTES, 0);
    return size > 0 ? (int)size : -1;
}

/* The report as it is now. */
static bool get_report(way *way, uint8_t report[1 + YT_REPORT_FRAME]) {
    memset(report, 0, 1 + YT_REPORT_FRAME);
    report[0] = YT_LINK_REPORT_ID;
    if (way->kind == WAY_HIDRAW)
        return hidraw_get_feature(way->file, report, 1 + YT_REPORT_FRAME) > 0;
    struct pollfd come = {way->file, POLLIN, 0};
    return send_packet(way->file, report, 1) && poll(&come, 1, PATIENCE_MS) > 0 &&
           recv(way->file, report, 1 + YT_REPORT_FRAME, 0) == 1 + YT_REPORT_FRAME;
}

/* It is fetched again and again; it may be an old one. */
static int hear_report(way *way, uint8_t *bytes, uint64_t until_ms) {
    for (;;) {
        uint8_t report[1 + YT_REPORT_FRAME];
        if (!get_report(way, report))
            return -1;
        size_t size = yt_report_unpack(report + 1, YT_REPORT_FRAME);
        if (size > 0) {
            memcpy(bytes, report + 2, size);
            return (int)size;
        }
        if (way_clock_ms() >= until_ms)
            return 0;
        poll(NULL, 0, LOOK_MS);
    }
}

int way_hear(way *way, uint8_t *bytes, unsigned wait_ms) {
    switch (way->kind) {
    case WAY_STREAM:
        return hear_stream(way, bytes, (int)wait_ms);
    case WAY_SERVICE:
        return hear_service(way, bytes, (int)wait_ms);
    default:
        return hear_report(way, bytes, way_clock_ms() + wait_ms);
    }
}
