/* A device arrives: which input it is, and where it keeps the controls of the program. */
#include <string.h>

#include "engine/parts.h"

#define PAGE_KEYBOARD 0x07
#define PAGE_BUTTON   0x09

yt_attached *yt_attached_at(const yt_engine *engine, unsigned number) {
    if (number >= YT_DEVICES || engine->device_at[number] == 0)
        return NULL;
    return (yt_attached *)(engine->memory + engine->device_at[number]);
}

/* The parts of a block stand behind its head: scales (aligned for int64_t), bindings, reports. */
yt_scale *yt_attached_scales(yt_attached *device) {
    return (yt_scale *)(device + 1);
}

yt_binding *yt_attached_bindings(yt_attached *device) {
    return (yt_binding *)(yt_attached_scales(device) + device->scales);
}

yt_bound_report *yt_attached_reports(yt_attached *device) {
    return (yt_bound_report *)(yt_attached_bindings(device) + device->bindings);
}

yt_target *yt_attached_targets(yt_attached *device) {
    return (yt_target *)(yt_attached_reports(device) + device->reports);
}

/* What is looked for in a report descriptor. */
typedef struct hid_wanted {
    const yt_program_input *input;
    uint16_t page;
    uint16_t usage;
    uint8_t occurrence;
    uint8_t kind;
    bool is_hat;
    bool is_target; /* a light or a motor, in a report to the device */
} hid_wanted;

/* A key or a button that tells how deep it is serves as a switch too. */
static bool switch_suits(const yt_hid_field *field) {
    return !(field->flags & YT_HID_VARIABLE) || field->usage_page == PAGE_KEYBOARD ||
           field->usage_page == PAGE_BUTTON || field->bits == 1 ||
           (field->minimum == 0 && field->maximum == 1);
}

/* A hat has four or eight positions; fewer or more mean something else. */
static bool hat_suits(const yt_hid_field *field) {
    int64_t positions = field->maximum - field->minimum + 1;
    return (field->flags & YT_HID_VARIABLE) && (positions == 4 || positions == 8) &&
           field->minimum >= 0 && field->minimum <= 8;
}

static bool kind_suits(const yt_hid_field *field, const hid_wanted *wanted) {
    bool variable = field->flags & YT_HID_VARIABLE;
    if (field->bits > 32)
        return false;
    if (wanted->is_target)
        return variable;
    if (wanted->kind == YT_MOTION)
        return variable && (field->flags & YT_HID_RELATIVE);
    if (field->flags & YT_HID_RELATIVE)
        return false;
    if (wanted->is_hat)
        return hat_suits(field);
    bool is_key = field->usage_page == PAGE_KEYBOARD || field->usage_page == PAGE_BUTTON;
    return wanted->kind == YT_SWITCH  ? switch_suits(field)
           : wanted->kind == YT_LEVEL ? variable || is_key
                                      : variable;
}

static bool is_in_application(uint16_t page, uint16_t usage, const yt_program_input *input) {
    return input->application_page == 0 ||
           (page == input->application_page &&
            (usage == input->application_usage ||
             (input->application_other && usage == input->application_other)));
}

/* How many elements of a field have the usage, and the first of them. A usage that stands for all
 * the rest of a field occurs many times. */
static unsigned occurrences(const yt_hid_field *field, unsigned usage, unsigned *first) {
    unsigned at = usage - field->usage_first;
    *first = at;
    if (usage < field->usage_first || usage > field->usage_last)
        return 0;
    if (!(field->flags & YT_HID_VARIABLE))
        return 1;
    if (at >= field->count)
        return 0;
    return usage == field->usage_last ? field->count - at : 1;
}

/* A search through a device's report descriptor, and what it found. It takes most of the stack
 * that the core needs, so there is one, handed on. */
typedef struct search {
    const yt_device *device;
    yt_hid_reader reader;
    yt_hid_field field;
    unsigned element;
    uint16_t application_page; /* of the collection that an input is looked for */
    uint16_t application_usage;
} search;

static void begin_search(search *search) {
    yt_hid_open(&search->reader, search->device->descriptor, search->device->descriptor_size);
}

/* Finds where a control stands. YT_END: nowhere; YT_HID_…: the descriptor is broken. */
static yt_status find_usage(search *search, const hid_wanted *wanted) {
    const yt_hid_field *field = &search->field;
    unsigned left = wanted->occurrence;
    begin_search(search);
    for (;;) {
        yt_status status = yt_hid_next(&search->reader, &search->field);
        if (status != YT_OK)
            return status;
        if ((field->direction != YT_HID_INPUT) != wanted->is_target ||
            (field->flags & YT_HID_CONSTANT) || field->usage_page != wanted->page ||
            !kind_suits(field, wanted) ||
            !(wanted->is_target ||
              is_in_application(field->application_page, field->application_usage, wanted->input)))
            continue;
        unsigned count = occurrences(field, wanted->usage, &search->element);
        if (left < count) {
            search->element += left;
            return YT_OK;
        }
        left -= count;
    }
}

/* Reads the descriptor to its end; the reader then knows how long the reports are. */
static yt_status read_whole(search *search) {
    yt_status status;
    begin_search(search);
    do
        status = yt_hid_next(&search->reader, &search->field);
    while (status == YT_OK);
    return status == YT_END ? YT_OK : status;
}

static bool is_text(const yt_program *program, unsigned offset, unsigned bytes, const char *text) {
    return text && strlen(text) == bytes && memcmp(program->text + offset, text, bytes) == 0;
}

/* What an input asks of the device as a whole: points for each thing that is so, or -1. */
static int device_fitness(const yt_program *program, const yt_program_input *input,
                          const yt_device *device) {
    int score = 0;
    const struct {
        bool asked, is_so;
        uint8_t points;
    } terms[] = {
        {input->serial_bytes,
         is_text(program, input->serial_offset, input->serial_bytes, device->serial), 64},
        {input->connector, input->connector == device->connector, 32},
        {input->needs & YT_NEEDS_DESCRIPTOR,
         input->descriptor == yt_checksum(0, device->descriptor, device->descriptor_size), 16},
        {input->device_name_bytes,
         is_text(program, input->device_name_offset, input->device_name_bytes, device->name), 16},
        {input->product, input->product == device->product, 8},
        {input->vendor, input->vendor == device->vendor, 8},
        {input->bus, input->bus == device->bus, 4}};
    for (size_t i = 0; i < sizeof terms / sizeof terms[0]; i++) {
        if (terms[i].asked && !terms[i].is_so)
            return -1;
        score += terms[i].asked ? terms[i].points : 0;
    }
    return score;
}

/* How well one top-level collection of a device fits an input: 0 not at all; more for each thing
 * that the input asks for. */
static unsigned fitness(const yt_program *program, search *search, unsigned number) {
    const yt_program_input *input = &program->inputs[number];
    int score = device_fitness(program, input, search->device);
    if (score < 0 || !is_in_application(search->application_page, search->application_usage, input))
        return 0;
    if (input->application_page)
        score += search->application_usage == input->application_usage ? 2 : 1;
    if (input->needs & YT_NEEDS_USAGE) {
        bool relative = input->needs & YT_NEEDS_RELATIVE;
        hid_wanted wanted = {.input = input,
                             .page = input->needs_page,
                             .usage = input->needs_usage,
                             .kind = relative ? YT_MOTION : YT_AXIS};
        if (find_usage(search, &wanted) != YT_OK)
            return 0;
        score++;
    }
    return (unsigned)score + 1;
}

/* The input that fits the collection at hand best, of several the earliest; YT_ANY_INPUT: none. */
static unsigned best_input(const yt_program *program, search *search) {
    unsigned best = YT_ANY_INPUT, best_score = 0;
    for (unsigned i = 0; i < program->header->input_count; i++) {
        if (search->device->input != YT_ANY_INPUT && search->device->input != i)
            continue;
        unsigned score = fitness(program, search, i);
        if (score > best_score) {
            best = i;
            best_score = score;
        }
    }
    return best;
}

/* Goes to the top-level collection `number`, or to the next one behind it that has a field. */
static bool find_collection(search *search, unsigned *number) {
    begin_search(search);
    while (yt_hid_next(&search->reader, &search->field) == YT_OK) {
        if (search->field.application < *number)
            continue;
        *number = search->field.application;
        search->application_page = search->field.application_page;
        search->application_usage = search->field.application_usage;
        return true;
    }
    return false;
}

static uint32_t input_bit(unsigned input) {
    return input == YT_ANY_INPUT ? 0 : (uint32_t)1 << input;
}

/* The inputs that a device is taken for, a bit each. A keyboard and a mouse in one device are two
 * top-level collections, and each finds its own input. A device without any finds one too: its
 * description may say where its controls are. */
static uint32_t find_inputs(const yt_program *program, search *search) {
    uint32_t inputs = 0;
    unsigned number = 0;
    if (!find_collection(search, &number))
        return input_bit(best_input(program, search));
    for (; find_collection(search, &number); number++)
        inputs |= input_bit(best_input(program, search));
    return inputs;
}

/* The blocks end where the memory in use ends; a block that grows is the last one. */
static void *grow(yt_engine *engine, size_t bytes) {
    if (engine->size - engine->used < bytes)
        return NULL;
    void *grown = engine->memory + engine->used;
    memset(grown, 0, bytes);
    engine->used += bytes;
    return grown;
}

/* A field as a description gives it. */
static void place_field(yt_hid_field *field, const yt_program_place *place) {
    memset(field, 0, sizeof *field);
    field->report_id = place->report_id;
    field->bit = place->bit;
    field->bits = place->bits;
    field->count = 1;
    field->flags = YT_HID_VARIABLE;
    field->minimum = place->flags & YT_PLACE_SIGNED ? -1 : 0;
    field->maximum = 1;
}

/* Finds a control of the program: at its place, by its usage, or by the other one. A range that is
 * given stands for the field's own. */
static yt_status find_control(const yt_program *program, search *search,
                              const yt_program_control *control, bool is_target) {
    const yt_program_place *place =
        control->place == YT_NO_PLACE ? NULL : &program->places[control->place];
    hid_wanted wanted = {.input = &program->inputs[control->input],
                         .page = control->page,
                         .usage = control->usage,
                         .occurrence = control->occurrence,
                         .kind = control->kind,
                         .is_hat = control->part,
                         .is_target = is_target};
    yt_status status = YT_OK;
    search->element = 0;
    if (place && (place->flags & YT_PLACE_HERE))
        place_field(&search->field, place);
    else
        status = find_usage(search, &wanted);
    if (status == YT_END && control->other_page) {
        wanted.page = control->other_page;
        wanted.usage = control->other_if;
        status = control->other_if ? find_usage(search, &wanted) : YT_OK;
        wanted.usage = control->other_usage;
        wanted.is_hat = false;
        status = status == YT_OK ? find_usage(search, &wanted) : status;
    }
    if (status == YT_OK && place && (place->flags & YT_PLACE_RANGE)) {
        search->field.minimum = program->ranges[place->range].minimum;
        search->field.maximum = program->ranges[place->range].maximum;
    }
    return status;
}

/* Whether the control stands in a hat of the device; it may be a button of its own instead. */
static bool is_hat(const yt_hid_field *field, const yt_program_control *control) {
    return control->part && field->bits > 1 && hat_suits(field);
}

/* Whether the values of a control follow from a range. */
static bool is_scaled(const yt_hid_field *field, const yt_program_control *control) {
    if (control->kind == YT_SWITCH)
        return (field->flags & YT_HID_VARIABLE) && field->bits > 1 && !is_hat(field, control) &&
               field->maximum - field->minimum > 1;
    if (control->kind == YT_LEVEL) /* keys that tell no depth are as switches */
        return (field->flags & YT_HID_VARIABLE) && field->maximum - field->minimum > 1;
    return control->kind == YT_AXIS || control->kind == YT_RATE;
}

static void fill_binding(yt_binding *binding, const yt_hid_field *field, unsigned element,
                         const yt_program_control *control, bool is_signed) {
    binding->bits = (uint8_t)field->bits;
    binding->report_id = field->report_id;
    binding->bit = field->bit;
    binding->flags = is_signed ? YT_BINDING_SIGNED : 0;
    if (!(field->flags & YT_HID_VARIABLE)) {
        int64_t number = field->number_first + control->usage - field->usage_first;
        binding->flags |= YT_BINDING_ARRAY;
        if (field->usage_page == PAGE_KEYBOARD)
            binding->flags |= YT_BINDING_KEYS;
        binding->count = field->count;
        binding->number = (uint32_t)number;
        return;
    }
    binding->bit = (uint16_t)(field->bit + element * field->bits);
    if (field->flags & YT_HID_NULL_STATE)
        binding->flags |= YT_BINDING_NULL;
    if (control->kind == YT_MOTION)
        binding->flags |= YT_BINDING_MOTION;
    if (is_hat(field, control)) {
        binding->flags |= YT_BINDING_HAT;
        binding->part = control->part;
        binding->scale = (uint8_t)field->minimum;
        binding->count = (uint16_t)(field->maximum - field->minimum + 1);
        binding->number = UINT32_MAX; /* so that the first report counts */
    }
    if (is_scaled(field, control))
        binding->flags |= control->kind == YT_SWITCH  ? YT_BINDING_SCALED | YT_BINDING_HALF
                          : control->kind == YT_LEVEL ? YT_BINDING_SCALED | YT_BINDING_LEVEL
                                                      : YT_BINDING_SCALED;
    if ((control->kind == YT_AXIS || control->kind == YT_LEVEL) && binding->bits > 16)
        binding->flags |= YT_BINDING_WIDE;
}

static bool is_turned(const yt_program *program, unsigned number) {
    const yt_program_control *control = &program->controls[number];
    return control->place != YT_NO_PLACE &&
           (program->places[control->place].flags & YT_PLACE_TURNED);
}

/* What a description says of a control beside its place. A switch that is turned round is up while
 * its bit is 1. */
static void turn_binding(yt_binding *binding, const yt_program *program) {
    if (!is_turned(program, binding->control))
        return;
    binding->flags |= YT_BINDING_TURNED;
    binding->flags &= (uint16_t)~YT_BINDING_WIDE;
    if (!(binding->flags & (YT_BINDING_SCALED | YT_BINDING_MOTION | YT_BINDING_ARRAY)))
        binding->number = UINT32_MAX >> (32 - binding->bits);
}

/* A device that was there before: what is held is up until it is pressed anew. */
static void mute_binding(yt_binding *binding, const yt_program *program) {
    if (program->controls[binding->control].kind != YT_SWITCH)
        return;
    if (binding->flags & YT_BINDING_ARRAY)
        binding->value = YT_MUTED_VALUE;
    else
        binding->flags |= YT_BINDING_MUTED;
}

static bool is_of(const yt_program_control *control, const yt_attached *block) {
    return !control->from_host && (block->inputs >> control->input & 1);
}

/* Makes room for the scales first, then for a binding of each control that the device has. */
static yt_status count_scales(yt_engine *engine, search *search, yt_attached *block) {
    const yt_program *program = &engine->evaluator->program;
    for (unsigned i = 0; i < program->header->control_count; i++) {
        const yt_program_control *control = &program->controls[i];
        if (!is_of(control, block) || find_control(program, search, control, false) != YT_OK ||
            !is_scaled(&search->field, control))
            continue;
        if (block->scales == UINT8_MAX || !grow(engine, sizeof(yt_scale)))
            return YT_MEMORY;
        block->scales++;
    }
    return YT_OK;
}

static void make_scale(yt_scale *scale, const yt_program *program, const yt_hid_field *field,
                       const yt_program_control *control) {
    int64_t rest = control->kind == YT_AXIS || control->kind == YT_RATE
                       ? yt_scale_rest(field->minimum, field->maximum)
                       : field->minimum;
    if (control->place != YT_NO_PLACE && (program->places[control->place].flags & YT_PLACE_RANGE))
        rest = program->ranges[program->places[control->place].range].rest;
    if (control->kind == YT_RATE && control->place != YT_NO_PLACE)
        yt_scale_make_rate(scale, field->minimum, rest, field->maximum,
                           program->ranges[program->places[control->place].range].unit_q24);
    else
        yt_scale_make(scale, field->minimum, rest, field->maximum);
}

/* An axis rests until its device says otherwise, and so does its last raw number. */
static void bind_scale(const yt_engine *engine, const search *search, yt_attached *block,
                       yt_binding *binding, unsigned number) {
    yt_scale *scale = &yt_attached_scales(block)[number];
    const yt_program *program = &engine->evaluator->program;
    make_scale(scale, program, &search->field, &program->controls[binding->control]);
    binding->scale = (uint8_t)number;
    bool at_top = binding->flags & YT_BINDING_LEVEL && is_turned(program, binding->control);
    binding->number = (uint32_t)(at_top ? scale->maximum : scale->rest);
    if (binding->bits < 32)
        binding->number &= ((uint32_t)1 << binding->bits) - 1;
}

/* Whether a control's raw numbers are signed: as its place says, else as its field does. */
static bool is_signed(const yt_program *program, const yt_program_control *control,
                      const yt_hid_field *field) {
    if (control->place == YT_NO_PLACE)
        return field->minimum < 0;
    return field->minimum < 0 || (program->places[control->place].flags & YT_PLACE_SIGNED);
}

static yt_status make_bindings(yt_engine *engine, search *search, yt_attached *block) {
    const yt_program *program = &engine->evaluator->program;
    const yt_hid_field *field = &search->field;
    unsigned scales = 0;
    for (unsigned i = 0; i < program->header->control_count; i++) {
        const yt_program_control *control = &program->controls[i];
        if (!is_of(control, block) || find_control(program, search, control, false) != YT_OK)
            continue;
        yt_binding *binding = grow(engine, sizeof *binding);
        if (!binding)
            return YT_MEMORY;
        binding->control = (uint16_t)i;
        fill_binding(binding, field, search->element, control, is_signed(program, control, field));
        if (binding->flags & YT_BINDING_SCALED)
            bind_scale(engine, search, block, binding, scales++);
        turn_binding(binding, program);
        if (search->device->stays)
            mute_binding(binding, program);
        block->bindings++;
    }
    return YT_OK;
}

static bool comes_before(const yt_binding *a, const yt_binding *b) {
    if (a->report_id != b->report_id)
        return a->report_id < b->report_id;
    if (a->bit != b->bit)
        return a->bit < b->bit;
    return a->number < b->number;
}

/* By report, then by place; those of one array stand together, by number. */
static void sort_bindings(yt_attached *block) {
    yt_binding *bindings = yt_attached_bindings(block);
    for (unsigned i = 1; i < block->bindings; i++) {
        yt_binding moved = bindings[i];
        unsigned at = i;
        for (; at > 0 && comes_before(&moved, &bindings[at - 1]); at--)
            bindings[at] = bindings[at - 1];
        bindings[at] = moved;
    }
}

static yt_status make_reports(yt_engine *engine, yt_attached *block, const yt_hid_reader *reader) {
    const yt_binding *bindings = yt_attached_bindings(block);
    yt_bound_report *report = NULL;
    for (unsigned i = 0; i < block->bindings; i++) {
        uint8_t id = bindings[i].report_id;
        if (!report || report->id != id) {
            report = grow(engine, sizeof *report);
            if (!report)
                return YT_MEMORY;
            block->reports++;
            report->id = id;
            report->first = (uint16_t)i;
            unsigned bits = yt_hid_report_bits(reader, YT_HID_INPUT, id);
            report->bytes = (uint16_t)((bits + 7) / 8);
        }
        unsigned end =
            (bindings[i].bit + bindings[i].bits + 7u) / 8; /* if a place is farther out */
        if (end > report->bytes)
            report->bytes = (uint16_t)end;
        block->uses_ids |= id != 0;
        report->count++;
    }
    return YT_OK;
}

/* Makes a binding for each light or motor of the program that the device has. */
static yt_status make_targets(yt_engine *engine, search *search, yt_attached *block) {
    const yt_program *program = &engine->evaluator->program;
    const yt_hid_field *field = &search->field;
    for (unsigned i = 0; i < program->header->target_count; i++) {
        const yt_program_control *control = &program->targets[i];
        if (!is_of(control, block) || block->targets == UINT8_MAX ||
            find_control(program, search, control, true) != YT_OK || field->minimum < INT32_MIN ||
            field->maximum > INT32_MAX)
            continue;
        yt_target *target = grow(engine, sizeof *target);
        if (!target)
            return YT_MEMORY;
        bool here = control->place != YT_NO_PLACE &&
                    (program->places[control->place].flags & YT_PLACE_HERE);
        target->target = (uint16_t)i;
        target->bit = (uint16_t)(field->bit + search->element * field->bits);
        target->bits = (uint8_t)field->bits;
        target->report_id = field->report_id;
        target->direction = here ? YT_HID_OUTPUT : field->direction;
        target->is_motor = control->kind == YT_LEVEL;
        target->minimum = (int32_t)field->minimum;
        target->maximum = (int32_t)field->maximum;
        block->targets++;
    }
    return YT_OK;
}

/* How long the reports are that the targets stand in; the descriptor was read to its end. */
static void measure_targets(yt_attached *block, const yt_hid_reader *reader) {
    yt_target *targets = yt_attached_targets(block);
    for (unsigned i = 0; i < block->targets; i++) {
        yt_target *target = &targets[i];
        unsigned bits = yt_hid_report_bits(reader, target->direction, target->report_id);
        for (unsigned k = 0; k < block->targets; k++) {
            unsigned end = targets[k].bit + (unsigned)targets[k].bits;
            if (targets[k].report_id == target->report_id && end > bits)
                bits = end;
        }
        target->bytes = (uint16_t)((bits + 7) / 8);
    }
}

static yt_status make_block(yt_engine *engine, search *search, yt_attached *block) {
    yt_status status = count_scales(engine, search, block);
    if (status == YT_OK)
        status = make_bindings(engine, search, block);
    if (status == YT_OK)
        status = read_whole(search);
    if (status != YT_OK)
        return status;
    block->uses_ids = yt_hid_uses_ids(&search->reader);
    sort_bindings(block);
    status = make_reports(engine, block, &search->reader);
    if (status == YT_OK)
        status = make_targets(engine, search, block);
    if (status == YT_OK)
        status = read_whole(search);
    measure_targets(block, &search->reader);
    return status;
}

/* Tells each device whether another one is attached to its input. */
static void note_shared(yt_engine *engine) {
    for (unsigned i = 0; i < YT_DEVICES; i++) {
        yt_attached *device = yt_attached_at(engine, i);
        if (!device)
            continue;
        device->shares_input = false;
        for (unsigned k = 0; k < YT_DEVICES; k++) {
            yt_attached *other = yt_attached_at(engine, k);
            if (other && k != i && (other->inputs & device->inputs))
                device->shares_input = true;
        }
    }
}

static unsigned free_number(const yt_engine *engine) {
    unsigned number = 0;
    while (number < YT_DEVICES && engine->device_at[number] != 0)
        number++;
    return number;
}

yt_status yt_engine_attach(yt_engine *engine, const yt_device *device, unsigned *number) {
    search search = {.device = device};
    size_t used = engine->used;
    if (!engine->evaluator)
        return YT_NO_MATCH;
    yt_status status = read_whole(&search);
    if (status != YT_OK)
        return status;
    uint32_t inputs = find_inputs(&engine->evaluator->program, &search);
    if (inputs == 0)
        return YT_NO_MATCH;
    unsigned free = free_number(engine);
    if (free == YT_DEVICES)
        return YT_TOO_MANY_DEVICES;
    yt_attached *block = grow(engine, sizeof *block);
    if (!block)
        return YT_MEMORY;
    block->inputs = inputs;
    status = make_block(engine, &search, block);
    if (status == YT_OK && !grow(engine, (8 - engine->used % 8) % 8))
        status = YT_MEMORY;
    if (status != YT_OK) {
        engine->used = used;
        return status;
    }
    block->bytes = (uint32_t)(engine->used - used);
    engine->device_at[free] = (uint32_t)used;
    note_shared(engine);
    yt_engine_fill_targets(engine, block);
    *number = free;
    return YT_OK;
}

void yt_attached_remove(yt_engine *engine, unsigned number) {
    uint32_t at = engine->device_at[number], bytes = yt_attached_at(engine, number)->bytes;
    engine->device_at[number] = 0;
    memmove(engine->memory + at, engine->memory + at + bytes, engine->used - at - bytes);
    engine->used -= bytes;
    for (unsigned i = 0; i < YT_DEVICES; i++)
        if (engine->device_at[i] > at)
            engine->device_at[i] -= bytes;
    note_shared(engine);
}

uint32_t yt_engine_inputs_of(const yt_engine *engine, unsigned number) {
    const yt_attached *device = yt_attached_at(engine, number);
    return device ? device->inputs : 0;
}
