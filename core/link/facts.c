/* What the adapter tells of itself. */
#include "inlining.h"
#include "link/parts.h"
#include "yonder/groups.h"
#include "yonder/image/program.h"

/* Bytes of a message but those of its content, at most: number, what, result, offset, size, and the
 * content's key and length. */
#define AROUND_CHUNK 22u

uint32_t yt_link_chunk(const yt_link *link, yt_link_way way) {
    uint32_t most = link->room[way] - AROUND_CHUNK;
    return most < YT_MESSAGE_CHUNK ? most : YT_MESSAGE_CHUNK;
}

static uint32_t most_worn(const yt_store *store) {
    uint32_t most = 0;
    for (unsigned i = 0; i < store->sector_count; i++)
        if (store->sectors[i].erases > most)
            most = store->sectors[i].erases;
    return most;
}

/* What runs is kept as the one to start with, a second later. */
static unsigned active(const yt_adapter *adapter) {
    unsigned runs = yt_adapter_slot(adapter);
    bool follows = runs != YT_NO_SLOT && yt_adapter_setting(adapter, YT_SETTING_START, 0) == 0;
    return follows ? runs : yt_store_active(adapter->parts->store);
}

static uint32_t flash_bytes(const yt_store *store) {
    return store->port->flash.sectors * store->port->flash.sector_bytes;
}

static uint32_t devices(const yt_engine *engine) {
    uint32_t bits = 0;
    for (unsigned i = 0; i < YT_DEVICES; i++)
        if (yt_engine_inputs_of(engine, i))
            bits |= (uint32_t)1 << i;
    return bits;
}

/* What the engine counts. */
static YT_NEVER_INLINE uint32_t count_of(const yt_engine *engine, unsigned fact) {
    yt_counts counts = yt_engine_counts(engine);
    uint64_t sum = counts.pairs_dropped + counts.motion_dropped;
    switch (fact) {
    case YT_LINK_DROPPED:
        return sum < INT32_MAX ? (uint32_t)sum : INT32_MAX;
    case YT_LINK_LOST:
        return counts.reports_refused;
    case YT_LINK_SHORT:
        return counts.reports_short;
    case YT_LINK_MERGED:
        return counts.deadlines_merged;
    case YT_LINK_CUT:
        return counts.numbers_cut;
    case YT_LINK_UNASKED:
        return counts.actions_dropped;
    default:
        return 0;
    }
}

static void name_build(const yt_link *link, yt_message *message) {
    const char *build = link->parts->build ? link->parts->build : "";
    for (; message->name_bytes < YT_MESSAGE_NAME && build[message->name_bytes];
         message->name_bytes++)
        message->name[message->name_bytes] = build[message->name_bytes];
}

/* While nobody pressed for the host, reports are told by whole thousands: to count each one would
 * tell when keys are pressed, and so something about which. */
static YT_NEVER_INLINE uint32_t fact_of_firmware(const yt_link *link, const yt_link_turn *turn,
                                                 unsigned fact) {
    yt_link_access access = yt_link_access_of(link, turn->session);
    bool is_exact =
        fact != YT_LINK_REPORTS_IN || access == YT_LINK_OPEN || access == YT_LINK_UNLOCKED;
    uint32_t told =
        link->parts->fact ? link->parts->fact(link->parts->context, (yt_link_fact)fact) : 0;
    return is_exact ? told : told - told % 1000;
}

static uint32_t fact_of(const yt_link *link, const yt_link_turn *turn, unsigned fact) {
    const yt_adapter *adapter = link->parts->adapter;
    unsigned runs = yt_adapter_slot(adapter);
    switch ((yt_link_fact)fact) {
    case YT_LINK_PROTOCOL:
    case YT_LINK_PROTOCOL_LEAST:
        return YT_LINK_VERSION;
    case YT_LINK_BUILD:
        return link->parts->build_number;
    case YT_LINK_PROGRAM:
        return YT_PROGRAM_VERSION;
    case YT_LINK_GROUPS:
        return yt_groups_linked();
    case YT_LINK_REFUSED:
        return yt_adapter_setting(adapter, YT_SETTING_REFUSED, 0);
    case YT_LINK_SLOTS:
        return adapter->parts->store->slots;
    case YT_LINK_CHUNK:
        return yt_link_chunk(link, (yt_link_way)turn->session->way);
    case YT_LINK_RUNS:
        return runs == YT_NO_SLOT ? 0 : runs + 1;
    case YT_LINK_ACTIVE:
        return active(adapter) + 1;
    case YT_LINK_ACCESS:
        return yt_link_access_of(link, turn->session);
    case YT_LINK_UPTIME:
        return (uint32_t)(turn->now_us / 1000000);
    case YT_LINK_ERASES:
        return most_worn(adapter->parts->store);
    case YT_LINK_MEMORY:
        return (uint32_t)adapter->parts->engine->size;
    case YT_LINK_COPY_ROOM:
        return (uint32_t)adapter->parts->copy_room;
    case YT_LINK_DEVICES_MOST:
        return YT_DEVICES;
    case YT_LINK_INTERFACES_MOST:
        return YT_INTERFACES;
    case YT_LINK_REPORTS_MOST:
        return YT_REPORTS;
    case YT_LINK_FLASH:
        return flash_bytes(adapter->parts->store);
    case YT_LINK_KEEPS_RECORDS:
        return (uint32_t)link->parts->record_room;
    case YT_LINK_CALIBRATES:
        return link->calls != NULL;
    case YT_LINK_DEVICES:
        return devices(adapter->parts->engine);
    case YT_LINK_FLASH_FAILURES:
        return adapter->parts->store->counts.failures;
    case YT_LINK_MENDED:
        return adapter->parts->store->counts.mended;
    case YT_LINK_DAMAGED:
        return adapter->parts->store->counts.damaged;
    case YT_LINK_REPORTS_IN:
    case YT_LINK_WORST_UPDATE:
    case YT_LINK_LAST_ERROR:
        return fact_of_firmware(link, turn, fact);
    default:
        return count_of(adapter->parts->engine, fact);
    }
}

yt_result yt_link_tell_fact(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    uint32_t fact = message->index;
    yt_link_clear(message);
    if (fact >= YT_LINK_FACT_COUNT)
        return YT_RESULT_UNKNOWN;
    message->index = fact;
    message->value = (int32_t)fact_of(link, turn, fact);
    if (fact == YT_LINK_BUILD)
        name_build(link, message);
    return YT_RESULT_DONE;
}
