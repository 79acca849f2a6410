#include "ports/linux/battery.h"

#include <dirent.h>
#include <stdlib.h>
#include <string.h>

#include "ports/linux/line.h"

#define SUPPLIES "/sys/class/power_supply"

/* Not of a device that is plugged in, which has a scope of its own. */
static int percent_of(const char *supply) {
    char folder[300], text[40], *end;
    snprintf(folder, sizeof folder, SUPPLIES "/%.200s", supply);
    line_of(folder, "type", text, sizeof text);
    if (strcmp(text, "Battery") != 0)
        return -1;
    line_of(folder, "scope", text, sizeof text);
    if (strcmp(text, "Device") == 0)
        return -1;
    line_of(folder, "capacity", text, sizeof text);
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
