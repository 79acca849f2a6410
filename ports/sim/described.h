/* What a description says of a device that its report descriptor does not: a view of it shows that,
 * too. */
#ifndef YONDER_SIM_DESCRIBED_H
#define YONDER_SIM_DESCRIBED_H

#include "ports/sim/host.h"
#include "yonder/image/program.h"

/* Of a control of which a description says how it moves: from now on a view of its device has it
 * so. It is found by its place, or by its usage. */
void described_turns(sim_host *view, const yt_program_place *place, const yt_program_range *range,
                     uint16_t page, uint16_t usage, unsigned occurrence);

/* Adds to a device's view, and to that of its lights and motors, what a description says of its
 * reports where its report descriptor does not. `inputs`: a bit for each input that it is. Either
 * view may be NULL. */
void described_add(const yt_program *program, uint32_t inputs, sim_host *view, sim_host *lights);

#endif
