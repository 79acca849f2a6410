/* Three more demos, each with its own devices and a host that wants something of its own. */
#include <stdarg.h>
#include <inttypes.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#include "tool/demos.h"
#include "tool/picture.h"
#include "tool/source.h"

#define CALL_WORDS 16

#define PLUGS 3

typedef struct plug_wanted {
    const char *input; /* NULL: whatever it fits */
    const char *path;  /* in the demo's folder */
} plug_wanted;

/* A profile with what is plugged in, and what came of it. */
typedef struct playing {
    const char *data;
    const char *out;
    profile profile;
    recording recordings[PLUGS];
    sim_plug plugs[PLUGS];
    unsigned plug_count;
    sim_sent *sent;
    simulation simulation;
    change_list changes;
    inside inside;
} playing;

static void keep_change(void *context, const sim_change *change) {
    playing *playing = context;
    change_list_add(&playing->changes, change);
    if (playing->inside.profile)
        inside_seen(&playing->inside, change);
}

static void note_inside(void *context) {
    playing *playing = context;
    if (playing->inside.profile)
        inside_settled(&playing->inside);
}

static bool plug_in(playing *playing, const plug_wanted *wanted) {
    const yt_compiled *compiled = &playing->profile.compiled;
    recording *recording = &playing->recordings[playing->plug_count];
    unsigned input = YT_ANY_INPUT;
    char path[512];
    snprintf(path, sizeof path, "%s/%s", playing->data, wanted->path);
    for (unsigned i = 0; wanted->input && i < compiled->input_count; i++)
        if (strcmp(compiled->inputs[i].name, wanted->input) == 0)
            input = i;
    if (!plug_open(recording, compiled, input, path))
        return false;
    playing->plugs[playing->plug_count++] = (sim_plug){input, recording};
    return true;
}

static bool play(playing *playing, const char *profile, const plug_wanted *wanted,
                 const char *feedback, sim_timing timing) {
    char path[512];
    sim_observer observer = {.context = playing, .change = keep_change, .settled = note_inside};
    snprintf(path, sizeof path, "%s/%s", playing->data, profile);
    if (!profile_open(&playing->profile, path))
        return false;
    for (; wanted->path; wanted++)
        if (!plug_in(playing, wanted))
            return false;
    const yt_compiled *compiled = &playing->profile.compiled;
    if (!simulation_begin(&playing->simulation, compiled->image, compiled->size, playing->plugs,
                          playing->plug_count, timing, observer)) {
        fprintf(stderr, "%s: %s\n", path, playing->simulation.error);
        return false;
    }
    if (feedback) {
        size_t count;
        snprintf(path, sizeof path, "%s/%s", playing->data, feedback);
        playing->sent = feedback_read(&playing->profile, path, &count);
        if (!playing->sent)
            return false;
        simulation_send(&playing->simulation, playing->sent, count);
    }
    inside_begin(&playing->inside, &playing->profile, &playing->simulation);
    simulation_run(&playing->simulation);
    change_list_sort(&playing->changes);
    return true;
}

static void stop(playing *playing) {
    simulation_end(&playing->simulation);
    for (unsigned i = 0; i < playing->plug_count; i++)
        recording_free(&playing->recordings[i]);
    change_list_free(&playing->changes);
    inside_free(&playing->inside);
    free(playing->sent);
    profile_close(&playing->profile);
    memset(&playing->changes, 0, sizeof playing->changes);
    playing->plug_count = 0;
    playing->sent = NULL;
}

/* The changes of switches and of feedback; what moves all the time is left to the picture. */
static void print_presses(playing *playing, unsigned most) {
    change_list shown = {0};
    for (size_t i = 0; i < playing->changes.count && shown.count < most; i++) {
        const sim_change *change = &playing->changes.list[i];
        bool is_hat = change->control.page == 1 && change->control.usage == 0x39;
        bool tells = host_control_is_switch(&change->control) || is_hat || change->is_feedback ||
                     (change->control.is_relative && change->control.usage == 0x38);
        if (tells && change_is_used(&playing->profile, playing->plugs, change))
            change_list_add(&shown, change);
    }
    print_changes(stdout, &playing->profile, playing->plugs, &shown);
    change_list_free(&shown);
}

static bool draw(playing *playing, const char *name, const char *title) {
    char path[512];

    snprintf(path, sizeof path, "%s/%s", playing->out, name);
    const picture picture = {path, title, 0, 0, &playing->inside};
    if (!draw_picture(&picture, &playing->profile, playing->plugs, &playing->changes))
        return false;
    printf("\n   All of it on one time axis: %s\n", path);
    return true;
}

/* An interface as its host sees it. */
static void print_interface(const playing *playing, unsigned number) {
    const yt_program *program = &playing->profile.compiled.program;
    const yt_program_interface *interface = &program->interfaces[number];
    recorded_device device = {.bus = interface->radio ? YT_BUS_BLUETOOTH : YT_BUS_USB,
                              .vendor = OUTPUT_VENDOR,
                              .product = (uint16_t)(OUTPUT_PRODUCT + number),
                              .descriptor_size = interface->descriptor_bytes};
    interface_title(&playing->profile, number, device.name, sizeof device.name);
    memcpy(device.descriptor, program->blob + interface->descriptor_offset,
           interface->descriptor_bytes);
    printf("\n   Connector %u:\n", interface->connector);
    print_host_view(stdout, &device);
}

static unsigned presses(const playing *playing, const char *name) {
    unsigned count = 0;
    for (size_t i = 0; i < playing->changes.count; i++) {
        char at[160];
        const sim_change *change = &playing->changes.list[i];
        yt_raw_meaning meaning;
        change_name(&playing->profile, playing->plugs, change, at, sizeof at, &meaning);
        count += strcmp(at, name) == 0 && change->control.value == 1;
    }
    return count;
}

bool demo_exhibition(const char *data, const char *out) {
    static playing playing;
    static const plug_wanted wanted[] = {{"pad", "recordings/egret-keypad.hid"},
                                         {"ball", "recordings/dory-trackball.hid"},
                                         {"desk", "recordings/otter-switches.hid"},
                                         {NULL, NULL}};
    playing.data = data;
    playing.out = out;
    if (!play(&playing, "exhibition.yaml", wanted, NULL, (sim_timing){.poll_us = 8000}))
        return false;
    printf("\n1. The exhibition's crane takes ten buttons, two sticks and a hat, and nothing else."
           "\n   This is what it is shown:\n");
    print_interface(&playing, 0);
    printf(
        "\n2. Three devices are plugged in at once: a keypad whose keys tell how deep they are, a"
        "\n   trackball, and a desk of switches that a second person works:\n\n");
    for (unsigned i = 0; i < playing.plug_count; i++) {
        print_device(stdout, playing.recordings[i].devices, playing.recordings[i].report_count);
        putchar('\n');
    }
    printf("3. Four seconds later: %" PRIu64 " reports came in, %" PRIu64
           " went out. The buttons:\n",
           playing.simulation.reports_in, playing.simulation.reports_out);
    print_presses(&playing, 44);
    bool good = draw(&playing, "exhibition.png", "Exhibition crane, host polls every 8 ms");
    stop(&playing);
    return good;
}

bool demo_desk(const char *data, const char *out) {
    static playing playing;
    static const plug_wanted wanted[] = {{"desk", "logs/otter-desk.csv"}, {NULL, NULL}};
    playing.data = data;
    playing.out = out;
    printf("\n1. A desk of bare buttons, an encoder and a small stick on a microcontroller's pins. "
           "A log\n   of its pins and of its ADC (%s/logs/otter-desk.csv) is played through two "
           "profiles.\n",
           data);
    if (!play(&playing, "desk-gamepad.yaml", wanted, NULL, (sim_timing){.poll_us = 8000}))
        return false;
    printf(
        "\n2. As a gamepad. Buttons bounce for 2 ms, and three glitches of 1 ms are too short to "
        "be a\n   finger: %u presses of red, %u of the south button.\n\n",
        presses(&playing, "desk.red"), presses(&playing, "pad.south"));
    print_presses(&playing, 22);
    bool good = draw(&playing, "desk-gamepad.png", "The desk as a gamepad");
    stop(&playing);
    if (!good || !play(&playing, "desk-pointer.yaml", wanted, NULL, (sim_timing){.poll_us = 8000}))
        return false;
    printf("\n3. The same desk as a pointer with keys; the stick is four arrow keys now.\n\n");
    print_presses(&playing, 34);
    good = draw(&playing, "desk-pointer.png", "The desk as a pointer with keys");
    stop(&playing);
    return good;
}

bool demo_radio(const char *data, const char *out) {
    static playing playing;
    static const plug_wanted wanted[] = {{NULL, "recordings/heron-radio-set.hid"}, {NULL, NULL}};
    playing.data = data;
    playing.out = out;
    if (!play(&playing, "radio.yaml", wanted, "logs/shake.csv",
              (sim_timing){.poll_us = 7500, .loss = 300}))
        return false;
    printf("\n1. A radio set is keyboard and trackball in one device:\n\n");
    print_device(stdout, playing.recordings[0].devices, playing.recordings[0].report_count);
    printf(
        "\n2. Its keys go to the cabin, its ball works the crane, each at a connector of its own:"
        "\n");
    for (unsigned i = 0; i < 2; i++)
        print_interface(&playing, i);
    printf(
        "\n3. The hosts ask every 7.5 ms, and three times in ten the answer gets lost on the way "
        "and is\n   sent again. Nothing else is lost: %u taps of space and of the ball's button "
        "went in, %u\n   of the crane's south button came out. What the crane's control sends "
        "back shakes the ball:\n\n",
        presses(&playing, "keys.space") + presses(&playing, "ball.button1"),
        presses(&playing, "crane.south"));
    print_presses(&playing, 60);
    bool good = draw(&playing, "radio.png", "Radio set, connection interval 7.5 ms, 30 % lost");
    stop(&playing);
    return good;
}

/* ---- calls of commands ---- */

bool demo_call(demo_command *run, const char *first, ...) {
    char *words[CALL_WORDS + 1] = {0}, name[32];
    unsigned count = 0;
    va_list more;
    snprintf(name, sizeof name, "yonder %s", first);
    words[count++] = name;
    printf("\n   $ %s", name);
    va_start(more, first);
    for (char *word; count < CALL_WORDS && (word = va_arg(more, char *)); count++) {
        words[count] = word;
        printf(" %s", word);
    }
    va_end(more);
    puts("\n");
    fflush(stdout);
    return run((int)count, words) == 0;
}
