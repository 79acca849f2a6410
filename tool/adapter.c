/* An adapter is plugged in: what is in its flash runs, and recordings are played through it. */
#include <argp.h>
#include <inttypes.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/messages/status_text.h"
#include "tool/adapter_talk.h"
#include "tool/options.h"
#include "tool/plugs.h"
#include "tool/slots.h"

#define HELD 16

typedef struct options {
    talk_options talk; /* with an adapter that is there, where there are words */
    played_options played;
    uint32_t held[HELD];
    unsigned held_count;
    int position; /* of the slot switch, from 0 on; -1: there is none */
    bool changes;
} options;

/* What ran for a while, and what changed meanwhile. */
typedef struct stretch {
    uint64_t begins_us;
    unsigned slot;
    uint32_t colour;
    unsigned percent;
    uint64_t last_us, first_us; /* of reports out: the last before, and the first in it */
    change_list changes;
    struct stretch *next;
} stretch;

typedef struct adapter {
    flash_file file;
    uint8_t settings[YT_SETTINGS_BYTES];
    size_t settings_bytes;
    recording recordings[YT_DEVICES];
    sim_plug plugs[YT_DEVICES];
    unsigned plug_count;
    simulation simulation;
    stretch *first, *now;
    profile profiles[YT_STORE_SLOTS];
    bool has_profile[YT_STORE_SLOTS], has_none[YT_STORE_SLOTS];
    uint64_t report_us; /* of the last one out; YT_NEVER: there was none yet */
} adapter;

static void begin_stretch(adapter *adapter, uint64_t time_us) {
    stretch *stretch = calloc(1, sizeof *stretch);
    if (!stretch)
        abort();
    stretch->begins_us = time_us;
    stretch->slot = YT_NO_SLOT;
    stretch->last_us = adapter->report_us;
    stretch->first_us = YT_NEVER;
    change_list *before = adapter->now ? &adapter->now->changes : NULL;
    size_t count = before ? before->count : 0;
    while (count > 0 && before->list[count - 1].time_us > time_us)
        count--; /* what comes in is known before its time */
    for (size_t i = count; before && i < before->count; i++)
        change_list_add(&stretch->changes, &before->list[i]);
    if (before)
        before->count = count;
    if (adapter->now)
        adapter->now->next = stretch;
    else
        adapter->first = stretch;
    adapter->now = stretch;
}

static void note_light(void *context, uint64_t time_us, unsigned slot, uint32_t colour,
                       unsigned percent) {
    adapter *adapter = context;
    if (adapter->now && adapter->now->slot == slot)
        return; /* a pulse */
    begin_stretch(adapter, time_us);
    adapter->now->slot = slot;
    adapter->now->colour = colour;
    adapter->now->percent = percent;
}

static void note_change(void *context, const sim_change *change) {
    adapter *adapter = context;
    if (adapter->now)
        change_list_add(&adapter->now->changes, change);
}

static void note_taken(void *context, unsigned interface, uint64_t time_us, const uint8_t *bytes,
                       size_t size) {
    adapter *adapter = context;
    (void)interface, (void)bytes, (void)size;
    adapter->report_us = time_us;
    if (adapter->now && adapter->now->first_us == YT_NEVER)
        adapter->now->first_us = time_us;
}

/* The profile that a slot was made from, for the names of its controls; NULL: there is none. */
static const profile *profile_of(adapter *adapter, unsigned slot) {
    slot_content content;
    holder holder;
    if (slot >= YT_STORE_SLOTS || adapter->has_none[slot])
        return NULL;
    holder_of_file(&holder, &adapter->file);
    if (!adapter->has_profile[slot] && slot_content_fetch(&content, &holder, slot)) {
        adapter->has_profile[slot] = slot_profile_open(&adapter->profiles[slot], &content);
        slot_content_free(&content);
    }
    adapter->has_none[slot] = !adapter->has_profile[slot];
    return adapter->has_profile[slot] ? &adapter->profiles[slot] : NULL;
}

static void print_gap(const stretch *stretch) {
    if (stretch->begins_us == 0 || stretch->first_us == YT_NEVER)
        return;
    printf("              the host took its next report %.1f ms later",
           (double)(stretch->first_us - stretch->begins_us) / 1e3);
    if (stretch->last_us != YT_NEVER)
        printf("; the one before, %.1f ms earlier",
               (double)(stretch->begins_us - stretch->last_us) / 1e3);
    putchar('\n');
}

static bool print_stretch(adapter *adapter, stretch *stretch, const options *options) {
    yt_slot info = {0};
    printf("%12.6f  ", (double)stretch->begins_us / 1e6);
    if (stretch->slot == YT_NO_SLOT)
        printf("the adapter's own program runs");
    else if (yt_store_slot(&adapter->file.store, stretch->slot, &info) == YT_OK)
        printf("slot %u runs, \"%s\"", stretch->slot + 1, info.name);
    printf("; its light is #%06x at %u %%\n", stretch->colour, stretch->percent);
    print_gap(stretch);
    if (!options->changes)
        return true;
    const profile *profile = profile_of(adapter, stretch->slot);
    change_list_sort(&stretch->changes);
    if (profile)
        print_changes(stdout, profile, adapter->plugs, &stretch->changes);
    return profile != NULL;
}

static bool plug_in(adapter *adapter, const options *options) {
    for (unsigned i = 0; i < options->played.input_count; i++) {
        recording *recording = &adapter->recordings[i];
        if (!recording_read(recording, options->played.inputs[i])) {
            fprintf(stderr, "%s\n", recording->error);
            return false;
        }
        adapter->plugs[adapter->plug_count++] = (sim_plug){YT_ANY_INPUT, recording};
    }
    return true;
}

static void print_name(const adapter *adapter) {
    char name[YT_SETTINGS_TEXT + 1];
    yt_settings_text(adapter->settings, adapter->settings_bytes, YT_SETTING_NAME, name);
    if (*name)
        printf("the adapter is \"%s\"\n", name);
}

static uint64_t poll_of(const adapter *adapter, const options *options) {
    if (options->played.has_poll)
        return options->played.poll_us;
    return yt_settings_number(adapter->settings, adapter->settings_bytes, YT_SETTING_POLL, 0) *
           1000u;
}

static bool run(adapter *adapter, const options *options) {
    const sim_observer observer = {
        .context = adapter, .change = note_change, .taken = note_taken, .light = note_light};
    const sim_slots slots = {.store = &adapter->file.store,
                             .plugged_in = {options->held, options->held_count, options->position}};
    yt_status status = yt_store_settings(&adapter->file.store, adapter->settings,
                                         sizeof adapter->settings, &adapter->settings_bytes);
    if (status != YT_OK)
        adapter->settings_bytes = 0;
    const sim_timing timing = {.poll_us = poll_of(adapter, options),
                               .limit = options->played.limit};
    if (!simulation_begin_slots(&adapter->simulation, &slots, adapter->plugs, adapter->plug_count,
                                timing, observer, &status)) {
        fprintf(stderr, "%s\n", adapter->simulation.error);
        return false;
    }
    if (status != YT_OK) {
        fprintf(stderr, "%s: the slot to start with cannot run: %s\n",
                options->talk.holder.flash.path, status_text(status));
        return false;
    }
    if (!simulation_run(&adapter->simulation) &&
        !limit_reached(&adapter->simulation, options->talk.holder.flash.path))
        return false;
    bool good = true;
    print_name(adapter);
    for (stretch *at = adapter->first; at; at = at->next)
        good &= print_stretch(adapter, at, options);
    fflush(stdout);
    fprintf(stderr, "%" PRIu64 " reports in, %" PRIu64 " reports out; hosts poll every %g ms\n",
            adapter->simulation.reports_in, adapter->simulation.reports_out,
            (double)timing.poll_us / 1000);
    return good;
}

static void end(adapter *adapter) {
    simulation_end(&adapter->simulation);
    flash_file_close(&adapter->file);
    for (unsigned i = 0; i < YT_DEVICES; i++)
        recording_free(&adapter->recordings[i]);
    for (unsigned i = 0; i < YT_STORE_SLOTS; i++)
        if (adapter->has_profile[i])
            profile_close(&adapter->profiles[i]);
    while (adapter->first) {
        stretch *next = adapter->first->next;
        change_list_free(&adapter->first->changes);
        free(adapter->first);
        adapter->first = next;
    }
}

enum { OPTION_HOLD = OPTION_OWN, OPTION_POSITION, OPTION_CHANGES, OPTION_KEEP, OPTION_NOTCHES };

static error_t parse(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    switch (key) {
    case ARGP_KEY_INIT:
        state->child_inputs[0] = &options->played;
        state->child_inputs[1] = &options->talk.holder;
        options->position = -1;
        return 0;
    case OPTION_HOLD:
        if (options->held_count == HELD)
            argp_error(state, "at most %d controls are held", HELD);
        if (!held_control(argument, strlen(argument), &options->held[options->held_count++]))
            argp_error(state,
                       "--hold takes a control, such as f1, button3 or consumer.mute, not \"%s\"",
                       argument);
        return 0;
    case OPTION_POSITION:
        options->position = (int)number_argument(state, "--position", argument, 1, 16) - 1;
        return 0;
    case OPTION_CHANGES:
        options->changes = true;
        return 0;
    case 'j':
        options->talk.json = true;
        return 0;
    case 'f':
        options->talk.force = true;
        return 0;
    case OPTION_KEEP:
        options->talk.keeps = true;
        return 0;
    case OPTION_NOTCHES:
        options->talk.notches = number_argument(state, "--notches", argument, 4, 16);
        return 0;
    case ARGP_KEY_ARG:
        if (options->talk.word_count == TALK_WORDS)
            argp_error(state, "too many words");
        options->talk.words[options->talk.word_count++] = argument;
        return 0;
    case ARGP_KEY_END:
        if (options->talk.word_count > 0) {
            talk_check(state, &options->talk);
            if (options->played.input_count || options->held_count || options->position >= 0 ||
                options->changes)
                argp_error(state,
                           "%s plays nothing: leave out --in, --hold, --position and "
                           "--changes",
                           options->talk.words[0]);
            return 0;
        }
        if (options->talk.holder.at || options->talk.json || options->talk.force ||
            options->talk.keeps || options->talk.notches)
            argp_error(state, "say what to do with the adapter; --help lists it");
        flash_check(state, &options->talk.holder.flash);
        played_by_slots_check(state, &options->played);
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

int command_adapter(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"hold", OPTION_HOLD, "CONTROL", 0,
         "hold a control while it is plugged in, such as f1 or button3; may be given several times",
         0},
        {"position", OPTION_POSITION, "N", 0, "of its slot switch, from 1", 0},
        {"changes", OPTION_CHANGES, 0, 0, "show each change that came in or went out", 0},
        {"json", 'j', 0, 0, "info, statistics, parameters, digest: as JSON", 0},
        {"keep", OPTION_KEEP, 0, 0, "tune: keep it, too", 0},
        {"notches", OPTION_NOTCHES, "N", 0, "calibrate: of a stick's gate, 4 to 16", 0},
        {"force", 'f', 0, 0, "backup: replace a file that is there", 0},
        {0}};
    static const struct argp_child children[] = {
        {&played_argp, 0, 0, 0}, {&holder_argp, 0, "The adapter:", 1}, {0}};
    static const struct argp argp = {
        .options = known,
        .children = children,
        .parser = parse,
        .args_doc = talk_actions,
        .doc =
            "Talks with an adapter that is there; or, with no word but --flash FILE, plugs a "
            "simulated one in and plays recordings through what is in its slots, as its settings "
            "say.\vinfo says what it is, and of a profile whether it would run there. tune changes "
            "parameters of what runs until the next start, keep keeps them as they are. calibrate "
            "finds out how a stick, a trigger or a gyro moves that is plugged into the adapter. "
            "backup saves everything that it keeps, restore puts it back, and digest compares it "
            "with such a file, or tells the SHA-256 of each thing. event locks it until a control "
            "is held at plug-in.\n\n"
            "Playing shows which slot runs when, what its light tells, and how "
            "long the host got nothing when it changed. What the adapter keeps in play is in "
            "its flash afterwards. Hosts poll as the settings say, or --poll."};
    options options = {0};
    adapter *adapter = calloc(1, sizeof *adapter);
    if (!adapter)
        return 1;
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    if (options.talk.word_count > 0) {
        free(adapter);
        return talk(&options.talk) ? 0 : 1;
    }
    adapter->report_us = YT_NEVER;
    adapter->file.flash.file = -1;
    bool good = flash_file_open(&adapter->file, &options.talk.holder.flash, false) &&
                plug_in(adapter, &options) && run(adapter, &options) &&
                flash_file_save(&adapter->file);
    end(adapter);
    free(adapter);
    return good ? 0 : 1;
}
