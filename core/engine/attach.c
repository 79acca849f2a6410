/* A device arrives: which input it is, and where it keeps the controls of the program. */
#include <string.h>

#include "engine/parts.h"

#define PAGE_KEYBOARD 0x07

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

/* What is looked for in a report descriptor. */
typedef struct hid_wanted {
    uint16_t application_page; /* both 0: in any top-level collection */
    uint16_t application_usage;
    uint16_t page;
    uint16_t usage;
    uint8_t occurrence;
    uint8_t kind;
} hid_wanted;

static bool kind_suits(const yt_hid_field *field, unsigned kind) {
    bool variable = field->flags & YT_HID_VARIABLE;
    if (field->bits > 32)
        return false;
    if (kind == YT_MOTION)
        return variable && (field->flags & YT_HID_RELATIVE);
    if (field->flags & YT_HID_RELATIVE)
        return false;
    if (kind == YT_SWITCH)
        return !variable || field->bits == 1 || (field->minimum == 0 && field->maximum == 1);
    return variable;
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
} search;

static void begin_search(search *search) {
    yt_hid_open(&search->reader, search->device->descriptor, search->device->descriptor_size);
}

/* Finds where a control stands. YT_END: nowhere; YT_HID_…: the descriptor is broken. */
static yt_status find_control(search *search, const hid_wanted *wanted) {
    const yt_hid_field *field = &search->field;
    unsigned left = wanted->occurrence;
    begin_search(search);
    for (;;) {
        yt_status status = yt_hid_next(&search->reader, &search->field);
        if (status != YT_OK)
            return status;
        if (field->direction != YT_HID_INPUT || (field->flags & YT_HID_CONSTANT) ||
            field->usage_page != wanted->page || !kind_suits(field, wanted->kind))
            continue;
        if (wanted->application_page && (field->application_page != wanted->application_page ||
                                         field->application_usage != wanted->application_usage))
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

static bool has_application(search *search, const yt_program_input *input) {
    begin_search(search);
    while (yt_hid_next(&search->reader, &search->field) == YT_OK)
        if (search->field.application_page == input->application_page &&
            search->field.application_usage == input->application_usage)
            return true;
    return false;
}

/* How well a device fits an input: 0 not at all; more for each thing that the input asks for. */
static unsigned fitness(search *search, const yt_program_input *input) {
    const yt_device *device = search->device;
    unsigned score = 1;
    if ((input->vendor && input->vendor != device->vendor) ||
        (input->product && input->product != device->product))
        return 0;
    score += (input->vendor ? 4u : 0) + (input->product ? 4u : 0);
    if (input->application_page) {
        if (!has_application(search, input))
            return 0;
        score++;
    }
    if (input->needs & YT_NEEDS_USAGE) {
        hid_wanted wanted = {input->application_page,
                             input->application_usage,
                             input->needs_page,
                             input->needs_usage,
                             0,
                             YT_AXIS};
        if (input->needs & YT_NEEDS_RELATIVE)
            wanted.kind = YT_MOTION;
        if (find_control(search, &wanted) != YT_OK)
            return 0;
        score++;
    }
    return score;
}

static unsigned best_input(const yt_program *program, search *search) {
    const yt_device *device = search->device;
    unsigned best = YT_ANY_INPUT, best_score = 0;
    for (unsigned i = 0; i < program->header->input_count; i++) {
        if (device->input != YT_ANY_INPUT && device->input != i)
            continue;
        unsigned score = fitness(search, &program->inputs[i]);
        if (score > best_score) {
            best = i;
            best_score = score;
        }
    }
    return best;
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

static yt_status find_program_control(const yt_engine *engine, search *search, unsigned number) {
    const yt_program_control *control = &engine->evaluator->program.controls[number];
    const yt_program_input *input = &engine->evaluator->program.inputs[control->input];
    hid_wanted wanted = {input->application_page, input->application_usage, control->page,
                         control->usage,          control->occurrence,      control->kind};
    return find_control(search, &wanted);
}

static void fill_binding(yt_binding *binding, const yt_hid_field *field, unsigned element,
                         const yt_program_control *control) {
    binding->bits = (uint8_t)field->bits;
    binding->report_id = field->report_id;
    binding->bit = field->bit;
    binding->flags = field->minimum < 0 ? YT_BINDING_SIGNED : 0;
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
    else if (control->kind != YT_SWITCH)
        binding->flags |= YT_BINDING_SCALED;
}

/* Makes room for the scales first, then for a binding of each control that the device has. */
static yt_status count_scales(yt_engine *engine, search *search, yt_attached *block) {
    const yt_program *program = &engine->evaluator->program;
    for (unsigned i = 0; i < program->header->control_count; i++) {
        unsigned kind = program->controls[i].kind;
        if (program->controls[i].input != block->input || (kind != YT_AXIS && kind != YT_LEVEL) ||
            find_program_control(engine, search, i) != YT_OK)
            continue;
        if (block->scales == UINT8_MAX || !grow(engine, sizeof(yt_scale)))
            return YT_MEMORY;
        block->scales++;
    }
    return YT_OK;
}

static void make_scale(yt_scale *scale, const yt_hid_field *field, unsigned kind) {
    int64_t rest =
        kind == YT_LEVEL ? field->minimum : yt_scale_rest(field->minimum, field->maximum);
    yt_scale_make(scale, field->minimum, rest, field->maximum);
}

/* An axis rests until its device says otherwise, and so does its last raw number. */
static yt_status make_bindings(yt_engine *engine, search *search, yt_attached *block) {
    const yt_program *program = &engine->evaluator->program;
    const yt_hid_field *field = &search->field;
    unsigned scales = 0;
    for (unsigned i = 0; i < program->header->control_count; i++) {
        const yt_program_control *control = &program->controls[i];
        if (control->input != block->input || find_program_control(engine, search, i) != YT_OK)
            continue;
        yt_binding *binding = grow(engine, sizeof *binding);
        if (!binding)
            return YT_MEMORY;
        binding->control = (uint16_t)i;
        fill_binding(binding, field, search->element, control);
        if (binding->flags & YT_BINDING_SCALED) {
            yt_scale *scale = &yt_attached_scales(block)[scales];
            make_scale(scale, field, control->kind);
            binding->scale = (uint8_t)scales++;
            binding->number = (uint32_t)scale->rest;
            if (field->bits < 32)
                binding->number &= ((uint32_t)1 << field->bits) - 1;
        }
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
        report->count++;
    }
    return YT_OK;
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
    return make_reports(engine, block, &search->reader);
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
            if (other && k != i && other->input == device->input)
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
    unsigned input = best_input(&engine->evaluator->program, &search);
    if (input == YT_ANY_INPUT)
        return YT_NO_MATCH;
    unsigned free = free_number(engine);
    if (free == YT_DEVICES)
        return YT_TOO_MANY_DEVICES;
    yt_attached *block = grow(engine, sizeof *block);
    if (!block)
        return YT_MEMORY;
    block->input = (uint8_t)input;
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

unsigned yt_engine_input_of(const yt_engine *engine, unsigned number) {
    const yt_attached *device = yt_attached_at(engine, number);
    return device ? device->input : YT_ANY_INPUT;
}
