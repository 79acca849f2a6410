#include "tool/adapter_talk.h"

#include <poll.h>
#include <stdlib.h>
#include <string.h>

#include "tool/options.h"
#include "tool/tool.h"
#include "yonder/settings.h"

/* A request without more, and what is said when it is done. */
static bool ask_plainly(holder *holder, yonder_link_What what, const char *said) {
    yt_status status = linked_ask(&holder->linked, (link_message){.what = what});
    if (status != YT_OK)
        return holder_fail(holder, "", status);
    printf("%s\n", said);
    return true;
}

static bool unlock(holder *holder, const talk_options *options) {
    link_message ask = {.what = yonder_link_What_WHAT_UNLOCK};
    (void)options;
    yt_status status = linked_ask(&holder->linked, ask);
    if (status != YT_OK)
        return holder_fail(holder, "", status);
    if (!holder->linked.has_unlocked)
        printf("it is unlocked already\n");
    return true;
}

static bool lock(holder *holder, const talk_options *options) {
    (void)options;
    return ask_plainly(holder, yonder_link_What_WHAT_LOCK, "locked");
}

static bool restart(holder *holder, const talk_options *options) {
    (void)options;
    return ask_plainly(holder, yonder_link_What_WHAT_RESTART, "it restarts");
}

static bool bootloader(holder *holder, const talk_options *options) {
    (void)options;
    return ask_plainly(holder, yonder_link_What_WHAT_BOOTLOADER, "it restarts in the bootloader");
}

/* An event's lock, which nothing but a control held at plug-in ends. */
static bool event(holder *holder, const talk_options *options) {
    link_message ask = {.what = yonder_link_What_WHAT_SET, .index = YT_SETTING_EVENT, .value = 1};
    (void)options;
    yt_status status = linked_about(&holder->linked, yonder_link_Kind_KIND_SETTINGS, 0);
    if (status != YT_OK && status != YT_SLOT_EMPTY)
        return holder_fail(holder, "", status);
    ask.generation = status == YT_OK ? holder->linked.answer.generation : 0;
    status = linked_ask(&holder->linked, ask);
    if (status != YT_OK)
        return holder_fail(holder, "", status);
    printf("an event's lock is on: it stays over power-offs, and ends when the control that the "
           "adapter has for it is held at plug-in for five seconds\n");
    return true;
}

enum { TAKES_JSON = 1, TAKES_KEEP = 2, TAKES_FORCE = 4, TAKES_NOTCHES = 8, TAKES_FLASH = 16 };

static const struct {
    const char *name;
    unsigned least, most; /* words behind it */
    unsigned takes;
    talk_action *run;
    const char *usage;
} actions[] = {{"info", 0, 1, TAKES_JSON, talk_info, "[PROFILE]"},
               {"statistics", 0, 0, TAKES_JSON, talk_statistics, ""},
               {"parameters", 0, 0, TAKES_JSON, talk_parameters, ""},
               {"tune", 1, TALK_WORDS - 1, TAKES_KEEP, talk_tune, "NAME=VALUE..."},
               {"keep", 0, 0, 0, talk_keep, ""},
               {"calibrate", 1, 1, TAKES_NOTCHES, talk_calibrate, "INPUT.PART"},
               {"backup", 1, 1, TAKES_FORCE | TAKES_FLASH, talk_backup, "FILE"},
               {"restore", 1, 1, TAKES_FLASH, talk_restore, "FILE"},
               {"digest", 0, 1, TAKES_JSON | TAKES_FLASH, talk_digest, "[FILE]"},
               {"lock", 0, 0, 0, lock, ""},
               {"unlock", 0, 0, 0, unlock, ""},
               {"event", 0, 0, 0, event, ""},
               {"restart", 0, 0, 0, restart, ""},
               {"bootloader", 0, 0, 0, bootloader, ""}};

#define ACTIONS (sizeof actions / sizeof actions[0])

const char talk_actions[] =
    "\ninfo [PROFILE]\nstatistics\nparameters\ntune NAME=VALUE...\nkeep\ncalibrate INPUT.PART\n"
    "backup FILE\nrestore FILE\ndigest [FILE]\nlock\nunlock\nevent\nrestart\nbootloader";

static size_t find(const char *word) {
    size_t i = 0;
    while (i < ACTIONS && strcmp(actions[i].name, word) != 0)
        i++;
    return i;
}

bool is_talk_action(const char *word) {
    return find(word) < ACTIONS;
}

void talk_check(struct argp_state *state, const talk_options *options) {
    const char *word = options->words[0];
    size_t at = find(word);
    if (at == ACTIONS) {
        const char *names[ACTIONS];
        for (size_t i = 0; i < ACTIONS; i++)
            names[i] = actions[i].name;
        unknown_word(state, "an adapter cannot", word, names, ACTIONS,
                     "; --help lists what it can");
    }
    unsigned takes = actions[at].takes, count = options->word_count - 1;
    if (count < actions[at].least || count > actions[at].most)
        argp_error(state, "it is: adapter %s %s", word, actions[at].usage);
    if ((options->json && !(takes & TAKES_JSON)) || (options->keeps && !(takes & TAKES_KEEP)) ||
        (options->force && !(takes & TAKES_FORCE)) ||
        (options->notches && !(takes & TAKES_NOTCHES)))
        argp_error(state, "%s has no use for one of these options", word);
    if (options->holder.flash.path && !(takes & TAKES_FLASH))
        argp_error(state,
                   "%s is for an adapter that is there, not for a file; yonder sim plugs "
                   "one in that has its flash in a file",
                   word);
}

bool talk(const talk_options *options) {
    static holder holder;
    if (!holder_open(&holder, &options->holder, false))
        return false;
    bool good = actions[find(options->words[0])].run(&holder, options);
    good = good && holder_save(&holder);
    holder_close(&holder);
    return good;
}
