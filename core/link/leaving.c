/* A restart that a host asks for. */
#include "link/parts.h"

/* The answer is fetched first. */
static yt_result leave(yt_link *link, const yt_link_turn *turn, yt_message *message,
                       bool bootloader) {
    uint64_t again_us = link->begun_us + YT_LINK_RESTART_US;
    yt_link_clear(message);
    if (again_us > turn->now_us) {
        message->wait_ms = (uint32_t)((again_us - turn->now_us) / 1000 + 1);
        return YT_RESULT_SLOW;
    }
    link->leave_us = turn->now_us + YT_LINK_LEAVE_US;
    link->leaves_for_bootloader = bootloader;
    return YT_RESULT_DONE;
}

yt_result yt_link_restart(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    return link->parts->restart ? leave(link, turn, message, false) : YT_RESULT_UNKNOWN;
}

/* Whoever may put other firmware there may do anything: somebody must be at the adapter. */
yt_result yt_link_bootloader(yt_link *link, const yt_link_turn *turn, yt_message *message) {
    const yt_link_parts *parts = link->parts;
    if (!parts->restart || !parts->is_pressed)
        return YT_RESULT_UNKNOWN;
    if (parts->is_pressed(parts->context))
        return leave(link, turn, message, true);
    yt_link_clear(message);
    return YT_RESULT_PRESS;
}
