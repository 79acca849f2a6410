/* `include:` reads named formulas, parameters, macros and layers from other files. */
#ifndef YONDER_COMPILER_READING_INCLUDE_H
#define YONDER_COMPILER_READING_INCLUDE_H

#include "compiler/reading/document.h"

#define PROFILE_FILES 17 /* a profile and the files that it includes */

/* The maps of a profile and of what it includes, in the order in which they count: what is included
 * stands before what includes it, the profile is the last. */
typedef struct yt_files {
    const yt_part *tops[PROFILE_FILES];
    unsigned count;
} yt_files;

/* Reads what the profile `top` includes, and what that includes. Each file is read once. */
void read_includes(yt_pool *pool, yt_messages *messages, const yt_part *top, yt_files *files);

/* The text of a file inside of the profile's folder ("" is where we are), up to DOCUMENT_BYTES + 1
 * bytes, kept by `messages`; NULL where it cannot be read, and no `why` where there is none. */
char *read_named_file(yt_messages *messages, const char *folder, const char *path, size_t *size,
                      const char **why);

/* Whether a name may be that of a file beside the profile: no way leads out of its folder. */
bool is_file_name(const char *name, size_t bytes);

#endif
