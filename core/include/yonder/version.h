/* Which version this is, of the library, the programs and the link. docs/versions.md says what each
 * number promises. */
#ifndef YONDER_VERSION_H
#define YONDER_VERSION_H

#define YT_VERSION_MAJOR 0
#define YT_VERSION_MINOR 1
#define YT_VERSION_PATCH 0

/* To compare with: #if YT_VERSION < YT_VERSION_OF(1, 2, 0). */
#define YT_VERSION_OF(major, minor, patch) ((major)*10000 + (minor)*100 + (patch))
#define YT_VERSION                         YT_VERSION_OF(YT_VERSION_MAJOR, YT_VERSION_MINOR, YT_VERSION_PATCH)

/* The same as text, "0.1.0". */
#define YT_VERSION_TEXT_(major, minor, patch)   #major "." #minor "." #patch
#define YT_VERSION_TEXT_OF(major, minor, patch) YT_VERSION_TEXT_(major, minor, patch)
#define YT_VERSION_TEXT                         YT_VERSION_TEXT_OF(YT_VERSION_MAJOR, YT_VERSION_MINOR, YT_VERSION_PATCH)

#endif
