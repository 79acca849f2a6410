#include "tool/finding.h"

#include <stdio.h>
#include <string.h>
#include <unistd.h>

#include "ports/linux/hidraw.h"
#include "tool/places.h"
#include "tool/way.h"

#define NODES 64

static bool is_served(const char *path) {
    way way;
    const char *why;
    bool is_there = way_open(&way, path, &why);
    way_close(&way);
    return is_there;
}

size_t find_adapters(found_adapter *found, size_t most) {
    static hidraw_node nodes[NODES];
    size_t count = 0, node_count = hidraw_list("", nodes, NODES);
    char sim[128];
    place_of_sim(sim, sizeof sim);
    if (count < most && access(sim, F_OK) == 0 && is_served(sim)) {
        snprintf(found[count].path, sizeof found[count].path, "%s", sim);
        snprintf(found[count++].name, sizeof found[0].name, "a simulated adapter");
    }
    for (size_t i = 0; i < node_count && count < most; i++)
        if (nodes[i].error == 0 && way_is_adapter(nodes[i].path)) {
            snprintf(found[count].path, sizeof found[count].path, "%.63s", nodes[i].path);
            snprintf(found[count++].name, sizeof found[0].name, "%.127s", nodes[i].name);
        }
    return count;
}

bool find_adapter(char *path, size_t size) {
    found_adapter found[ADAPTERS];
    size_t count = find_adapters(found, ADAPTERS);
    if (count == 1) {
        snprintf(path, size, "%s", found[0].path);
        return true;
    }
    if (count == 0)
        fprintf(stderr, "no adapter is plugged in: say with --flash FILE which file its flash is "
                        "in, with --at where it is (a serial port, say), or begin yonder sim\n");
    else
        fprintf(stderr, "there are %zu adapters: say with --at which one\n", count);
    for (size_t i = 0; i < count; i++)
        fprintf(stderr, "  --at %-24s  %s\n", found[i].path, found[i].name);
    return false;
}
