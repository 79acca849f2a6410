/* What an adapter says of itself, for people and as JSON. */
#include <string.h>

#include "compiler/messages/status_text.h"
#include "tool/adapter_talk.h"
#include "tool/json_text.h"
#include "tool/slots.h"
#include "tool/tool.h"
#include "yonder/abilities.h"
#include "yonder/groups.h"

static const char *const fact_names[] = {
#define YT_LINK_FACT(NAME, name, meaning) #name,
#include "yonder/facts.def"
};

static const char *const fact_meanings[] = {
#define YT_LINK_FACT(NAME, name, meaning) meaning,
#include "yonder/facts.def"
};

static const char *const accesses[] = {"locked", "unlocked", "open to anybody at the cable",
                                       "locked for an event"};

static const char *access_of(uint32_t access) {
    return access < 4 ? accesses[access] : "something that this command does not know";
}

/* The facts of a range, as one object. */
static json_t *facts_of(holder *holder, unsigned first, unsigned last) {
    json_t *facts = json_object();
    for (unsigned i = first; i <= last; i++)
        json_object_set_new(facts, fact_names[i],
                            json_integer(linked_fact(&holder->linked, (yonder_link_Fact)i)));
    return facts;
}

static uint32_t fact(holder *holder, yt_link_fact which) {
    return linked_fact(&holder->linked, (yonder_link_Fact)which);
}

static void list_groups(json_t *list, uint32_t bits) {
    for (unsigned i = 0; i < YT_GROUPS; i++)
        if (bits >> i & 1)
            json_array_append_new(list, json_string(yt_group_name(i)));
}

static void print_groups(const char *what, uint32_t bits) {
    printf("%-12s", what);
    for (unsigned i = 0; i < YT_GROUPS; i++)
        if (bits >> i & 1)
            printf(" %s", yt_group_name(i));
    putchar('\n');
}

/* Whether a profile would run there, said beforehand. */
static bool would_run(holder *holder, const char *path) {
    profile profile;
    if (!profile_open(&profile, path))
        return false;
    const yt_program_header *header = profile.compiled.program.header;
    uint32_t groups = fact(holder, YT_LINK_GROUPS), refused = fact(holder, YT_LINK_REFUSED);
    uint32_t room = fact(holder, YT_LINK_COPY_ROOM), version = fact(holder, YT_LINK_PROGRAM);
    unsigned wrong = 0;
    const yt_port port = {.version = YT_PORT_VERSION};
    size_t bytes = yt_engine_bytes(&profile.compiled.program, &port, 4);
    for (unsigned i = 0; i < YT_GROUPS; i++)
        if (header->groups & ~groups & 1u << i) {
            printf("will not run: it needs the functions of %s, which this firmware leaves out\n",
                   yt_group_name(i));
            wrong++;
        }
    for (unsigned i = 0; i < YT_ABILITY_COUNT; i++)
        if (header->abilities & refused & 1u << i) {
            printf("will not run: the adapter's settings refuse what is able to do %s\n",
                   yt_ability_name(i));
            wrong++;
        }
    if (header->version != version) {
        printf("will not run: the adapter runs programs of version %u, this is one of version %u\n",
               version, header->version);
        wrong++;
    }
    if (room > 0 && header->total_bytes > room) {
        printf("will not run: its program has %u bytes, of %u\n", header->total_bytes, room);
        wrong++;
    }
    if (bytes > fact(holder, YT_LINK_MEMORY)) {
        printf("will not run: it needs %zu bytes of memory before any device is there, of %u\n",
               bytes, fact(holder, YT_LINK_MEMORY));
        wrong++;
    }
    if (header->interface_count > fact(holder, YT_LINK_INTERFACES_MOST) ||
        header->report_count > fact(holder, YT_LINK_REPORTS_MOST)) {
        printf("will not run: it has %u interfaces and %u reports, of %u and %u\n",
               header->interface_count, header->report_count, fact(holder, YT_LINK_INTERFACES_MOST),
               fact(holder, YT_LINK_REPORTS_MOST));
        wrong++;
    }
    if (!wrong)
        printf("%s runs there\n", path);
    profile_close(&profile);
    return wrong == 0;
}

static json_t *slots_of(holder *holder) {
    json_t *slots = json_array();
    for (unsigned i = 0; i < holder->slots; i++) {
        yt_slot info;
        if (holder_slot(holder, i, &info) != YT_OK)
            continue;
        json_array_append_new(slots, slot_as_json(i, &info));
    }
    return slots;
}

static bool info_as_json(holder *holder, const char *build) {
    json_t *info = json_object(), *groups = json_array();
    json_object_set_new(info, "path", json_text(holder->path));
    json_object_set_new(info, "build_name", json_text(build));
    json_object_set_new(info, "facts", facts_of(holder, YT_LINK_PROTOCOL, YT_LINK_ACCESS));
    json_object_set_new(info, "limits", facts_of(holder, YT_LINK_MEMORY, YT_LINK_CALIBRATES));
    list_groups(groups, fact(holder, YT_LINK_GROUPS));
    json_object_set_new(info, "groups", groups);
    json_object_set_new(info, "contents", slots_of(holder));
    return json_print(info);
}

bool talk_info(holder *holder, const talk_options *options) {
    char build[YT_MESSAGE_NAME + 1];
    uint32_t number = fact(holder, YT_LINK_BUILD);
    snprintf(build, sizeof build, "%s", holder->linked.answer.name);
    if (options->word_count > 1)
        return would_run(holder, options->words[1]);
    if (options->json)
        return info_as_json(holder, build);
    uint32_t runs = fact(holder, YT_LINK_RUNS), room = fact(holder, YT_LINK_COPY_ROOM);
    link_message name = {.what = yonder_link_What_WHAT_SETTING, .index = YT_SETTING_NAME};
    printf("%-12s %s\n", "where", holder->path);
    if (linked_ask(&holder->linked, name) == YT_OK && holder->linked.answer.name[0])
        printf("%-12s %s\n", "name", holder->linked.answer.name);
    printf("%-12s %s, build %u\n", "firmware", build, number);
    printf("%-12s link %u, programs %u\n", "versions", fact(holder, YT_LINK_PROTOCOL),
           fact(holder, YT_LINK_PROGRAM));
    printf("%-12s %s\n", "access", access_of(fact(holder, YT_LINK_ACCESS)));
    printf("%-12s ", "runs");
    if (runs)
        printf("slot %u\n", runs);
    else
        printf("the firmware's own program, or nothing\n");
    printf("%-12s %u, and %u bytes of flash\n", "slots", holder->slots,
           fact(holder, YT_LINK_FLASH));
    printf("%-12s %u bytes for a program and its devices; ", "memory",
           fact(holder, YT_LINK_MEMORY));
    if (room)
        printf("a program has up to %u bytes\n", room);
    else
        printf("programs run where they stand\n");
    printf("%-12s %u devices, %u interfaces, %u reports\n", "at most",
           fact(holder, YT_LINK_DEVICES_MOST), fact(holder, YT_LINK_INTERFACES_MOST),
           fact(holder, YT_LINK_REPORTS_MOST));
    print_groups("functions", fact(holder, YT_LINK_GROUPS));
    return !holder->linked.has_failed;
}

static const yt_link_fact statistics[] = {
    YT_LINK_UPTIME, YT_LINK_REPORTS_IN,     YT_LINK_LOST,
    YT_LINK_SHORT,  YT_LINK_DROPPED,        YT_LINK_MERGED,
    YT_LINK_CUT,    YT_LINK_UNASKED,        YT_LINK_WORST_UPDATE,
    YT_LINK_ERASES, YT_LINK_FLASH_FAILURES, YT_LINK_MENDED,
    YT_LINK_DAMAGED};

bool talk_statistics(holder *holder, const talk_options *options) {
    json_t *all = json_object();
    for (size_t i = 0; i < sizeof statistics / sizeof statistics[0]; i++) {
        uint32_t number = fact(holder, statistics[i]);
        json_object_set_new(all, fact_names[statistics[i]], json_integer(number));
        if (!options->json)
            printf("%-16s %10u  %s\n", fact_names[statistics[i]], number,
                   fact_meanings[statistics[i]]);
    }
    uint32_t error = fact(holder, YT_LINK_LAST_ERROR);
    const char *text = error ? status_text((yt_status)error) : "nothing failed";
    json_object_set_new(all, fact_names[YT_LINK_LAST_ERROR], json_integer(error));
    if (options->json)
        return json_print(all) && !holder->linked.has_failed;
    printf("%-16s %10u  %s\n", fact_names[YT_LINK_LAST_ERROR], error, text);
    json_decref(all);
    return !holder->linked.has_failed;
}
