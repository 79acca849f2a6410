/* A board's own hardware: pins, encoders, ADC channels and sensors as one more device.
 *
 * What is wired where stands in the program (`yonder compile` put it there from the board's
 * description). The firmware samples its hardware every millisecond or so and gives the samples
 * here; when something changed, a report comes of it, which goes to yt_engine_report as that of any
 * other device. The device is attached with bus YT_BUS_BOARD, the board's name, and no report
 * descriptor.
 *
 * A switch changes once its pin was at the other level in every sample for the debounce time: a
 * glitch shorter than that never shows, and a true edge shows no later than the debounce time and
 * one sample after it. Encoders are read by their four states: edges that bounce take themselves
 * back, and where a state was missed the encoder is taken to turn on in the direction in which it
 * turned. A channel's samples are added up, so that four of them have two bits more.
 *
 *     yt_board board;
 *     yt_board_part parts[YT_BOARD_PINS];
 *     yt_board_begin(&board, yt_engine_program(&engine), 0, parts, YT_BOARD_PINS);
 *     yt_samples samples = {.pins = levels, .pin_count = 32}; // every millisecond
 *     if (yt_board_sample(&board, &samples, now_us) &&
 *         yt_board_report(&board, bytes, sizeof bytes, &length) == YT_OK)
 *         yt_engine_report(&engine, number, bytes, length, now_us); */
#ifndef YONDER_BOARD_H
#define YONDER_BOARD_H

#include <stdbool.h>

#include "yonder/image/program.h"

#ifdef __cplusplus
extern "C" {
#endif

/* What a port reads of its hardware. Pins, channels or sensors that it has not are off, or 0. */
typedef struct yt_samples {
    const uint8_t *pins; /* the electrical level of each, a bit each, the lowest first */
    const uint16_t *channels;
    const int16_t *sensors;
    uint16_t pin_count;
    uint8_t channel_count;
    uint8_t sensor_count;
} yt_samples;

/* What is known of one pin, encoder, channel or sensor. */
typedef struct yt_board_part {
    uint32_t value;   /* switch: 0 or 1; channel: the last sum; sensor: the last number */
    uint32_t sum;     /* of a channel, so far; of a switch: since when it differs */
    uint8_t count;    /* samples in the sum; of a switch: 1 while it differs */
    uint8_t state;    /* of an encoder: its two pins; 4 before the first sample */
    int8_t steps;     /* of an encoder, since its last detent */
    int8_t direction; /* of an encoder: 1, -1, or 0 before it turned */
    int16_t detents;  /* of an encoder: not yet reported */
    uint16_t reserved;
} yt_board_part;

/* A board's own hardware, as a device. The caller's memory. */
typedef struct yt_board {
    const yt_program_pin *pins; /* those of the board */
    yt_board_part *parts;
    uint8_t count;
    uint8_t input;
    uint8_t bytes;        /* of its report */
    uint8_t output_bytes; /* of the report to it, for its lights and motors; 0: it has none */
} yt_board;

/* Begins with the board that is input `input` of a checked program; `parts` has room for `room`
 * parts, and is the board's from now on. YT_ARGUMENT: the input is no board. YT_MEMORY: there are
 * more parts. */
YT_MUST_USE yt_status yt_board_begin(yt_board *board, const yt_program *program, unsigned input,
                                     yt_board_part *parts, size_t room);

/* Takes a round of samples. True: there is something new to report. An interrupt may call this, the
 * same that calls yt_board_report. */
bool yt_board_sample(yt_board *board, const yt_samples *samples, uint64_t now_us);

/* Writes the board's report of `board->bytes` bytes. What encoders turned is used up. YT_ROOM:
 * there is less room; nothing was done. */
YT_MUST_USE yt_status yt_board_report(yt_board *board, uint8_t *bytes, size_t room, size_t *length);

/* Of a report to the board (yt_device_report): how bright or strong the light or motor on a pin is
 * to be, 0 to 255; -1: there is none on that pin. */
int yt_board_drive(const yt_board *board, const uint8_t *bytes, size_t size, unsigned pin);

#ifdef __cplusplus
}
#endif

#endif
