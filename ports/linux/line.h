/* Files of one line, as the kernel tells facts in them (sysfs, configfs). */
#ifndef YONDER_LINUX_LINE_H
#define YONDER_LINUX_LINE_H

#include <fcntl.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

/* The line of a file in a folder, without its end; "" where there is none. */
static inline void line_of(const char *folder, const char *name, char *text, size_t size) {
    char path[600];
    snprintf(path, sizeof path, "%.400s/%.180s", folder, name);
    int file = open(path, O_RDONLY | O_CLOEXEC);
    ssize_t length = file < 0 ? 0 : read(file, text, size - 1);
    if (file >= 0)
        close(file);
    text[length > 0 ? length : 0] = 0;
    text[strcspn(text, "\n")] = 0;
}

#endif
