#include "tool/chatter.h"

void switch_ends(switch_chatter *chatter) {
    if (chatter->close == 0)
        return;
    chatter->changes++;
    if (chatter->close > 1) {
        uint64_t took_us = chatter->last_us - chatter->first_us;
        chatter->bounces++;
        chatter->longest_us = took_us > chatter->longest_us ? took_us : chatter->longest_us;
    }
    chatter->close = 0;
}

void switch_changes(switch_chatter *chatter, uint64_t time_us) {
    if (chatter->close > 0 &&
        (time_us < chatter->last_us || time_us - chatter->last_us > CHATTER_US))
        switch_ends(chatter);
    if (chatter->close++ == 0)
        chatter->first_us = time_us;
    chatter->last_us = time_us;
}

void turn_moves(turn_chatter *chatter, uint64_t time_us, int64_t counts) {
    bool is_close = time_us >= chatter->times_us[1] &&
                    chatter->times_us[1] >= chatter->times_us[0] &&
                    time_us - chatter->times_us[0] <= 2 * CHATTER_US;
    bool was_back = (chatter->counts[1] > 0) != (counts > 0) &&
                    (chatter->counts[0] > 0) == (counts > 0) && chatter->turns >= 2;
    chatter->back += is_close && was_back;
    chatter->turns++;
    chatter->counts[0] = chatter->counts[1];
    chatter->counts[1] = counts;
    chatter->times_us[0] = chatter->times_us[1];
    chatter->times_us[1] = time_us;
}
