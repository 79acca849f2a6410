/* Any bytes as settings: nothing is read or written outside, numbers are within their range, and
 * what is set is there and leaves the others as they were. */
#include "fuzz/fuzz.h"
#include "yonder/settings.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    char text[YT_SETTINGS_TEXT + 1];
    uint32_t before[YT_SETTING_COUNT];
    size_t now = size > 3 ? size - 3 : 0, room = YT_SETTINGS_BYTES;
    uint8_t *settings = malloc(room > now ? room : now);
    if (!settings)
        abort();
    memcpy(settings, data, now);
    for (yt_setting setting = 0; setting < YT_SETTING_COUNT; setting++) {
        const yt_setting_facts *facts = yt_setting_of(setting);
        unsigned index = now > 0 ? data[now - 1] % facts->many : 0;
        before[setting] = yt_settings_number(settings, now, setting, index);
        INVARIANT(22, before[setting] == facts->usual ||
                          (before[setting] >= facts->least && before[setting] <= facts->most));
        yt_settings_text(settings, now, setting, text);
        INVARIANT(22, memchr(text, 0, sizeof text) != NULL);
    }
    const yt_plugged_in plugged_in = {before, 2, size > 0 ? data[size - 1] : -1};
    INVARIANT(22, yt_settings_start(settings, now, &plugged_in, 3) < 64);
    if (now > 0) {
        yt_setting setting = data[now] % YT_SETTING_COUNT;
        unsigned index = data[now + 1];
        size_t was = now;
        yt_status status = yt_settings_set(settings, &now, room, setting, index, data[now + 2]);
        INVARIANT(22, now <= room || now == was);
        INVARIANT(22, status == YT_OK || (now == was && memcmp(settings, data, now) == 0));
        if (status == YT_OK) {
            INVARIANT(22, yt_settings_check(settings, now) == YT_OK);
            INVARIANT(22, yt_settings_number(settings, now, setting, index) == data[was + 2]);
            for (yt_setting other = 0; other < YT_SETTING_COUNT; other++)
                INVARIANT(22, other == setting || yt_setting_of(other)->many > 1 ||
                                  yt_settings_number(settings, now, other, 0) ==
                                      yt_settings_number(data, was, other, 0));
        }
    }
    yt_settings_clear(settings, &now);
    INVARIANT(22, yt_settings_check(settings, now) == YT_OK);
    snprintf(text, sizeof text, "%.*s", (int)(size < 40 ? size : 40), (const char *)data);
    INVARIANT(22, yt_settings_set_text(settings, &now, room, YT_SETTING_NAME, text) == YT_OK);
    char got[YT_SETTINGS_TEXT + 1];
    yt_settings_text(settings, now, YT_SETTING_NAME, got);
    INVARIANT(22, strcmp(text, got) == 0);
    free(settings);
    return 0;
}
