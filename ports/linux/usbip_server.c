#include "ports/linux/usbip_server.h"

#include <errno.h>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <string.h>
#include <sys/socket.h>
#include <unistd.h>

int usbip_server_begin(usbip_server *server, unsigned port, yt_engine *engine,
                       const yt_usb_identity *identity, unsigned connector) {
    struct sockaddr_in address = {.sin_family = AF_INET,
                                  .sin_port = htons((uint16_t)port),
                                  .sin_addr = {htonl(INADDR_LOOPBACK)}};
    const int yes = 1;
    memset(server, 0, sizeof *server);
    server->visitor = -1;
    usbip_begin(&server->device, engine, identity, connector);
    server->listening = socket(AF_INET, SOCK_STREAM | SOCK_NONBLOCK | SOCK_CLOEXEC, 0);
    if (server->listening < 0)
        return errno;
    setsockopt(server->listening, SOL_SOCKET, SO_REUSEADDR, &yes, sizeof yes);
    if (bind(server->listening, (const struct sockaddr *)&address, sizeof address) == 0 &&
        listen(server->listening, 4) == 0)
        return 0;
    int error = errno;
    usbip_server_end(server);
    return error;
}

static void let_go(usbip_server *server) {
    if (server->visitor >= 0)
        close(server->visitor);
    server->visitor = -1;
    usbip_end(&server->device);
}

void usbip_server_end(usbip_server *server) {
    let_go(server);
    if (server->listening >= 0)
        close(server->listening);
    server->listening = -1;
}

unsigned usbip_server_wait_for(const usbip_server *server, struct pollfd *polled) {
    unsigned count = 0;
    if (server->listening >= 0 && server->visitor < 0)
        polled[count++] = (struct pollfd){server->listening, POLLIN, 0};
    if (server->visitor >= 0) {
        short events = (short)((server->taken == server->came ? POLLIN : 0) |
                               (server->gone < server->going_bytes ? POLLOUT : 0));
        polled[count++] = (struct pollfd){server->visitor, events, 0};
    }
    return count;
}

static void let_in(usbip_server *server) {
    const int yes = 1;
    int file = accept4(server->listening, NULL, NULL, SOCK_NONBLOCK | SOCK_CLOEXEC);
    if (file < 0)
        return;
    setsockopt(file, IPPROTO_TCP, TCP_NODELAY, &yes, sizeof yes);
    server->visitor = file;
    server->came = server->taken = server->going_bytes = server->gone = 0;
    server->layout = yt_engine_layout(server->device.engine);
    usbip_begin(&server->device, server->device.engine, server->device.identity,
                server->device.connector);
}

/* Reads where all that came before is taken. False: the visitor has gone. */
static bool read_more(usbip_server *server) {
    if (server->taken < server->came)
        return true;
    ssize_t size = recv(server->visitor, server->coming, sizeof server->coming, 0);
    server->came = size > 0 ? (size_t)size : 0;
    server->taken = 0;
    return size > 0 || (size < 0 && (errno == EAGAIN || errno == EINTR));
}

static bool write_more(usbip_server *server) {
    for (;;) {
        if (server->gone == server->going_bytes) {
            server->gone = 0;
            server->going_bytes = usbip_give(&server->device, server->going, sizeof server->going);
        }
        if (server->going_bytes == 0)
            return true;
        ssize_t size = send(server->visitor, server->going + server->gone,
                            server->going_bytes - server->gone, MSG_NOSIGNAL);
        if (size < 0)
            return errno == EAGAIN || errno == EINTR;
        server->gone += (size_t)size;
    }
}

uint64_t usbip_server_serve(usbip_server *server, uint64_t now_us) {
    usbip *device = &server->device;
    if (server->visitor >= 0 && server->layout != yt_engine_layout(device->engine))
        let_go(server);
    if (server->visitor < 0 && server->listening >= 0)
        let_in(server);
    if (server->visitor < 0)
        return YT_NEVER;
    bool is_there = read_more(server);
    server->taken +=
        usbip_take(device, server->coming + server->taken, server->came - server->taken, now_us);
    uint64_t next_us = usbip_work(device, now_us);
    is_there = write_more(server) && is_there;
    if (!is_there || (device->is_wrong && server->gone == server->going_bytes)) {
        let_go(server);
        return now_us;
    }
    return server->taken < server->came ? now_us : next_us;
}
