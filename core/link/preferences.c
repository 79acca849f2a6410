/* One setting at a time: told, or changed and kept. */
#include <string.h>

#include "link/parts.h"

/* Which of several, counted from 0; a host counts from 1, and may leave it out where there is one.
 */
static unsigned which(const yt_message *message) {
    return message->slot > 0 ? (unsigned)message->slot - 1 : 0;
}

static bool is_text(const yt_setting_facts *facts) {
    return facts->most == 0;
}

yt_result yt_link_setting(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    const yt_setting_facts *facts = yt_setting_of(message->index);
    uint32_t setting = message->index, slot = message->slot;
    unsigned index = which(message);
    char text[YT_SETTINGS_TEXT + 1];
    (void)turn;
    yt_link_clear(message);
    if (!facts || index >= facts->many)
        return YT_RESULT_UNKNOWN;
    message->index = setting;
    message->slot = slot;
    message->value = (int32_t)yt_adapter_setting(link->parts->adapter, (yt_setting)setting, index);
    if (!is_text(facts))
        return YT_RESULT_DONE;
    message->value = 0;
    yt_adapter_name(link->parts->adapter, text);
    while (message->name_bytes < YT_SETTINGS_TEXT && text[message->name_bytes])
        message->name_bytes++;
    memcpy(message->name, text, message->name_bytes);
    return YT_RESULT_DONE;
}

static yt_status set(yt_link *link, yt_message *message, const yt_setting_facts *facts) {
    yt_setting setting = (yt_setting)message->index;
    if (!is_text(facts))
        return yt_adapter_set(link->parts->adapter, setting, which(message),
                              (uint32_t)message->value);
    const char *text = yt_link_name(message);
    return text ? yt_adapter_set_text(link->parts->adapter, setting, text) : YT_ARGUMENT;
}

/* `generation`: of all settings. */
yt_result yt_link_set(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    const yt_setting_facts *facts = yt_setting_of(message->index);
    if (!facts || which(message) >= facts->many)
        return YT_RESULT_UNKNOWN;
    if (yt_link_is_busy(link, turn, message))
        return YT_RESULT_BUSY;
    uint32_t slot = message->slot;
    message->kind = YT_LINK_OF_SETTINGS;
    yt_result result = yt_link_look_at(link, message);
    if (result == YT_RESULT_DONE)
        result = yt_link_rate(link, turn, message);
    if (result == YT_RESULT_DONE)
        result = yt_link_room_for(link, turn, YT_SETTINGS_BYTES);
    if (result != YT_RESULT_DONE)
        return result;
    message->slot = slot;
    yt_link_drop(link); /* what the session was writing: the store writes one thing at a time */
    return yt_link_after(link, turn, message, set(link, message, facts));
}
