#include "tool/explain_text.h"

#include <stdbool.h>
#include <string.h>

#define SHOWN_BYTES 16 /* of a report */

static const char *text_in(const json_t *object, const char *key) {
    return json_string_value(json_object_get(object, key));
}

static int number_in(const json_t *object, const char *key) {
    return (int)json_integer_value(json_object_get(object, key));
}

static double seconds_in(const json_t *object) {
    return (double)json_integer_value(json_object_get(object, "time_us")) / 1e6;
}

/* "report of Otter 108 keyboard at 0.500000 s: 00 08 …" */
static void print_source(FILE *file, const json_t *control) {
    bool is_host = strcmp(text_in(control, "from"), "host") == 0;
    const json_t *report = json_object_get(control, "report");
    if (json_is_null(json_object_get(control, "time_us"))) {
        fputs(is_host ? "the host has sent nothing of it yet" : "no report has moved it yet", file);
    } else if (is_host) {
        fprintf(file, "the host sent it at %.6f s", seconds_in(control));
    } else if (json_is_null(report)) {
        fprintf(file, "at %.6f s", seconds_in(control));
    } else {
        const char *bytes = text_in(report, "bytes");
        bool is_long = strlen(bytes) > 3 * SHOWN_BYTES;
        fprintf(file, "report of %s at %.6f s: %.*s%s", text_in(report, "device"),
                seconds_in(control), 3 * SHOWN_BYTES - 1, bytes, is_long ? " …" : "");
    }
}

static void print_control(FILE *file, const json_t *control, bool is_switch) {
    const json_t *hidden = json_object_get(control, "hidden");
    const json_t *owner = json_object_get(control, "belongs_to");
    if (json_is_null(control))
        return;
    fputs("  (", file);
    if (!json_is_null(hidden) && is_switch)
        fprintf(file, "it is %s, but not for this cell; ",
                json_real_value(hidden) != 0 ? "on" : "off");
    else if (!json_is_null(hidden))
        fprintf(file, "it is %.4g%%, but not for this cell; ", 100 * json_real_value(hidden));
    if (!json_is_null(owner) && text_in(owner, "layer"))
        fprintf(file, "the press belongs to the layer \"%s\"; ", text_in(owner, "layer"));
    else if (!json_is_null(owner))
        fputs("the press belongs to the sheet; ", file);
    print_source(file, control);
    fputc(')', file);
}

/* A term, and behind it what it is made of, a line each. */
static void print_term(FILE *file, const json_t *term, int depth) {
    size_t i;
    const json_t *part;
    if (json_is_null(term))
        return;
    fprintf(file, "  %-16s%*s%s", text_in(term, "value"), 2 * depth, "", text_in(term, "formula"));
    print_control(file, json_object_get(term, "control"),
                  json_is_true(json_object_get(term, "is_switch")));
    fputc('\n', file);
    json_array_foreach(json_object_get(term, "parts"), i, part) print_term(file, part, depth + 1);
}

static void print_cell(FILE *file, const json_t *cell) {
    const char *kind = text_in(cell, "kind"), *layer = text_in(cell, "layer");
    const json_t *formula = json_object_get(cell, "formula"), *condition;
    if (layer)
        fprintf(file, "\nlayer \"%s\", which is %s; ", layer,
                json_is_true(json_object_get(cell, "is_on")) ? "on" : "off");
    else
        fprintf(file, "\n%s, ",
                strcmp(kind, "macro") == 0  ? "what a macro's step sets"
                : strcmp(kind, "copy") == 0 ? "the sheet, a copy"
                                            : "the sheet");
    fprintf(file, "%s:%d\n", text_in(cell, "file"), number_in(cell, "line"));
    condition = json_object_get(cell, "while");
    if (!json_is_null(condition)) {
        fputs("  while\n", file);
        print_term(file, condition, 1);
        fputs("  its cell\n", file);
    }
    if (json_is_null(formula))
        fprintf(file, "  %-16s  none\n", "rests");
    else
        print_term(file, formula, layer ? 1 : 0);
}

static void print_macro(FILE *file, const json_t *macro) {
    int step = number_in(macro, "step"), now = number_in(macro, "now");
    fprintf(file, "\nstep %d of %d of the macro \"%s\", %s:%d\n", step, number_in(macro, "steps"),
            text_in(macro, "macro"), text_in(macro, "file"), number_in(macro, "line"));
    if (now == step)
        fputs("  it is going on now\n", file);
    else if (now)
        fprintf(file, "  its step %d is going on now\n", now);
    else
        fputs("  it is not running\n", file);
    fputs("  when\n", file);
    print_term(file, json_object_get(macro, "when"), 1);
}

static void print_told(FILE *file, const json_t *told) {
    if (json_is_null(told))
        fputs("  nothing was told of it yet: it rests\n", file);
    else
        fprintf(file, "  the %s was told %s %s at %.6f s\n", text_in(told, "to"),
                text_in(told, "control"), text_in(told, "text"), seconds_in(told));
}

static void print_turn(FILE *file, const json_t *turn) {
    if (json_is_null(turn))
        return;
    const char *of = text_in(turn, "of");
    if (strcmp(of, "layer") != 0)
        fprintf(file, "  it is the turn of %s\n",
                strcmp(of, "macro") == 0 ? "a macro's step" : "the sheet");
    else
        fprintf(file, "  it is the turn of the layer \"%s\"%s\n", text_in(turn, "layer"),
                json_is_true(json_object_get(turn, "is_on"))
                    ? ""
                    : ", which has ended, but what it turned on is still held");
}

void print_explanation(FILE *file, const json_t *all) {
    size_t i;
    const json_t *one;
    fprintf(file, "%s at %.6f s\n", text_in(all, "output"), seconds_in(all));
    print_told(file, json_object_get(all, "told"));
    print_turn(file, json_object_get(all, "turn"));
    json_array_foreach(json_object_get(all, "cells"), i, one) print_cell(file, one);
    json_array_foreach(json_object_get(all, "macros"), i, one) print_macro(file, one);
}
