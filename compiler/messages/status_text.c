#include "compiler/messages/status_text.h"

const char *status_text(yt_status status) {
    static const char *const texts[] = {
#define YT_STATUS_TEXT(name, text) text,
        YT_STATUSES(YT_STATUS_TEXT)
#undef YT_STATUS_TEXT
    };
    return (unsigned)status < YT_STATUS_COUNT ? texts[status] : "an unknown status";
}
