#include "tests/linux/linked.h"

#include <errno.h>
#include <fcntl.h>
#include <linux/uhid.h>
#include <poll.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include "ports/linux/hidraw.h"
#include "ports/sim/nor.h"
#include "tool/way.h"
#include "yonder/link_ways.h"

#define SECTORS    16
#define TEXT_BYTES 1500

/* ---- the adapter: a process of its own, which answers the kernel ---- */

static nor_flash flash;
static yt_port port = {.version = YT_PORT_VERSION};
static yt_store_sector sectors[SECTORS];
static yt_store store;
static yt_engine engine;
static uint64_t memory[1024];
static yt_adapter adapter;
static yt_link conversation;
static unsigned pressed_for;

static uint32_t random_bits(void *context) {
    (void)context;
    return (uint32_t)random() << 1 | 1;
}

static void wants_press(void *context, unsigned number) {
    (void)context;
    pressed_for = number;
}

static const yt_adapter_parts adapter_parts = {.engine = &engine, .store = &store};
static const yt_link_parts link_parts = {
    .adapter = &adapter, .build = "in a kernel", .random = random_bits, .wants_press = wants_press};

static int begin_adapter(void) {
    const nor_facts facts = {.sectors = SECTORS,
                             .sector_bytes = 4096,
                             .unit_bytes = 8,
                             .erased_value = 0xff,
                             .programs = 1,
                             .is_mapped = true};
    const yt_plugged_in alone = {.position = -1};
    if (!nor_begin(&flash, &facts, 1))
        return 0;
    nor_port(&flash, &port);
    if (yt_store_open(&store, &port, 4, sectors, SECTORS) != YT_OK ||
        yt_engine_init(&engine, memory, sizeof memory, &port) != YT_OK)
        return 0;
    (void)!yt_adapter_start(&adapter, &adapter_parts, &alone, 1); /* no slot has a program */
    yt_link_init(&conversation, &link_parts);
    return 1;
}

static void reply(int uhid, const struct uhid_event *event) {
    struct uhid_event answer = {0};
    if (event->type == UHID_SET_REPORT) {
        yt_link_set_report(&conversation, YT_LINK_CABLE, event->u.set_report.data,
                           event->u.set_report.size);
        answer.type = UHID_SET_REPORT_REPLY;
        answer.u.set_report_reply.id = event->u.set_report.id;
    } else if (event->type == UHID_GET_REPORT) {
        answer.type = UHID_GET_REPORT_REPLY;
        answer.u.get_report_reply.id = event->u.get_report.id;
        answer.u.get_report_reply.size = 1 + YT_REPORT_FRAME;
        yt_link_get_report(&conversation, YT_LINK_CABLE, answer.u.get_report_reply.data);
    } else {
        return;
    }
    (void)!write(uhid, &answer, sizeof answer);
}

static _Noreturn void be_the_adapter(int uhid) {
    if (!begin_adapter())
        _exit(1);
    for (uint64_t now_us = 1000;; now_us += 1000) {
        struct pollfd ready = {uhid, POLLIN, 0};
        struct uhid_event event;
        if (poll(&ready, 1, 1) > 0 && read(uhid, &event, sizeof event) > 0)
            reply(uhid, &event);
        (void)!yt_link_work(&conversation, now_us, 8, true);
        if (pressed_for)
            yt_link_press(&conversation, now_us);
    }
}

/* ---- the host ---- */

static way node;
static uint32_t token, number = 1;

/* Says until the answer comes; the result, or -1. */
static int ask(yt_message message, yt_message *answer) {
    uint8_t bytes[YT_MESSAGE_BYTES];
    message.number = ++number;
    message.token = token;
    size_t size = yt_message_write(&message, bytes, sizeof bytes);
    for (unsigned tries = 0; tries < 20; tries++) {
        uint8_t got[YT_MESSAGE_BYTES];
        if (!way_say(&node, bytes, size))
            return -1;
        for (uint64_t until_ms = way_clock_ms() + 200; way_clock_ms() < until_ms;) {
            int length = way_hear(&node, got, 20);
            if (length > 0 && yt_message_read(answer, got, (size_t)length) &&
                answer->number == message.number)
                return (int)answer->result;
            poll(NULL, 0, 1);
        }
    }
    return -1;
}

static int write_text(const uint8_t *text) {
    yt_message answer;
    int result = ask((yt_message){.what = YT_REQUEST_STAGE,
                                  .slot = 2,
                                  .value = TEXT_BYTES,
                                  .checksum = yt_checksum(0, text, TEXT_BYTES)},
                     &answer);
    for (uint32_t at = 0; result == YT_RESULT_DONE && at < TEXT_BYTES; at = answer.offset) {
        yt_message write = {.what = YT_REQUEST_WRITE, .offset = at};
        write.chunk_bytes = (uint8_t)(TEXT_BYTES - at < 40 ? TEXT_BYTES - at : 40);
        memcpy(write.chunk, text + at, write.chunk_bytes);
        result = ask(write, &answer);
    }
    return result == YT_RESULT_DONE
               ? ask((yt_message){.what = YT_REQUEST_COMMIT, .slot = 2}, &answer)
               : result;
}

static int read_text(uint8_t *text) {
    yt_message answer;
    int result =
        ask((yt_message){.what = YT_REQUEST_SLOT, .slot = 2, .kind = YT_LINK_OF_TEXT}, &answer);
    yt_message read = {.what = YT_REQUEST_READ,
                       .slot = 2,
                       .kind = YT_LINK_OF_TEXT,
                       .size = 40,
                       .generation = answer.generation};
    while (result == YT_RESULT_DONE && read.offset < TEXT_BYTES) {
        result = ask(read, &answer);
        if (answer.chunk_bytes == 0 || answer.chunk_bytes > TEXT_BYTES - read.offset)
            return -1;
        memcpy(text + read.offset, answer.chunk, answer.chunk_bytes);
        read.offset += answer.chunk_bytes;
    }
    return result;
}

static void converse(FILE *out) {
    static uint8_t text[TEXT_BYTES], back[TEXT_BYTES];
    yt_message answer;
    const char *why = "";
    for (unsigned i = 0; i < TEXT_BYTES; i++)
        text[i] = (uint8_t)(i * 7 + i / 256);
    if (!way_is_adapter("/dev/hidraw0") || !way_open(&node, "/dev/hidraw0", &why)) {
        fprintf(out, "linked no adapter %s\n", why);
        return;
    }
    int result = ask((yt_message){.what = YT_REQUEST_HELLO, .checksum = 5}, &answer);
    token = answer.token;
    fprintf(out, "linked hello %d\n", result);
    result = ask((yt_message){.what = YT_REQUEST_FACT, .index = YT_LINK_BUILD}, &answer);
    fprintf(out, "linked build %d %.*s\n", result, answer.name_bytes, answer.name);
    fprintf(out, "linked locked %d\n", write_text(text));
    for (unsigned i = 0; i < 100; i++) {
        result = ask((yt_message){.what = YT_REQUEST_UNLOCK}, &answer);
        if (result != YT_RESULT_PRESS)
            break;
        poll(NULL, 0, 5);
    }
    fprintf(out, "linked unlocked %d\n", result);
    fprintf(out, "linked written %d\n", write_text(text));
    result = read_text(back);
    fprintf(out, "linked read %d %s\n", result,
            memcmp(text, back, sizeof text) == 0 ? "the same" : "something else");
    way_close(&node);
}

void talk_by_hidraw(FILE *out) {
    struct uhid_event event = {.type = UHID_CREATE2};
    struct uhid_create2_req *request = &event.u.create2;
    size_t size;
    const uint8_t *descriptor = yt_link_descriptor(&size);
    int uhid = open("/dev/uhid", O_RDWR | O_CLOEXEC);
    snprintf((char *)request->name, sizeof request->name, "Adapter");
    memcpy(request->rd_data, descriptor, size);
    request->rd_size = (uint16_t)size;
    request->bus = BUS_USB;
    request->vendor = 0x1209;
    request->product = 0x0010;
    if (uhid < 0 || write(uhid, &event, sizeof event) < 0)
        fprintf(out, "linked refused: %s\n", strerror(errno));
    fflush(out);
    pid_t child = fork();
    if (child == 0)
        be_the_adapter(uhid);
    for (unsigned i = 0; i < 100 && access("/dev/hidraw0", F_OK) != 0; i++)
        poll(NULL, 0, 50);
    converse(out);
    kill(child, SIGKILL);
    waitpid(child, NULL, 0);
    close(uhid);
    fprintf(out, "linked end\n");
}
