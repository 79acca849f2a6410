/* Room in the flash: which sectors are free, clearing some where there are too few or none in one
 * piece, and spreading wear. */
#include "store/parts.h"

#define UNEVEN            32u /* erases that content may be behind the mean of the sectors */
#define MANY              8u  /* sectors from which on more are held in reserve */
#define STEPS             64u /* for a sector, after which clearing it is given up */
#define LEVEL_STEPS       200u
#define KEYS_AT_ONCE      4u
#define LEVEL_MOVES       16u
#define NEVER_MOVED       UINT32_MAX
#define RECORDS_OF_CHANGE 3u /* at most: space, and what a key holds */

/* ---- what is free ---- */

static bool overlap(uint32_t a, uint32_t a_end, uint32_t b, uint32_t b_end) {
    return a < b_end && b < a_end;
}

static bool is_pinned(const yt_store *store, uint32_t from, uint32_t end) {
    for (const yt_pin *pin = store->pins; pin; pin = pin->next)
        if (overlap(from, end, pin->offset, pin->offset + pin->bytes))
            return true;
    return false;
}

static bool is_being_written(const yt_store *store, uint32_t from, uint32_t end) {
    const yt_staging *staging = &store->staging;
    return staging->is_on && overlap(from, end, staging->offset,
                                     staging->offset + staging->bytes[0] + staging->bytes[1]);
}

bool yt_is_usable(const yt_store *store, unsigned sector) {
    const yt_store_sector *of = &store->sectors[sector];
    uint32_t from = yt_sector_offset(store, sector), end = from + yt_sector_bytes(store);
    return (of->state == YT_SECTOR_FREE || of->state == YT_SECTOR_BLANK) && of->live == 0 &&
           !overlap(from, end, store->space, store->space_end) &&
           !is_being_written(store, from, end) && !is_pinned(store, from, end);
}

unsigned yt_free_sectors(const yt_store *store) {
    unsigned count = 0;
    for (unsigned i = 0; i < store->sector_count; i++)
        count += yt_is_usable(store, i);
    return count;
}

void yt_count_content(yt_store *store, const yt_content *content, bool is_there) {
    uint32_t from = content->offset, end = from + yt_content_bytes(content);
    while (from < end) {
        unsigned sector = yt_sector_of(store, from);
        uint32_t next = yt_sector_offset(store, sector + 1), to = end < next ? end : next;
        uint32_t pieces = (to - from + YT_PIECE - 1) / YT_PIECE;
        uint16_t *live = &store->sectors[sector].live;
        uint32_t now = is_there ? *live + pieces : *live > pieces ? *live - pieces : 0;
        *live = (uint16_t)(now < UINT16_MAX ? now : UINT16_MAX);
        from = to;
    }
}

static uint32_t whole_pieces(uint32_t bytes) {
    return (bytes + YT_PIECE - 1) & ~(YT_PIECE - 1);
}

static unsigned sectors_for(const yt_store *store, uint32_t bytes) {
    return (bytes + yt_sector_bytes(store) - 1) / yt_sector_bytes(store);
}

static bool is_avoided(const yt_store *store, unsigned first, unsigned count) {
    return first < store->avoid_end && store->avoid < first + count;
}

bool yt_has_space(const yt_store *store, uint32_t bytes) {
    return store->space_end - store->space >= whole_pieces(bytes) &&
           !(store->space_end > store->space &&
             is_avoided(store, yt_sector_of(store, store->space),
                        yt_sector_of(store, store->space_end - 1) -
                            yt_sector_of(store, store->space) + 1));
}

/* ---- the reserve ---- */

static bool is_small(const yt_store *store) {
    return store->sector_count < MANY;
}

unsigned yt_reserve(const yt_store *store) {
    return is_small(store) ? 2 : 3;
}

bool yt_is_short(const yt_store *store) {
    unsigned more = is_small(store) ? 0 : 2;
    return yt_free_sectors(store) < yt_reserve(store) ||
           yt_journal_sectors(store) > store->need + more;
}

bool yt_is_tight(const yt_store *store) {
    return yt_free_sectors(store) == 0 || (is_small(store) && yt_is_short(store));
}

bool yt_needs_no_erase(const yt_store *store) {
    if (yt_journal_has_room(store, RECORDS_OF_CHANGE))
        return true;
    unsigned next = yt_journal_choice(store);
    return next != YT_NO_SECTOR && store->sectors[next].state == YT_SECTOR_BLANK;
}

/* Free sectors that there must be before a record that says something new is begun. If the power
 * goes, the journal goes on in one of them, whether the record counts or not, before anything is
 * answered; where that is the last one, the oldest must be given up then, and if the power goes
 * again, none may be left: of few sectors it is one all the same. */
static unsigned least_free(const yt_store *store) {
    return is_small(store) ? 1 : 2;
}

bool yt_leaves_enough(const yt_store *store, bool goes_on) {
    return yt_free_sectors(store) >= least_free(store) + goes_on;
}

bool yt_is_safe(const yt_store *store) {
    return yt_leaves_enough(store, !yt_journal_has_room(store, RECORDS_OF_CHANGE));
}

/* What room is wanted for. */
typedef enum room_for { FOR_CHANGE, FOR_CLEARING, FOR_LEVELLING } room_for;

/* Whether content may take so many sectors: the journal can still grow to what it needs when it is
 * full, and go on in another sector, and in one more if the power goes then. What is cleared gives
 * a sector back, so it may take one more. */
static bool may_take(const yt_store *store, unsigned sectors, room_for what) {
    unsigned free = yt_free_sectors(store);
    if (what == FOR_LEVELLING)
        return free >= sectors + yt_reserve(store);
    if (what == FOR_CLEARING)
        return free >= sectors + least_free(store);
    return free >= sectors + (is_small(store) ? 1u + !store->is_open : yt_reserve(store)) &&
           free + yt_journal_sectors(store) >= sectors + store->need + yt_reserve(store);
}

/* ---- space: erased, and known to be by a record ---- */

static yt_status write_space(yt_store *store, uint32_t from, uint32_t end) {
    const yt_space space = {from, end};
    return yt_append(store, YT_RECORD_SPACE, YT_KEY_SPACE, &space, sizeof space);
}

static yt_status give_up_space(yt_store *store) {
    yt_status status = write_space(store, 0, 0);
    if (status == YT_OK)
        store->space = store->space_end = 0;
    return status;
}

/* What there was is given up before what is new is taken, and what is new is taken before the
 * record of it is written: the journal may have to go on elsewhere for it, in neither of them. */
static yt_status set_space(yt_store *store, uint32_t from, uint32_t end) {
    yt_status status = YT_OK;
    if (store->space_end > store->space)
        return give_up_space(store);
    store->space = from;
    store->space_end = end;
    status = write_space(store, from, end);
    if (status != YT_OK)
        store->space = store->space_end = 0;
    return status;
}

/* ---- sectors that are being cleared ---- */

static void avoid(yt_store *store, unsigned first, unsigned count) {
    store->avoid = (uint16_t)first;
    store->avoid_end = (uint16_t)(first + count);
    store->avoid_key = 0;
}

static void clear_no_more(yt_store *store) {
    avoid(store, 0, 0);
    store->tried = 0;
}

/* Content that wears too little is moved where nobody does it beside the engine. */
static yt_status level(yt_store *store) {
    yt_status status = YT_OK;
    uint32_t moved = store->counts.moved;
    for (unsigned i = 0;
         i < LEVEL_STEPS && status == YT_OK && store->counts.moved - moved < LEVEL_MOVES; i++)
        status = yt_level_step(store, UINT16_MAX, true);
    clear_no_more(store);
    return status == YT_END ? YT_OK : status;
}

yt_status yt_make_ready(yt_store *store, uint32_t bytes) {
    uint32_t newest = store->sectors[store->newest].number;
    unsigned sectors = yt_has_space(store, bytes) ? 0 : sectors_for(store, bytes);
    /* Of few sectors none is to spare for a change whose record may be in doubt: it comes behind
     * all that counts, in one sector. */
    if (is_small(store) && !yt_journal_has_room(store, RECORDS_OF_CHANGE)) {
        yt_status status = yt_journal_go_on(store);
        if (status != YT_OK)
            return status;
    }
    while (yt_is_short(store) || yt_free_sectors(store) < yt_reserve(store) + sectors) {
        yt_status status = store->oldest > newest ? YT_END : yt_collect(store);
        if (status == YT_END)
            break;
        if (status != YT_OK)
            return status;
    }
    /* Space that holds nothing is a sector, too. */
    if (yt_free_sectors(store) < 2 && !yt_journal_has_room(store, RECORDS_OF_CHANGE) &&
        store->space_end > store->space &&
        store->sectors[yt_sector_of(store, store->space)].live == 0) {
        yt_status status = give_up_space(store);
        if (status != YT_OK)
            return status;
    }
    return store->is_attended || yt_journal_has_room(store, RECORDS_OF_CHANGE) ? YT_OK
                                                                               : level(store);
}

static uint32_t wear_of(const yt_store *store, unsigned first, unsigned count) {
    uint32_t most = 0;
    for (unsigned i = first; i < first + count; i++) {
        const yt_store_sector *of = &store->sectors[i];
        uint32_t erases = of->erases + (of->state != YT_SECTOR_BLANK); /* when it is taken */
        most = erases > most ? erases : most;
    }
    return most;
}

/* Free sectors in one piece: the least worn ones, or where `most_worn` the most worn ones. */
static unsigned find_free(const yt_store *store, unsigned count, bool most_worn) {
    unsigned found = YT_NO_SECTOR, run = 0;
    for (unsigned i = 0; i < store->sector_count; i++) {
        run = yt_is_usable(store, i) ? run + 1 : 0;
        unsigned first = i + 1 - count;
        if (run < count || is_avoided(store, first, count))
            continue;
        if (found == YT_NO_SECTOR) {
            found = first;
            continue;
        }
        uint32_t wear = wear_of(store, first, count), least = wear_of(store, found, count);
        if (most_worn ? wear > least : wear / YT_WEAR_STEP < least / YT_WEAR_STEP)
            found = first;
    }
    return found;
}

static uint32_t mean_wear(const yt_store *store) {
    uint32_t sum = 0;
    for (unsigned i = 0; i < store->sector_count; i++)
        sum += store->sectors[i].erases;
    return sum / store->sector_count;
}

/* Whether sectors suit: content that wears too little does not go where it goes on to. */
static bool are_worn(const yt_store *store, unsigned first, unsigned count, room_for what) {
    return what != FOR_LEVELLING || wear_of(store, first, count) >= mean_wear(store);
}

/* One step towards space for content, from sectors that are free. YT_STORE_FULL: there are none. */
static yt_status space_step(yt_store *store, uint32_t bytes, room_for what, bool may_erase) {
    unsigned count = sectors_for(store, bytes);
    if (yt_has_space(store, bytes) &&
        (bytes == 0 || are_worn(store, yt_sector_of(store, store->space), 1, what)))
        return YT_END;
    unsigned first =
        count > store->sector_count ? YT_NO_SECTOR : find_free(store, count, what == FOR_LEVELLING);
    if (first == YT_NO_SECTOR || !may_take(store, count, what) ||
        !are_worn(store, first, count, what))
        return YT_STORE_FULL;
    for (unsigned i = first; i < first + count; i++)
        if (store->sectors[i].state != YT_SECTOR_BLANK) {
            if (!may_erase)
                return YT_FULL;
            return yt_flash_erase(store, i) || store->sectors[i].state == YT_SECTOR_BAD ? YT_OK
                                                                                        : YT_FLASH;
        }
    yt_status status =
        set_space(store, yt_sector_offset(store, first), yt_sector_offset(store, first + count));
    /* It is no more to be taken for blank: what is programmed there is not told here. */
    for (unsigned i = first; i < first + count && store->space_end > store->space; i++)
        store->sectors[i].state = YT_SECTOR_FREE;
    return status;
}

/* ---- clearing ---- */

/* What it costs to clear a sector, in pieces that are moved. */
static uint32_t cost_of(const yt_store *store, unsigned sector) {
    const yt_store_sector *of = &store->sectors[sector];
    uint32_t from = yt_sector_offset(store, sector), end = from + yt_sector_bytes(store);
    if (of->state == YT_SECTOR_BAD || is_pinned(store, from, end) ||
        is_being_written(store, from, end))
        return NEVER_MOVED;
    return of->state == YT_SECTOR_JOURNAL ? yt_sector_bytes(store) / YT_PIECE : of->live;
}

/* What it costs to clear sectors in one piece; NEVER_MOVED, too, where they are clear, or full of
 * what counts. */
static uint32_t cost_of_all(const yt_store *store, unsigned first, unsigned count) {
    uint32_t cost = 0, full = yt_sector_bytes(store) / YT_PIECE * count;
    bool is_free = true;
    for (unsigned i = first; i < first + count && cost != NEVER_MOVED; i++) {
        uint32_t one = cost_of(store, i);
        cost = one == NEVER_MOVED ? one : cost + one;
        is_free = is_free && yt_is_usable(store, i);
    }
    return is_free || cost >= full ? NEVER_MOVED : cost;
}

/* Chooses the sectors in one piece that cost least, of those that come behind the ones that were
 * tried before. */
static bool choose_to_clear(yt_store *store, unsigned count) {
    uint32_t least = NEVER_MOVED;
    unsigned chosen = 0;
    for (unsigned first = 0; first + count <= store->sector_count; first++) {
        uint32_t cost = cost_of_all(store, first, count);
        bool was_tried = store->tried > 0 && (cost < store->avoid_cost ||
                                              (cost == store->avoid_cost && first < store->tried));
        if (!was_tried && cost < least) {
            least = cost;
            chosen = first;
        }
    }
    if (least == NEVER_MOVED)
        return false;
    store->avoid_cost = least;
    avoid(store, chosen, count);
    return true;
}

static bool journal_is_avoided(const yt_store *store) {
    for (unsigned i = store->avoid; i < store->avoid_end; i++)
        if (store->sectors[i].state == YT_SECTOR_JOURNAL)
            return true;
    return false;
}

/* Looks for a key whose content stands in the sectors that are avoided, at a few of them. YT_OK: it
 * is `avoid_key`; YT_FULL: there may be one behind it; YT_END: there is none. */
static yt_status find_avoided(yt_store *store, yt_content *content) {
    uint32_t from = yt_sector_offset(store, store->avoid),
             end = yt_sector_offset(store, store->avoid_end);
    for (unsigned i = 0; i < KEYS_AT_ONCE; i++, store->avoid_key++) {
        if (store->avoid_key > YT_KEY_SETTINGS)
            return YT_END;
        if (yt_content_read(store, store->avoid_key, content) == YT_OK &&
            overlap(content->offset, content->offset + yt_content_bytes(content), from, end))
            return YT_OK;
    }
    return YT_FULL;
}

/* One step of clearing what is avoided. YT_END: it is clear. */
static yt_status clear_step(yt_store *store, room_for what, bool may_erase) {
    yt_content content;
    if (journal_is_avoided(store)) {
        if (!is_avoided(store, store->newest, 1))
            return yt_collect(store);
        unsigned next = yt_journal_choice(store);
        if (next == YT_NO_SECTOR)
            return YT_STORE_FULL;
        return may_erase || store->sectors[next].state == YT_SECTOR_BLANK ? yt_journal_go_on(store)
                                                                          : YT_FULL;
    }
    if (store->space_end > store->space && is_avoided(store, yt_sector_of(store, store->space), 1))
        return give_up_space(store);
    yt_status status = find_avoided(store, &content);
    if (status != YT_OK)
        return status == YT_FULL ? YT_OK : status;
    status = space_step(store, yt_content_bytes(&content), what, may_erase);
    return status == YT_END ? yt_move_begin(store, store->avoid_key, &content, UINT32_MAX) : status;
}

/* There is no room for what stands there: others are tried. */
static void clear_others(yt_store *store) {
    store->tried = (uint16_t)(store->avoid + 1u);
    avoid(store, 0, 0);
}

yt_status yt_room_step(yt_store *store, uint32_t bytes, unsigned units, bool may_erase) {
    yt_status status = yt_is_safe(store) ? YT_END : yt_collect(store);
    if (status != YT_END)
        return status;
    if (store->staging.is_on && store->staging.is_move)
        return yt_move_step(store, units);
    if (store->avoid == store->avoid_end) {
        status = space_step(store, bytes, FOR_CHANGE, may_erase);
        if (status == YT_STORE_FULL && choose_to_clear(store, sectors_for(store, bytes)))
            return YT_OK;
        if (status == YT_STORE_FULL || status == YT_END)
            clear_no_more(store);
        return status;
    }
    /* What was begun to be cleared is cleared first: the space that it takes is for what moves. */
    status = clear_step(store, FOR_CLEARING, may_erase);
    if (status == YT_END)
        clear_no_more(store);
    if (status == YT_STORE_FULL)
        clear_others(store);
    return status == YT_END || status == YT_STORE_FULL ? YT_OK : status;
}

yt_status yt_make_room(yt_store *store, uint32_t bytes) {
    yt_status status = YT_OK;
    uint32_t moves = store->counts.moved;
    if (yt_has_space(store, bytes))
        status = YT_END; /* what is being cleared can wait */
    for (uint32_t step = 0; status == YT_OK; step++) {
        status = yt_room_step(store, bytes, UINT16_MAX, true);
        /* Moving this and that to and fro makes no room. */
        if (step > STEPS * (store->sector_count + YT_STORE_ENTRIES) ||
            store->counts.moved - moves > 2 * YT_STORE_ENTRIES)
            status = YT_STORE_FULL;
    }
    clear_no_more(store);
    return status == YT_END ? YT_OK : status;
}

/* ---- wear ---- */

yt_status yt_level_step(yt_store *store, unsigned units, bool may_erase) {
    uint32_t least = UINT32_MAX;
    unsigned coldest = 0;
    if (store->staging.is_on)
        return store->staging.is_move ? yt_move_step(store, units) : YT_END;
    for (unsigned i = 0; i < store->sector_count; i++) {
        const yt_store_sector *of = &store->sectors[i];
        if (of->live > 0 && of->erases < least && cost_of(store, i) != NEVER_MOVED) {
            least = of->erases;
            coldest = i;
        }
    }
    if (least == UINT32_MAX || mean_wear(store) < least + UNEVEN)
        return YT_END;
    /* It goes on with what is cleared already. */
    if (store->avoid == store->avoid_end)
        avoid(store, coldest, 1);
    yt_status status = clear_step(store, FOR_LEVELLING, may_erase);
    if (status == YT_END || status == YT_STORE_FULL)
        clear_no_more(store);
    return status == YT_STORE_FULL ? YT_END : status;
}
