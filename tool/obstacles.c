/* What on this machine stands in the way of being an adapter, in the order in which people get
 * stuck, each with the command that mends it. */
#include <argp.h>
#include <pwd.h>
#include <string.h>
#include <unistd.h>

#include "tool/json_text.h"
#include "tool/obstacles.h"
#include "tool/options.h"
#include "tool/tool.h"

typedef struct options {
    served_options outputs;
    bool json;
} options;

static const char *const state_names[] = {"fine", "warning", "obstacle"};

void found(looking *looking, state state, const char *what, const char *mend) {
    json_t *one = json_object();
    json_object_set_new(one, "state", json_string(state_names[state]));
    json_object_set_new(one, "what", json_text(what));
    json_object_set_new(one, "mend", mend ? json_text(mend) : json_null());
    json_array_append_new(looking->list, one);
    looking->is_obstructed |= state == OBSTACLE;
}

static void print_all(const json_t *list) {
    size_t i;
    const json_t *one;
    json_array_foreach(list, i, one) {
        const char *state = json_string_value(json_object_get(one, "state"));
        const char *mend = json_string_value(json_object_get(one, "mend"));
        printf("%-9s %s\n", state, json_string_value(json_object_get(one, "what")));
        if (mend)
            printf("%-9s     %s\n", "", mend);
    }
}

static error_t parse(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    switch (key) {
    case ARGP_KEY_INIT:
        state->child_inputs[0] = &options->outputs;
        return 0;
    case 'j':
        options->json = true;
        return 0;
    case ARGP_KEY_ARG:
        argp_error(state, "there is nothing to say but options: \"%s\"", argument);
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

int command_obstacles(int count, char **arguments) {
    static const struct argp_option known[] = {JSON_OPTION("as JSON"), {0}};
    static const struct argp_child children[] = {{&served_argp, 0, 0, 0}, {0}};
    static const struct argp argp = {
        .options = known,
        .children = children,
        .parser = parse,
        .doc = "Says what on this machine stands in the way of yonder serve, in the order in which "
               "people get stuck, each with the command that mends it.\vThe exit status is 1 where "
               "something stands in the way; what is only a warning does not."};
    options options = {.json = false};
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    looking looking = {.outputs = options.outputs, .list = json_array()};
    const struct passwd *user = getpwuid(geteuid());
    snprintf(looking.user, sizeof looking.user, "%.60s", user ? user->pw_name : "$USER");
    look_at_devices(&looking);
    look_at_outputs(&looking);
    bool good = true;
    if (options.json)
        good = json_print(looking.list);
    else
        print_all(looking.list);
    if (!options.json)
        json_decref(looking.list);
    return good && !looking.is_obstructed ? 0 : 1;
}
