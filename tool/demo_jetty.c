/* The demo of a worn grip: its stick, trigger and gyro are calibrated, its trackball aims, and then
 * it works. */
#include <inttypes.h>
#include <stdlib.h>
#include <string.h>

#include "tool/calibrating.h"
#include "tool/demos.h"
#include "tool/plot_camera.h"
#include "tool/plugs.h"

typedef struct jetty {
    const char *data, *out;
    char recording_path[512];
    recording recording;
    description_file description;
    device_part parts[DEVICE_PARTS];
    size_t part_count;
    calibration_files files;
    char file_paths[3][512];
} jetty;

/* What is calibrated, with how many notches. */
static const struct {
    const char *name;
    const char *why;
    unsigned notches;
} wanted[3] = {{"left_stick",
                "Its stick rests off its middle, reaches no end, and its gate's notches are askew",
                8},
               {"right_trigger", "Its trigger fires by itself, and never reaches its end", 0},
               {"gyro", "Its gyro turns by itself", 0}};

static const device_part *find_part(const jetty *jetty, const char *name) {
    for (size_t i = 0; i < jetty->part_count; i++)
        if (strcmp(jetty->parts[i].name, name) == 0)
            return &jetty->parts[i];
    return NULL;
}

/* One part, from what a person did with it to a record and a picture. */
static bool calibrate_one(jetty *jetty, unsigned number) {
    static calibrating calibrating;
    static yt_calibration record;
    char picture[512], title[300];
    const device_part *part = find_part(jetty, wanted[number].name);
    const recording *recording = &jetty->recording;
    if (!part ||
        !calibrating_begin(&calibrating, recording->devices, part, wanted[number].notches, false))
        return false;
    for (size_t i = 0; i < recording->report_count; i++)
        calibrating_report(&calibrating, recording->reports[i].time_us,
                           recording->bytes + recording->reports[i].offset,
                           recording->reports[i].size);
    printf("\n%u. %s:\n\n", number + 1, wanted[number].why);
    bool good = yt_calibrating_end(&calibrating.gathering, &record) == YT_OK;
    if (good) {
        print_calibration(stdout, part->name, part->unit_amount, &record, calibrating.samples,
                          calibrating.count);
        snprintf(picture, sizeof picture, "%s/jetty-%s.png", jetty->out, part->name);
        snprintf(title, sizeof title, "%s of the grip, before and after it was calibrated",
                 wanted[number].name);
        snprintf(jetty->file_paths[number], sizeof jetty->file_paths[number], "%s/jetty-%s.cal",
                 jetty->out, part->name);
        jetty->files.paths[jetty->files.count++] = jetty->file_paths[number];
        good = calibration_write(&record, jetty->file_paths[number]) &&
               draw_calibration(picture, title, &record, calibrating.samples, calibrating.count);
        printf("   picture: %s\n", picture);
    }
    calibrating_free(&calibrating);
    return good;
}

/* The trackball turns a host's view: by a stick that follows it, and by one that is worked back. */
static bool aim(const jetty *jetty) {
    static const char *const sticks[] = {"pad.left_stick", "pad.right_stick"};
    static const char *const names[] = {"jetty-ball-before", "jetty-ball"};
    static profile profile;
    camera_off off[2];
    char path[512], ball[512], picture[512];
    snprintf(path, sizeof path, "%s/jetty-ball.yaml", jetty->data);
    snprintf(ball, sizeof ball, "%s/recordings/dory-trackball.hid", jetty->data);
    if (!profile_open(&profile, path))
        return false;
    puts("\n4. Its trackball turns the host's view like mud, as the host only knows sticks and has "
         "a "
         "dead\n   zone and a curve of its own:\n");
    bool good = true;
    for (unsigned i = 0; i < 2 && good; i++) {
        snprintf(picture, sizeof picture, "%s/%s.png", jetty->out, names[i]);
        good = draw_camera(picture, &profile, path, sticks[i], ball, 1000, &off[i]);
        if (good)
            printf("%s the view is off by up to %.1f deg on the way and %.1f deg in the end\n"
                   "   picture: %s\n",
                   i ? "after: " : "before:", off[i].most, off[i].in_the_end, picture);
    }
    profile_close(&profile);
    return good;
}

/* How often a host is told that something moved, before anybody has touched it. */
typedef struct restless {
    uint64_t until_us;
    unsigned changes;
} restless;

static void count_change(void *context, const sim_change *change) {
    restless *restless = context;
    restless->changes += change_goes_out(change) && change->time_us < restless->until_us;
}

/* Plays the profile, with calibrations or without; -1: it cannot be played. */
static int play(const jetty *jetty, const calibration_files *files) {
    static profile profile;
    static plugged plugged;
    static simulation simulation;
    restless restless = {1200000, 0};
    char path[512];
    snprintf(path, sizeof path, "%s/jetty.yaml", jetty->data);
    if (!profile_open(&profile, path))
        return -1;
    memset(&plugged, 0, sizeof plugged);
    bool good = plugged_add(&plugged, &profile, jetty->recording_path) &&
                simulation_begin(&simulation, profile.compiled.image, profile.compiled.size,
                                 plugged.plugs, plugged.count, (sim_timing){.poll_us = 8000},
                                 (sim_observer){.context = &restless, .change = count_change});
    if (good) {
        good = plugged_calibrate(&plugged, &simulation, files);
        simulation_run_until(&simulation, restless.until_us);
        simulation_end(&simulation);
    }
    plugged_free(&plugged);
    profile_close(&profile);
    return good ? (int)restless.changes : -1;
}

static bool compare(const jetty *jetty) {
    static const calibration_files none;
    int before = play(jetty, &none), after = play(jetty, &jetty->files);
    if (before < 0 || after < 0)
        return false;
    printf("\n5. Played by jetty.yaml: in the first 1.2 s, in which nobody touches it, the host "
           "was told of\n"
           "   %d changes before, and is told of %d now.\n",
           before, after);
    return true;
}

bool demo_jetty(const char *data, const char *out) {
    static jetty jetty;
    char path[512];
    jetty.data = data;
    jetty.out = out;
    snprintf(path, sizeof path, "%s/devices/lapwing-grip.yaml", data);
    snprintf(jetty.recording_path, sizeof jetty.recording_path, "%s/recordings/lapwing-grip.hid",
             data);
    if (!description_open(&jetty.description, path))
        return false;
    bool good = recording_read(&jetty.recording, jetty.recording_path);
    if (good) {
        jetty.part_count =
            device_parts(jetty.recording.devices, jetty.description.description, jetty.parts);
        for (unsigned i = 0; good && i < 3; i++)
            good = calibrate_one(&jetty, i);
        good = good && aim(&jetty) && compare(&jetty);
        recording_free(&jetty.recording);
    } else {
        fprintf(stderr, "%s\n", jetty.recording.error);
    }
    description_close(&jetty.description);
    return good;
}
