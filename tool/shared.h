/* A file of profiles, as one hands it on and another takes it: a zip archive with a file that says
 * what it is. */
#ifndef YONDER_TOOL_SHARED_H
#define YONDER_TOOL_SHARED_H

#define SHARED_FORMAT   "yonder profiles"
#define SHARED_VERSION  1
#define SHARED_CONTENTS "profiles.json"

#endif
