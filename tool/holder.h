/* What holds slots, calibrations and settings: the flash of a simulated adapter in a file, or an
 * adapter that is talked to. The commands about them know no more than this. */
#ifndef YONDER_TOOL_HOLDER_H
#define YONDER_TOOL_HOLDER_H

#include "tool/flash_file.h"
#include "tool/linked.h"
#include "yonder/store.h"

/* --flash and what says what it is like, or --at; neither: the only adapter that there is. */
typedef struct holder_options {
    flash_options flash;
    const char *at;
    bool no_press; /* a locked adapter is no reason to wait */
} holder_options;

extern const struct argp holder_argp; /* its input is a holder_options */

/* Whether a slot or an adapter may have a name; and the rule, to be said where it may not. */
bool may_be_named(const char *name);
extern const char name_rule[];

/* A slot's content, in memory. */
typedef struct holder_content {
    const char *name;
    const uint8_t *program, *text, *kept;
    size_t program_bytes, text_bytes, kept_bytes;
} holder_content;

typedef struct holder {
    const char *path; /* for messages */
    unsigned slots;
    bool is_linked;
    flash_file *file; /* where it is one */
    flash_file own;
    linked linked;
} holder;

/* False: said. `makes`: a flash where there is none. */
bool holder_open(holder *holder, const holder_options *options, bool makes);
void holder_close(holder *holder);

/* Keeps what was changed: a file is written now; an adapter keeps each change at once. */
bool holder_save(holder *holder);

/* One that is a flash file which somebody else has opened, and closes. */
void holder_of_file(holder *holder, flash_file *file);

/* As those of the store; slots and places count from 0. Where an adapter's own refusal was said
 * already, `holder_fail` says nothing more. */
yt_status holder_slot(holder *holder, unsigned slot, yt_slot *info);
yt_status holder_read(holder *holder, unsigned slot, yt_slot_part part, uint8_t **bytes,
                      size_t *size);
/* Parameters that are kept with a slot. */
yt_status holder_kept(holder *holder, unsigned slot, uint8_t kept[YT_STORE_KEPT], size_t *size);
yt_status holder_write(holder *holder, unsigned slot, const holder_content *content);
yt_status holder_copy(holder *holder, unsigned from, unsigned to);
yt_status holder_swap(holder *holder, unsigned one, unsigned other);
yt_status holder_rename(holder *holder, unsigned slot, const char *name);
yt_status holder_erase(holder *holder, unsigned slot);
yt_status holder_activate(holder *holder, unsigned slot);
unsigned holder_active(holder *holder);

/* Settings (YT_STORE_SETTINGS) and calibrations. */
yt_status holder_record(holder *holder, unsigned place, uint8_t *bytes, size_t room, size_t *size);
yt_status holder_keep(holder *holder, unsigned place, const uint8_t *bytes, size_t size);
yt_status holder_forget(holder *holder, unsigned place);

/* Whether an adapter's refusal was said already. */
bool holder_has_said(const holder *holder);

/* "WHERE: WHAT: STATUS" on standard error, unless it was said; false. */
bool holder_fail(const holder *holder, const char *what, yt_status status);

#endif
