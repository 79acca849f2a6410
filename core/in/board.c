/* A board of one's own: samples of pins, channels and sensors become a report like a device's, so
 * that all that follows is the same for both. */
#include "yonder/board.h"
#include "image/layout.h"

#include <string.h>

#include "yonder/hid.h"

#define UNKNOWN 4 /* the state of an encoder before the first sample */

yt_status yt_board_begin(yt_board *board, const yt_program *program, unsigned input,
                         yt_board_part *parts, size_t room) {
    unsigned first = 0, all = program->header->pin_count;
    memset(board, 0, sizeof *board);
    while (first < all && yt_pin_at(program, first)->input != input)
        first++;
    board->pins = yt_pin_at(program, first);
    board->input = (uint8_t)input;
    for (; first < all && yt_pin_at(program, first)->input == input; first++) {
        static const uint8_t bits[YT_PIN_KIND_COUNT] = {1, 8, 32, 16, 8};
        const yt_program_pin *pin = yt_pin_at(program, first);
        uint8_t end = (uint8_t)((pin->bit + bits[pin->kind] + 7) / 8);
        uint8_t *bytes = pin->kind == YT_PIN_OUT ? &board->output_bytes : &board->bytes;
        *bytes = end > *bytes ? end : *bytes;
        board->count++;
    }
    if (board->count == 0)
        return YT_ARGUMENT;
    if (board->count > room)
        return YT_MEMORY;
    board->parts = parts;
    memset(parts, 0, board->count * sizeof *parts);
    for (unsigned i = 0; i < board->count; i++)
        parts[i].state = UNKNOWN;
    return YT_OK;
}

static bool is_on(const yt_program_pin *pin, const yt_samples *samples, unsigned number) {
    if (number >= samples->pin_count)
        return false;
    bool high = samples->pins[number / 8] >> (number % 8) & 1;
    return high == ((pin->flags & YT_PIN_ACTIVE_HIGH) != 0);
}

static bool sample_switch(const yt_program_pin *pin, yt_board_part *part, bool on, uint32_t now) {
    if (on == (part->value != 0)) {
        part->count = 0;
        return false;
    }
    if (part->count == 0) {
        part->count = 1;
        part->sum = now;
    }
    if (now - part->sum < pin->debounce_us)
        return false;
    part->value = on;
    part->count = 0;
    return true;
}

/* Quarter steps between two states of the pins: 1, 0, -1; 2 where a state was missed. */
static int quarter(unsigned from, unsigned to) {
    static const int8_t steps[16] = {0, -1, 1, 2, 1, 0, 2, -1, -1, 2, 0, 1, 2, 1, -1, 0};
    return steps[from << 2 | to];
}

/* Where a detent is: every state, both pins alike, or both pins off. */
static bool is_detent(unsigned steps, unsigned state) {
    return steps == 1 || state == 0 || (steps == 2 && state == 3);
}

/* Takes whole detents off the quarter steps while there are `from` or more; says how many. */
static int count_detents(yt_board_part *part, int steps, int from) {
    int turned = 0;
    for (; part->steps > 0 && part->steps >= from; part->steps = (int8_t)(part->steps - steps))
        turned++;
    for (; part->steps < 0 && -part->steps >= from; part->steps = (int8_t)(part->steps + steps))
        turned--;
    return turned;
}

/* Detents count where they are, to the nearest one. Where the pins are never seen there, since the
 * knob turns too fast, they count once it has turned past two. */
static bool sample_encoder(const yt_program_pin *pin, yt_board_part *part, unsigned state) {
    if (part->state == UNKNOWN)
        part->state = (uint8_t)state;
    if (part->state == state)
        return part->detents != 0; /* more than one report can tell of */
    int step = quarter(part->state, state);
    if (step == 2)
        step = 2 * part->direction;
    else
        part->direction = (int8_t)step;
    part->state = (uint8_t)state;
    part->steps = (int8_t)(part->steps + step);
    bool is_there = is_detent(pin->steps, state);
    int turned = count_detents(part, pin->steps, is_there ? pin->steps / 2 : 2 * pin->steps + 1);
    if (is_there)
        part->steps = 0;
    int detents = part->detents + turned;
    part->detents = (int16_t)(detents > INT16_MAX   ? INT16_MAX
                              : detents < INT16_MIN ? INT16_MIN
                                                    : detents);
    return turned != 0;
}

static bool sample_channel(const yt_program_pin *pin, yt_board_part *part, uint16_t number) {
    part->sum += number;
    if (++part->count < pin->steps)
        return false;
    bool changed = part->value != part->sum;
    part->value = part->sum;
    part->sum = part->count = 0;
    return changed;
}

static bool sample_part(const yt_program_pin *pin, yt_board_part *part, const yt_samples *samples,
                        uint32_t now) {
    uint16_t number;
    switch (pin->kind) {
    case YT_PIN_SWITCH:
        return sample_switch(pin, part, is_on(pin, samples, pin->pin), now);
    case YT_PIN_ENCODER:
        return sample_encoder(pin, part,
                              (unsigned)is_on(pin, samples, pin->pin) << 1 |
                                  (unsigned)is_on(pin, samples, pin->other));
    case YT_PIN_ANALOG:
        return pin->pin < samples->channel_count &&
               sample_channel(pin, part, samples->channels[pin->pin]);
    case YT_PIN_SENSOR:
        number = pin->pin < samples->sensor_count ? (uint16_t)samples->sensors[pin->pin] : 0;
        if (part->value == number)
            return false;
        part->value = number;
        return true;
    default:
        return false;
    }
}

bool yt_board_sample(yt_board *board, const yt_samples *samples, uint64_t now_us) {
    bool changed = false;
    for (unsigned i = 0; i < board->count; i++)
        changed |= sample_part(&board->pins[i], &board->parts[i], samples, (uint32_t)now_us);
    return changed;
}

yt_status yt_board_report(yt_board *board, uint8_t *bytes, size_t room, size_t *length) {
    static const uint8_t bits[YT_PIN_KIND_COUNT] = {1, 8, 32, 16, 0};
    *length = board->bytes;
    if (room < board->bytes)
        return YT_ROOM;
    memset(bytes, 0, board->bytes);
    for (unsigned i = 0; i < board->count; i++) {
        const yt_program_pin *pin = &board->pins[i];
        yt_board_part *part = &board->parts[i];
        uint32_t value = part->value;
        if (pin->kind == YT_PIN_ENCODER) {
            int detents = part->detents > 127 ? 127 : part->detents < -127 ? -127 : part->detents;
            part->detents = (int16_t)(part->detents - detents);
            value = (uint32_t)detents;
        }
        yt_hid_set(bytes, board->bytes, pin->bit, bits[pin->kind], value);
    }
    return YT_OK;
}

int yt_board_drive(const yt_board *board, const uint8_t *bytes, size_t size, unsigned pin) {
    for (unsigned i = 0; i < board->count; i++)
        if (board->pins[i].kind == YT_PIN_OUT && board->pins[i].pin == pin)
            return (int)yt_hid_get(bytes, size, board->pins[i].bit, 8);
    return -1;
}
