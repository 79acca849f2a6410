/* Yonder Thumb: reports of one device in, reports of another out, as a profile says.
 *
 * General rules, said once:
 * - All memory is the caller's, in structures that are visible but not to be touched. Nothing is to
 *   be torn down: stop using it, that is all. The library keeps no state of its own.
 * - Pointers are never NULL unless a call says so. Sizes are bytes, times are microseconds.
 * - Time is always a parameter; the library asks nobody for it.
 * - Calls that can fail return a yt_status; 0 is YT_OK. After an error nothing is half done.
 * - Two engines, or stores, never affect each other. One is used from one place at a time; the only
 *   call that an interrupt may make is yt_engine_report.
 * - Bytes from outside (descriptors, reports, programs, flash) may be anything. docs/security.md
 *   lists what is promised. */
#ifndef YONDER_YONDER_H
#define YONDER_YONDER_H

#include "yonder/abilities.h"
#include "yonder/actions.h"
#include "yonder/adapter.h"
#include "yonder/bluetooth.h"
#include "yonder/board.h"
#include "yonder/calibration.h"
#include "yonder/engine.h"
#include "yonder/gatt.h"
#include "yonder/groups.h"
#include "yonder/hid.h"
#include "yonder/image/program.h"
#include "yonder/link.h"
#include "yonder/link_ways.h"
#include "yonder/menu.h"
#include "yonder/message.h"
#include "yonder/port.h"
#include "yonder/rebind.h"
#include "yonder/status.h"
#include "yonder/settings.h"
#include "yonder/store.h"
#include "yonder/usb.h"
#include "yonder/value.h"
#include "yonder/version.h"

#endif
