/* What is meant by a spelling that people bring along from elsewhere. */
#ifndef YONDER_COMPILER_NAMES_SPELLINGS_H
#define YONDER_COMPILER_NAMES_SPELLINGS_H

#include "compiler/names/names.h"

/* The control of a kind of device that a spelling stands for, whatever its letters' size, and where
 * there may be two, the other one; else NULL. False: nobody knows. */
bool spelling_meant(const yt_device_kind *kind, const char *spelling, size_t length,
                    const char **one, const char **other);

/* The spellings that a control is known by on a kind of device: number `index` of them; NULL: there
 * are no more. */
const char *spelling_of(const yt_device_kind *kind, const char *name, size_t index);

#endif
