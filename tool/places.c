#include "tool/places.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "tool/tool.h"

static void name_own_place(char *path, size_t size) {
    const char *runtime = getenv("XDG_RUNTIME_DIR");
    if (runtime && *runtime == '/' && strlen(runtime) < 60)
        snprintf(path, size, "%s/yonder", runtime);
    else
        snprintf(path, size, "/tmp/yonder-%u", (unsigned)getuid());
}

bool place_for_now(char *path, size_t size) {
    struct stat there;
    name_own_place(path, size);
    if (mkdir(path, 0700) != 0 && errno != EEXIST)
        return refuse(path, strerror(errno));
    if (lstat(path, &there) != 0 || !S_ISDIR(there.st_mode) || there.st_uid != getuid() ||
        (there.st_mode & 077) != 0)
        return refuse(path, "it is not a folder that is yours alone");
    return true;
}

const char *place_of_sim(char *path, size_t size) {
    name_own_place(path, size);
    size_t length = strlen(path);
    snprintf(path + length, size - length, "/sim");
    return path;
}
