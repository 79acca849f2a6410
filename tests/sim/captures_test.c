/* What is decoded from each capture is what a Linux kernel made of it (NAME.evdev.txt), event by
 * event, and what was pressed and moved (NAME.sent.txt). */
#include "compiler/names/names.h"
#include "ports/sim/host.h"
#include "ports/sim/recording.h"
#include "tests/harness.h"

#define EVENTS 8192

/* A change of one report, as page, usage and value; the group tells which report. */
typedef struct event {
    unsigned group;
    uint16_t page;
    uint16_t usage;
    int64_t value;
} event;

typedef struct event_list {
    event list[EVENTS];
    unsigned count;
    unsigned group;
} event_list;

static event_list decoded, listed;
static recording record;

static void add(event_list *events, uint16_t page, uint16_t usage, int64_t value) {
    if (events->count < EVENTS)
        events->list[events->count++] = (event){events->group, page, usage, value};
}

static int compare_events(const void *a, const void *b) {
    const event *one = a, *other = b;
    if (one->group != other->group)
        return one->group < other->group ? -1 : 1;
    if (one->page != other->page)
        return one->page < other->page ? -1 : 1;
    return (one->usage > other->usage) - (one->usage < other->usage);
}

static void add_change(void *context, const host_control *control) {
    (void)context;
    add(&decoded, control->page, control->usage, control->value);
}

static void decode(const char *path) {
    static sim_host host;
    size_t offset;
    CHECK(recording_read(&record, path));
    CHECK_EQUAL(record.device_count, 1);
    CHECK_EQUAL(sim_host_enumerate(&host, record.devices[0].descriptor,
                                   record.devices[0].descriptor_size, &offset),
                YT_OK);
    decoded.count = decoded.group = 0;
    for (size_t i = 0; i < record.report_count; i++) {
        unsigned before = decoded.count;
        CHECK(sim_host_report(&host, record.bytes + record.reports[i].offset,
                              record.reports[i].size, add_change, NULL));
        decoded.group += decoded.count > before;
    }
}

/* The kernel names the usage of a switch in MSC_SCAN, and axes by their own names. */
static void read_listing(const char *path) {
    static const struct {
        const char *code;
        uint16_t usage;
    } axes[] = {
        {"REL_X", 0x30}, {"REL_Y", 0x31}, {"REL_WHEEL", 0x38}, {"ABS_X", 0x30}, {"ABS_Y", 0x31}};
    size_t size;
    char *text = read_test_file(path, &size), *save = NULL, type[16], code[32];
    uint32_t scan = 0;
    listed.count = listed.group = 0;
    for (char *line = strtok_r(text, "\n", &save); line; line = strtok_r(NULL, "\n", &save)) {
        int value;
        if (sscanf(line, "ev 0 %15s %31s %d", type, code, &value) != 3)
            continue;
        if (strcmp(code, "MSC_SCAN") == 0) {
            scan = (uint32_t)value;
        } else if (strcmp(type, "EV_KEY") == 0) {
            add(&listed, (uint16_t)(scan >> 16), (uint16_t)scan, value);
        } else if (strcmp(type, "EV_SYN") == 0) {
            listed.group += listed.count > 0 && listed.list[listed.count - 1].group == listed.group;
        } else {
            for (size_t i = 0; i < sizeof axes / sizeof axes[0]; i++)
                if (strcmp(code, axes[i].code) == 0)
                    add(&listed, 1, axes[i].usage, value);
        }
    }
    free(text);
}

static unsigned group_length(const event_list *events, unsigned at) {
    unsigned length = 0;
    while (at + length < events->count && events->list[at + length].group == events->list[at].group)
        length++;
    return length;
}

/* The kernel flushes a long report early, with a mark that the listing leaves out, and then runs on
 * into the next: a listed group of more than eight lines may hold two reports. Returns how often
 * that was so. */
static unsigned compare_groups(void) {
    unsigned at = 0, from = 0, joined = 0;
    while (from < listed.count) {
        unsigned wanted = group_length(&listed, from), have = group_length(&decoded, at);
        if (have < wanted && wanted > 4) {
            for (unsigned i = at + have; i < decoded.count && i < at + wanted; i++)
                decoded.list[i].group = decoded.list[at].group;
            have = wanted;
            joined++;
        }
        CHECK_EQUAL(have, wanted);
        for (unsigned i = at; i < at + have; i++)
            decoded.list[i].group = listed.list[from].group;
        qsort(decoded.list + at, have, sizeof decoded.list[0], compare_events);
        qsort(listed.list + from, wanted, sizeof listed.list[0], compare_events);
        at += have;
        from += wanted;
    }
    return joined;
}

static void compare(bool is_keyboard) {
    CHECK_EQUAL(decoded.count, listed.count);
    if (decoded.count != listed.count)
        return;
    CHECK_EQUAL(compare_groups(), is_keyboard);
    for (unsigned i = 0; i < decoded.count; i++) {
        CHECK_EQUAL(decoded.list[i].page, listed.list[i].page);
        CHECK_EQUAL(decoded.list[i].usage, listed.list[i].usage);
        CHECK_EQUAL(decoded.list[i].value, listed.list[i].value);
    }
}

/* "rel x 1; rel y -23", "btn left down": the sums of motion and the presses of each button. */
static void check_sent_mouse(const char *path) {
    static const char *const buttons[] = {"left", "right", "middle", "side", "extra"};
    size_t size;
    char *text = read_test_file(path, &size);
    int64_t x = 0, y = 0, wheel = 0, sums[3] = {0};
    unsigned presses[6] = {0}, seen[6] = {0};
    for (char *at = text; (at = strstr(at, "rel ")) != NULL; at++)
        *(at[4] == 'x' ? &x : &y) += atoi(at + 6);
    for (char *at = text; (at = strstr(at, "btn ")) != NULL; at++) {
        char name[16], way[8];
        if (sscanf(at, "btn %15s %7s", name, way) != 2 || strncmp(way, "down", 4) != 0)
            continue;
        wheel += strcmp(name, "wheel-up") == 0;
        wheel -= strcmp(name, "wheel-down") == 0;
        for (int i = 0; i < 5; i++)
            presses[i + 1] += strcmp(name, buttons[i]) == 0;
    }
    for (unsigned i = 0; i < decoded.count; i++) {
        const event *event = &decoded.list[i];
        if (event->page == 1)
            sums[event->usage == 0x30 ? 0 : event->usage == 0x31 ? 1 : 2] += event->value;
        else
            seen[event->usage] += event->value == 1;
    }
    about("the mouse's sums and presses, as sent");
    CHECK_EQUAL(sums[0], x);
    CHECK_EQUAL(sums[1], y);
    CHECK_EQUAL(sums[2], wheel);
    for (int i = 1; i <= 5; i++)
        CHECK_EQUAL(seen[i], presses[i]);
    free(text);
}

/* Each position that was sent shows, in order; one that is sent again does not. */
static void check_sent_tablet(const char *path) {
    size_t size;
    char *text = read_test_file(path, &size);
    unsigned at = 0, found = 0;
    int64_t last = 0;
    about("the tablet's positions, as sent");
    for (char *sent = text; (sent = strstr(sent, "abs x ")) != NULL; sent++) {
        int64_t x = atoi(sent + 6);
        if (x == last)
            continue;
        while (at < decoded.count &&
               !(decoded.list[at].page == 1 && decoded.list[at].usage == 0x30))
            at++;
        CHECK_EQUAL(decoded.list[at++].value, x);
        last = x;
        found++;
    }
    CHECK(found > 150);
    free(text);
}

/* The keyboard's first taps, one after the other, by the names that both sides have. */
static void check_sent_keys(const char *path) {
    size_t size;
    char *text = read_test_file(path, &size), *save = NULL;
    unsigned at = 0, checked = 0;
    about("the keyboard's taps, as sent");
    for (char *line = strtok_r(text, "\n", &save); line && checked < 96;
         line = strtok_r(NULL, "\n", &save)) {
        char name[32], way[8];
        if (sscanf(line, "%*d %*f key %31s %7s", name, way) != 2)
            continue;
        const event *event = &decoded.list[at++];
        CHECK_EQUAL(event->value, strcmp(way, "down") == 0);
        if (name[1] == 0) {
            char ours[USAGE_NAME_BYTES];
            usage_name(event->page, event->usage, ours);
            CHECK_EQUAL(ours[strlen(ours) - 1], name[0]);
        }
        checked++;
    }
    CHECK_EQUAL(checked, 96);
    free(text);
}

int main(int count, char **arguments) {
    static const char *const names[] = {"keyboard", "mouse", "tablet"};
    if (count != 2)
        return 2;
    for (int i = 0; i < 3; i++) {
        char path[512];
        about("%s, against what the kernel made of it", names[i]);
        snprintf(path, sizeof path, "%s/%s.pcap", arguments[1], names[i]);
        decode(path);
        CHECK_EQUAL(record.devices[0].vendor, 0x1209);
        CHECK_EQUAL(record.devices[0].product, i + 1);
        CHECK_EQUAL(record.devices[0].boot_reports, i == 0);
        snprintf(path, sizeof path, "%s/%s.evdev.txt", arguments[1], names[i]);
        read_listing(path);
        CHECK(listed.count > 200);
        compare(i == 0);
        snprintf(path, sizeof path, "%s/%s.sent.txt", arguments[1], names[i]);
        if (i == 0)
            check_sent_keys(path);
        else if (i == 1)
            check_sent_mouse(path);
        else
            check_sent_tablet(path);
        recording_free(&record);
    }
    return report_checks();
}
