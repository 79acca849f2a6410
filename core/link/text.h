/* Text that comes over the link. */
#ifndef YONDER_LINK_TEXT_H
#define YONDER_LINK_TEXT_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* Whether bytes are UTF-8 (RFC 3629): no longer than they must be, no surrogates, up to 0x10ffff.
 */
bool yt_is_utf8(const uint8_t *bytes, size_t size);

#endif
