#include "tool/adapter_values.h"

#include <string.h>

#include "compiler/messages/plain.h"
#include "compiler/messages/status_text.h"
#include "tool/slots.h"

bool adapter_values_begin(adapter_values *values, holder *holder) {
    slot_content content;
    memset(values, 0, sizeof *values);
    values->holder = holder;
    if (!tuned_read(&values->tuned, holder) ||
        !slot_content_fetch(&content, holder, values->tuned.slot - 1))
        return false;
    snprintf(values->slot_name, sizeof values->slot_name, "%s", content.name);
    plain_line(values->slot_name);
    if (content.text_bytes > 0)
        values->has_profile = slot_profile_open(&values->profile, &content);
    slot_content_free(&content);
    if (values->has_profile)
        values->count = named_values(&values->profile, values->shown, ADAPTER_SHOWN);
    for (size_t i = 0; i < values->count; i++)
        plain_line(values->shown[i].name);
    return true;
}

void adapter_values_end(adapter_values *values) {
    tuned_free(&values->tuned);
    if (values->has_profile)
        profile_close(&values->profile);
    values->has_profile = false;
    values->count = 0;
}

/* In as many answers as it takes. */
bool adapter_values_read(adapter_values *values) {
    holder *holder = values->holder;
    unsigned all = values->tuned.program.header->value_count;
    for (unsigned at = 0; at < all && at < ADAPTER_VALUES;) {
        yt_status status = linked_ask(
            &holder->linked, (link_message){.what = yonder_link_What_WHAT_VALUES, .index = at});
        const link_message *answer = &holder->linked.answer;
        if (status != YT_OK)
            return holder_fail(holder, "values", status);
        if (answer->slot != values->tuned.slot || answer->checksum != values->tuned.checksum) {
            values->other_runs = true;
            return true;
        }
        if (answer->chunk.size < 4)
            return refuse(holder->path, "it gives no values");
        for (unsigned i = 0; i + 4 <= answer->chunk.size && at < ADAPTER_VALUES; i += 4, at++) {
            const uint8_t *bytes = answer->chunk.bytes + i;
            values->values[at] = (int32_t)((uint32_t)bytes[0] | (uint32_t)bytes[1] << 8 |
                                           (uint32_t)bytes[2] << 16 | (uint32_t)bytes[3] << 24);
        }
    }
    return true;
}

int32_t adapter_value(const adapter_values *values, size_t i) {
    unsigned number = values->shown[i].number;
    return number < ADAPTER_VALUES ? values->values[number] : 0;
}
