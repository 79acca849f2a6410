/* Parameters of the program that runs, and what its controls and steps come to now. */
#include "link/parts.h"
#include "yonder/image/program.h"
#include "yonder/inspect.h"

/* HID Usage Tables, 3 and 4. */
#define PAGE_DESKTOP    0x01u
#define PAGE_SIMULATION 0x02u
#define PAGE_SENSORS    0x20u
#define USAGE_JOYSTICK  0x04u
#define USAGE_GAMEPAD   0x05u
#define USAGE_X         0x30u
#define USAGE_DIAL      0x37u

static const yt_program *program_of(const yt_link *link) {
    return yt_engine_program(link->parts->adapter->parts->engine);
}

/* The slot that runs, from 1; 0: the firmware's own program. */
static uint32_t running_slot(const yt_link *link) {
    unsigned slot = yt_adapter_slot(link->parts->adapter);
    return slot == YT_NO_SLOT ? 0 : slot + 1;
}

/* The checksum of its program. */
static uint32_t running_checksum(const yt_link *link) {
    return running_slot(link) == 0 ? 0 : link->parts->adapter->checksum;
}

static void tell_running(const yt_link *link, yt_message *message) {
    message->slot = running_slot(link);
    message->checksum = running_checksum(link);
}

/* What the host speaks of is what runs. */
static bool is_running(const yt_link *link, const yt_message *message) {
    return message->slot == running_slot(link) && message->checksum == running_checksum(link);
}

static yt_result another_runs(const yt_link *link, yt_message *message) {
    yt_link_clear(message);
    tell_running(link, message);
    return YT_RESULT_CHANGED;
}

yt_result yt_link_parameter(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    const yt_program *program = program_of(link);
    uint32_t index = message->index;
    (void)turn;
    yt_link_clear(message);
    tell_running(link, message);
    if (!program || index >= program->header->parameter_count)
        return YT_RESULT_UNKNOWN;
    message->index = index;
    message->size = program->header->parameter_count;
    message->value = yt_engine_parameter(link->parts->adapter->parts->engine, index);
    return YT_RESULT_DONE;
}

yt_result yt_link_tune(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    (void)turn;
    if (!is_running(link, message))
        return another_runs(link, message);
    yt_status status = yt_engine_set_parameter(link->parts->adapter->parts->engine, message->index,
                                               message->value);
    if (status != YT_OK)
        return yt_link_failed(message, status);
    yt_link_clear(message);
    return YT_RESULT_DONE;
}

/* `chunk`: the parameters that are kept from now on, a byte each; all others are not. */
yt_result yt_link_keep(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    message->kind = YT_LINK_NO_KIND;
    yt_result result = yt_link_before(link, turn, message);
    if (result != YT_RESULT_DONE)
        return result;
    if (message->slot != yt_adapter_slot(link->parts->adapter) + 1u)
        return another_runs(link, message);
    yt_status status = yt_adapter_keep(link->parts->adapter, message->chunk, message->chunk_bytes);
    return yt_link_after(link, turn, message, status);
}

/* ---- values ---- */

/* Whether a locked adapter tells of a control: sticks, triggers and rates of what is no keyboard,
 * no mouse and nothing that one writes with. */
static bool is_harmless(const yt_program *program, const yt_program_control *control) {
    if (control->from_host || control->input >= program->header->input_count ||
        (control->kind != YT_AXIS && control->kind != YT_LEVEL && control->kind != YT_RATE))
        return false;
    const yt_program_input *input = &program->inputs[control->input];
    bool is_pad =
        input->application_page == PAGE_DESKTOP &&
        (input->application_usage == USAGE_JOYSTICK || input->application_usage == USAGE_GAMEPAD);
    bool is_stick =
        control->page == PAGE_DESKTOP && control->usage >= USAGE_X && control->usage <= USAGE_DIAL;
    return is_pad &&
           (is_stick || control->page == PAGE_SIMULATION || control->page == PAGE_SENSORS);
}

static bool is_shown(const yt_program *program, unsigned value, bool locked) {
    unsigned first = yt_first_control(program);
    bool is_control = value >= first && value - first < program->header->control_count;
    return !locked || (is_control && is_harmless(program, &program->controls[value - first]));
}

/* `index`: the first value; as many as fit, four bytes each. */
yt_result yt_link_values(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    const yt_engine *engine = link->parts->adapter->parts->engine;
    const yt_program *program = program_of(link);
    bool locked = yt_link_access_of(link, turn->session) == YT_LINK_LOCKED;
    uint32_t first = message->index,
             most = yt_link_chunk(link, (yt_link_way)turn->session->way) / 4;
    yt_link_clear(message);
    tell_running(link, message);
    if (!program || first >= program->header->value_count)
        return YT_RESULT_UNKNOWN;
    message->index = first;
    message->size = program->header->value_count;
    for (uint32_t i = 0; i < most && first + i < program->header->value_count; i++) {
        uint32_t value = is_shown(program, first + i, locked)
                             ? (uint32_t)yt_inspect_value(engine, first + i)
                             : YT_LINK_HIDDEN;
        for (unsigned byte = 0; byte < 4; byte++)
            message->chunk[message->chunk_bytes++] = (uint8_t)(value >> 8 * byte);
    }
    return YT_RESULT_DONE;
}
