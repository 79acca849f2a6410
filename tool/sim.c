/* A simulated adapter that stays plugged in, in real time, and serves other programs. */
#include <argp.h>
#include <errno.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <termios.h>
#include <time.h>
#include <unistd.h>

#include "compiler/messages/status_text.h"
#include "ports/linux/usbip_server.h"
#include "ports/sim/doors.h"
#include "tool/options.h"
#include "tool/output.h"
#include "tool/places.h"
#include "tool/sim_panel.h"
#include "tool/slots.h"

#define SAVE_US      20000 /* so long after a change it is in the file */
#define EVENT_HOLD_S 5     /* that the control which ends an event is held */
#define REST_MS      20    /* where nothing is due */

#define SCRIPT_STEP_US 10000
#define USUAL_COLUMNS  16
#define USUAL_LINES    2
#define USUAL_BUTTONS  4

typedef struct options {
    flash_options flash;
    played_options played;
    const char *folder;
    bool again, when_idle;
    unsigned port;                    /* of USB/IP; 0: no host comes by it */
    unsigned columns, lines, buttons; /* of the panel; 0: there is none */
    const char *presses;              /* a script */
} options;

typedef struct serving {
    const options *options;
    flash_file file;
    recording recordings[YT_DEVICES];
    sim_plug plugs[YT_DEVICES];
    simulation simulation;
    sim_link linked;
    doors doors;
    yt_usb_feature feature;
    yt_usb_identity identity;
    usbip_server cable; /* to a real host */
    uint64_t cable_us;  /* when it is to be looked at next */
    bool is_plugged_in, leaves;
    uint64_t begun_us;   /* when it was plugged in, by the system's clock */
    uint64_t operations; /* of the flash, that are in the file */
    uint64_t changed_us;
    unsigned told_number, told_slot;
    struct termios terminal; /* as it was */
    bool has_terminal;
    sim_panel panel;
    sim_panel_view view;
    uint64_t script_us; /* of a script: how far it is, since it was plugged in */
} serving;

static volatile sig_atomic_t is_asked_to_leave;

static void ask_to_leave(int signal) {
    (void)signal;
    is_asked_to_leave = 1;
}

static uint64_t clock_us(void) {
    struct timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    return (uint64_t)now.tv_sec * 1000000u + (uint64_t)now.tv_nsec / 1000u;
}

/* ---- plugged in, and pulled out ---- */

static void say(serving *serving, const char *text) {
    if (serving->panel.is_drawn) {
        sim_panel_tell(&serving->view, text);
        return;
    }
    printf("%s\n", text);
    fflush(stdout);
}

/* A real host sees it as a USB device, with the link's interface behind those of the program. */
static bool plug_into_host(serving *serving) {
    if (!serving->options->port)
        return true;
    serving->feature = yt_link_on_usb(&serving->linked.link);
    serving->identity = (yt_usb_identity){.vendor = OUTPUT_VENDOR,
                                          .product = OUTPUT_PRODUCT,
                                          .manufacturer = "Yonder Thumb",
                                          .product_name = "Simulated adapter",
                                          .serial = "sim",
                                          .packet_bytes = 64,
                                          .milliamperes = 100,
                                          .interval_ms = 1,
                                          .feature = &serving->feature};
    serving->simulation.loop.elsewhere = true;
    int error = usbip_server_begin(&serving->cable, serving->options->port,
                                   &serving->simulation.engine, &serving->identity, 1);
    return error == 0 || refuse("USB/IP", strerror(error));
}

static bool plug_in(serving *serving, yt_plugged_in plugged_in) {
    const options *options = serving->options;
    uint8_t settings[YT_SETTINGS_BYTES];
    size_t size;
    yt_status status;
    nor_power_on(&serving->file.flash);
    status = yt_store_open(&serving->file.store, &serving->file.port, serving->file.slots,
                           serving->file.sectors, serving->file.flash.facts.sectors);
    if (status != YT_OK)
        return refuse(options->flash.path, status_text(status));
    if (yt_store_settings(&serving->file.store, settings, sizeof settings, &size) != YT_OK)
        size = 0;
    const sim_slots slots = {
        .store = &serving->file.store, .plugged_in = plugged_in, .again = options->again};
    const sim_timing timing = {
        .poll_us = options->played.has_poll
                       ? options->played.poll_us
                       : yt_settings_number(settings, size, YT_SETTING_POLL, 0) * 1000u};
    if (!simulation_begin_slots(&serving->simulation, &slots, serving->plugs,
                                options->played.input_count, timing, (sim_observer){0}, &status))
        return refuse(options->flash.path, serving->simulation.error);
    sim_link_begin(&serving->linked, &serving->simulation);
    serving->linked.last_error = status == YT_SLOT_EMPTY ? YT_OK : status;
    serving->simulation.may_erase = !options->when_idle;
    sim_panel_plug_in(&serving->panel, &serving->simulation, &serving->linked);
    if (!plug_into_host(serving))
        return false;
    serving->begun_us = clock_us();
    serving->script_us = 0;
    serving->is_plugged_in = true;
    serving->told_slot = YT_NO_SLOT + 1;
    return true;
}

/* What is in the flash is in the file, too. */
static bool save(serving *serving) {
    flash_file *file = &serving->file;
    if (file->flash.operations == serving->operations && file->before)
        return true;
    if (!flash_file_save(file))
        return false;
    serving->operations = file->flash.operations;
    return true;
}

static bool pull_out(serving *serving) {
    usbip_server_end(&serving->cable);
    if (serving->is_plugged_in)
        simulation_end(&serving->simulation);
    serving->is_plugged_in = false;
    return save(serving);
}

static bool plug_in_anew(serving *serving, bool ends_event) {
    static const yt_plugged_in alone = {.position = -1};
    if (!pull_out(serving) || !plug_in(serving, alone))
        return false;
    if (ends_event) {
        yt_status status = yt_adapter_end_event(&serving->simulation.adapter);
        if (status != YT_OK)
            return refuse(serving->options->flash.path, status_text(status));
    }
    return true;
}

/* ---- keys ---- */

static bool take_key(serving *serving, int key) {
    if (serving->is_plugged_in &&
        sim_panel_key(&serving->panel, key, serving->simulation.loop.now_us))
        return true;
    switch (key) {
    case ' ':
    case 'p':
        if (serving->is_plugged_in)
            sim_link_press(&serving->linked, serving->simulation.loop.now_us);
        say(serving, "pressed");
        return true;
    case 'h':
        serving->linked.is_held = !serving->linked.is_held;
        say(serving, serving->linked.is_held ? "held" : "let go");
        return true;
    case 'u':
        say(serving, "plugged in anew");
        return plug_in_anew(serving, false);
    case 'e':
        say(serving,
            "plugged in anew, with the control that ends an event's lock held for five seconds");
        return plug_in_anew(serving, true);
    case 'q':
        serving->leaves = true;
        return true;
    default:
        return true;
    }
}

static bool take_keys(serving *serving, bool *is_open) {
    char keys[64];
    if (serving->panel.is_drawn) {
        for (int key; (key = sim_panel_read()) >= 0;)
            if (!take_key(serving, key))
                return false;
        return true;
    }
    ssize_t size = read(STDIN_FILENO, keys, sizeof keys);
    if (size <= 0)
        *is_open = size < 0 && (errno == EINTR || errno == EAGAIN);
    for (ssize_t i = 0; i < size; i++)
        if (!take_key(serving, keys[i]))
            return false;
    return true;
}

static bool begin_keys(serving *serving) {
    struct termios raw;
    if (serving->panel.columns && isatty(STDIN_FILENO) && isatty(STDOUT_FILENO))
        return sim_panel_open(&serving->panel, &serving->view);
    if (tcgetattr(STDIN_FILENO, &serving->terminal) != 0)
        return true;
    raw = serving->terminal;
    raw.c_lflag &= (tcflag_t) ~(ICANON | ECHO);
    serving->has_terminal = tcsetattr(STDIN_FILENO, TCSANOW, &raw) == 0;
    return true;
}

static void end_keys(const serving *serving) {
    if (serving->panel.is_drawn)
        sim_panel_close();
    if (serving->has_terminal)
        tcsetattr(STDIN_FILENO, TCSANOW, &serving->terminal);
}

/* ---- what happens ---- */

static void tell_press(serving *serving) {
    unsigned number = serving->linked.press_number;
    if (number == serving->told_number)
        return;
    serving->told_number = number;
    sim_panel_wants_press(&serving->panel, number, serving->simulation.loop.now_us);
    char text[80];
    snprintf(text, sizeof text, "a host waits for a press: it shows %u", number);
    if (number)
        say(serving, text);
}

static void tell_slot(serving *serving) {
    unsigned slot = yt_adapter_slot(&serving->simulation.adapter);
    yt_slot info;
    if (slot == serving->told_slot)
        return;
    serving->told_slot = slot;
    char text[120] = "nothing runs";
    if (slot != YT_NO_SLOT && yt_store_slot(&serving->file.store, slot, &info) == YT_OK)
        snprintf(text, sizeof text, "slot %u runs, \"%s\"", slot + 1, info.name);
    say(serving, text);
}

static bool carry_out_restart(serving *serving) {
    bool by_menu = serving->panel.columns && serving->panel.menu.restarts >= 0;
    bool to_bootloader = by_menu ? serving->panel.menu.restarts == YT_MENU_RESTARTS_IN_BOOTLOADER
                                 : serving->linked.to_bootloader;
    if (!serving->linked.restarts && !by_menu)
        return true;
    if (!to_bootloader) {
        say(serving, !by_menu ? "restarted by a host"
                     : serving->panel.menu.restarts == YT_MENU_RESTARTS_IN_SETUP
                         ? "restarted by its menu, in setup mode"
                         : "restarted by its menu");
        return plug_in_anew(serving, false);
    }
    say(serving, "in the bootloader, where nobody is served: u plugs it in anew");
    serving->panel.menu.restarts = -1;
    return pull_out(serving);
}

/* How long nothing needs to be looked at. */
static int rest_ms(const serving *serving, bool busy) {
    const loop *loop = &serving->simulation.loop;
    if (busy)
        return 0;
    if (!serving->is_plugged_in)
        return REST_MS;
    uint64_t now_us = clock_us() - serving->begun_us, until_us = now_us + REST_MS * 1000u;
    if (serving->cable_us < until_us)
        until_us = serving->cable_us;
    if (loop->due_us < until_us)
        until_us = loop->due_us;
    if (loop->has_waiting && loop->waiting.time_us < until_us)
        until_us = loop->waiting.time_us;
    return until_us > now_us ? (int)((until_us - now_us + 999) / 1000) : 0;
}

/* A turn of the adapter, and all that hosts ask of it. */
static bool turn(serving *serving, bool *busy) {
    *busy = false;
    if (!serving->is_plugged_in)
        return true;
    uint64_t before_us = clock_us();
    simulation_go_on(&serving->simulation, before_us - serving->begun_us);
    uint64_t took_us = clock_us() - before_us;
    if (took_us > serving->linked.worst_us)
        serving->linked.worst_us = (uint32_t)took_us;
    serving->cable_us = usbip_server_serve(&serving->cable, before_us - serving->begun_us);
    *busy = doors_serve(&serving->doors, &serving->linked);
    sim_panel_go_on(&serving->panel, serving->simulation.loop.now_us);
    tell_press(serving);
    tell_slot(serving);
    if (serving->panel.is_drawn)
        sim_panel_draw(&serving->panel, &serving->view);
    if (serving->file.flash.operations == serving->operations)
        serving->changed_us = before_us;
    if (before_us - serving->changed_us >= SAVE_US && !save(serving))
        return false;
    return carry_out_restart(serving);
}

static bool serve(serving *serving) {
    struct pollfd polled[DOORS_POLLED + USBIP_POLLED + 1];
    bool has_keys = true, busy = true;
    while (!serving->leaves && !is_asked_to_leave) {
        unsigned count = serving->is_plugged_in ? doors_wait_for(&serving->doors, polled) : 0;
        count += usbip_server_wait_for(&serving->cable, polled + count);
        if (has_keys)
            polled[count++] = (struct pollfd){STDIN_FILENO, POLLIN, 0};
        if (poll(polled, count, rest_ms(serving, busy)) < 0 && errno != EINTR)
            return refuse("poll", strerror(errno));
        if (has_keys && polled[count - 1].revents && !take_keys(serving, &has_keys))
            return false;
        if (!turn(serving, &busy))
            return false;
    }
    return true;
}

static bool read_recordings(serving *serving) {
    const played_options *played = &serving->options->played;
    for (unsigned i = 0; i < played->input_count; i++) {
        if (!recording_read(&serving->recordings[i], played->inputs[i]))
            return refuse(played->inputs[i], serving->recordings[i].error);
        serving->plugs[i] = (sim_plug){YT_ANY_INPUT, &serving->recordings[i]};
    }
    return true;
}

static void tell_doors(serving *serving) {
    char text[DOORS_PATH + 40];
    snprintf(text, sizeof text, "%s is plugged in; programs talk to it at",
             serving->options->flash.path);
    say(serving, text);
    for (unsigned i = 0; i < DOORS; i++) {
        snprintf(text, sizeof text, "  %s", serving->doors.door[i].path);
        say(serving, text);
    }
    if (serving->has_terminal)
        printf("space: press  h: hold, let go  u: plug in anew  e: the same, and end an event  "
               "q: leave\n");
    fflush(stdout);
}

/* ---- a script, in time of its own ---- */

static bool let_time_go_by(void *context, uint64_t for_us) {
    serving *serving = context;
    uint64_t until_us = serving->script_us + for_us;
    while (serving->script_us < until_us && !is_asked_to_leave) {
        uint64_t left_us = until_us - serving->script_us;
        serving->script_us += left_us < SCRIPT_STEP_US ? left_us : SCRIPT_STEP_US;
        simulation_go_on(&serving->simulation, serving->script_us);
    }
    return !is_asked_to_leave;
}

static bool play_script(serving *serving, const char *path) {
    static sim_script script;
    bool good = sim_script_read(&script, path);
    for (unsigned i = 0; i < script.count && good; i++) {
        const sim_step *step = &script.steps[i];
        printf("%10.3f s  %s\n", (double)serving->script_us / 1e6, step->line);
        if (step->kind == STEP_POWER) /* it goes without a warning */
            good = plug_in_anew(serving, false) && let_time_go_by(serving, SCRIPT_STEP_US);
        else
            good = sim_script_do(&serving->panel, path, step, serving, let_time_go_by);
        tell_slot(serving);
        if (good && yt_menu_changed(&serving->panel.menu.menu))
            sim_panel_print(&serving->panel, "              ");
        good = good && carry_out_restart(serving);
    }
    sim_script_free(&script);
    return good;
}

/* ---- the call ---- */

enum {
    OPTION_AT = OPTION_OWN,
    OPTION_AGAIN,
    OPTION_WHEN_IDLE,
    OPTION_USBIP,
    OPTION_PANEL,
    OPTION_BUTTONS,
    OPTION_PRESSES
};

static error_t parse(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    switch (key) {
    case ARGP_KEY_INIT:
        state->child_inputs[0] = &options->played;
        state->child_inputs[1] = &options->flash;
        return 0;
    case OPTION_AT:
        options->folder = argument;
        return 0;
    case OPTION_AGAIN:
        options->again = true;
        return 0;
    case OPTION_USBIP:
        options->port =
            argument ? number_argument(state, "--usbip", argument, 1, 65535) : USBIP_PORT;
        return 0;
    case OPTION_WHEN_IDLE:
        options->when_idle = true;
        return 0;
    case ARGP_KEY_ARG:
        argp_error(state, "there is nothing to say but options: \"%s\"", argument);
        return 0;
    case OPTION_PANEL:
        options->columns = USUAL_COLUMNS;
        options->lines = USUAL_LINES;
        if (argument && !sim_panel_size(argument, &options->columns, &options->lines))
            argp_error(state,
                       "--panel takes columns and lines, 8x1 to 40x16, as in 16x2; \"%s\" is none",
                       argument);
        return 0;
    case OPTION_BUTTONS:
        options->buttons = number_argument(state, "--buttons", argument, 1, 6);
        return 0;
    case OPTION_PRESSES:
        options->presses = argument;
        return 0;
    case ARGP_KEY_END:
        if (!options->columns && (options->buttons || options->presses))
            argp_error(state, "--buttons and --presses are for --panel");
        if (options->presses && (options->folder || options->again || options->port))
            argp_error(state, "--presses plays in a time of its own, where no host comes: it goes "
                              "without --at, --again and --usbip");
        flash_check(state, &options->flash);
        played_by_slots_check(state, &options->played);
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

int command_sim(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"at", OPTION_AT, "FOLDER", 0,
         "where other programs find it; where it is not given, other commands find it by "
         "themselves",
         0},
        {"again", OPTION_AGAIN, 0, 0, "play the recordings over and over", 0},
        {"usbip", OPTION_USBIP, "PORT", OPTION_ARG_OPTIONAL,
         "a real host takes it by USB/IP, from this machine only, at port 3240 if not given: "
         "usbip attach -r 127.0.0.1 -b 1-1",
         0},
        {"panel", OPTION_PANEL, "SIZE", OPTION_ARG_OPTIONAL,
         "it has a display of so many columns and lines, 16x2 if not given, buttons, and a menu",
         0},
        {"buttons", OPTION_BUTTONS, "COUNT", 0, "of the panel: 1 to 6; 4 if not given", 0},
        {"presses", OPTION_PRESSES, "FILE", 0,
         "plays a script of presses on the panel, says what it shows, and leaves", 0},
        {"never-erase", OPTION_WHEN_IDLE, 0, 0,
         "as an adapter whose flash may not be erased while it is in use", 0},
        {0}};
    static const struct argp_child children[] = {
        {&played_argp, 0, 0, 0}, {&flash_argp, 0, "The adapter:", 1}, {0}};
    static const struct argp argp = {
        .options = known,
        .children = children,
        .parser = parse,
        .doc = "Plugs a simulated adapter in, which stays until you leave, and serves other "
               "programs by a pseudo-terminal and by sockets.\vKeys, or letters on standard input: "
               "space or p presses what the adapter has for it, h holds it or lets it go, u plugs "
               "the adapter in anew, e does so with the control held that ends an event's lock, q "
               "leaves. What it keeps is in the file a moment later."};
    options options = {0};
    serving *serving = calloc(1, sizeof *serving);
    char folder[DOORS_PATH];
    if (!serving)
        return 1;
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    serving->options = &options;
    serving->file.flash.file = -1;
    serving->panel.columns = options.columns;
    serving->panel.lines = options.lines;
    serving->panel.buttons = options.buttons ? options.buttons : USUAL_BUTTONS;
    serving->cable.listening = serving->cable.visitor = -1;
    serving->cable_us = YT_NEVER;
    signal(SIGTERM, ask_to_leave);
    signal(SIGINT, ask_to_leave);
    signal(SIGHUP, ask_to_leave);
    bool good = options.presses || options.folder || place_for_now(folder, sizeof folder);
    if (!options.folder && !options.presses)
        options.folder = place_of_sim(folder, sizeof folder);
    good = good && read_recordings(serving) &&
           flash_file_open(&serving->file, &options.flash, true) && save(serving) &&
           plug_in_anew(serving, false);
    if (good && options.presses) {
        good = play_script(serving, options.presses);
        good &= pull_out(serving);
    } else if (good) {
        good = doors_open(&serving->doors, options.folder);
        if (good) {
            good = begin_keys(serving);
            if (good) {
                tell_doors(serving);
                good = serve(serving);
            }
            end_keys(serving);
            doors_close(&serving->doors);
        } else {
            fprintf(stderr, "%s\n", serving->doors.error);
        }
        good &= pull_out(serving);
    }
    flash_file_close(&serving->file);
    for (unsigned i = 0; i < YT_DEVICES; i++)
        recording_free(&serving->recordings[i]);
    free(serving);
    return good ? 0 : 1;
}
