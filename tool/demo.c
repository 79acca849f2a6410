/* The demo: a quayside crane that takes a gamepad and nothing else, worked from a keyboard and a
 * trackball through a simulated adapter. Each step says in plain words what it did. */
#include <argp.h>
#include <stdarg.h>
#include <errno.h>
#include <inttypes.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "compiler/messages/status_text.h"
#include "ports/sim/nor.h"
#include "tool/demos.h"
#include "tool/picture.h"
#include "tool/tool.h"
#include "yonder/store.h"

#define FLASH_SECTORS 16
#define SECTOR_BYTES  4096
#define UNIT_BYTES    8
#define SLOTS         4
#define SLOT          1
#define POLL_US       8000

typedef bool other_demo(const char *data, const char *out);

typedef struct demo {
    other_demo *other; /* NULL: the crane */
    const char *data;  /* the folder of profiles and recordings */
    const char *out;   /* the folder of what is written */
    profile profile;
    recording recordings[2];
    sim_plug plugs[2];
    nor_flash flash;
    yt_port port;
    yt_store store;
    yt_store_sector sectors[FLASH_SECTORS];
    yt_pin pin;
    simulation simulation;
    change_list changes;
    inside inside;
    unsigned step;
} demo;

__attribute__((format(printf, 2, 3))) static void say(demo *demo, const char *format, ...) {
    va_list arguments;
    printf("\n%u. ", ++demo->step);
    va_start(arguments, format);
    vprintf(format, arguments);
    va_end(arguments);
    putchar('\n');
}

static bool fail(const char *what, yt_status status) {
    fprintf(stderr, "%s: %s\n", what, status_text(status));
    return false;
}

static void path_in(const char *folder, const char *name, char *path, size_t size) {
    snprintf(path, size, "%s/%s", folder, name);
}

/* Real devices first: what the captures of a running machine hold. */
static bool show_captures(demo *demo) {
    static const char *const names[] = {"keyboard", "mouse", "tablet"};
    say(demo, "Three captures of a real machine's USB devices are read, and their report\n   "
              "descriptors decoded:");
    for (int i = 0; i < 3; i++) {
        char path[512];
        recording recording;
        snprintf(path, sizeof path, "%s/captures/%s.pcap", demo->data, names[i]);
        if (!recording_read(&recording, path)) {
            fprintf(stderr, "%s\n", recording.error);
            return false;
        }
        printf("\n");
        print_device(stdout, &recording.devices[0], recording.report_count);
        recording_free(&recording);
    }
    return true;
}

static bool read_crane(demo *demo) {
    static const char *const files[] = {"recordings/otter-keyboard.hid",
                                        "recordings/dory-trackball.hid"};
    static const char *const inputs[] = {"keys", "ball"};
    char path[512];
    path_in(demo->data, "crane.yaml", path, sizeof path);
    if (!profile_open(&demo->profile, path))
        return false;
    const yt_compiled *compiled = &demo->profile.compiled;
    say(demo,
        "The crane's cabin takes a gamepad, and a mouse for its camera. What drives them\n   "
        "stands in %s. It is compiled: %u steps, %zu bytes.",
        path, compiled->step_count, compiled->size);
    for (unsigned i = 0; i < 2; i++) {
        path_in(demo->data, files[i], path, sizeof path);
        if (!recording_read(&demo->recordings[i], path)) {
            fprintf(stderr, "%s\n", demo->recordings[i].error);
            return false;
        }
        for (unsigned k = 0; k < compiled->input_count; k++)
            if (strcmp(compiled->inputs[k].name, inputs[i]) == 0)
                demo->plugs[i] = (sim_plug){k, &demo->recordings[i]};
    }
    return true;
}

static bool power_on(demo *demo) {
    char path[512];
    path_in(demo->out, "adapter-flash.bin", path, sizeof path);
    const nor_facts facts = {.sectors = FLASH_SECTORS,
                             .sector_bytes = SECTOR_BYTES,
                             .unit_bytes = UNIT_BYTES,
                             .erased_value = 0xff,
                             .programs = 1,
                             .torn = NOR_ALL_KINDS,
                             .is_mapped = true};
    if (!nor_open(&demo->flash, &facts, 1, path)) {
        fprintf(stderr, "%s: %s\n", path, strerror(errno));
        return false;
    }
    nor_port(&demo->flash, &demo->port);
    yt_status status =
        yt_store_open(&demo->store, &demo->port, SLOTS, demo->sectors, FLASH_SECTORS);
    return status == YT_OK || fail("the store", status);
}

static yt_status write_slot(demo *demo) {
    const yt_compiled *compiled = &demo->profile.compiled;
    const char *text = demo->profile.source;
    return yt_store_write(&demo->store, SLOT, "quayside crane", compiled->image, compiled->size,
                          text, strlen(text));
}

static bool store_program(demo *demo) {
    yt_status status = write_slot(demo);
    if (status != YT_OK)
        return fail("slot 1", status);
    say(demo,
        "The program is written into slot %d of the simulated adapter, with the profile's own\n   "
        "text: %zu and %zu bytes, in a NOR flash of %d sectors (%s/adapter-flash.bin).",
        SLOT, demo->profile.compiled.size, strlen(demo->profile.source), FLASH_SECTORS, demo->out);
    return true;
}

/* A second write is torn by a power cut; the slot still holds what it held. */
static bool cut_power(demo *demo) {
    const yt_compiled *compiled = &demo->profile.compiled;
    const void *bytes;
    size_t size;
    demo->flash.until_cut = 60;
    yt_status status = write_slot(demo);
    nor_end(&demo->flash);
    say(demo,
        "The same slot is written again, and the power is cut after 60 units of it.\n   The store "
        "says: %s.",
        status_text(status));
    if (!power_on(demo))
        return false;
    status = yt_store_find(&demo->store, SLOT, &demo->pin, &bytes, &size);
    if (status != YT_OK)
        return fail("slot 1", status);
    bool same = size == compiled->size && memcmp(bytes, compiled->image, size) == 0;
    printf("   Power is back. Slot %d holds %s.\n", SLOT,
           same ? "the whole program as it was before" : "something else: this is a bug");
    return same;
}

static void keep_change(void *context, const sim_change *change) {
    demo *demo = context;
    change_list_add(&demo->changes, change);
    if (demo->inside.profile)
        inside_seen(&demo->inside, change);
}

static void note_inside(void *context) {
    demo *demo = context;
    if (demo->inside.profile)
        inside_settled(&demo->inside);
}

static bool run_from_slot(demo *demo) {
    const void *bytes;
    size_t size;
    sim_observer observer = {.context = demo, .change = keep_change, .settled = note_inside};
    yt_status status = yt_store_find(&demo->store, SLOT, &demo->pin, &bytes, &size);
    if (status != YT_OK)
        return fail("slot 1", status);
    if (!simulation_begin(&demo->simulation, bytes, size, demo->plugs, 2,
                          (sim_timing){.poll_us = POLL_US}, observer)) {
        fprintf(stderr, "%s\n", demo->simulation.error);
        return false;
    }
    inside_begin(&demo->inside, &demo->profile, &demo->simulation);
    simulation_run(&demo->simulation);
    change_list_sort(&demo->changes);
    yt_counts counts = yt_engine_counts(&demo->simulation.engine);
    say(demo,
        "The program runs from the slot, in place. A made-up keyboard and trackball (%s,\n   %s) "
        "work the crane for four seconds; the hosts poll every %d ms.",
        demo->recordings[0].devices[0].name, demo->recordings[1].devices[0].name, POLL_US / 1000);
    bool whole = counts.pairs_dropped == 0 && counts.motion_dropped == 0;
    printf("   %" PRIu64 " reports came in, %" PRIu64 " went out. %s: %" PRIu32 " taps and %" PRIu64
           " counts of motion dropped.\n   The engine holds %zu bytes of memory for it.\n",
           demo->simulation.reports_in, demo->simulation.reports_out,
           whole ? "Nothing was lost" : "Something was lost", counts.pairs_dropped,
           counts.motion_dropped, yt_engine_used(&demo->simulation.engine));
    return true;
}

/* The two taps of Q are 3 ms long, the host asks every 8 ms. */
static bool show_short_taps(const demo *demo) {
    unsigned shown = 0;
    printf("   Two taps of Q were 3 ms long, shorter than a poll. What the crane saw of them:\n");
    for (size_t i = 0; i < demo->changes.count; i++) {
        char name[160], value[64];
        const sim_change *change = &demo->changes.list[i];
        yt_raw_meaning meaning;
        change_name(&demo->profile, demo->plugs, change, name, sizeof name, &meaning);
        if (strcmp(name, "keys.q") != 0 && strcmp(name, "pad.west") != 0)
            continue;
        raw_text(&meaning, change->control.value, value, sizeof value);
        printf("     %8.3f ms  %-3s  %-9s %s\n", (double)change->time_us / 1000,
               change->is_output ? "out" : "in", name, value);
        shown += change->is_output;
    }
    return shown == 4;
}

static bool write_results(demo *demo) {
    char path[512];
    whole_file file;
    path_in(demo->out, "crane.png", path, sizeof path);
    const picture picture = {path, "Quayside crane, host polls every 8 ms", 0, 0, &demo->inside};
    if (!draw_picture(&picture, &demo->profile, demo->plugs, &demo->changes))
        return false;
    say(demo, "All of it on one time axis: %s", path);
    path_in(demo->out, "crane-changes.txt", path, sizeof path);
    if (!whole_file_open(&file, path, CONTENT_TEXT))
        return false;
    print_changes(file.file, &demo->profile, demo->plugs, &demo->changes);
    if (!whole_file_close(&file))
        return false;
    printf("   The same as a table: %s\n", path);
    return true;
}

/* A folder, and those that it is in. */
static bool make_folders(const char *path) {
    char part[400];
    for (size_t i = 1; path[i - 1] && i < sizeof part; i++) {
        if (path[i] != '/' && path[i])
            continue;
        snprintf(part, sizeof part, "%.*s", (int)i, path);
        if (mkdir(part, 0777) != 0 && errno != EEXIST)
            return false;
    }
    return true;
}

static bool run_demo(demo *demo) {
    char flash[512];
    path_in(demo->out, "adapter-flash.bin", flash, sizeof flash);
    unlink(flash); /* each demo begins with an empty adapter */
    return show_captures(demo) && read_crane(demo) && power_on(demo) && store_program(demo) &&
           cut_power(demo) && run_from_slot(demo) && show_short_taps(demo) && write_results(demo);
}

static other_demo *find_other(const char *name) {
    static const struct {
        const char *name;
        other_demo *run;
    } others[] = {{"exhibition", demo_exhibition},
                  {"desk", demo_desk},
                  {"radio", demo_radio},
                  {"jetty", demo_jetty},
                  {"slots", demo_slots},
                  {"link", demo_link},
                  {"panel", demo_panel}};
    for (size_t i = 0; i < sizeof others / sizeof others[0]; i++)
        if (strcmp(others[i].name, name) == 0)
            return others[i].run;
    return NULL;
}

static error_t parse(int key, char *argument, struct argp_state *state) {
    demo *demo = state->input;
    switch (key) {
    case 'd':
        demo->data = argument;
        return 0;
    case 'o':
        demo->out = argument;
        return 0;
    case ARGP_KEY_ARG:
        demo->other = find_other(argument);
        if (!demo->other && strcmp(argument, "crane") != 0)
            argp_error(state,
                       "there is no demo \"%s\"; there are: crane, exhibition, desk, radio, jetty, "
                       "slots, link, panel",
                       argument);
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

int command_demo(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"data", 'd', "FOLDER", 0, "where the demo's profiles and recordings are", 0},
        {"out", 'o', "FOLDER", 0, "where the picture and the flash go; build/demo if not given", 0},
        {0}};
    static const struct argp argp = {
        .options = known,
        .parser = parse,
        .args_doc = "[crane|exhibition|desk|radio|jetty|slots|link|panel]",
        .doc =
            "Works a quayside crane through a simulated adapter, and tells what happens at each "
            "step.\vcrane: a keyboard and a trackball, step by step, with slots and power cuts. "
            "exhibition: a host that takes one layout only, worked by two people. desk: pins, an "
            "encoder and an ADC as two different devices. radio: one device for two connectors, "
            "with rumble coming back. jetty: a worn stick, trigger and gyro, calibrated. slots: an "
            "adapter with three profiles, which are changed in play, and ten power cuts. link: an "
            "adapter that is talked to, tuned, saved, ruined, restored and locked. panel: an "
            "adapter "
            "that is set up without a computer, by four buttons and two lines."};
    demo *demo = calloc(1, sizeof *demo);
    if (!demo)
        return 1;
    demo->data = YONDER_DEMO;
    demo->out = "build/demo";
    demo->flash.file = -1;
    argp_parse(&argp, count, arguments, 0, NULL, demo);
    bool good = make_folders(demo->out);
    if (!good)
        fprintf(stderr, "%s: %s\n", demo->out, strerror(errno));
    else
        good = demo->other ? demo->other(demo->data, demo->out) : run_demo(demo);
    if (!good)
        fprintf(stderr, "the demo did not come to its end\n");
    simulation_end(&demo->simulation);
    nor_end(&demo->flash);
    for (int i = 0; i < 2; i++)
        recording_free(&demo->recordings[i]);
    change_list_free(&demo->changes);
    inside_free(&demo->inside);
    if (demo->profile.source)
        profile_close(&demo->profile);
    free(demo);
    return good ? 0 : 1;
}
