/* A small firmware around a profile, for ports/bare. */
#ifndef YONDER_TOOL_C_FIRMWARE_H
#define YONDER_TOOL_C_FIRMWARE_H

#include "tool/plugs.h"

/* Writes a folder: the firmware, the program, the reports of what is plugged in, which it plays,
 * and a CMakeLists.txt. Files that are there and differ are only replaced where `force` says so.
 * False: said on standard error. */
bool write_c_firmware(const char *folder, const profile *profile, const plugged *plugged,
                      bool force);

#endif
