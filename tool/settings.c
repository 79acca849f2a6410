/* The settings of an adapter: what belongs to the box, whichever profile runs. */
#include <argp.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/messages/status_text.h"
#include "compiler/names/usages.h"
#include "tool/json_text.h"
#include "tool/options.h"
#include "tool/slots.h"
#include "yonder/abilities.h"
#include "yonder/settings.h"

#define WORDS 64
#define HELD  "held" /* controls and their slots, which are two settings, as people see them */

typedef struct options {
    holder_options holder;
    const char *words[WORDS];
    unsigned word_count;
    bool all, reset, json;
} options;

typedef struct record {
    uint8_t bytes[YT_SETTINGS_BYTES];
    size_t size;
} record;

static const char *const meanings[] = {
#define YT_SETTING(NAME, name, many, least, most, usual, meaning) meaning,
#include "yonder/settings.def"
};

/* ---- numbers as people write them ---- */

static bool plain_number(const char *text, uint32_t *number) {
    char *end;
    unsigned long value = strtoul(text, &end, 10);
    *number = (uint32_t)value;
    return *text >= '0' && *text <= '9' && strlen(text) < 10 && *end == 0;
}

static bool suffixed_number(const char *text, const char *suffix, uint32_t *number) {
    char plain[16];
    size_t length = strlen(text), end = strlen(suffix);
    if (length > end && strcmp(text + length - end, suffix) == 0)
        length -= end;
    if (length >= sizeof plain)
        return false;
    memcpy(plain, text, length);
    plain[length] = 0;
    return plain_number(plain, number);
}

static bool colour_number(const char *text, uint32_t *number) {
    char *end;
    *number = (uint32_t)strtoul(*text == '#' ? text + 1 : text, &end, 16);
    return strcmp(text, "usual") == 0 || (*text == '#' && strlen(text) == 7 && *end == 0);
}

static const char *const locks[] = {"anybody", "press", "nobody"};

static bool lock_number(const char *text, uint32_t *number) {
    for (*number = 0; *number < 3; ++*number)
        if (strcmp(text, locks[*number]) == 0)
            return true;
    return false;
}

static bool ability_named(const char *name, size_t length, uint32_t *number) {
    for (unsigned i = 0; i < YT_ABILITY_COUNT; i++)
        if (is_name(yt_ability_name(i), name, length)) {
            *number |= 1u << i;
            return true;
        }
    return false;
}

static bool ability_numbers(const char *text, uint32_t *number) {
    *number = 0;
    if (strcmp(text, "none") == 0)
        return true;
    for (const char *end; *text; text = *end ? end + 1 : end) {
        end = strchrnul(text, ',');
        if (!ability_named(text, (size_t)(end - text), number))
            return false;
    }
    return *number != 0;
}

static bool yes_number(const char *text, uint32_t *number) {
    *number = strcmp(text, "yes") == 0;
    return *number || strcmp(text, "no") == 0;
}

static bool slot_number(const char *text, uint32_t *number) {
    *number = 0;
    return strcmp(text, "none") == 0 || strcmp(text, "last") == 0 || plain_number(text, number);
}

static bool number_of(yt_setting setting, const char *text, uint32_t *number) {
    switch (setting) {
    case YT_SETTING_LIGHT:
        return colour_number(text, number);
    case YT_SETTING_BRIGHTNESS:
    case YT_SETTING_MOTOR:
        return suffixed_number(text, "%", number);
    case YT_SETTING_POLL:
        return suffixed_number(text, "ms", number);
    case YT_SETTING_LOCK:
        return lock_number(text, number);
    case YT_SETTING_REFUSED:
        return ability_numbers(text, number);
    case YT_SETTING_KEEPS:
    case YT_SETTING_EVENT:
    case YT_SETTING_ACTIVATE:
        return yes_number(text, number);
    default:
        return slot_number(text, number);
    }
}

/* What to write in place of what was written. */
static const char *wanted(yt_setting setting) {
    switch (setting) {
    case YT_SETTING_START:
        return "a slot from 1 to 64, or last";
    case YT_SETTING_LIGHT:
        return "a colour as #ff8000, or usual";
    case YT_SETTING_BRIGHTNESS:
    case YT_SETTING_MOTOR:
        return "0% to 100%";
    case YT_SETTING_POLL:
        return "1ms to 255ms";
    case YT_SETTING_LOCK:
        return "anybody, press or nobody";
    case YT_SETTING_REFUSED:
        return "abilities with commas between them, as in repetition,typing, or none; yonder check "
               "names those of a profile";
    case YT_SETTING_KEEPS:
    case YT_SETTING_EVENT:
    case YT_SETTING_ACTIVATE:
        return "yes or no";
    default:
        return "a slot from 1 to 64, or none";
    }
}

static void number_text(yt_setting setting, uint32_t number, char *text, size_t size) {
    size_t length = 0;
    *text = 0;
    switch (setting) {
    case YT_SETTING_START:
        snprintf(text, size, number ? "%u" : "last", number);
        return;
    case YT_SETTING_LIGHT:
        snprintf(text, size, number ? "#%06x" : "usual", number);
        return;
    case YT_SETTING_BRIGHTNESS:
    case YT_SETTING_MOTOR:
        snprintf(text, size, "%u%%", number);
        return;
    case YT_SETTING_POLL:
        snprintf(text, size, "%ums", number);
        return;
    case YT_SETTING_LOCK:
        snprintf(text, size, "%s", locks[number]);
        return;
    case YT_SETTING_REFUSED:
        for (unsigned i = 0; i < YT_ABILITY_COUNT && length < size; i++)
            if (number >> i & 1)
                length += (size_t)snprintf(text + length, size - length, "%s%s", length ? "," : "",
                                           yt_ability_name(i));
        if (length == 0)
            snprintf(text, size, "none");
        return;
    case YT_SETTING_KEEPS:
    case YT_SETTING_EVENT:
    case YT_SETTING_ACTIVATE:
        snprintf(text, size, number ? "yes" : "no");
        return;
    default:
        snprintf(text, size, number ? "%u" : "none", number);
    }
}

/* ---- controls that are held ---- */

/* "f1", "button3", "consumer.mute", or by its numbers. */
bool held_control(const char *name, size_t length, uint32_t *control) {
    uint16_t page = PAGE_KEYBOARD, usage;
    const char *dot = memchr(name, '.', length);
    char buttons[] = "button";
    size_t prefix = sizeof buttons - 1, skip = 0;
    if (dot) {
        if (!usage_page_named(name, (size_t)(dot - name), &page))
            return false;
        skip = (size_t)(dot - name) + 1;
    } else if (length > prefix && memcmp(name, buttons, prefix) == 0) {
        page = PAGE_BUTTON;
    }
    if (!usage_named(page, name + skip, length - skip, &usage) &&
        !usage_numbered(name, length, &page, &usage))
        return false;
    *control = (uint32_t)page << 16 | usage;
    return usage != 0;
}

static void control_text(uint32_t control, char *text, size_t size) {
    uint16_t page = (uint16_t)(control >> 16);
    char name[USAGE_NAME_BYTES];
    const char *page_name = usage_page_name(page);
    bool is_known = usage_name(page, (uint16_t)control, name);
    bool is_short = page == PAGE_KEYBOARD || page == PAGE_BUTTON || !is_known || !page_name;
    snprintf(text, size, "%s%s%s", is_short ? "" : page_name, is_short ? "" : ".", name);
}

static yt_status set_both(record *record, unsigned index, uint32_t control, uint32_t slot) {
    yt_status status = yt_settings_set(record->bytes, &record->size, sizeof record->bytes,
                                       YT_SETTING_HELD_CONTROL, index, slot ? control : 0);
    return status != YT_OK ? status
                           : yt_settings_set(record->bytes, &record->size, sizeof record->bytes,
                                             YT_SETTING_HELD_SLOT, index, slot);
}

static bool set_held(record *record, const char *word, const char *sign) {
    unsigned many = yt_setting_of(YT_SETTING_HELD_CONTROL)->many, place = many;
    const char *name = word + sizeof HELD;
    uint32_t control, slot;
    if (!held_control(name, (size_t)(sign - name), &control))
        return refuse(word, "there is no such control; it is a key, as in held.f1=2, a button, as "
                            "in held.button3=2, or one of another page, as in "
                            "held.consumer.mute=2");
    if (!slot_number(sign + 1, &slot) || slot > YT_STORE_SLOTS)
        return refuse(word, "it takes a slot from 1 to 64, or none");
    for (unsigned i = many; i-- > 0;) {
        uint32_t at = yt_settings_number(record->bytes, record->size, YT_SETTING_HELD_CONTROL, i);
        if (at == control || (at == 0 && (place == many || i < place)))
            place = i;
        if (at == control)
            break;
    }
    if (place == many)
        return refuse(word, "16 controls are set already; take one away with held.CONTROL=none");
    yt_status status = set_both(record, place, control, slot);
    return status == YT_OK || refuse(word, status_text(status));
}

/* ---- setting ---- */

static bool set_text(record *record, yt_setting setting, const char *word, const char *text) {
    if (!may_be_named(text))
        return refuse(word, name_rule);
    yt_status status =
        yt_settings_set_text(record->bytes, &record->size, sizeof record->bytes, setting, text);
    return status == YT_OK || refuse(word, status_text(status));
}

static bool set_number(record *record, yt_setting setting, unsigned index, const char *word,
                       const char *text) {
    const yt_setting_facts *facts = yt_setting_of(setting);
    uint32_t number;
    if (!number_of(setting, text, &number) || number < facts->least || number > facts->most) {
        fprintf(stderr, "%s: it takes %s\n", word, wanted(setting));
        return false;
    }
    yt_status status =
        yt_settings_set(record->bytes, &record->size, sizeof record->bytes, setting, index, number);
    return status == YT_OK || refuse(word, status_text(status));
}

static bool is_shown(yt_setting setting) {
    return setting != YT_SETTING_HELD_CONTROL && setting != YT_SETTING_HELD_SLOT;
}

/* "light.2": the setting, and the index from 0 on. */
static bool find_setting(const char *word, const char *sign, yt_setting *setting, unsigned *index) {
    const char *dot = memchr(word, '.', (size_t)(sign - word)), *end = dot ? dot : sign;
    const char *names[YT_SETTING_COUNT + 1] = {HELD};
    unsigned count = 1;
    for (*setting = 0; *setting < YT_SETTING_COUNT; ++*setting) {
        const yt_setting_facts *facts = yt_setting_of(*setting);
        char *rest;
        if (is_shown(*setting))
            names[count++] = facts->name;
        if (!is_shown(*setting) || !is_name(facts->name, word, (size_t)(end - word)))
            continue;
        unsigned long number = dot ? strtoul(dot + 1, &rest, 10) : 1;
        *index = (unsigned)number - 1;
        if ((facts->many > 1) == (dot != NULL) && number >= 1 && number <= facts->many &&
            (!dot || (rest == sign && dot[1] >= '0' && dot[1] <= '9')))
            return true;
        if (facts->many > 1)
            fprintf(stderr, "%s: write %s.1 to %s.%u\n", word, facts->name, facts->name,
                    facts->many);
        else
            fprintf(stderr, "%s: there is only one %s\n", word, facts->name);
        return false;
    }
    const char *near = nearest_name(word, (size_t)(end - word), names, count);
    fprintf(stderr, "%s: there is no such setting", word);
    fprintf(stderr, near ? "; did you mean \"%s\"?\n" : "; --all lists them\n", near);
    return false;
}

static bool set_word(record *record, const char *word) {
    const char *sign = strchr(word, '=');
    yt_setting setting;
    unsigned index;
    if (!sign)
        return refuse(word, "write NAME=VALUE, as in poll=4ms");
    if (strncmp(word, HELD ".", sizeof HELD) == 0)
        return set_held(record, word, sign);
    if (!find_setting(word, sign, &setting, &index))
        return false;
    return setting == YT_SETTING_NAME ? set_text(record, setting, word, sign + 1)
                                      : set_number(record, setting, index, word, sign + 1);
}

/* ---- showing ---- */

static void print_one(const record *record, yt_setting setting, unsigned index, bool all) {
    const yt_setting_facts *facts = yt_setting_of(setting);
    char text[200], name[240];
    uint32_t number = yt_settings_number(record->bytes, record->size, setting, index);
    bool is_text = setting == YT_SETTING_NAME;
    if (is_text)
        yt_settings_text(record->bytes, record->size, setting, text);
    else
        number_text(setting, number, text, sizeof text);
    if (!all && (is_text ? *text == 0 : number == facts->usual))
        return;
    if (facts->many > 1)
        snprintf(name, sizeof name, "%s.%u=%s", facts->name, index + 1, text);
    else
        snprintf(name, sizeof name, "%s=%s", facts->name, text);
    /* What stands behind a colon or a semicolon is how it is stored. */
    printf("%-28s  %.*s", name, (int)strcspn(meanings[setting], ":;"), meanings[setting]);
    if (all && !is_text)
        printf(" (%s)", wanted(setting));
    putchar('\n');
}

static void print_held(const record *record, bool all) {
    unsigned many = yt_setting_of(YT_SETTING_HELD_CONTROL)->many, shown = 0;
    for (unsigned i = 0; i < many; i++) {
        uint32_t control =
            yt_settings_number(record->bytes, record->size, YT_SETTING_HELD_CONTROL, i);
        uint32_t slot = yt_settings_number(record->bytes, record->size, YT_SETTING_HELD_SLOT, i);
        char name[USAGE_NAME_BYTES * 2], line[USAGE_NAME_BYTES * 2 + 20];
        if (control == 0 || slot == 0)
            continue;
        control_text(control, name, sizeof name);
        snprintf(line, sizeof line, HELD ".%s=%u", name, slot);
        printf("%-28s  a control that chooses this slot where it is held at plug-in\n", line);
        shown++;
    }
    if (all && !shown)
        printf("%-28s  a control that chooses a slot where it is held at plug-in\n",
               HELD ".CONTROL=none");
}

/* All that were set, or one of each that there is. */
static void print_all(const record *record, bool all) {
    if (!all && record->size <= 4) {
        printf("all settings are as usual; --all lists them\n");
        return;
    }
    for (yt_setting setting = 0; setting < YT_SETTING_COUNT; setting++) {
        if (setting == YT_SETTING_HELD_CONTROL)
            print_held(record, all);
        for (unsigned i = 0; is_shown(setting) && i < yt_setting_of(setting)->many; i++)
            print_one(record, setting, i, all && i == 0);
    }
}

/* Each with its value as it is written, and its number; of several a list. */
static json_t *setting_json(const record *record, yt_setting setting, unsigned index) {
    char text[200];
    uint32_t number = yt_settings_number(record->bytes, record->size, setting, index);
    if (setting == YT_SETTING_NAME) {
        yt_settings_text(record->bytes, record->size, setting, text);
        return json_text(text);
    }
    json_t *one = json_object();
    number_text(setting, number, text, sizeof text);
    json_object_set_new(one, "value", json_text(text));
    json_object_set_new(one, "number", json_integer(number));
    return one;
}

static bool print_json(const record *record) {
    json_t *all = json_object();
    for (yt_setting setting = 0; setting < YT_SETTING_COUNT; setting++) {
        const yt_setting_facts *facts = yt_setting_of(setting);
        json_t *list = json_array();
        for (unsigned i = 0; i < facts->many; i++)
            json_array_append_new(list, setting_json(record, setting, i));
        json_object_set(all, facts->name, facts->many > 1 ? list : json_array_get(list, 0));
        json_decref(list);
    }
    return json_print(all);
}

/* ---- the call ---- */

/* What there is; where there is nothing, all as usual. */
static bool read_record(holder *holder, record *record) {
    yt_status status = holder_record(holder, YT_STORE_SETTINGS, record->bytes, sizeof record->bytes,
                                     &record->size);
    if (status == YT_SLOT_EMPTY) {
        yt_settings_clear(record->bytes, &record->size);
        return true;
    }
    if (status == YT_OK)
        status = yt_settings_check(record->bytes, record->size);
    if (status == YT_OK)
        return true;
    if (!holder_has_said(holder))
        fprintf(stderr, "%s: %s; --reset makes all settings as usual\n", holder->path,
                status_text(status));
    return false;
}

static bool run(holder *holder, const options *options) {
    record record;
    if (options->reset)
        yt_settings_clear(record.bytes, &record.size);
    else if (!read_record(holder, &record))
        return false;
    for (unsigned i = 0; i < options->word_count; i++)
        if (!set_word(&record, options->words[i])) {
            fprintf(stderr, "%s: nothing was changed\n", holder->path);
            return false;
        }
    if (options->word_count || options->reset) {
        yt_status status = holder_keep(holder, YT_STORE_SETTINGS, record.bytes, record.size);
        if (status != YT_OK)
            return holder_fail(holder, "", status);
        if (!holder_save(holder))
            return false;
    }
    if (options->json)
        return print_json(&record);
    print_all(&record, options->all);
    return true;
}

static error_t parse(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    switch (key) {
    case ARGP_KEY_INIT:
        state->child_inputs[0] = &options->holder;
        return 0;
    case 'a':
        options->all = true;
        return 0;
    case 'r':
        options->reset = true;
        return 0;
    case 'j':
        options->json = true;
        return 0;
    case ARGP_KEY_ARG:
        if (options->word_count == WORDS)
            argp_error(state, "at most %d settings at a time", WORDS);
        options->words[options->word_count++] = argument;
        return 0;
    case ARGP_KEY_END:
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

int command_settings(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"all", 'a', 0, 0, "show what is as usual, too", 0},
        {"json", 'j', 0, 0, "all of them, as JSON", 0},
        {"reset", 'r', 0, 0, "factory reset: all settings are as usual; slots stay", 0},
        {0}};
    static const struct argp_child children[] = {{&holder_argp, 0, "The adapter:", 1}, {0}};
    static const struct argp argp = {
        .options = known,
        .children = children,
        .parser = parse,
        .args_doc = "[NAME=VALUE...]",
        .doc = "Shows and changes the settings of an adapter.\vNAME=VALUE is as it is shown, such "
               "as poll=4ms, light.2=#ff8000 or held.f1=3; of several all are set, or none."};
    options options = {0};
    holder holder;
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    bool makes = options.word_count > 0 || options.reset;
    bool good = holder_open(&holder, &options.holder, makes) && run(&holder, &options);
    holder_close(&holder);
    return good ? 0 : 1;
}
