#include "tool/camera_fit.h"

#include <math.h>
#include <stdio.h>

#define READ_TO 0.03 /* turns: how well a person reads them, one standard deviation */

static double speed_of(const camera_seen *seen) {
    return 360 * seen->turns / seen->seconds;
}

/* A straight line through the logarithms of the turns and of what is beyond the dead zone: each
 * counts as well as it can be read, which is better the farther it turned. Gives how far off it is.
 */
static double fit_line(const camera_seen *seen, size_t count, double dead, camera_model *model) {
    double n = 0, x = 0, y = 0, xx = 0, xy = 0, off = 0;
    for (size_t i = 0; i < count; i++) {
        if (seen[i].is_vertical)
            continue;
        double weight = pow(seen[i].turns / READ_TO, 2),
               in = log((seen[i].out - dead) / (1 - dead));
        double out = log(speed_of(&seen[i]));
        n += weight;
        x += weight * in;
        y += weight * out;
        xx += weight * in * in;
        xy += weight * in * out;
    }
    double width = n * xx - x * x;
    model->dead = dead;
    model->power = (n * xy - x * y) / width;
    model->rate = exp((y - model->power * x) / n);
    model->power_about = 2 * sqrt(n / width);
    model->off = 0;
    for (size_t i = 0; i < count; i++) {
        if (seen[i].is_vertical)
            continue;
        double should = model->rate * pow((seen[i].out - dead) / (1 - dead), model->power);
        double differs = speed_of(&seen[i]) / should - 1;
        off += pow(differs * seen[i].turns / READ_TO, 2);
        model->off = fmax(model->off, fabs(differs));
    }
    return off;
}

static bool check(const camera_seen *seen, size_t count, double smallest, char *why, size_t size) {
    size_t level = 0;
    for (size_t i = 0; i < count; i++) {
        level += !seen[i].is_vertical;
        if (seen[i].out <= smallest || seen[i].out > 1) {
            snprintf(why, size, "%g%% is not between %g%%, the smallest that moves it, and 100%%",
                     100 * seen[i].out, 100 * smallest);
            return false;
        }
        for (size_t k = 0; k < count; k++)
            if (!seen[i].is_vertical && !seen[k].is_vertical && seen[i].out < seen[k].out &&
                speed_of(&seen[i]) >= speed_of(&seen[k])) {
                snprintf(
                    why, size,
                    "at %g%% it turned no slower than at %g%%: one of them was not read right, "
                    "or the host gives the same for both",
                    100 * seen[i].out, 100 * seen[k].out);
                return false;
            }
    }
    for (size_t i = 0; i < count; i++)
        for (size_t k = 0; k < i; k++)
            if (seen[i].out == seen[k].out && seen[i].is_vertical == seen[k].is_vertical) {
                snprintf(why, size, "%g%% is told twice", 100 * seen[i].out);
                return false;
            }
    if (level < 2)
        snprintf(why, size, "at least two are needed: one at 100%%, one about half way");
    return level >= 2;
}

/* How fast it turns up and down: of the ones that were seen, on average. */
static void fit_vertical(const camera_seen *seen, size_t count, camera_model *model) {
    double sum = 0, number = 0;
    for (size_t i = 0; i < count; i++) {
        if (!seen[i].is_vertical)
            continue;
        sum += speed_of(&seen[i]) /
               (model->rate * pow((seen[i].out - model->dead) / (1 - model->dead), model->power));
        number++;
    }
    model->vertical = number > 0 ? sum / number : 1;
}

#define TRIED 50 /* dead zones, between the last step that did nothing and the first that did */

bool camera_fit(const camera_seen *seen, size_t count, double smallest, double step,
                camera_model *model, char *why, size_t size) {
    camera_model tried;
    double least = INFINITY;
    size_t level = 0;
    if (!check(seen, count, smallest, why, size))
        return false;
    for (size_t i = 0; i < count; i++)
        level += !seen[i].is_vertical;
    fit_line(seen, count, fmax(0, smallest - step / 2), model);
    for (unsigned i = 0; i < TRIED && level > 2 && step > 0; i++) {
        double off = fit_line(seen, count, fmax(0, smallest - step * (i + 0.5) / TRIED), &tried);
        if (off < least) {
            least = off;
            *model = tried;
        }
    }
    fit_vertical(seen, count, model);
    return true;
}
