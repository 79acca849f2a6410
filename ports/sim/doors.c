#include "ports/sim/doors.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/un.h>
#include <termios.h>
#include <unistd.h>

static const struct {
    const char *name;
    yt_link_way way;
    bool is_terminal, is_packets;
} kinds[DOORS] = {{"tty", YT_LINK_STREAM, true, false},
                  {"stream", YT_LINK_STREAM, false, false},
                  {"report", YT_LINK_CABLE, false, true},
                  {"service", YT_LINK_RADIO, false, true}};

/* ---- opening ---- */

static bool fail(doors *doors, const char *path, const char *why) {
    snprintf(doors->error, sizeof doors->error, "%.*s: %s", DOORS_PATH, path, why);
    return false;
}

static bool make_folder(doors *doors, const char *folder) {
    char path[DOORS_PATH];
    snprintf(path, sizeof path, "%s", folder);
    for (char *at = path + 1;; at++) {
        bool is_end = *at == 0;
        if (!is_end && *at != '/')
            continue;
        *at = 0;
        if (mkdir(path, 0700) != 0 && errno != EEXIST)
            return fail(doors, path, strerror(errno));
        if (is_end)
            return true;
        *at = '/';
    }
}

static int connect_to(const struct sockaddr_un *address, int type) {
    int file = socket(AF_UNIX, type | SOCK_CLOEXEC, 0);
    if (file >= 0 && connect(file, (const struct sockaddr *)address, sizeof *address) == 0)
        return file;
    int why = errno;
    if (file >= 0)
        close(file);
    errno = why;
    return -1;
}

/* A socket that was left behind is taken away; one that somebody serves is not. */
static bool open_socket(doors *doors, door *door) {
    struct sockaddr_un address = {.sun_family = AF_UNIX};
    int type = door->is_packets ? SOCK_SEQPACKET : SOCK_STREAM;
    memcpy(address.sun_path, door->path, strlen(door->path) + 1);
    int other = connect_to(&address, type);
    if (other >= 0) {
        close(other);
        return fail(doors, door->path, "another adapter is served there");
    }
    if (errno == ECONNREFUSED)
        unlink(door->path);
    door->listening = socket(AF_UNIX, type | SOCK_NONBLOCK | SOCK_CLOEXEC, 0);
    if (door->listening < 0 ||
        bind(door->listening, (const struct sockaddr *)&address, sizeof address) != 0 ||
        chmod(door->path, 0600) != 0 || listen(door->listening, DOOR_VISITORS) != 0)
        return fail(doors, door->path, strerror(errno));
    return true;
}

static void make_raw(int file) {
    struct termios terminal;
    if (tcgetattr(file, &terminal) != 0)
        return;
    cfmakeraw(&terminal);
    tcsetattr(file, TCSANOW, &terminal);
}

static bool open_terminal(doors *doors, door *door) {
    struct stat there;
    char name[64];
    int file = posix_openpt(O_RDWR | O_NOCTTY | O_NONBLOCK | O_CLOEXEC);
    if (file < 0 || grantpt(file) != 0 || unlockpt(file) != 0 ||
        ptsname_r(file, name, sizeof name) != 0)
        return fail(doors, door->path, strerror(errno));
    door->visitors[0].file = file;
    door->other_end = open(name, O_RDWR | O_NOCTTY | O_CLOEXEC);
    if (door->other_end < 0)
        return fail(doors, name, strerror(errno));
    make_raw(door->other_end);
    if (lstat(door->path, &there) == 0 && S_ISLNK(there.st_mode))
        unlink(door->path);
    return symlink(name, door->path) == 0 || fail(doors, door->path, strerror(errno));
}

bool doors_open(doors *doors, const char *folder) {
    memset(doors, 0, sizeof *doors);
    for (unsigned i = 0; i < DOORS; i++) {
        door *door = &doors->door[i];
        door->listening = door->other_end = door->last = -1;
        for (unsigned k = 0; k < DOOR_VISITORS; k++)
            door->visitors[k].file = -1;
    }
    if (strlen(folder) >= DOORS_PATH - 10)
        return fail(doors, folder, "the name is too long for a socket");
    if (!make_folder(doors, folder))
        return false;
    /* The sockets first: they say whether somebody else is there. */
    for (unsigned i = DOORS; i-- > 0;) {
        door *door = &doors->door[i];
        snprintf(door->path, sizeof door->path, "%s/%s", folder, kinds[i].name);
        door->way = kinds[i].way;
        door->is_packets = kinds[i].is_packets;
        if (!(kinds[i].is_terminal ? open_terminal(doors, door) : open_socket(doors, door))) {
            door->path[0] = 0; /* not ours */
            doors_close(doors);
            return false;
        }
    }
    return true;
}

void doors_close(doors *doors) {
    for (unsigned i = 0; i < DOORS; i++) {
        door *door = &doors->door[i];
        for (unsigned k = 0; k < DOOR_VISITORS; k++)
            if (door->visitors[k].file >= 0)
                close(door->visitors[k].file);
        if (door->listening >= 0)
            close(door->listening);
        if (door->other_end >= 0)
            close(door->other_end);
        if (door->path[0])
            unlink(door->path);
        door->path[0] = 0;
    }
}

/* ---- serving ---- */

unsigned doors_wait_for(const doors *doors, struct pollfd *polled) {
    unsigned count = 0;
    for (unsigned i = 0; i < DOORS; i++) {
        const door *door = &doors->door[i];
        if (door->listening >= 0)
            polled[count++] = (struct pollfd){door->listening, POLLIN, 0};
        for (unsigned k = 0; k < DOOR_VISITORS; k++)
            if (door->visitors[k].file >= 0 && door->visitors[k].waiting_bytes < DOOR_WAITING)
                polled[count++] = (struct pollfd){door->visitors[k].file, POLLIN, 0};
    }
    return count;
}

static void let_in(door *door) {
    int file;
    while (door->listening >= 0 &&
           (file = accept4(door->listening, NULL, NULL, SOCK_NONBLOCK | SOCK_CLOEXEC)) >= 0) {
        unsigned k = 0;
        while (k < DOOR_VISITORS && door->visitors[k].file >= 0)
            k++;
        if (k == DOOR_VISITORS) {
            close(file);
            continue;
        }
        memset(&door->visitors[k], 0, sizeof door->visitors[k]);
        door->visitors[k].file = file;
    }
}

static void let_go(door *door, int visitor) {
    close(door->visitors[visitor].file);
    door->visitors[visitor].file = -1;
    if (door->last == visitor)
        door->last = -1;
}

/* A packet of a host: what came by it. False: there is none. */
static bool take_packet(door *door, int number, sim_link *linked) {
    uint8_t packet[256], report[1 + YT_REPORT_FRAME];
    int file = door->visitors[number].file;
    ssize_t size = recv(file, packet, sizeof packet, 0);
    if (size == 0 || (size < 0 && errno != EAGAIN && errno != EINTR)) {
        let_go(door, number);
        return false;
    }
    if (size < 0)
        return false;
    door->last = number;
    if (door->way == YT_LINK_RADIO) {
        yt_link_written(&linked->link, packet, (size_t)size);
    } else if (size == 1 && packet[0] == YT_LINK_REPORT_ID) {
        yt_link_get_report(&linked->link, door->way, report);
        (void)!send(file, report, sizeof report, MSG_NOSIGNAL);
    } else {
        yt_link_set_report(&linked->link, door->way, packet, (size_t)size);
    }
    return true;
}

/* Bytes of a stream. */
static bool take_bytes(door *door, int number, sim_link *linked) {
    door_visitor *visitor = &door->visitors[number];
    size_t room = DOOR_WAITING - visitor->waiting_bytes;
    ssize_t size = room ? read(visitor->file, visitor->waiting + visitor->waiting_bytes, room) : 0;
    bool is_gone = room > 0 && (size == 0 || (size < 0 && errno != EAGAIN && errno != EINTR));
    if (is_gone && door->listening >= 0) {
        let_go(door, number);
        return false;
    }
    if (size > 0)
        visitor->waiting_bytes += (size_t)size;
    if (visitor->waiting_bytes == 0)
        return false;
    size_t taken = yt_link_stream_take(&visitor->stream, &linked->link, visitor->waiting,
                                       visitor->waiting_bytes);
    visitor->waiting_bytes -= taken;
    memmove(visitor->waiting, visitor->waiting + taken, visitor->waiting_bytes);
    if (taken > 0)
        door->last = number;
    return taken > 0;
}

/* Answers of a way go to who spoke last by it. Bytes that nobody fetches are dropped. */
static void answer(doors *doors, sim_link *linked, yt_link_way way) {
    uint8_t bytes[512];
    size_t size;
    door *to = NULL;
    for (unsigned i = 0; i < DOORS; i++)
        if (doors->door[i].way == way && doors->door[i].last >= 0)
            to = &doors->door[i];
    if (way == YT_LINK_RADIO) {
        while ((size = yt_link_notification(&linked->link, bytes, sizeof bytes)) > 0)
            if (to)
                (void)!send(to->visitors[to->last].file, bytes, size, MSG_NOSIGNAL);
    } else if (to) {
        door_visitor *visitor = &to->visitors[to->last];
        while ((size = yt_link_stream_give(&visitor->stream, &linked->link, bytes, sizeof bytes)) >
               0)
            (void)!write(visitor->file, bytes, size);
    }
}

/* Of two doors of one way, the one at which somebody spoke last is the one that is answered. */
static void is_last(doors *doors, const door *spoke) {
    for (unsigned i = 0; i < DOORS; i++)
        if (&doors->door[i] != spoke && doors->door[i].way == spoke->way)
            doors->door[i].last = -1;
}

bool doors_serve(doors *doors, sim_link *linked) {
    bool any = false;
    for (unsigned i = 0; i < DOORS; i++) {
        door *door = &doors->door[i];
        let_in(door);
        for (int k = 0; k < DOOR_VISITORS; k++) {
            if (door->visitors[k].file < 0 || yt_link_is_waiting(&linked->link))
                continue;
            if (door->is_packets ? take_packet(door, k, linked) : take_bytes(door, k, linked)) {
                is_last(doors, door);
                any = true;
            }
        }
    }
    answer(doors, linked, YT_LINK_STREAM);
    answer(doors, linked, YT_LINK_RADIO);
    return any || yt_link_is_waiting(&linked->link);
}
