/* `yonder names`: what controls are called, grouped as a person would look for them. */
#include <argp.h>
#include <ctype.h>
#include <string.h>

#include "compiler/names/spellings.h"
#include "tool/fields.h"
#include "tool/json_text.h"
#include "tool/source.h"

typedef struct options {
    const char *of; /* a kind, or a device */
    const char *word;
    bool json;
} options;

/* One control as it is listed. */
typedef struct entry {
    char name[USAGE_NAME_BYTES];
    const char *type;
    const char *where; /* "in", "out", both */
    char text[160];
    char also[160]; /* other spellings */
    const char *group;
} entry;

#define ENTRIES 2400

typedef struct listing {
    entry entries[ENTRIES];
    unsigned count;
} listing;

static const char *const type_names[YT_KIND_COUNT] = {"switch", "level", "axis", "motion", "rate"};

/* The keys of a keyboard by their usages (HID Usage Tables 1.5, 10). */
static const char *key_group(uint16_t usage) {
    static const struct {
        uint16_t first, last;
        const char *group;
    } groups[] = {{0x04, 0x1d, "letters"},
                  {0x1e, 0x27, "digits"},
                  {0xe0, 0xe7, "modifiers"},
                  {0x28, 0x2c, "enter, escape, space and the like"},
                  {0x2d, 0x38, "punctuation, by the places of a US keyboard"},
                  {0x3a, 0x45, "function keys"},
                  {0x68, 0x73, "function keys"},
                  {0x49, 0x52, "arrows, and the keys above them"},
                  {0x39, 0x39, "locks, print screen, pause"},
                  {0x46, 0x48, "locks, print screen, pause"},
                  {0x53, 0x63, "keypad"},
                  {0x67, 0x67, "keypad"}};
    for (size_t i = 0; i < sizeof groups / sizeof groups[0]; i++)
        if (usage >= groups[i].first && usage <= groups[i].last)
            return groups[i].group;
    return "other keys";
}

static bool begins_with(const char *name, const char *const *names, size_t count) {
    for (size_t i = 0; i < count; i++)
        if (strncmp(name, names[i], strlen(names[i])) == 0)
            return true;
    return false;
}

static const char *group_of(const yt_device_kind *kind, const char *name,
                            const yt_control_name *meaning) {
    static const char *const face[] = {"south", "east", "west", "north"};
    static const char *const sticks[] = {"left_stick", "right_stick", "left_click", "right_click"};
    static const char *const shoulders[] = {"left_shoulder", "right_shoulder", "left_trigger",
                                            "right_trigger"};
    static const char *const middle[] = {"select", "start", "home"};
    static const char *const feedback[] = {"rumble.", "player", "light."};
    bool is_pad = strcmp(kind->name, "gamepad") == 0;
    if (meaning->page == PAGE_KEYBOARD)
        return key_group(meaning->usage);
    if (begins_with(name, feedback, 3))
        return "what the host sends back";
    if (is_pad && begins_with(name, face, 4))
        return "the four buttons on the right, by their places";
    if (is_pad && begins_with(name, sticks, 4))
        return "sticks";
    if (is_pad && begins_with(name, shoulders, 4))
        return "shoulders and triggers";
    if (is_pad && begins_with(name, middle, 3))
        return "in the middle";
    bool is_direction =
        meaning->page == PAGE_DESKTOP && meaning->usage >= 0x90 && meaning->usage <= 0x93;
    if (meaning->part || is_direction)
        return "hats: the directional pad";
    if (meaning->page == PAGE_BUTTON)
        return "buttons";
    if (meaning->kind == YT_MOTION)
        return "what tells how far it moved";
    if (meaning->kind == YT_AXIS || meaning->kind == YT_LEVEL)
        return "axes and levels";
    return meaning->page == PAGE_CONSUMER ? "media keys" : "others, by their usages";
}

static bool holds(const char *text, const char *word) {
    size_t length = strlen(word);
    for (; *text; text++)
        if (strncasecmp(text, word, length) == 0)
            return true;
    return false;
}

static bool is_asked(const entry *entry, const char *word) {
    return !word || holds(entry->name, word) || holds(entry->text, word) ||
           holds(entry->also, word);
}

static void add_spellings(const yt_device_kind *kind, entry *entry) {
    const char *spelling;
    size_t used = 0;
    for (size_t i = 0; (spelling = spelling_of(kind, entry->name, i)) && used < 120; i++)
        used += (size_t)snprintf(entry->also + used, sizeof entry->also - used, "%s%s",
                                 i ? ", " : "", spelling);
}

/* The first usages of the keyboard page stand for no key. */
static bool is_no_key(const yt_control_name *meaning) {
    return meaning->page == PAGE_KEYBOARD && meaning->usage < 4;
}

/* Adds a name that a kind of device knows. */
static void add_name(listing *listing, const yt_device_kind *kind, const char *name,
                     const yt_profile_output *output, const char *word) {
    yt_control_name meaning, vertical;
    yt_output_control control;
    char along[USAGE_NAME_BYTES + 4];
    entry entry = {.type = "?"};
    if (listing->count == ENTRIES || !control_named(kind, name, strlen(name), &meaning) ||
        is_no_key(&meaning))
        return;
    bool goes_out = output && output_control_find(output, &meaning, &control);
    bool is_back = goes_out && control.from_host;
    snprintf(entry.name, sizeof entry.name, "%s", name);
    size_t length = strlen(name);
    snprintf(along, sizeof along, "%.*s.y", (int)(length > 2 ? length - 2 : 0), name);
    bool is_x = length > 2 && strcmp(name + length - 2, ".x") == 0;
    if (is_x && control_named(kind, along, strlen(along), &vertical)) {
        snprintf(entry.text, sizeof entry.text, "%.*s has both of its directions", (int)length - 2,
                 name);
        entry.type = meaning.kind == YT_MOTION ? "motion" : "axis";
    } else {
        entry.type = type_names[meaning.kind];
        snprintf(entry.text, sizeof entry.text, "%s", usage_text(meaning.page, meaning.usage));
    }
    entry.where = is_back ? "from host" : goes_out ? "in, out" : "in";
    entry.group = group_of(kind, name, &meaning);
    add_spellings(kind, &entry);
    if (is_asked(&entry, word))
        listing->entries[listing->count++] = entry;
}

static void print_entry(const entry *entry) {
    printf("  %-28s  %-7s  %-9s  %s", entry->name, entry->type, entry->where, entry->text);
    if (*entry->also)
        printf("%selsewhere: %s", *entry->text ? "; " : "", entry->also);
    printf("\n");
}

/* The groups that come first; the others follow as they come. */
static const char *const order[] = {"letters",
                                    "digits",
                                    "modifiers",
                                    "enter, escape, space and the like",
                                    "arrows, and the keys above them",
                                    "function keys",
                                    "punctuation, by the places of a US keyboard",
                                    "keypad",
                                    "locks, print screen, pause",
                                    "the four buttons on the right, by their places",
                                    "shoulders and triggers",
                                    "sticks",
                                    "in the middle",
                                    "what tells how far it moved",
                                    "media keys",
                                    "other keys",
                                    "hats: the directional pad"};

static void print_group(const listing *listing, const char *group, bool *any) {
    bool begun = false;
    for (unsigned i = 0; i < listing->count; i++) {
        if (strcmp(listing->entries[i].group, group) != 0)
            continue;
        if (!begun)
            printf("%s%s:\n", *any ? "\n" : "", group);
        print_entry(&listing->entries[i]);
        begun = *any = true;
    }
}

/* "lb, l1" as a list. */
static json_t *spellings_as_json(const char *also) {
    json_t *list = json_array();
    while (*also) {
        size_t length = strcspn(also, ",");
        json_array_append_new(list, json_text_of(also, length));
        also += length + strspn(also + length, ", ");
    }
    return list;
}

static bool print_json(const listing *listing) {
    json_t *all = json_array();
    for (unsigned i = 0; i < listing->count; i++) {
        const entry *entry = &listing->entries[i];
        json_t *one = json_object();
        json_object_set_new(one, "name", json_text(entry->name));
        json_object_set_new(one, "type", json_text(entry->type));
        json_object_set_new(one, "where", json_text(entry->where));
        json_object_set_new(one, "group", json_text(entry->group));
        json_object_set_new(one, "meaning", json_text_or_null(entry->text));
        json_object_set_new(one, "elsewhere", spellings_as_json(entry->also));
        json_array_append_new(all, one);
    }
    return json_print(all);
}

static bool comes_first(const char *group) {
    for (size_t i = 0; i < sizeof order / sizeof order[0]; i++)
        if (strcmp(order[i], group) == 0)
            return true;
    return false;
}

static void print_groups(const listing *listing) {
    bool any = false;
    for (size_t i = 0; i < sizeof order / sizeof order[0]; i++)
        print_group(listing, order[i], &any);
    for (unsigned i = 0; i < listing->count; i++) {
        const char *group = listing->entries[i].group;
        bool is_first = !comes_first(group);
        for (unsigned k = 0; k < i; k++)
            is_first &= strcmp(listing->entries[k].group, group) != 0;
        if (is_first)
            print_group(listing, group, &any);
    }
}

static int nothing_found(const char *of, const char *word) {
    fprintf(stderr, "yonder names: nothing of %s has \"%s\" in its name or meaning\n", of, word);
    return 1;
}

static int list_kind(const yt_device_kind *kind, const options *options) {
    const char *word = options->word;
    static listing listing;
    const char *names[ENTRIES];
    profile only;
    bool has_output = output_kind_usual(kind->name) && profile_of_output(&only, kind->name);
    size_t count = control_names(kind, names, ENTRIES);
    for (size_t i = 0; i < count; i++)
        add_name(&listing, kind, names[i], has_output ? &only.compiled.outputs[0] : NULL, word);
    if (has_output)
        profile_close(&only);
    if (listing.count == 0)
        return nothing_found(kind->name, word);
    if (options->json)
        return print_json(&listing) ? 0 : 1;
    print_groups(&listing);
    if (!word)
        printf("\nAnd any usage as PAGE.USAGE, such as consumer.mute; buttons go on as far as a "
               "device has them.\n");
    return 0;
}

static void add_element(listing *listing, const field_list *fields, yt_element element,
                        const char *word) {
    const yt_hid_field *field = &fields->device.fields[element.field];
    const yt_device_kind *kind = fields->named[element.field].kind;
    uint16_t usage = element_usage(field, element.index);
    entry *entry = &listing->entries[listing->count];
    yt_control_name meaning = {.page = field->usage_page,
                               .usage = usage,
                               .kind = (uint8_t)kind_of_field(field, usage),
                               .part = field_is_hat(field)};
    if (listing->count == ENTRIES || is_no_key(&meaning) ||
        !device_element_name(&fields->device, kind, element, true, entry->name))
        return;
    entry->type = field_is_hat(field) ? "hat" : type_names[meaning.kind];
    entry->where = field->direction == YT_HID_INPUT ? "in" : "driven";
    entry->group = group_of(kind, entry->name, &meaning);
    snprintf(entry->text, sizeof entry->text, "%s", usage_text(field->usage_page, usage));
    listing->count += is_asked(entry, word);
}

static int list_device(const options *options) {
    const char *path = options->of, *word = options->word;
    static listing listing;
    static field_list fields;
    device_source source;
    if (!source_open(&source, path))
        return 1;
    for (size_t d = 0; d < source.recording.device_count; d++) {
        const recorded_device *device = &source.recording.devices[d];
        field_list_read(&fields, device->descriptor, device->descriptor_size, NULL);
        for (unsigned i = 0; i < fields.device.count; i++)
            for (unsigned k = 0; k < field_elements(&fields.device.fields[i]); k++)
                add_element(&listing, &fields, (yt_element){i, k}, word);
    }
    source_close(&source);
    if (listing.count == 0 && word)
        return nothing_found(path, word);
    if (options->json)
        return print_json(&listing) ? 0 : 1;
    print_groups(&listing);
    return 0;
}

static int list_kinds_as_json(void) {
    json_t *all = json_array();
    for (size_t i = 0; i < device_kind_count; i++) {
        const yt_device_kind *kind = &device_kinds[i];
        json_array_append_new(all, json_pack("{s:s, s:s, s:b}", "kind", kind->name, "meaning",
                                             kind->meaning, "is_output",
                                             output_kind_usual(kind->name) != NULL));
    }
    return json_print(all) ? 0 : 1;
}

static int list_kinds(void) {
    printf("Inputs and outputs are of these kinds; `yonder names KIND` lists their controls:\n\n");
    for (size_t i = 0; i < device_kind_count; i++)
        printf("  %-10s  %-9s  %s, such as %s.%s\n", device_kinds[i].name,
               output_kind_usual(device_kinds[i].name) ? "in, out" : "in", device_kinds[i].meaning,
               device_kinds[i].usual, device_kinds[i].example);
    return 0;
}

static error_t parse(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    if (key == 'j') {
        options->json = true;
        return 0;
    }
    if (key != ARGP_KEY_ARG)
        return ARGP_ERR_UNKNOWN;
    if (options->word)
        argp_error(state, "one word at a time");
    if (options->of)
        options->word = argument;
    else
        options->of = argument;
    return 0;
}

int command_names(int count, char **arguments) {
    static const struct argp_option known[] = {JSON_OPTION("as JSON"), {0}};
    static const struct argp argp = {
        .options = known,
        .parser = parse,
        .args_doc = "[KIND|DEVICE [WORD]]",
        .doc = "Lists what a profile calls the controls of a kind of device, or of one device: a "
               "recording or a node such as /dev/hidraw0. With a word, those that have it in "
               "their name, their meaning, or in a spelling from elsewhere."};
    options options = {0};
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    if (!options.of)
        return options.json ? list_kinds_as_json() : list_kinds();
    const yt_device_kind *kind = device_kind_named(options.of);
    if (!kind && !strpbrk(options.of, "./")) {
        fprintf(stderr, "yonder names: \"%s\" is no kind of device (%s), and no recording\n",
                options.of, device_kind_list());
        return 2;
    }
    return kind ? list_kind(kind, &options) : list_device(&options);
}
