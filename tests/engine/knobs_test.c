/* Knobs that tell how far they turned around a middle, and knobs that tell where they are and go
 * round: made-up ones, by their usage and by their place, alone and two at an input, against the
 * obvious reckoning. */
#include <sys/stat.h>
#include <unistd.h>

#include "tests/engine/rig.h"
#include "tests/harness.h"

/* Two numbers of 8, 16 or 32 bits, as axes; a description says that the first one is motion. */
typedef struct knob {
    unsigned bits;
    bool is_signed, wraps, turned, by_usage;
    int64_t low, high, rest;
} knob;

static rig r;

static void put_item(uint8_t *bytes, size_t *size, uint8_t tag, uint32_t value) {
    bytes[(*size)++] = (uint8_t)(tag | 3);
    for (unsigned k = 0; k < 4; k++)
        bytes[(*size)++] = (uint8_t)(value >> 8 * k);
}

static size_t make_descriptor(const knob *knob, uint8_t *bytes) {
    static const uint8_t head[] = {0x05, 0x01, 0x09, 0x04, 0xa1, 0x01};
    size_t size = sizeof head;
    memcpy(bytes, head, sizeof head);
    put_item(bytes, &size, 0x14, (uint32_t)knob->low);
    put_item(bytes, &size, 0x24, (uint32_t)knob->high);
    put_item(bytes, &size, 0x74, knob->bits);
    put_item(bytes, &size, 0x94, 2);
    put_item(bytes, &size, 0x08, 0x10037); /* dial */
    put_item(bytes, &size, 0x08, 0x10036); /* slider */
    bytes[size++] = 0x81;
    bytes[size++] = 0x02;
    bytes[size++] = 0xc0;
    return size;
}

static void write_description(const knob *knob) {
    FILE *file = fopen("crane/knob.yaml", "w");
    if (!file)
        exit(1);
    fprintf(file, "yonder: 1\ndevice: Tern knob\ncontrols:\n  turn: {");
    if (knob->by_usage)
        fprintf(file, "usage: dial");
    else
        fprintf(file, "bit: 0, bits: %u, signed: %s", knob->bits,
                knob->is_signed ? "true" : "false");
    fprintf(file, ", type: motion, range: [%lld, %lld], turned: %s", (long long)knob->low,
            (long long)knob->high, knob->turned ? "true" : "false");
    if (knob->wraps)
        fprintf(file, ", wraps: true}\n");
    else
        fprintf(file, ", rest: %lld}\n", (long long)knob->rest);
    if (fclose(file) != 0)
        exit(1);
}

static knob any_knob(dice *dice) {
    static const unsigned sizes[] = {8, 16, 32};
    knob knob = {.bits = sizes[roll_below(dice, 3)],
                 .is_signed = roll_below(dice, 2),
                 .wraps = roll_below(dice, 2),
                 .turned = roll_below(dice, 3) == 0,
                 .by_usage = roll_below(dice, 2)};
    unsigned bits = knob.bits == 32 ? 31 : knob.bits;
    int64_t least = knob.is_signed ? -((int64_t)1 << (bits - 1)) : 0;
    int64_t most = ((int64_t)1 << (knob.is_signed ? bits - 1 : bits)) - 1;
    knob.low = least;
    knob.high = most;
    if (roll_below(dice, 2)) {
        knob.low += (int64_t)roll_below(dice, (uint32_t)((most - least) / 2));
        knob.high = knob.low + 1 + (int64_t)roll_below(dice, (uint32_t)(most - knob.low));
    }
    if (knob.low >= 0 && knob.by_usage)
        knob.is_signed = false;
    knob.rest = knob.low + 1 + (int64_t)roll_below(dice, (uint32_t)(knob.high - knob.low));
    return knob;
}

static int64_t any_number(dice *dice, const knob *knob, int64_t last) {
    int64_t span = knob->high - knob->low;
    switch (roll_below(dice, 5)) {
    case 0:
        return knob->low;
    case 1:
        return knob->high;
    case 2: /* may be outside */
        return last + (int64_t)roll_below(dice, 7) - 3;
    case 3:
        return knob->wraps ? last : knob->rest;
    default:
        return knob->low + (int64_t)(roll(dice) % (uint64_t)(span + 1));
    }
}

/* How a knob moved, in 1/65536, and where it is from then on. */
static int64_t moved(const knob *knob, int64_t number, int64_t *place, bool *is_known) {
    int64_t span = knob->high - knob->low + 1, by = 0;
    if (number < knob->low || number > knob->high)
        return 0;
    if (!knob->wraps)
        by = number - knob->rest;
    else if (*is_known)
        for (by = number - *place; 2 * by > span || 2 * by <= -span;)
            by += by > 0 ? -span : span;
    *place = number;
    *is_known = true;
    by = knob->turned ? -by : by;
    return by > 32767 ? INT32_MAX : by < -32768 ? INT32_MIN : by * 65536;
}

static void send(const knob *knob, unsigned device, int64_t number, uint64_t now_us) {
    uint8_t bytes[8] = {0};
    for (unsigned k = 0; k < knob->bits / 8; k++)
        bytes[k] = (uint8_t)((uint64_t)number >> 8 * k);
    rig_report(&r, device, bytes, knob->bits / 4, now_us);
}

/* The counts of 16 bits to the right that the host gets, of the report as text. */
static int64_t taken(uint64_t now_us) {
    int64_t sum = 0;
    for (;;) {
        unsigned buttons, low, high;
        if (sscanf(rig_take(&r, 0, now_us), "%x %x %x", &buttons, &low, &high) != 3)
            return sum;
        sum += (int16_t)(low | high << 8);
    }
}

/* The number as the field's bits have it. */
static int64_t in_field(const knob *knob, int64_t number) {
    uint64_t raw = (uint64_t)number & (UINT64_MAX >> (64 - knob->bits));
    bool minus = knob->is_signed && raw >> (knob->bits - 1);
    return (int64_t)(minus ? raw - ((uint64_t)1 << (knob->bits - 1)) * 2 : raw);
}

static void check_one(dice *dice, unsigned number) {
    knob knob = any_knob(dice);
    uint8_t descriptor[100];
    unsigned devices[2], count = 1 + roll_below(dice, 2);
    int64_t places[2] = {knob.low, knob.low}, wanted = 0, got = 0;
    bool known[2] = {false, false};
    uint64_t now_us = 0;
    write_description(&knob);
    rig_begin(&r, "inputs: {k: knob}\noutputs: {view: mouse}\nsheet: {view.motion.x: k.turn}\n");
    size_t size = make_descriptor(&knob, descriptor);
    for (unsigned i = 0; i < count; i++)
        devices[i] = rig_attach(&r, descriptor, size);
    taken(now_us);
    for (unsigned i = 0; i < 60; i++) {
        unsigned which = roll_below(dice, count);
        int64_t raw = in_field(&knob, any_number(dice, &knob, places[which]));
        about("knob %u: %u bits, %s, %lld to %lld, rest %lld%s, by its %s: report %u of %u: %lld",
              number, knob.bits, knob.wraps ? "goes round" : "around a middle", (long long)knob.low,
              (long long)knob.high, (long long)knob.rest, knob.turned ? ", turned" : "",
              knob.by_usage ? "usage" : "place", i, which, (long long)raw);
        now_us += 10000;
        send(&knob, devices[which], raw, now_us);
        wanted += moved(&knob, raw, &places[which], &known[which]);
        got += taken(now_us);
        CHECK(wanted % 65536 == 0 ? got == wanted / 65536 : llabs(got * 65536 - wanted) < 65536);
    }
    CHECK_EQUAL(yt_engine_counts(&r.engine).motion_dropped, 0);
    rig_end(&r);
}

int main(void) {
    char folder[] = "/tmp/yonder-knobs-XXXXXX";
    dice dice = {17};
    if (!mkdtemp(folder) || chdir(folder) != 0 || mkdir("crane", 0700) != 0)
        return 1;
    for (unsigned i = 0; i < 400; i++)
        check_one(&dice, i);
    unlink("crane/knob.yaml");
    rmdir("crane");
    rmdir(folder);
    return report_checks();
}
