/* `yonder measure --json`: what was measured, for programs. Shares are numbers: 1 is the whole way;
 * of an axis they are of its half. */
#ifndef YONDER_TOOL_MEASURE_JSON_H
#define YONDER_TOOL_MEASURE_JSON_H

#include <jansson.h>

#include "tool/chatter.h"
#include "tool/measuring.h"

/* The device, and how its reports come. */
json_t *rate_as_json(const recorded_device *device, const rate_measure *measure);

/* A stick, an axis or a level, and what to set. */
json_t *part_as_json(const calibrating *calibrating, const part_measure *measure,
                     const measure_setting *settings, unsigned count);

/* A switch that bounces, and what turns back against its own way. */
json_t *switch_as_json(const char *name, const switch_chatter *chatter);
json_t *turns_as_json(const char *name, const turn_chatter *chatter);

/* From a report in to a report out; `list` in ms, the shortest first. */
json_t *delays_as_json(const char *through, uint64_t poll_us, const double *list, size_t count);

/* The word for a direction that a part reaches. */
const char *reach_word(unsigned kind, unsigned direction);

#endif
