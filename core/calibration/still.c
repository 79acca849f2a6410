/* Windows of time in which a part stands still, and medians. */
#include "calibration/gather.h"

int16_t yt_median(const int16_t *numbers, unsigned count, unsigned apart) {
    int16_t sorted[16];
    for (unsigned i = 0; i < count; i++) {
        unsigned k = i;
        for (; k > 0 && sorted[k - 1] > numbers[i * apart]; k--)
            sorted[k] = sorted[k - 1];
        sorted[k] = numbers[i * apart];
    }
    if (count == 0)
        return 0;
    unsigned middle = count >> 1;
    return count & 1 ? sorted[middle] : (int16_t)((sorted[middle - 1] + sorted[middle]) >> 1);
}

static void add(yt_still *still, unsigned axes, const int16_t *at) {
    if (still->count == UINT16_MAX)
        return;
    still->count++;
    for (unsigned i = 0; i < axes; i++) {
        still->sum[i] += at[i];
        still->low[i] = at[i] < still->low[i] ? at[i] : still->low[i];
        still->high[i] = at[i] > still->high[i] ? at[i] : still->high[i];
    }
}

void yt_still_begin(yt_still *still, const int16_t *at, uint32_t now_us) {
    still->since_us = now_us;
    still->count = 0;
    for (unsigned i = 0; i < YT_CALIBRATION_CONTROLS; i++) {
        still->sum[i] = 0;
        still->low[i] = still->high[i] = still->last[i] = at[i];
    }
}

bool yt_still_give(yt_still *still, unsigned axes, const int16_t *at, uint32_t now_us,
                   uint32_t window_us, int most, int16_t *mean, uint16_t *spread, bool *moved) {
    *spread = 0;
    *moved = false;
    add(still, axes, at);
    for (unsigned i = 0; i < axes; i++) {
        int wide = still->high[i] - still->low[i];
        *spread = wide > *spread ? (uint16_t)wide : *spread;
        still->last[i] = at[i];
    }
    still->last_us = now_us;
    if (*spread > most) {
        *moved = true;
        yt_still_begin(still, at, now_us);
        return false;
    }
    if (now_us - still->since_us < window_us || still->count < 3)
        return false;
    for (unsigned i = 0; i < axes; i++)
        mean[i] = (int16_t)yt_quotient(still->sum[i], still->count);
    yt_still_begin(still, at, now_us);
    return true;
}
