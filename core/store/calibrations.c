/* Calibrations, each of another part. */
#include <stddef.h>

#include "store/parts.h"
#include "yonder/calibration.h"

/* What stands in front of a calibration's numbers. */
typedef struct calibration_head {
    uint32_t magic, checksum;
    uint16_t bytes;
    uint8_t version, knots;
    yt_calibration_part part;
} calibration_head;

_Static_assert(offsetof(calibration_head, part) == offsetof(yt_calibration, part) &&
                   sizeof(calibration_head) == offsetof(yt_calibration, rest),
               "as in a record");

/* The part that a calibration in flash is of; false: it is none that is known. */
static YT_NEVER_INLINE bool part_of(const yt_store *store, unsigned key,
                                    yt_calibration_part *part) {
    yt_content content;
    calibration_head head;
    if (yt_content_read(store, key, &content) != YT_OK || content.bytes[0] < sizeof head ||
        !yt_flash_read(store, content.offset, &head, sizeof head) ||
        head.magic != YT_CALIBRATION_MAGIC || head.version != YT_CALIBRATION_VERSION)
        return false;
    *part = head.part;
    return true;
}

/* The key of a part's calibration, or a free one; YT_STORE_ENTRIES: there is none. */
static YT_NEVER_INLINE unsigned key_for(const yt_store *store, const yt_calibration_part *wanted) {
    unsigned place = YT_STORE_ENTRIES;
    for (unsigned key = YT_KEY_SETTINGS; key-- > YT_KEY_CALIBRATION;) {
        yt_calibration_part part;
        if (part_of(store, key, &part) && yt_calibration_is_of(&part, wanted))
            return key;
        if (store->records[key] == 0)
            place = key;
    }
    return place;
}

unsigned yt_store_place_for(const yt_store *store, const void *record) {
    const yt_calibration *calibration = (const yt_calibration *)record;
    unsigned key = key_for(store, &calibration->part);
    return key < YT_STORE_ENTRIES ? key - YT_KEY_CALIBRATION : YT_STORE_CALIBRATIONS;
}

yt_status yt_store_calibrate(yt_store *store, const void *record, size_t size) {
    yt_status status = yt_calibration_check(record, size);
    if (status != YT_OK)
        return status;
    const yt_calibration *calibration = (const yt_calibration *)record;
    unsigned key = key_for(store, &calibration->part);
    return key < YT_STORE_ENTRIES ? yt_kept_write(store, key, record, calibration->bytes)
                                  : YT_STORE_FULL;
}

yt_status yt_store_calibration(const yt_store *store, unsigned place, void *record, size_t capacity,
                               size_t *size) {
    *size = 0;
    return place < YT_STORE_CALIBRATIONS
               ? yt_kept_read(store, YT_KEY_CALIBRATION + place, record, capacity, size)
               : YT_SLOT;
}

yt_status yt_store_forget(yt_store *store, unsigned place) {
    return place < YT_STORE_CALIBRATIONS ? yt_forget_key(store, YT_KEY_CALIBRATION + place)
                                         : YT_SLOT;
}
