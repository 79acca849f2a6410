#include "ports/linux/battery.h"

#include <dirent.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#define SUPPLIES "/sys/class/power_supply"

static void read_line(const char *supply, const char *name, char *text, size_t size) {
    char path[320];
    snprintf(path, sizeof path, SUPPLIES "/%.200s/%s", supply, name);
    int file = open(path, O_RDONLY | O_CLOEXEC);
    ssize_t length = file < 0 ? 0 : read(file, text, size - 1);
    if (file >= 0)
        close(file);
    text[length > 0 ? length : 0] = 0;
    text[strcspn(text, "\n")] = 0;
}

/* Not of a device that is plugged in, which has a scope of its own. */
static int percent_of(const char *supply) {
    char text[40], *end;
    read_line(supply, "type", text, sizeof text);
    if (strcmp(text, "Battery") != 0)
        return -1;
    read_line(supply, "scope", text, sizeof text);
    if (strcmp(text, "Device") == 0)
        return -1;
    read_line(supply, "capacity", text, sizeof text);
    long percent = strtol(text, &end, 10);
    return end == text || percent < 0 || percent > 100 ? -1 : (int)percent;
}

int battery_percent(void) {
    int percent = -1;
    DIR *folder = opendir(SUPPLIES);
    for (const struct dirent *entry; folder && percent < 0 && (entry = readdir(folder));)
        if (entry->d_name[0] != '.')
            percent = percent_of(entry->d_name);
    if (folder)
        closedir(folder);
    return percent;
}
