/* Who may ask what: the table of requests.def, and what the adapter and the session are. */
#include "link/parts.h"

/* Letters of `access`, in this order. */
enum {
    CABLE_LOCKED,
    RADIO_LOCKED,
    CABLE_UNLOCKED,
    RADIO_UNLOCKED,
    CABLE_OPEN,
    CABLE_EVENT,
    COLUMNS
};

static const char access_of[YT_REQUEST_COUNT][COLUMNS + 1] = {
    "",
#define YT_REQUEST(NAME, name, access, meaning) access,
#include "yonder/requests.def"
};

bool yt_link_is_radio(yt_link_way way) {
    return way >= YT_LINK_RADIO;
}

yt_link_access yt_link_access_of(const yt_link *link, const yt_link_session *session) {
    const yt_adapter *adapter = link->parts->adapter;
    if (adapter->is_event)
        return YT_LINK_EVENT;
    if (session->is_unlocked && adapter->lock != YT_LOCK_NOBODY)
        return YT_LINK_UNLOCKED;
    return adapter->lock == YT_LOCK_OPEN && !yt_link_is_radio((yt_link_way)session->way)
               ? YT_LINK_OPEN
               : YT_LINK_LOCKED;
}

yt_result yt_link_may(const yt_link *link, const yt_link_session *session, unsigned request) {
    static const uint8_t columns[] = {[YT_LINK_LOCKED] = CABLE_LOCKED,
                                      [YT_LINK_UNLOCKED] = CABLE_UNLOCKED,
                                      [YT_LINK_OPEN] = CABLE_OPEN,
                                      [YT_LINK_EVENT] = CABLE_EVENT};
    yt_link_access access = yt_link_access_of(link, session);
    unsigned column = columns[access];
    if (request == YT_REQUEST_NOTHING || request >= YT_REQUEST_COUNT)
        return YT_RESULT_UNKNOWN;
    if (yt_link_is_radio((yt_link_way)session->way))
        column = access == YT_LINK_UNLOCKED ? RADIO_UNLOCKED : RADIO_LOCKED;
    if (request == YT_REQUEST_ACTIVATE && column == CABLE_LOCKED &&
        link->parts->adapter->may_activate)
        return YT_RESULT_DONE;
    switch (access_of[request][column]) {
    case 'n':
        return YT_RESULT_NOT_HERE;
    case 'p':
        return YT_RESULT_PRESS;
    case 'e':
        return YT_RESULT_EVENT;
    default:
        return YT_RESULT_DONE;
    }
}
