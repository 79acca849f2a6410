/* Makes the seeds whose form has a version: programs, with choices for the calls behind them, and
 * the content of flash. They are made when the targets are built, so they are never of an older
 * one. usage: make_seeds FOLDER PROFILE... */
#include <errno.h>
#include <sys/stat.h>

#include "compiler/profile/compile.h"
#include "compiler/reading/kept_text.h"
#include "fuzz/store_fuzz.h"
#include "ports/sim/recording.h"
#include "tests/harness.h"
#include "yonder/calibration.h"
#include "yonder/store.h"

#define CHOICES 3000 /* behind a program, */
#define TIMES   14   /* and so often other ones; */
#define MENUS   20   /* what a slot holds, and presses; half of them with a byte that is another */
#define LIES    40   /* programs with one byte that is another */

static void die(const char *what) {
    perror(what);
    exit(1);
}

static void write_seed(const char *folder, const char *name, const uint8_t *bytes, size_t size,
                       const uint8_t *more, size_t more_size) {
    char path[600];
    snprintf(path, sizeof path, "%s/%s", folder, name);
    FILE *file = fopen(path, "wb");
    if (!file || fwrite(bytes, 1, size, file) != size ||
        fwrite(more, 1, more_size, file) != more_size || fclose(file) != 0)
        die(path);
}

static dice dice_of(const char *name) {
    dice dice = {9};
    for (; *name; name++)
        dice.state = dice.state * 31 + (uint8_t)*name;
    return dice;
}

/* What fuzz/menu_fuzz.c takes: what a slot holds, how long that is in front of it, and presses;
 * then with bytes of the table that are others. */
static void make_menu(const char *folder, const char *file, const yt_compiled *compiled,
                      dice *dice) {
    uint8_t presses[400], *seed = malloc(compiled->size + 2);
    size_t table = compiled->program.header->total_bytes;
    char name[300];
    if (compiled->size == table || compiled->size > UINT16_MAX || !seed) {
        free(seed);
        return;
    }
    for (unsigned k = 0; k < MENUS; k++) {
        seed[0] = (uint8_t)compiled->size;
        seed[1] = (uint8_t)(compiled->size >> 8);
        memcpy(seed + 2, compiled->image, compiled->size);
        if (k >= MENUS / 2)
            seed[2 + table + roll(dice) % (compiled->size - table)] = (uint8_t)roll(dice);
        for (size_t i = 0; i < sizeof presses; i++) /* down and choose the most often */
            presses[i] =
                (uint8_t)((roll_below(dice, 4) ? 1 + roll_below(dice, 2) : roll(dice) & 3) |
                          (roll(dice) & 0xfc));
        snprintf(name, sizeof name, "%s-%u", file, k);
        write_seed(folder, name, seed, compiled->size + 2, presses, sizeof presses);
    }
    free(seed);
}

/* A profile, its program followed by choices, and the same followed by its text. */
static void make_program(const char *folder, const char *profiles, const char *menus,
                         const char *path) {
    yt_compiled compiled;
    yt_messages messages;
    uint8_t choices[CHOICES];
    size_t size, text_size;
    char name[300], *source = read_test_file(path, &size);
    const char *file = strrchr(path, '/') ? strrchr(path, '/') + 1 : path;
    dice own = dice_of(file), *dice = &own; /* so that another profile changes nothing here */
    char said[300];                         /* descriptions are the demo's, whoever names them */
    snprintf(said, sizeof said, "crane/%s", file);
    messages_begin(&messages, strstr(path, "tests/") ? said : path, source, size);
    if (!compile_profile(&compiled, &messages)) {
        messages_print(&messages, stderr);
        exit(1);
    }
    write_seed(profiles, file, (const uint8_t *)source, size, NULL, 0);
    make_menu(menus, file, &compiled, dice);
    for (unsigned k = 0; k < TIMES; k++) {
        for (size_t i = 0; i < CHOICES; i++)
            choices[i] = (uint8_t)roll(dice);
        snprintf(name, sizeof name, "%s-%u", file, k);
        write_seed(folder, name, compiled.image, compiled.size, choices, CHOICES);
    }
    uint8_t *lying = malloc(compiled.size);
    for (unsigned k = 0; k < LIES; k++) {
        size_t at = roll(dice) % compiled.size;
        memcpy(lying, compiled.image, compiled.size);
        lying[at] = (uint8_t)(roll(dice) % 2 ? roll(dice) : lying[at] + 1 - roll(dice) % 3);
        snprintf(name, sizeof name, "%s-lie-%u", file, k);
        write_seed(folder, name, lying, compiled.size, choices, 20);
    }
    free(lying);
    const uint8_t *text = kept_text_make(&compiled.pool, &messages, &text_size);
    snprintf(name, sizeof name, "%s-text", file);
    write_seed(folder, name, compiled.image, compiled.size, text, text_size);
    messages_free(&messages);
    pool_free(&compiled.pool);
    free(source);
}

/* A recorded device as fuzz/report_fuzz.c takes it: its descriptor, of an even number of bytes, and
 * some of its reports, each with its length in front. */
static void make_reports(const char *folder, const char *path) {
    static uint8_t seed[1 << 16];
    recording recording;
    size_t size = 1;
    const char *name = strrchr(path, '/') + 1;
    if (!recording_read(&recording, path))
        die(recording.error);
    const recorded_device *device = &recording.devices[0];
    memcpy(seed + size, device->descriptor, device->descriptor_size);
    size += device->descriptor_size;
    if (device->descriptor_size % 2)
        seed[size++] = 0x04; /* the usage page, once more */
    seed[0] = (uint8_t)((size - 1) / 2);
    for (size_t i = 0; i < recording.report_count && size + 300 < sizeof seed && i < 60; i++) {
        const recorded_report *report = &recording.reports[i];
        if (report->device != 0 || report->size > 255)
            continue;
        seed[size++] = (uint8_t)report->size;
        memcpy(seed + size, recording.bytes + report->offset, report->size);
        size += report->size;
    }
    write_seed(folder, name, seed, size, NULL, 0);
    recording_free(&recording);
}

/* The same flash where the power went in a small change, at each of its operations: what it says is
 * in doubt then. */
static void make_doubts(const char *folder, const nor_flash *flash, const yt_store *store,
                        unsigned changes) {
    static const uint8_t as_it_is[] = {0};
    for (unsigned cut = 0; cut < 8; cut++) {
        char name[60];
        nor_flash copy;
        yt_port port = {0};
        yt_store other = *store;
        if (!nor_copy(&copy, flash))
            die("flash");
        nor_port(&copy, &port);
        other.port = &port;
        copy.until_cut = cut;
        (void)!yt_store_erase(&other, changes % 3);
        snprintf(name, sizeof name, "%u-changes-doubt-%u", changes, cut);
        write_seed(folder, name, copy.now, copy.size, as_it_is, 1);
        nor_end(&copy);
    }
}

/* That of a newer version. */
static void make_newer(const char *folder, const nor_flash *flash) {
    static const uint8_t put_right[] = {1};
    static uint8_t bytes[STORE_SECTORS * 1024];
    memcpy(bytes, flash->now, sizeof bytes);
    for (size_t at = 0; at < sizeof bytes; at += 1024)
        if (memcmp(bytes + at, "Yjor", 4) == 0)
            bytes[at + 26] = bytes[at + 70] = 9;
    write_seed(folder, "newer", bytes, sizeof bytes, put_right, 1);
}

/* The flash of fuzz/store_fuzz.c after so many changes of all kinds. */
static void make_flash(const char *folder, unsigned changes) {
    static const uint8_t as_it_is[] = {0}, put_right[] = {1};
    static uint8_t content[1500];
    static yt_store_sector sectors[STORE_SECTORS];
    char name[60];
    nor_flash flash;
    yt_port port = {0};
    yt_store store;
    const nor_facts facts = STORE_FACTS;
    if (!nor_begin(&flash, &facts, 1))
        die("flash");
    nor_port(&flash, &port);
    if (yt_store_open(&store, &port, 4, sectors, STORE_SECTORS) != YT_OK)
        die("store");
    for (unsigned i = 0; i < changes; i++) {
        memset(content, (int)i, sizeof content);
        yt_status status[] = {
            yt_store_write(&store, i % 3, "a slot", content, 900 - 31 * (i % 7), content, i % 5),
            i % 3 == 0 ? yt_store_set(&store, content, 40) : YT_OK,
            i % 4 == 1 ? yt_store_swap(&store, 0, 3) : YT_OK,
            i % 5 == 2 ? yt_store_erase(&store, i % 3) : YT_OK,
            i % 6 == 3 ? yt_store_activate(&store, i % 4) : YT_OK,
        };
        for (size_t k = 0; k < sizeof status / sizeof *status; k++)
            if (status[k] != YT_OK)
                die("store");
    }
    snprintf(name, sizeof name, "%u-changes", changes);
    write_seed(folder, name, flash.now, flash.size, as_it_is, 1);
    write_seed(folder, strcat(name, "-mended"), flash.now, flash.size, put_right, 1);
    if (changes == 15)
        make_newer(folder, &flash);
    make_doubts(folder, &flash, &store, changes);
    for (size_t at = 900; at < flash.size; at += 1531) /* a bit of each sector rots */
        nor_rot(&flash, at, at % 8);
    write_seed(folder, strcat(name, "-rotten"), flash.now, flash.size, as_it_is, 1);
    flash.until_cut = 7 + 5 * changes;
    (void)!yt_store_write(&store, 1, "cut", content, 700, content, 20);
    write_seed(folder, strcat(name, "-cut"), flash.now, flash.size, as_it_is, 1);
    nor_end(&flash);
}

/* A flash that was never used. */
static void make_blank_flash(const char *folder) {
    static uint8_t bytes[STORE_SECTORS * 1024];
    memset(bytes, 0xff, sizeof bytes);
    write_seed(folder, "blank", bytes, sizeof bytes, bytes, 0);
}

/* The movements of a part of the grip, from a time on, and the record that comes of them. */
static void make_calibration(const char *folder, const recording *recording, unsigned kind,
                             unsigned notches, double from, double to) {
    static yt_calibrating gathering;
    static yt_calibration record;
    static uint8_t seed[7 * 8000 + 2];
    static const unsigned bits[6][3] = {{0},          {8, 24, 24},  {8, 8, 8},
                                        {48, 48, 48}, {56, 72, 88}, {104, 120, 136}};
    yt_calibration_part part = {.kind = (uint8_t)kind, .flags = 7, .unit_q24 = 1023410};
    size_t size = 2;
    char name[40];
    for (unsigned i = 0; i < YT_CALIBRATION_CONTROLS; i++)
        part.places[i] = (yt_calibration_place){-32768, 32767, (uint16_t)(16 * i), 16, 0};
    if (yt_calibrating_begin(&gathering, &part, notches) != YT_OK)
        die("calibration");
    seed[0] = (uint8_t)kind;
    seed[1] = (uint8_t)notches;
    for (size_t i = 0; i < recording->report_count && size + 7 <= sizeof seed; i++) {
        const recorded_report *report = &recording->reports[i];
        const uint8_t *bytes = recording->bytes + report->offset;
        if ((double)report->time_us < from * 1e6 || (double)report->time_us > to * 1e6)
            continue;
        seed[size] = 8;
        for (unsigned k = 0; k < 3; k++) {
            int raw = (int)yt_hid_get(bytes, report->size, bits[kind][k], kind == 3 ? 8 : 16);
            raw = kind < 3 ? (raw - 2048) * 16 : kind == 3 ? (raw - 128) * 256 : (int16_t)raw;
            yt_hid_set(seed + size + 1, 6, 16 * k, 16, (uint32_t)raw);
        }
        size += 7;
        yt_calibrating_report(&gathering, seed + size - 6, 6, 8000 * (uint64_t)(size / 7));
    }
    snprintf(name, sizeof name, "kind-%u-%u", kind, notches);
    write_seed(folder, name, seed, size, NULL, 0);
    if (yt_calibrating_end(&gathering, &record) != YT_OK)
        return;
    snprintf(name, sizeof name, "record-%u-%u", kind, notches);
    seed[0] = 255;
    write_seed(folder, name, seed, 1, (const uint8_t *)&record, record.bytes);
}

static void make_calibrations(const char *folder, const char *path) {
    recording recording;
    if (!recording_read(&recording, path))
        die(path);
    make_calibration(folder, &recording, YT_CALIBRATION_STICK, 8, 0, 33);
    make_calibration(folder, &recording, YT_CALIBRATION_STICK, 0, 0, 16);
    make_calibration(folder, &recording, YT_CALIBRATION_STICK, 5, 0, 24);
    make_calibration(folder, &recording, YT_CALIBRATION_AXIS, 0, 0, 16);
    make_calibration(folder, &recording, YT_CALIBRATION_LEVEL, 0, 31, 38);
    make_calibration(folder, &recording, YT_CALIBRATION_GYRO, 0, 36, 57);
    make_calibration(folder, &recording, YT_CALIBRATION_ACCELEROMETER, 0, 36, 44);
    recording_free(&recording);
}

static void make_folder(char *path, size_t room, const char *folder, const char *name) {
    snprintf(path, room, "%s/%s", folder, name);
    if ((mkdir(folder, 0777) != 0 && errno != EEXIST) ||
        (mkdir(path, 0777) != 0 && errno != EEXIST))
        die(path);
}

int main(int count, char **arguments) {
    char programs[500], profiles[500], reports[500], flashes[500], calibrations[500], menus[500];
    if (count < 3)
        return 2;
    make_folder(programs, sizeof programs, arguments[1], "program");
    make_folder(profiles, sizeof profiles, arguments[1], "profile");
    make_folder(reports, sizeof reports, arguments[1], "report");
    make_folder(flashes, sizeof flashes, arguments[1], "store");
    make_folder(calibrations, sizeof calibrations, arguments[1], "calibration");
    make_folder(menus, sizeof menus, arguments[1], "menu");
    for (int i = 2; i < count; i++)
        if (strstr(arguments[i], ".yaml"))
            make_program(programs, profiles, menus, arguments[i]);
        else if (strstr(arguments[i], "lapwing"))
            make_calibrations(calibrations, arguments[i]);
        else
            make_reports(reports, arguments[i]);
    for (unsigned changes = 0; changes <= 60; changes += 1 + changes)
        make_flash(flashes, changes);
    make_blank_flash(flashes);
    return 0;
}
