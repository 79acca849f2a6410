#include "compiler/reading/document.h"

#include <ctype.h>
#include <string.h>
#include <yaml.h>

/* The keys of one map, to find duplicates: a hash table with open addressing. */
typedef struct yt_key_set {
    const yt_part **slots;
    size_t size; /* a power of two */
    size_t count;
} yt_key_set;

typedef struct yt_description_reading {
    yaml_parser_t parser;
    yt_pool *pool;
    yt_messages *messages;
    unsigned source;
    yt_text_place reached; /* the place that `offset` is at; events come in the order of the text */
    size_t offset;
    bool failed;
} yt_description_reading;

static yt_text_place place_of(const yt_description_reading *reading, yaml_mark_t mark, int width) {
    return (yt_text_place){(int)mark.line + 1, (int)mark.column + 1, width > 0 ? width : 1,
                           reading->source};
}

static const yt_source *source_of(const yt_description_reading *reading) {
    return &reading->messages->sources[reading->source];
}

static void fail(yt_description_reading *reading, yt_text_place place, const char *text) {
    messages_add(reading->messages, place, "%s", text);
    reading->failed = true;
}

/* Where a byte of the text stands. */
static yt_text_place place_of_byte(const yt_description_reading *reading, size_t offset) {
    const yt_source *source = source_of(reading);
    yt_text_place place = {1, 1, 1, reading->source};
    for (size_t i = 0; i < offset && i < source->bytes; i++) {
        bool is_line_end = source->text[i] == '\n';
        bool goes_on = ((unsigned char)source->text[i] & 0xc0) == 0x80;
        place.column = is_line_end ? 1 : place.column + !goes_on;
        place.line += is_line_end;
    }
    return place;
}

/* The line of a place, to its end. */
static const char *line_at(const yt_description_reading *reading, int line, size_t *length) {
    const char *at = source_of(reading)->text, *end = at + source_of(reading)->bytes;
    for (; line > 1 && at < end; at++)
        line -= *at == '\n';
    *length = 0;
    while (at + *length < end && at[*length] != '\n')
        ++*length;
    return at;
}

/* The place of a quote that is opened behind a colon and not closed on its line; line 0: none is.
 */
static yt_text_place open_quote(const yt_description_reading *reading) {
    size_t length;
    yt_text_place place = {1, 1, 1, reading->source};
    const char *end = source_of(reading)->text + source_of(reading)->bytes;
    for (const char *line; (line = line_at(reading, place.line, &length)) < end; place.line++)
        for (size_t i = 2; i < length; i++) {
            bool opens = (line[i] == '"' || line[i] == '\'') && line[i - 1] == ' ';
            if (!opens || !memchr(":[{,-", line[i - 2], 5) ||
                memchr(line + i + 1, line[i], length - i - 1))
                continue;
            place.column = (int)i + 1;
            return place;
        }
    place.line = 0;
    return place;
}

/* What is probably wrong where YAML says that something is; "" where nobody knows. */
static const char *hint_of(const yt_description_reading *reading, const char *problem) {
    const yaml_parser_t *parser = &reading->parser;
    size_t length, column = parser->problem_mark.column;
    const char *line = line_at(reading, (int)parser->problem_mark.line + 1, &length);
    bool is_mapping = strstr(problem, "mapping values are not allowed");
    if (is_mapping && length > 0 && memchr(line, '?', length))
        return " (? and : are not known here; write: if(condition, one, other))";
    if (is_mapping)
        return " (is a colon too many here, or a quote missing?)";
    if (strstr(problem, "cannot start any token") && column < length && line[column] == '%')
        return " (a percent sign stands behind its number: 50%)";
    if (strchr(problem, '\t') || strstr(problem, "cannot start any token"))
        return " (YAML wants spaces, not tabs, to indent)";
    return parser->error == YAML_READER_ERROR ? " (a profile is text in UTF-8)" : "";
}

static bool next_event(yt_description_reading *reading, yaml_event_t *event) {
    if (yaml_parser_parse(&reading->parser, event))
        return true;
    const yaml_parser_t *parser = &reading->parser;
    bool is_unreadable = parser->error == YAML_READER_ERROR; /* it is no text */
    yt_text_place place = is_unreadable ? place_of_byte(reading, parser->problem_offset)
                                        : place_of(reading, parser->problem_mark, 1);
    const char *problem = parser->problem ? parser->problem : "it cannot be read";
    yt_text_place quote =
        strstr(problem, "unexpected end of stream") ? open_quote(reading) : (yt_text_place){0};
    reading->failed = true;
    if (quote.line > 0)
        messages_add(reading->messages, quote, "this quote is opened and not closed");
    else
        messages_add(reading->messages, place, "this is not YAML: %s%s", problem,
                     hint_of(reading, problem));
    return false;
}

static yt_part *new_part(yt_description_reading *reading, part_kind kind, const yaml_event_t *event,
                         bool in_flow) {
    yt_part *part = pool_take(reading->pool, sizeof *part);
    part->kind = kind;
    part->place = place_of(reading, event->start_mark, 1);
    part->in_flow = in_flow;
    return part;
}

/* The byte of a place that is not before the last one asked for. */
static size_t advance_to(yt_description_reading *reading, yt_text_place place) {
    const char *source = source_of(reading)->text;
    size_t bytes = source_of(reading)->bytes;
    while (reading->offset < bytes &&
           (reading->reached.line < place.line ||
            (reading->reached.line == place.line && reading->reached.column < place.column))) {
        if (source[reading->offset++] == '\n') {
            reading->reached.line++;
            reading->reached.column = 1;
            continue;
        }
        while (reading->offset < bytes && ((unsigned char)source[reading->offset] & 0xc0) == 0x80)
            reading->offset++;
        reading->reached.column++;
    }
    return reading->offset;
}

/* Where a scalar's characters begin in the source: behind a quote, or behind the line of a `|`. */
static size_t body_of(yt_description_reading *reading, const yt_part *part,
                      yaml_scalar_style_t style) {
    const yt_source *source = source_of(reading);
    size_t at = advance_to(reading, part->place);
    if (style == YAML_SINGLE_QUOTED_SCALAR_STYLE || style == YAML_DOUBLE_QUOTED_SCALAR_STYLE)
        return at + 1;
    if (style != YAML_LITERAL_SCALAR_STYLE && style != YAML_FOLDED_SCALAR_STYLE)
        return at;
    while (at < source->bytes && source->text[at] != '\n')
        at++;
    return at;
}

/* A comma inside { } or [ ] ends a scalar, even between a function's arguments. */
static bool is_torn(const yt_part *part) {
    int depth = 0;
    if (!part->in_flow)
        return false;
    for (size_t i = 0; i < part->bytes; i++)
        depth += (part->text[i] == '(') - (part->text[i] == ')');
    return depth != 0;
}

static void check_text(yt_description_reading *reading, const yt_part *part, bool is_plain) {
    if (memchr(part->text, 0, part->bytes))
        fail(reading, part->place, "there is a character with the code 0 in this text");
    else if (is_plain && is_torn(part))
        fail(reading, part->place,
             "YAML ends this formula at its comma, since it stands inside { } or [ ]; put the "
             "formula in quotes, or write it on a line of its own");
}

static yt_part *read_text(yt_description_reading *reading, const yaml_event_t *event,
                          bool in_flow) {
    yt_part *part = new_part(reading, PART_TEXT, event, in_flow);
    part->bytes = event->data.scalar.length;
    part->text = pool_text(reading->pool, (const char *)event->data.scalar.value, part->bytes);
    size_t width = event->end_mark.index - event->start_mark.index;
    if (event->end_mark.line == event->start_mark.line)
        part->place.width = width > 0 ? (int)width : 1;
    part->body = body_of(reading, part, event->data.scalar.style);
    check_text(reading, part, event->data.scalar.style == YAML_PLAIN_SCALAR_STYLE);
    return part;
}

static const yt_part **key_slot(const yt_key_set *keys, const yt_part *key) {
    size_t hash = 5381;
    for (size_t i = 0; i < key->bytes; i++)
        hash = hash * 33 + (unsigned char)key->text[i];
    size_t at = (hash ^ hash >> 15) & (keys->size - 1);
    while (keys->slots[at] && strcmp(keys->slots[at]->text, key->text) != 0)
        at = (at + 1) & (keys->size - 1);
    return &keys->slots[at];
}

static void grow_keys(yt_pool *pool, yt_key_set *keys) {
    yt_key_set larger = {.size = keys->size ? 2 * keys->size : 16, .count = keys->count};
    larger.slots = pool_take(pool, larger.size * sizeof *larger.slots);
    for (size_t i = 0; i < keys->size; i++)
        if (keys->slots[i])
            *key_slot(&larger, keys->slots[i]) = keys->slots[i];
    *keys = larger;
}

static void check_key(yt_description_reading *reading, yt_key_set *keys, const yt_part *key) {
    if (key->kind != PART_TEXT) {
        fail(reading, key->place, "a key must be a name, not a map or a list");
        return;
    }
    if (key->bytes == 0)
        fail(reading, key->place, "there is a value without a key");
    if (strcmp(key->text, "<<") == 0)
        fail(reading, key->place, "merge keys (<<) are not known here; write the entries out");
    if (2 * keys->count >= keys->size)
        grow_keys(reading->pool, keys);
    const yt_part **slot = key_slot(keys, key);
    if (*slot) {
        messages_add(reading->messages, key->place, "\"%s\" stands here twice; first in line %d",
                     key->text, (*slot)->place.line);
        reading->failed = true;
        return;
    }
    *slot = key;
    keys->count++;
}

static void check_value(yt_description_reading *reading, const yt_part *key, const yt_part *value) {
    if (key->kind != PART_TEXT || value->kind != PART_TEXT || value->bytes > 0)
        return;
    messages_add(reading->messages, key->place,
                 key->in_flow ? "\"%s\" has no value; a formula with commas must be in quotes "
                                "inside { }"
                              : "\"%s\" has no value; to leave a control alone, take the line out "
                                "or write: none",
                 key->text);
    reading->failed = true;
}

static yt_part *read_part(yt_description_reading *reading, const yaml_event_t *event, bool in_flow,
                          int depth);

static bool ends_part(yaml_event_type_t type) {
    return type == YAML_MAPPING_END_EVENT || type == YAML_SEQUENCE_END_EVENT;
}

/* Reads what stands in a map or a list until its end. */
static void read_inside(yt_description_reading *reading, yt_part *whole, bool in_flow, int depth) {
    yt_part **end = &whole->first;
    yt_part *key = NULL;
    yt_key_set keys = {0};
    while (!reading->failed) {
        yaml_event_t event;
        if (!next_event(reading, &event))
            return;
        if (ends_part(event.type)) {
            if (in_flow)
                whole->bytes =
                    advance_to(reading, place_of(reading, event.end_mark, 1)) - whole->body;
            yaml_event_delete(&event);
            return;
        }
        yt_part *inside = read_part(reading, &event, in_flow, depth + 1);
        yaml_event_delete(&event);
        if (!inside)
            return;
        *end = inside;
        end = &inside->next;
        if (whole->kind == PART_LIST)
            continue;
        if (!key)
            check_key(reading, &keys, inside);
        else
            check_value(reading, key, inside);
        key = key ? NULL : inside;
    }
}

/* Anchors and tags are refused, so that no alias can multiply what is read. */
static const char *refusal(const yaml_event_t *event) {
    bool map = event->type == YAML_MAPPING_START_EVENT;
    bool list = event->type == YAML_SEQUENCE_START_EVENT;
    bool text = event->type == YAML_SCALAR_EVENT;
    if (event->type == YAML_ALIAS_EVENT || (map && event->data.mapping_start.anchor) ||
        (list && event->data.sequence_start.anchor) || (text && event->data.scalar.anchor))
        return "anchors (&) and aliases (*) are not known here; a formula that begins with & or * "
               "is none either";
    if ((map && event->data.mapping_start.tag) || (list && event->data.sequence_start.tag) ||
        (text && event->data.scalar.tag))
        return "tags (!) are not known here; write `not` for the opposite of a switch, and - for "
               "that "
               "of a number";
    return NULL;
}

static yt_part *read_part(yt_description_reading *reading, const yaml_event_t *event, bool in_flow,
                          int depth) {
    const char *refused = refusal(event);
    if (refused) {
        fail(reading, place_of(reading, event->start_mark, 1), refused);
        return NULL;
    }
    if (depth > DOCUMENT_DEPTH) {
        fail(reading, place_of(reading, event->start_mark, 1),
             "maps and lists are nested too deep");
        return NULL;
    }
    if (event->type == YAML_SCALAR_EVENT)
        return read_text(reading, event, in_flow);
    bool map = event->type == YAML_MAPPING_START_EVENT;
    bool flow = map ? event->data.mapping_start.style == YAML_FLOW_MAPPING_STYLE
                    : event->data.sequence_start.style == YAML_FLOW_SEQUENCE_STYLE;
    yt_part *whole = new_part(reading, map ? PART_MAP : PART_LIST, event, in_flow || flow);
    if (in_flow || flow)
        whole->body = advance_to(reading, whole->place);
    read_inside(reading, whole, in_flow || flow, depth);
    return whole;
}

static yt_part *read_document(yt_description_reading *reading) {
    yt_part *document = NULL;
    for (;;) {
        yaml_event_t event;
        if (!next_event(reading, &event))
            return NULL;
        yaml_event_type_t type = event.type;
        yt_text_place place = place_of(reading, event.start_mark, 1);
        if (type == YAML_STREAM_END_EVENT) {
            yaml_event_delete(&event);
            return document;
        }
        if (type == YAML_DOCUMENT_START_EVENT && document)
            fail(reading, place, "a profile is one document; a second one begins here");
        else if (type == YAML_SCALAR_EVENT || type == YAML_ALIAS_EVENT ||
                 type == YAML_MAPPING_START_EVENT || type == YAML_SEQUENCE_START_EVENT)
            document = read_part(reading, &event, false, 0);
        yaml_event_delete(&event);
        if (reading->failed)
            return NULL;
    }
}

yt_part *document_read(yt_pool *pool, yt_messages *messages, unsigned number) {
    const yt_source *source = &messages->sources[number];
    yt_description_reading reading = {
        .pool = pool, .messages = messages, .source = number, .reached = {1, 1, 1, number}};
    if (source->bytes > DOCUMENT_BYTES) {
        messages_add(messages, (yt_text_place){0, 0, 1, number}, "the %s is longer than %d bytes",
                     number ? "file" : "profile", DOCUMENT_BYTES);
        return NULL;
    }
    if (!yaml_parser_initialize(&reading.parser))
        return NULL;
    yaml_parser_set_input_string(&reading.parser, (const unsigned char *)source->text,
                                 source->bytes);
    if (source->bytes < 3 || memcmp(source->text, "\xef\xbb\xbf", 3) != 0) /* is told by itself */
        yaml_parser_set_encoding(&reading.parser, YAML_UTF8_ENCODING);
    yt_part *document = read_document(&reading);
    yaml_parser_delete(&reading.parser);
    return document;
}

/* YAML folds line breaks and indentation, so characters are found by counting those that are not
 * white space, in the text and in the source. */
yt_text_place part_place(const yt_part *part, const yt_messages *messages, size_t offset,
                         int width) {
    size_t before = 0, at = part->body;
    yt_text_place place = part->place;
    for (size_t i = 0; i < offset && i < part->bytes; i++)
        before += !isspace((unsigned char)part->text[i]);
    const char *source = messages->sources[place.source].text;
    size_t bytes = messages->sources[place.source].bytes;
    for (; at < bytes; at++) {
        if (isspace((unsigned char)source[at]))
            continue;
        if (before-- == 0)
            break;
    }
    if (offset >= part->bytes && part->bytes > 0) { /* behind the last character */
        place = part_place(part, messages, part->bytes - 1, 1);
        place.column++;
        return place;
    }
    place.line = 1;
    size_t begin = 0;
    for (size_t i = 0; i < at && i < bytes; i++) {
        if (source[i] != '\n')
            continue;
        place.line++;
        begin = i + 1;
    }
    place.column = 1;
    for (size_t i = begin; i < at && i < bytes; i++)
        place.column += ((unsigned char)source[i] & 0xc0) != 0x80;
    place.width = width > 0 ? width : 1;
    return place;
}
