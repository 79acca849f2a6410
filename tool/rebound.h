/* What was rebound on an adapter goes into the sheet of the text that is fetched. */
#ifndef YONDER_TOOL_REBOUND_H
#define YONDER_TOOL_REBOUND_H

#include "tool/slots.h"

/* Where cells of a slot's program were rebound, the text says so from now on, all else of it as it
 * was: each is said on standard error. Where that cannot be done, it is said, and the text stays.
 */
void rebound_put_into_text(slot_content *content);

#endif
