/* Reads a report descriptor item by item (HID 1.11, 6.2.2), and gives its fields one by one.
 *
 * Nothing is kept of what was read but the globals, a stack of them, and how long each report is by
 * now. What stands in local items is read again at the main item that it belongs to: so there is no
 * table of usages, and no limit on how many a field has. The first error ends the reading, and
 * stays. */
#include <string.h>

#include "yonder/hid.h"

/* An item's prefix byte: two bits of size, two of type, four of tag (6.2.2.2). */
enum { TYPE_MAIN, TYPE_GLOBAL, TYPE_LOCAL, TYPE_RESERVED };
enum { LONG_ITEM = 0xfe };
enum { MAIN_INPUT = 8, MAIN_OUTPUT = 9, MAIN_COLLECTION = 10, MAIN_FEATURE = 11, MAIN_END = 12 };
enum {
    GLOBAL_USAGE_PAGE,
    GLOBAL_LOGICAL_MINIMUM,
    GLOBAL_LOGICAL_MAXIMUM,
    GLOBAL_PHYSICAL_MINIMUM,
    GLOBAL_PHYSICAL_MAXIMUM,
    GLOBAL_UNIT_EXPONENT,
    GLOBAL_UNIT,
    GLOBAL_REPORT_SIZE,
    GLOBAL_REPORT_ID,
    GLOBAL_REPORT_COUNT,
    GLOBAL_PUSH,
    GLOBAL_POP
};
enum { LOCAL_USAGE, LOCAL_USAGE_MINIMUM, LOCAL_USAGE_MAXIMUM, LOCAL_DELIMITER = 10 };
enum { COLLECTION_APPLICATION = 1 };

typedef struct hid_item {
    uint8_t type;
    uint8_t tag;
    uint8_t bytes; /* of data: 0, 1, 2 or 4 */
    uint32_t data;
} hid_item;

typedef struct usage_range {
    uint16_t page;
    uint16_t first;
    uint16_t last;
} usage_range;

/* Reads the item at `at`; gives the place after it, or 0 where it runs past the end. */
static size_t read_item(const yt_hid_reader *reader, size_t at, hid_item *item) {
    static const uint8_t sizes[4] = {0, 1, 2, 4};
    size_t size = reader->size;
    uint8_t prefix = at < size ? reader->bytes[at] : 0;
    at++;
    if (prefix == LONG_ITEM) { /* 6.2.2.3: no long item is defined; it is passed over */
        if (at >= size)
            return 0;
        size_t after = at + 2 + reader->bytes[at];
        item->type = TYPE_RESERVED;
        item->tag = 15;
        return after > size ? 0 : after;
    }
    item->type = prefix >> 2 & 3;
    item->tag = prefix >> 4;
    item->bytes = sizes[prefix & 3];
    item->data = 0;
    size_t after = at + item->bytes;
    if (after > size)
        return 0;
    for (unsigned shift = 0; at < after && shift < 32; at++, shift += 8)
        item->data |= (uint32_t)reader->bytes[at] << shift;
    return after;
}

static int32_t signed_data(const hid_item *item) {
    return (int32_t)yt_hid_number(item->data, 8u * item->bytes, true);
}

void yt_hid_open(yt_hid_reader *reader, const uint8_t *bytes, size_t size) {
    memset(reader, 0, sizeof *reader);
    reader->bytes = bytes;
    reader->size = size;
}

size_t yt_hid_error_offset(const yt_hid_reader *reader) {
    return reader->item;
}

static const yt_hid_report *find_report(const yt_hid_reader *reader, uint8_t direction,
                                        uint8_t id) {
    for (unsigned i = 0; i < reader->report_count; i++)
        if (reader->reports[i].direction == direction && reader->reports[i].report_id == id)
            return &reader->reports[i];
    return NULL;
}

uint16_t yt_hid_report_bits(const yt_hid_reader *reader, yt_hid_direction direction, uint8_t id) {
    const yt_hid_report *report = find_report(reader, (uint8_t)direction, id);
    return report ? report->bits : 0;
}

bool yt_hid_uses_ids(const yt_hid_reader *reader) {
    return reader->report_count > 0 && reader->reports[0].report_id != 0;
}

static yt_status set_report_id(yt_hid_reader *reader, uint32_t id) {
    bool late = reader->any_field && reader->globals.report_id == 0;
    if (id == 0 || id > 255 || late)
        return YT_HID_REPORT_ID;
    reader->globals.report_id = (uint8_t)id;
    return YT_OK;
}

static yt_status push(yt_hid_reader *reader) {
    if (reader->pushed == YT_HID_PUSHES)
        return YT_HID_MANY_PUSHES;
    reader->stack[reader->pushed++] = reader->globals;
    return YT_OK;
}

/* A Pop brings back the report ID too; one that would end the use of IDs is an error. */
static yt_status pop(yt_hid_reader *reader) {
    uint8_t id = reader->globals.report_id;
    if (reader->pushed == 0)
        return YT_HID_POP;
    reader->globals = reader->stack[--reader->pushed];
    if (reader->any_field && (id != 0) != (reader->globals.report_id != 0))
        return YT_HID_REPORT_ID;
    return YT_OK;
}

/* The standard keeps the exponent in four bits; some devices write a whole signed byte. */
static int8_t exponent(const hid_item *item) {
    if (item->data <= 15)
        return (int8_t)yt_hid_number(item->data, 4, true);
    int32_t value = signed_data(item);
    return (int8_t)(value < -8 ? -8 : value > 7 ? 7 : value);
}

static yt_status read_global(yt_hid_reader *reader, const hid_item *item) {
    yt_hid_globals *globals = &reader->globals;
    switch (item->tag) {
    case GLOBAL_USAGE_PAGE:
        globals->usage_page = (uint16_t)item->data;
        return YT_OK;
    case GLOBAL_LOGICAL_MINIMUM:
        globals->minimum = signed_data(item);
        return YT_OK;
    case GLOBAL_LOGICAL_MAXIMUM:
        globals->maximum = item->data;
        globals->maximum_bytes = item->bytes;
        return YT_OK;
    case GLOBAL_PHYSICAL_MINIMUM:
        globals->physical_minimum = signed_data(item);
        return YT_OK;
    case GLOBAL_PHYSICAL_MAXIMUM:
        globals->physical_maximum = signed_data(item);
        return YT_OK;
    case GLOBAL_UNIT_EXPONENT:
        globals->unit_exponent = exponent(item);
        return YT_OK;
    case GLOBAL_UNIT:
        globals->unit = item->data;
        return YT_OK;
    case GLOBAL_REPORT_SIZE:
        globals->report_size = item->data;
        return YT_OK;
    case GLOBAL_REPORT_ID:
        return set_report_id(reader, item->data);
    case GLOBAL_REPORT_COUNT:
        globals->report_count = item->data;
        return YT_OK;
    case GLOBAL_PUSH:
        return push(reader);
    case GLOBAL_POP:
        return pop(reader);
    default:
        return YT_HID_RESERVED;
    }
}

/* Of the usages between a delimiter's open and close only the first counts (6.2.2.8). */
static yt_status read_delimiter(yt_hid_reader *reader, const hid_item *item) {
    if (reader->in_delimiter == (item->data != 0))
        return YT_HID_DELIMITER;
    reader->in_delimiter = item->data != 0;
    reader->delimiter_used = false;
    return YT_OK;
}

/* Checks a local item as it is passed. What it says is read again at the main item. */
static yt_status read_local(yt_hid_reader *reader, const hid_item *item) {
    if (item->tag == LOCAL_DELIMITER)
        return read_delimiter(reader, item);
    return item->tag == 6 || item->tag > LOCAL_DELIMITER ? YT_HID_RESERVED : YT_OK;
}

/* A usage of four bytes names its page; a shorter one is on the page that stands at the main item
 * (6.2.2.8). */
static void split_usage(const yt_hid_reader *reader, const hid_item *item, uint16_t *page,
                        uint16_t *usage) {
    *page = item->bytes == 4 ? (uint16_t)(item->data >> 16) : reader->globals.usage_page;
    *usage = (uint16_t)item->data;
}

/* Whether a usage that ends here counts, that is, whether it is no delimiter's second. */
static bool usage_counts(yt_hid_reader *reader) {
    bool counts = !reader->in_delimiter || !reader->delimiter_used;
    reader->delimiter_used = reader->in_delimiter;
    return counts;
}

/* The next range of usages among the local items before the main item at hand. */
static yt_status next_range(yt_hid_reader *reader, usage_range *range) {
    bool have_first = false, have_last = false;
    uint16_t last_page = 0;
    *range = (usage_range){0, 0, 0};
    while (reader->usages < reader->item) {
        hid_item item = {0};
        reader->usages = read_item(reader, reader->usages, &item);
        if (item.type != TYPE_LOCAL)
            continue;
        if (item.tag == LOCAL_DELIMITER) {
            reader->in_delimiter = item.data != 0;
            reader->delimiter_used = false;
        } else if (item.tag == LOCAL_USAGE) {
            split_usage(reader, &item, &range->page, &range->first);
            range->last = range->first;
            if (usage_counts(reader))
                return YT_OK;
        } else if (item.tag == LOCAL_USAGE_MINIMUM) {
            split_usage(reader, &item, &range->page, &range->first);
            have_first = true;
        } else if (item.tag == LOCAL_USAGE_MAXIMUM) {
            split_usage(reader, &item, &last_page, &range->last);
            have_last = true;
        }
        if (have_first && have_last) {
            if (range->page != last_page || range->first > range->last)
                return YT_HID_USAGE;
            if (usage_counts(reader))
                return YT_OK;
            have_first = have_last = false;
        }
    }
    return YT_END;
}

/* Walking the local items may stop between a delimiter's open and close. */
static void leave_delimiter(yt_hid_reader *reader) {
    reader->in_delimiter = reader->delimiter_used = false;
}

static uint16_t shorter(uint32_t a, uint32_t b) {
    return (uint16_t)(a < b ? a : b);
}

static yt_status give_variable(yt_hid_reader *reader, yt_hid_field *field) {
    usage_range range;
    yt_hid_field *whole = &reader->field;
    if (reader->elements == 0)
        return YT_END;
    yt_status status = next_range(reader, &range);
    if (status == YT_OK) {
        whole->usage_page = range.page;
        whole->usage_first = range.first;
        whole->usage_last = range.last;
        whole->count = shorter(reader->elements, (uint32_t)range.last - range.first + 1);
    } else if (status == YT_END) { /* the last usage serves for all the elements that are left */
        whole->usage_first = whole->usage_last;
        whole->count = (uint16_t)reader->elements;
    } else {
        return status;
    }
    *field = *whole;
    whole->bit = (uint16_t)(whole->bit + (uint32_t)whole->count * whole->bits);
    reader->elements -= whole->count;
    return YT_OK;
}

static yt_status give_array(yt_hid_reader *reader, yt_hid_field *field) {
    usage_range range;
    yt_hid_field *whole = &reader->field;
    yt_status status = next_range(reader, &range);
    if (status != YT_OK)
        return status;
    int64_t number = whole->number_first, maximum = whole->maximum;
    if (number > maximum || number < whole->minimum)
        return YT_END;
    whole->usage_page = range.page;
    whole->usage_first = range.first;
    whole->usage_last = range.last;
    *field = *whole;
    whole->number_first = number + range.last - range.first + 1;
    int64_t meant = maximum - number;
    if (meant < range.last - range.first)
        field->usage_last = (uint16_t)(range.first + meant);
    return YT_OK;
}

static yt_status give_constant(yt_hid_reader *reader, yt_hid_field *field) {
    if (reader->elements == 0)
        return YT_END;
    reader->elements = 0;
    *field = reader->field;
    return YT_OK;
}

/* The next field of the main item at hand; YT_END when all are given out. */
static yt_status give_field(yt_hid_reader *reader, yt_hid_field *field) {
    if (reader->field.flags & YT_HID_CONSTANT)
        return give_constant(reader, field);
    if (reader->field.flags & YT_HID_VARIABLE)
        return give_variable(reader, field);
    return give_array(reader, field);
}

/* Makes room for `bits` more in the report at hand; says where they begin. */
static yt_status grow_report(yt_hid_reader *reader, uint8_t direction, uint64_t bits,
                             uint16_t *begin) {
    uint8_t id = reader->globals.report_id;
    yt_hid_report *report = (yt_hid_report *)find_report(reader, direction, id);
    if (!report) {
        if (reader->report_count == YT_HID_REPORTS)
            return YT_HID_MANY_REPORTS;
        report = &reader->reports[reader->report_count++];
        *report = (yt_hid_report){direction, id, 0};
    }
    if (bits > (uint64_t)(YT_HID_REPORT_BITS - report->bits))
        return YT_HID_LONG_REPORT;
    *begin = report->bits;
    report->bits = (uint16_t)(report->bits + bits);
    return YT_OK;
}

/* A logical maximum is signed, but devices write 255 as one byte where the minimum is not below
 * 0; Linux reads it so too. */
static int64_t logical_maximum(const yt_hid_globals *globals) {
    if (globals->minimum >= 0)
        return globals->maximum;
    return yt_hid_number(globals->maximum, 8u * globals->maximum_bytes, true);
}

static yt_status begin_fields(yt_hid_reader *reader, const hid_item *item, uint8_t direction) {
    const yt_hid_globals *globals = &reader->globals;
    yt_hid_field *field = &reader->field;
    memset(field, 0, sizeof *field); /* in place: a whole one on the stack is too much for it */
    field->direction = direction;
    field->report_id = globals->report_id;
    field->flags = (uint16_t)(item->data & 0x1ff);
    field->usage_page = globals->usage_page;
    field->minimum = field->number_first = globals->minimum;
    field->maximum = logical_maximum(globals);
    field->physical_minimum = globals->physical_minimum;
    field->physical_maximum = globals->physical_maximum;
    field->unit = globals->unit;
    field->unit_exponent = globals->unit_exponent;
    field->application = reader->application;
    field->application_page = reader->application_page;
    field->application_usage = reader->application_usage;
    uint64_t bits = (uint64_t)globals->report_size * globals->report_count;
    yt_status status = grow_report(reader, direction, bits, &field->bit);
    if (status != YT_OK)
        return status;
    reader->any_field = true;
    if (bits == 0)
        return YT_OK;
    if (!(field->flags & YT_HID_CONSTANT) && field->minimum > field->maximum)
        return YT_HID_RANGE;
    field->bits = (uint16_t)globals->report_size;
    field->count = (uint16_t)globals->report_count;
    reader->elements = globals->report_count;
    reader->usages = reader->locals;
    reader->giving = true;
    return YT_OK;
}

static yt_status begin_collection(yt_hid_reader *reader, const hid_item *item) {
    usage_range range = {0, 0, 0};
    if (reader->depth == YT_HID_DEPTH)
        return YT_HID_DEEP;
    if (reader->depth++ == 0 && item->data == COLLECTION_APPLICATION) {
        reader->usages = reader->locals;
        yt_status status = next_range(reader, &range);
        if (status != YT_OK && status != YT_END)
            return status;
        leave_delimiter(reader);
        reader->application_page = range.page;
        reader->application_usage = range.first;
    }
    return YT_OK;
}

static yt_status end_collection(yt_hid_reader *reader) {
    if (reader->depth == 0)
        return YT_HID_COLLECTION;
    if (--reader->depth == 0) {
        reader->application++;
        reader->application_page = reader->application_usage = 0;
    }
    return YT_OK;
}

static yt_status read_main(yt_hid_reader *reader, const hid_item *item) {
    yt_status status = YT_OK;
    if (reader->in_delimiter)
        return YT_HID_DELIMITER;
    switch (item->tag) {
    case MAIN_INPUT:
        status = begin_fields(reader, item, YT_HID_INPUT);
        break;
    case MAIN_OUTPUT:
        status = begin_fields(reader, item, YT_HID_OUTPUT);
        break;
    case MAIN_FEATURE:
        status = begin_fields(reader, item, YT_HID_FEATURE);
        break;
    case MAIN_COLLECTION:
        status = begin_collection(reader, item);
        break;
    case MAIN_END:
        status = end_collection(reader);
        break;
    default:
        return YT_HID_RESERVED;
    }
    if (status == YT_OK)
        reader->locals = reader->next;
    return status;
}

/* Reads one item. The caller keeps an error. */
static yt_status read_next(yt_hid_reader *reader) {
    hid_item item = {0};
    yt_status status = YT_OK;
    reader->item = reader->next;
    size_t after = read_item(reader, reader->item, &item);
    if (after == 0)
        return YT_HID_CUT;
    reader->next = after;
    if (item.type == TYPE_MAIN)
        status = read_main(reader, &item);
    else if (item.type == TYPE_GLOBAL)
        status = read_global(reader, &item);
    else if (item.type == TYPE_LOCAL)
        status = read_local(reader, &item);
    else if (item.tag != 15)
        status = YT_HID_RESERVED;
    return status;
}

static yt_status finish(yt_hid_reader *reader) {
    reader->item = reader->size;
    if (reader->depth > 0)
        return YT_HID_UNCLOSED;
    return reader->in_delimiter ? YT_HID_DELIMITER : YT_END;
}

yt_status yt_hid_next(yt_hid_reader *reader, yt_hid_field *field) {
    for (;;) {
        yt_status status;
        if (reader->failed != YT_OK)
            return reader->failed;
        if (reader->giving) {
            status = give_field(reader, field);
            if (status == YT_OK)
                return YT_OK;
            reader->giving = false;
            leave_delimiter(reader);
            status = status == YT_END ? YT_OK : status;
        } else if (reader->next >= reader->size) {
            status = finish(reader);
        } else {
            status = read_next(reader);
        }
        reader->failed = status;
    }
}
