/* This machine as an inline adapter: its devices in, and USB devices to other hosts out. */
#include <argp.h>
#include <errno.h>
#include <libgen.h>
#include <sched.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/statvfs.h>
#include <syslog.h>
#include <unistd.h>

#include "compiler/messages/status_text.h"
#include "ports/linux/serving.h"
#include "ports/sim/doors.h"
#include "tool/bonds.h"
#include "tool/options.h"
#include "tool/places.h"
#include "tool/playing.h"
#include "tool/served.h"
#include "tool/slots.h"

#define SAVE_US          20000    /* so long after a change it is in the file */
#define AGAIN_US         10000000 /* until a file that could not be written is tried again */
#define AGAIN_AT_MOST_US 3600000000u
#define PRIORITY         20    /* among what runs in real time */
#define MEMORY_BYTES     65536 /* of a sector of a flash that is only in memory */

typedef struct options {
    const char *profile; /* or --flash */
    flash_options flash;
    served_options outputs;
    const char *at;
    const char *bonds; /* NULL: hosts over Bluetooth are let in anew each time */
    bool shares, is_linked;
} options;

typedef struct session {
    const options *options;
    flash_file file;
    serving serving;
    doors doors;
    radio_bond bonds[RADIO_BONDS];
    bool has_new_bonds; /* that are not in their file yet */
    uint64_t bonds_at_us;
    unsigned slot;       /* that the profile is in */
    uint64_t operations; /* of the flash, that are in the file */
    uint64_t changed_us, save_at_us, again_us;
    unsigned told_number; /* that a host shows which waits for a press */
} session;

static volatile sig_atomic_t is_asked_to_read, is_pressed;

static void ask_to_read(int signal) {
    (void)signal;
    is_asked_to_read = 1;
}

static void press(int signal) {
    (void)signal;
    is_pressed = 1;
}

static void log_line(void *context, bool is_bad, const char *text) {
    (void)context;
    syslog(is_bad ? LOG_WARNING : LOG_INFO, "%s", text);
}

/* What systemd starts logs to its journal; else it is said on standard error, too. */
static void begin_log(void) {
    openlog("yonder", getenv("JOURNAL_STREAM") ? 0 : LOG_PERROR, LOG_DAEMON);
}

/* Nothing of it is paged out, and nothing else comes first, where that is allowed. */
static void begin_real_time(void) {
    const struct sched_param priority = {.sched_priority = PRIORITY};
    if (mlockall(MCL_CURRENT | MCL_FUTURE) != 0)
        syslog(LOG_NOTICE, "memory is not locked: %s", strerror(errno));
    if (sched_setscheduler(0, SCHED_FIFO, &priority) != 0)
        syslog(LOG_NOTICE, "no real-time priority: %s", strerror(errno));
}

/* ---- what runs ---- */

/* A profile is in a slot of a flash that is nowhere but in memory. */
static bool put_profile(session *session, unsigned slot) {
    slot_content content = {0};
    if (!slot_content_read(&content, session->options->profile, true))
        return false;
    yt_status status = yt_store_write(&session->file.store, slot, content.name, content.bytes,
                                      content.program_bytes, content.bytes + content.program_bytes,
                                      content.text_bytes);
    slot_content_free(&content);
    if (status != YT_OK)
        return refuse(session->options->profile, status_text(status));
    session->slot = slot;
    return true;
}

static bool open_store(session *session) {
    static const flash_options in_memory = {
        .path = "the adapter's memory", .sector_bytes = MEMORY_BYTES, .slots = 2};
    return session->options->profile
               ? flash_file_in_memory(&session->file, &in_memory) && put_profile(session, 0)
               : flash_file_open(&session->file, &session->options->flash, true);
}

/* The adapter is started once for each time that its store is opened. */
static bool reopen_store(session *session) {
    flash_file *file = &session->file;
    yt_status status = yt_store_open(&file->store, &file->port, file->slots, file->sectors,
                                     file->flash.facts.sectors);
    return status == YT_OK || refuse(file->options->path, status_text(status));
}

/* The profile was changed: the other slot takes it, and runs. What is wrong with it is said, and
 * the one before goes on. */
static void read_anew(session *session, uint64_t now_us) {
    is_asked_to_read = 0;
    if (!session->options->profile || !put_profile(session, 1 - session->slot))
        return;
    yt_status status = yt_adapter_go(&session->serving.adapter, session->slot, now_us);
    if (status != YT_OK)
        syslog(LOG_WARNING, "%s: %s", session->options->profile, status_text(status));
}

/* Whether the disk has room for the file once more; where that is not known, it has. */
static bool has_room(const session *session) {
    struct statvfs disk;
    char path[DOORS_PATH * 4];
    snprintf(path, sizeof path, "%s", session->options->flash.path);
    return statvfs(dirname(path), &disk) != 0 ||
           disk.f_bavail * disk.f_frsize > session->file.flash.size;
}

/* What could not be kept was said, once: it is tried again when there is room, and less and less
 * often where something else is wrong. */
static bool put_off(session *session, uint64_t now_us) {
    session->again_us = session->again_us ? 2 * session->again_us : AGAIN_US;
    if (session->again_us > AGAIN_AT_MOST_US)
        session->again_us = AGAIN_AT_MOST_US;
    session->save_at_us = now_us + (has_room(session) ? session->again_us : AGAIN_US);
    return false;
}

/* What is kept is in the file a moment later. */
static bool save(session *session, uint64_t now_us, bool at_once) {
    if (session->options->profile)
        return true;
    if (session->file.flash.operations == session->operations)
        session->changed_us = now_us;
    if (session->file.flash.operations == session->operations ||
        (!at_once && now_us - session->changed_us < SAVE_US))
        return true;
    if (!at_once && now_us < session->save_at_us)
        return true;
    if (!at_once && session->again_us && !has_room(session)) {
        session->save_at_us = now_us + AGAIN_US;
        return true;
    }
    if (!flash_file_save(&session->file))
        return put_off(session, now_us);
    if (session->again_us)
        syslog(LOG_NOTICE, "%s: now all of it is kept", session->options->flash.path);
    session->again_us = session->save_at_us = 0;
    session->operations = session->file.flash.operations;
    return true;
}

static void keep_bonds(void *context, const radio_bond *bonds) {
    session *session = context;
    memcpy(session->bonds, bonds, sizeof session->bonds);
    session->bonds_at_us = 0;
    session->has_new_bonds = session->options->bonds != NULL;
}

/* What could not be written was said; it is tried again now and then, and at the end. */
static bool save_bonds(session *session, uint64_t now_us, bool at_once) {
    if (!session->has_new_bonds || (!at_once && now_us < session->bonds_at_us))
        return true;
    session->has_new_bonds = !bonds_write(session->bonds, session->options->bonds);
    session->bonds_at_us = now_us + AGAIN_AT_MOST_US;
    return !session->has_new_bonds;
}

/* ---- the loop ---- */

/* A host that wants to change something waits for somebody who may send a signal: there is no
 * button here. */
static void take_press(session *session, uint64_t now_us) {
    const sim_link *linked = &session->serving.linked;
    if (is_pressed)
        serving_press(&session->serving, now_us);
    is_pressed = 0;
    if (linked->press_number != session->told_number && linked->press_number)
        syslog(LOG_NOTICE, "a host waits for a press; it shows %u: kill -USR1 %d",
               linked->press_number, (int)getpid());
    session->told_number = linked->press_number;
}

static struct timespec until(uint64_t next_us, uint64_t now_us, bool busy) {
    uint64_t wait_us = busy || next_us <= now_us ? 0 : next_us - now_us;
    if (wait_us > SAVE_US)
        wait_us = SAVE_US;
    return (struct timespec){.tv_nsec = (long)(wait_us * 1000)};
}

static bool go_on(session *session) {
    static struct pollfd polled[SERVING_POLLED + DOORS_POLLED];
    sigset_t none;
    bool good = true;
    sigemptyset(&none);
    while (good && !is_stopped() && !session->serving.linked.restarts) {
        uint64_t now_us = clock_us();
        if (is_asked_to_read)
            read_anew(session, now_us);
        take_press(session, now_us);
        uint64_t next_us = serving_turn(&session->serving, now_us, &good);
        bool busy = doors_serve(&session->doors, &session->serving.linked);
        (void)save(session, now_us, false);
        (void)save_bonds(session, now_us, false);
        unsigned count = serving_wait_for(&session->serving, polled);
        count += doors_wait_for(&session->doors, polled + count);
        struct timespec wait = until(next_us, clock_us(), busy);
        if (good && ppoll(polled, count, &wait, &none) < 0 && errno != EINTR)
            good = refuse("poll", strerror(errno));
    }
    return good;
}

/* Signals come only while it waits. */
static void hold_signals(void) {
    const struct sigaction reading = {.sa_handler = ask_to_read}, pressing = {.sa_handler = press};
    sigset_t held;
    sigemptyset(&held);
    sigaddset(&held, SIGTERM);
    sigaddset(&held, SIGINT);
    sigaddset(&held, SIGHUP);
    sigaddset(&held, SIGUSR1);
    sigprocmask(SIG_BLOCK, &held, NULL);
    stop_by_signals();
    sigaction(SIGHUP, &reading, NULL);
    sigaction(SIGUSR1, &pressing, NULL);
}

/* Of this machine, so that an adapter may have another one among its devices; it does not say which
 * machine that is. */
static const char *own_serial(void) {
    static char serial[24];
    char id[80] = "yonder serve ";
    FILE *file = fopen("/etc/machine-id", "r");
    if (!file || !fgets(id + strlen(id), 40, file))
        gethostname(id + strlen(id), 40);
    if (file)
        fclose(file);
    snprintf(serial, sizeof serial, "yonder-%08x", (unsigned)yt_checksum(0, id, strlen(id)));
    return serial;
}

static bool serve(session *session) {
    const options *options = session->options;
    char folder[DOORS_PATH];
    const serving_parts parts = {.store = &session->file.store,
                                 .identity = {.vendor = OUTPUT_VENDOR,
                                              .product = OUTPUT_PRODUCT,
                                              .manufacturer = "Yonder Thumb",
                                              .product_name = "Adapter",
                                              .serial = own_serial(),
                                              .packet_bytes = 64,
                                              .milliamperes = 100,
                                              .interval_ms = 1,
                                              .can_high_speed = true},
                                 .outputs = options->outputs.here ? SERVING_HERE : SERVING_GADGETS,
                                 .gadget = options->outputs.gadget,
                                 .folder = options->outputs.mounted,
                                 .controller = options->outputs.radio,
                                 .bonds = session->bonds,
                                 .context = session,
                                 .keep_bonds = keep_bonds,
                                 .may_grab = !options->shares,
                                 .is_linked = options->is_linked,
                                 .say = log_line};
    const char *at = options->at;
    if (!at && !place_for_now(folder, sizeof folder))
        return false;
    if (!at)
        at = place_of_sim(folder, sizeof folder);
    if (!doors_open(&session->doors, at))
        return refuse("the link", session->doors.error);
    hold_signals();
    begin_real_time();
    bool good, restarts;
    do {
        good = reopen_store(session) && serving_begin(&session->serving, &parts, clock_us());
        good = good && go_on(session);
        restarts = good && session->serving.linked.restarts;
        serving_end(&session->serving, clock_us());
        if (restarts)
            syslog(LOG_INFO, "begun anew, as a host asked");
    } while (restarts);
    doors_close(&session->doors);
    good = save_bonds(session, clock_us(), true) && good;
    return save(session, clock_us(), true) && good;
}

enum { OPTION_AT = OPTION_OWN, OPTION_SHARES, OPTION_BONDS, OPTION_LINKED };

static error_t parse(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    switch (key) {
    case ARGP_KEY_INIT:
        state->child_inputs[0] = &options->outputs;
        state->child_inputs[1] = &options->flash;
        return 0;
    case OPTION_AT:
        options->at = argument;
        return 0;
    case OPTION_BONDS:
        if (strcmp(argument, "-") == 0)
            argp_error(state, "--bonds takes a file: what is in it is secret");
        options->bonds = argument;
        return 0;
    case OPTION_LINKED:
        options->is_linked = true;
        return 0;
    case OPTION_SHARES:
        options->shares = true;
        return 0;
    case ARGP_KEY_ARG:
        if (options->profile)
            argp_error(state, "one profile at a time; --flash is for several");
        options->profile = argument;
        return 0;
    case ARGP_KEY_END:
        if (!options->profile == !options->flash.path)
            argp_error(state, "say which profile, or with --flash FILE what holds the slots");
        if (options->is_linked && options->outputs.here)
            argp_error(state, "--linked is for another host; this machine finds it by itself");
        if (options->bonds && options->outputs.radio < 0)
            argp_error(state, "--bonds is for hosts over Bluetooth; --radio says which controller");
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

int command_serve(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"shares", OPTION_SHARES, 0, 0,
         "this machine goes on seeing the devices, too; else it does not", 0},
        {"linked", OPTION_LINKED, 0, 0,
         "the host at connector 1 can configure the adapter, too, by an interface of its own", 0},
        {"bonds", OPTION_BONDS, "FILE", 0,
         "with --radio: where the hosts that were let in are kept; without, they are let in anew "
         "each time",
         0},
        {"at", OPTION_AT, "FOLDER", 0,
         "where other programs find it; where it is not given, other commands find it by "
         "themselves",
         0},
        {0}};
    static const struct argp_child children[] = {
        {&served_argp, 0, 0, 0}, {&flash_argp, 0, "The slots:", 1}, {0}};
    static const struct argp argp = {
        .options = known,
        .children = children,
        .parser = parse,
        .args_doc = "PROFILE\n--flash FILE",
        .doc =
            "Makes this machine an adapter: takes the devices that fit as they come and go, "
            "and is to hosts what the profile's outputs are.\vWhat another host sees comes out "
            "of a USB connector that can be a device; gadget-setup makes ready what it takes. "
            "SIGHUP reads the profile anew, SIGUSR1 is the press that a host waits for which wants "
            "to change something, SIGTERM lets go of all that is held and leaves."};
    static session session;
    options options = {0};
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    session.options = &options;
    session.file.flash.file = -1;
    begin_log();
    bool good = (!options.bonds || bonds_read(session.bonds, options.bonds)) &&
                open_store(&session) && serve(&session);
    flash_file_close(&session.file);
    return good ? 0 : 1;
}
