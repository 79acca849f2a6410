/* `yonder describe --json`. */
#ifndef YONDER_TOOL_DESCRIBE_JSON_H
#define YONDER_TOOL_DESCRIBE_JSON_H

#include <jansson.h>

#include "tool/tool.h"

/* A device: what it calls itself, and each of its controls with its place in the reports. */
json_t *device_as_json(const recorded_device *device, size_t reports);

#endif
