/* The demo of an adapter that is talked to, as a maker works: look at a device, write a profile,
 * put it into a slot, tune it while it runs, save everything, ruin it, go back, and lock it for an
 * event. */
#include <errno.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include "tool/demos.h"
#include "tool/tool.h"

#define PRESS_US 200000 /* so long somebody takes to press */

/* An adapter that runs beside, and somebody's finger on it. */
typedef struct box {
    char folder[40];
    pid_t adapter, finger;
    int keys;
} box;

/* Presses whenever a host waits for it, and passes on what the adapter says to who waits until it
 * is there. */
static void be_the_finger(int said, int keys, int told) {
    char line[300];
    FILE *from = fdopen(said, "r");
    while (from && fgets(line, sizeof line, from)) {
        if (strstr(line, "/service") || strstr(line, "plugged in anew"))
            (void)!write(told, "x", 1);
        if (!strstr(line, "waits for a press"))
            continue;
        usleep(PRESS_US);
        (void)!write(STDERR_FILENO, "   (somebody presses)\n", 22);
        (void)!write(keys, " ", 1);
    }
    _exit(0);
}

static int told_by_finger = -1;

static bool wait_for_box(void) {
    char byte;
    return read(told_by_finger, &byte, 1) == 1;
}

static void be_the_adapter(int keys, int said, const char *flash, const char *folder,
                           const char *recording) {
    char name[] = "yonder sim", with[] = "--flash", at[] = "--at", in[] = "--in",
         again[] = "--again";
    char *words[] = {name,  with, (char *)flash, at, (char *)folder, in, (char *)recording,
                     again, NULL};
    dup2(keys, STDIN_FILENO);
    dup2(said, STDOUT_FILENO);
    _exit(command_sim(8, words));
}

static bool begin_box(box *box, const char *flash, const char *recording) {
    int keys[2], said[2], told[2];
    snprintf(box->folder, sizeof box->folder, "/tmp/yonder.XXXXXX");
    if (!mkdtemp(box->folder) || pipe(keys) != 0 || pipe(said) != 0 || pipe(told) != 0)
        return refuse(box->folder, strerror(errno));
    fflush(stdout);
    box->adapter = fork();
    if (box->adapter == 0) {
        close(keys[1]);
        close(said[0]);
        be_the_adapter(keys[0], said[1], flash, box->folder, recording);
    }
    box->finger = fork();
    if (box->finger == 0) {
        close(said[1]);
        close(keys[0]);
        close(told[0]);
        be_the_finger(said[0], keys[1], told[1]);
    }
    close(keys[0]);
    close(said[0]);
    close(said[1]);
    close(told[1]);
    box->keys = keys[1];
    told_by_finger = told[0];
    return box->adapter > 0 && box->finger > 0 && wait_for_box();
}

static void press_key(const box *box, const char *key) {
    (void)!write(box->keys, key, 1);
}

static void end_box(box *box) {
    press_key(box, "q");
    close(box->keys);
    if (box->adapter > 0)
        waitpid(box->adapter, NULL, 0);
    if (box->finger > 0) {
        kill(box->finger, SIGTERM);
        waitpid(box->finger, NULL, 0);
    }
    close(told_by_finger);
    rmdir(box->folder);
}

/* A call that must be refused, or find a difference. */
static bool must_fail(bool good) {
    fflush(stdout);
    puts(good ? "   that should not be: this is a bug" : "   (as it should be)");
    return !good;
}

static bool look_at_device(const char *data, const char *keys, const char *first) {
    puts("\n1. What is plugged in: the recording of a keyboard stands in for it.");
    bool good = demo_call(command_list, "list", "--data", data, NULL) &&
                demo_call(command_describe, "describe", keys, NULL) &&
                demo_call(command_watch, "watch", keys, "--plain", "--speed", "max", NULL);
    puts("\n2. A starting profile for it, looked over.");
    unlink(first);
    return good &&
           demo_call(command_new, "new", "--from", keys, "--to", "gamepad", "--out", first, NULL) &&
           demo_call(command_check, "check", first, NULL);
}

static bool put_and_plug(box *box, const char *at, const char *first, const char *quay,
                         const char *yard) {
    char one[700], two[700], three[700];
    snprintf(one, sizeof one, "1=%s", quay);
    snprintf(two, sizeof two, "2=%s", yard);
    snprintf(three, sizeof three, "3=%s", first);
    puts(
        "\n3. An adapter is there. It is locked: to write it takes a press, which somebody gives.");
    bool good = demo_call(command_adapter, "adapter", "info", "--at", at, NULL) &&
                demo_call(command_slots, "slots", "put", one, two, three, "--at", at, NULL) &&
                demo_call(command_slots, "slots", "activate", "2", "--at", at, NULL);
    puts("\n4. It is unplugged, and plugged in: slot 2 runs.");
    usleep(1500000); /* a second after the last change it is the one to start with */
    press_key(box, "u");
    return good && wait_for_box() && demo_call(command_slots, "slots", "list", "--at", at, NULL);
}

static bool tune(const char *at) {
    puts("\n5. A parameter is tuned while it runs, and then kept.");
    return demo_call(command_adapter, "adapter", "parameters", "--at", at, NULL) &&
           demo_call(command_adapter, "adapter", "tune", "creep=90%", "--at", at, NULL) &&
           demo_call(command_adapter, "adapter", "keep", "--at", at, NULL);
}

static bool ruin_and_restore(const char *at, const char *saved) {
    unlink(saved);
    puts("\n6. Everything is saved. Then it is ruined.");
    bool good = demo_call(command_adapter, "adapter", "backup", saved, "--at", at, NULL) &&
                demo_call(command_slots, "slots", "erase", "1", "2", "--at", at, NULL) &&
                demo_call(command_settings, "settings", "poll=100ms", "--at", at, NULL) &&
                must_fail(demo_call(command_adapter, "adapter", "digest", saved, "--at", at, NULL));
    puts("\n7. And restored.");
    return good && demo_call(command_adapter, "adapter", "restore", saved, "--at", at, NULL) &&
           demo_call(command_adapter, "adapter", "digest", saved, "--at", at, NULL) &&
           demo_call(command_adapter, "adapter", "parameters", "--at", at, NULL);
}

static bool lock_it(box *box, const char *at, const char *saved) {
    puts("\n8. It is locked: nobody reads a slot any more. A press unlocks it, for who asked.");
    bool good =
        demo_call(command_adapter, "adapter", "lock", "--at", at, NULL) &&
        must_fail(demo_call(command_slots, "slots", "get", "1", "--no-press", "--at", at, NULL)) &&
        demo_call(command_adapter, "adapter", "unlock", "--at", at, NULL);
    puts("\n9. An event begins. Nothing is read or changed by any host; a referee compares it with "
         "the "
         "file.");
    good = good && demo_call(command_adapter, "adapter", "event", "--at", at, NULL) &&
           must_fail(demo_call(command_settings, "settings", "poll=2ms", "--at", at, NULL)) &&
           demo_call(command_adapter, "adapter", "digest", saved, "--at", at, NULL);
    puts("\n10. A control is held while it is plugged in: the event is over.");
    press_key(box, "e");
    return good && wait_for_box() &&
           demo_call(command_adapter, "adapter", "info", "--at", at, NULL);
}

bool demo_link(const char *data, const char *out) {
    char flash[600], keys[600], first[600], quay[600], yard[600], saved[600];
    box box = {.keys = -1};
    snprintf(flash, sizeof flash, "%s/link-flash.bin", out);
    snprintf(first, sizeof first, "%s/link-first.yaml", out);
    snprintf(saved, sizeof saved, "%s/link-saved.zip", out);
    snprintf(keys, sizeof keys, "%s/recordings/otter-keyboard.hid", data);
    snprintf(quay, sizeof quay, "%s/slots/quay.yaml", data);
    snprintf(yard, sizeof yard, "%s/slots/yard.yaml", data);
    unlink(flash);
    if (!look_at_device(data, keys, first))
        return false;
    bool good = begin_box(&box, flash, keys);
    const char *at = box.folder;
    good = good && put_and_plug(&box, at, first, quay, yard) && tune(at) &&
           ruin_and_restore(at, saved) && lock_it(&box, at, saved);
    end_box(&box);
    return good;
}
