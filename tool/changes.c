#include <inttypes.h>
#include <stdlib.h>
#include <string.h>

#include "tool/tool.h"

void change_list_add(void *user, const sim_change *change) {
    change_list *list = user;
    if (list->count == list->room) {
        list->room = list->room ? 2 * list->room : 1024;
        list->list = realloc(list->list, list->room * sizeof *list->list);
        if (!list->list) {
            perror("yonder");
            exit(1);
        }
    }
    list->list[list->count++] = *change;
}

/* What came in stands before what went out at the same time. */
static bool is_later(const sim_change *a, const sim_change *b) {
    return a->time_us != b->time_us ? a->time_us > b->time_us : a->is_output && !b->is_output;
}

/* The list is nearly in order already, so that moving each into its place is quick, and stable. */
void change_list_sort(change_list *list) {
    for (size_t i = 1; i < list->count; i++) {
        sim_change moved = list->list[i];
        size_t at = i;
        for (; at > 0 && is_later(&list->list[at - 1], &moved); at--)
            list->list[at] = list->list[at - 1];
        list->list[at] = moved;
    }
}

void change_list_free(change_list *list) {
    free(list->list);
    *list = (change_list){0};
}

/* An output's control is found by its place in the report; a hat goes by what stands before the
 * dot. */
static void output_name(const profile_output *output, const host_control *control, char *text,
                        size_t size) {
    const yt_output_layout *layout = yt_output_layout_of(output->kind);
    for (unsigned i = 0; i < layout->control_count; i++) {
        const yt_output_control *at = &layout->controls[i];
        if (layout->fields[at->field].bit != control->bit)
            continue;
        const char *name = output_control_name(output->kind, i);
        int width = at->part ? (int)strcspn(name, ".") : (int)strlen(name);
        snprintf(text, size, "%s.%.*s", output->name, width, name);
        return;
    }
    snprintf(text, size, "%s.?", output->name);
}

void change_name(const profile *profile, const sim_plug *plugs, const sim_change *change,
                 char *text, size_t size) {
    const host_control *control = &change->control;
    if (change->is_output) {
        output_name(&profile->compiled.outputs[change->number], control, text, size);
        return;
    }
    const char *input = profile->compiled.inputs[plugs[change->number].input].name;
    const char *name = input_control_name(control->page, control->usage, control->is_relative);
    if (name)
        snprintf(text, size, "%s.%s", input, name);
    else
        snprintf(text, size, "%s.%04x:%04x", input, control->page, control->usage);
}

void change_value(const sim_change *change, char *text, size_t size) {
    static const char *const hats[] = {"up",   "up right",  "right", "down right",
                                       "down", "down left", "left",  "up left"};
    const host_control *control = &change->control;
    int64_t value = control->value,
            span = control->value < 0 ? -control->minimum : control->maximum;
    if (control->is_relative)
        snprintf(text, size, "%+" PRId64, value);
    else if (host_control_is_switch(control))
        snprintf(text, size, "%s", value ? "pressed" : "released");
    else if (control->page == 0x01 && control->usage == 0x39)
        snprintf(text, size, "%s", value >= 0 && value < 8 ? hats[value] : "centre");
    else
        snprintf(text, size, "%" PRId64 " (%.1f %%)", value,
                 span ? 100.0 * (double)value / (double)span : 0.0);
}

void print_changes(FILE *file, const profile *profile, const sim_plug *plugs,
                   const change_list *changes) {
    fprintf(file, "   time in s  from  control                         value\n");
    for (size_t i = 0; i < changes->count; i++) {
        const sim_change *change = &changes->list[i];
        char name[160], value[64];
        change_name(profile, plugs, change, name, sizeof name);
        change_value(change, value, sizeof value);
        fprintf(file, "%5" PRIu64 ".%06" PRIu64 "  %-4s  %-30s  %s\n", change->time_us / 1000000,
                change->time_us % 1000000, change->is_output ? "out" : "in", name, value);
    }
}
