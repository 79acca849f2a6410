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

#define FACTS (sizeof fact_names / sizeof fact_names[0])

/* Reads those of a range. Nothing is told of an adapter that falls silent on the way: false, and
 * it is said already. */
static bool read_facts(holder *holder, uint32_t facts[FACTS], unsigned first, unsigned last) {
    for (unsigned i = first; i <= last; i++)
        facts[i] = linked_fact(&holder->linked, (yonder_link_Fact)i);
    return !holder->linked.has_failed;
}

/* A range of them, as one object. */
static json_t *facts_as_json(const uint32_t facts[FACTS], unsigned first, unsigned last) {
    json_t *object = json_object();
    for (unsigned i = first; i <= last; i++)
        json_object_set_new(object, fact_names[i], json_integer(facts[i]));
    return object;
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
static bool would_run(const uint32_t facts[FACTS], const char *path) {
    profile profile;
    if (!profile_open(&profile, path))
        return false;
    const yt_program_header *header = profile.compiled.program.header;
    uint32_t groups = facts[YT_LINK_GROUPS], refused = facts[YT_LINK_REFUSED];
    uint32_t room = facts[YT_LINK_COPY_ROOM], version = facts[YT_LINK_PROGRAM];
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
    if (bytes > facts[YT_LINK_MEMORY]) {
        printf("will not run: it needs %zu bytes of memory before any device is there, of %u\n",
               bytes, facts[YT_LINK_MEMORY]);
        wrong++;
    }
    if (header->interface_count > facts[YT_LINK_INTERFACES_MOST] ||
        header->report_count > facts[YT_LINK_REPORTS_MOST]) {
        printf("will not run: it has %u interfaces and %u reports, of %u and %u\n",
               header->interface_count, header->report_count, facts[YT_LINK_INTERFACES_MOST],
               facts[YT_LINK_REPORTS_MOST]);
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

static bool info_as_json(holder *holder, const uint32_t facts[FACTS], const char *build) {
    json_t *info = json_object(), *groups = json_array();
    json_object_set_new(info, "path", json_text(holder->path));
    json_object_set_new(info, "build_name", json_text(build));
    json_object_set_new(info, "facts", facts_as_json(facts, YT_LINK_PROTOCOL, YT_LINK_ACCESS));
    json_object_set_new(info, "limits", facts_as_json(facts, YT_LINK_MEMORY, YT_LINK_CALIBRATES));
    list_groups(groups, facts[YT_LINK_GROUPS]);
    json_object_set_new(info, "groups", groups);
    json_object_set_new(info, "contents", slots_of(holder));
    if (holder->linked.has_failed) {
        json_decref(info);
        return false;
    }
    return json_print(info);
}

static void print_info(const holder *holder, const uint32_t facts[FACTS], const char *build,
                       const char *name) {
    printf("%-12s %s\n", "where", holder->path);
    if (name[0])
        printf("%-12s %s\n", "name", name);
    printf("%-12s %s, build %u\n", "firmware", build, facts[YT_LINK_BUILD]);
    printf("%-12s link %u, programs %u\n", "versions", facts[YT_LINK_PROTOCOL],
           facts[YT_LINK_PROGRAM]);
    printf("%-12s %s\n", "access", access_of(facts[YT_LINK_ACCESS]));
    printf("%-12s ", "runs");
    if (facts[YT_LINK_RUNS])
        printf("slot %u\n", facts[YT_LINK_RUNS]);
    else
        printf("the firmware's own program, or nothing\n");
    printf("%-12s %u, and %u bytes of flash\n", "slots", holder->slots, facts[YT_LINK_FLASH]);
    printf("%-12s %u bytes for a program and its devices; ", "memory", facts[YT_LINK_MEMORY]);
    if (facts[YT_LINK_COPY_ROOM])
        printf("a program has up to %u bytes\n", facts[YT_LINK_COPY_ROOM]);
    else
        printf("programs run where they stand\n");
    printf("%-12s %u devices, %u interfaces, %u reports\n", "at most", facts[YT_LINK_DEVICES_MOST],
           facts[YT_LINK_INTERFACES_MOST], facts[YT_LINK_REPORTS_MOST]);
    print_groups("functions", facts[YT_LINK_GROUPS]);
}

bool talk_info(holder *holder, const talk_options *options) {
    uint32_t facts[FACTS];
    char build[YT_MESSAGE_NAME + 1], name[YT_MESSAGE_NAME + 1] = "";
    linked_fact(&holder->linked, yonder_link_Fact_FACT_BUILD);
    snprintf(build, sizeof build, "%s", holder->linked.answer.name);
    if (!read_facts(holder, facts, YT_LINK_PROTOCOL, YT_LINK_ACCESS) ||
        !read_facts(holder, facts, YT_LINK_MEMORY, YT_LINK_CALIBRATES))
        return false;
    if (options->word_count > 1)
        return would_run(facts, options->words[1]);
    if (options->json)
        return info_as_json(holder, facts, build);
    link_message ask = {.what = yonder_link_What_WHAT_SETTING, .index = YT_SETTING_NAME};
    if (linked_ask(&holder->linked, ask) == YT_OK)
        snprintf(name, sizeof name, "%s", holder->linked.answer.name);
    if (holder->linked.has_failed)
        return false;
    print_info(holder, facts, build, name);
    return true;
}

static const yt_link_fact statistics[] = {
    YT_LINK_UPTIME, YT_LINK_REPORTS_IN,     YT_LINK_LOST,
    YT_LINK_SHORT,  YT_LINK_DROPPED,        YT_LINK_MERGED,
    YT_LINK_CUT,    YT_LINK_UNASKED,        YT_LINK_WORST_UPDATE,
    YT_LINK_ERASES, YT_LINK_FLASH_FAILURES, YT_LINK_MENDED,
    YT_LINK_DAMAGED};

bool talk_statistics(holder *holder, const talk_options *options) {
    uint32_t facts[FACTS];
    if (!read_facts(holder, facts, YT_LINK_UPTIME, YT_LINK_DROPPED) ||
        !read_facts(holder, facts, YT_LINK_REPORTS_IN, YT_LINK_DAMAGED))
        return false;
    json_t *all = json_object();
    for (size_t i = 0; i < sizeof statistics / sizeof statistics[0]; i++) {
        yt_link_fact which = statistics[i];
        json_object_set_new(all, fact_names[which], json_integer(facts[which]));
        if (!options->json)
            printf("%-16s %10u  %s\n", fact_names[which], facts[which], fact_meanings[which]);
    }
    uint32_t error = facts[YT_LINK_LAST_ERROR];
    const char *text = error ? status_text((yt_status)error) : "nothing failed";
    json_object_set_new(all, fact_names[YT_LINK_LAST_ERROR], json_integer(error));
    if (options->json)
        return json_print(all);
    printf("%-16s %10u  %s\n", fact_names[YT_LINK_LAST_ERROR], error, text);
    json_decref(all);
    return true;
}
