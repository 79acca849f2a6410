/* What the commands about slots share. */
#ifndef YONDER_TOOL_SLOTS_H
#define YONDER_TOOL_SLOTS_H

#include <jansson.h>

#include "tool/holder.h"
#include "tool/tool.h"
#include "yonder/settings.h"

/* What goes into a slot: a program, and its text where it has one. */
typedef struct slot_content {
    unsigned slot;
    const char *path;
    char name[YT_STORE_NAME + 1];
    uint8_t *bytes; /* the program with the text behind it, aligned as yt_program_check wants it */
    size_t program_bytes, text_bytes;
} slot_content;

/* A profile is compiled, a program is taken as it is. False: said on standard error. */
bool slot_content_read(slot_content *content, const char *path, bool with_text);

/* The same of a profile that is compiled; its path and slot stay. */
void slot_content_of(slot_content *content, profile *profile, bool with_text);

/* What a slot holds, with its text; NULL: said. To be freed with slot_content_free. */
bool slot_content_fetch(slot_content *content, holder *holder, unsigned slot);
void slot_content_free(slot_content *content);

/* Writes the profile and all files that it names into a folder, which is made where it is not
 * there, and says so (`says`). Files that are others are replaced only where `force`; names that
 * lead out of the folder are refused before anything is written. False: said on standard error. */
bool slot_text_write(const slot_content *content, const char *folder, bool force, bool says);

/* Whether a file's name leads nowhere else than into a folder. */
bool file_name_is_tame(const char *name, size_t bytes);

/* A slot that holds something, for programs; `slot` from 0. */
json_t *slot_as_json(unsigned slot, const yt_slot *info);

/* Writes a file of such a name into a folder, and says so (`says`). One that is another is replaced
 * only where `force`. False: said. */
bool tame_file_write(const char *folder, const yt_kept_file *file, bool force, bool says);

/* Removes a folder that was made for a moment, with all that is in it. */
void folder_remove(const char *folder);

/* The profile that was put into a slot. False: it has none, or cannot be compiled: said. */
bool slot_profile_open(profile *profile, const slot_content *content);

/* Whether a slot of an adapter holds nothing, or just that. */
bool slot_holds(holder *holder, const slot_content *content);

/* "slot 3: STATUS" on standard error; false. */
bool slot_fail(const holder *holder, unsigned slot, yt_status status);

/* Tables of what an adapter keeps, on standard output; or the same as JSON. */
bool slots_list(holder *holder);
bool slots_list_json(holder *holder);

/* Parameters that were kept with a slot, on standard error: the text that is fetched does not have
 * them. */
void slots_tell_kept(holder *holder, const slot_content *content);

/* What differs between a slot and a file. False: it cannot be told. */
bool slots_differ(holder *holder, unsigned slot, const char *path, bool *differs);

/* A control that is held at plug-in, as people call it: "f1", "button3", "consumer.mute". */
bool held_control(const char *name, size_t length, uint32_t *control);

#endif
