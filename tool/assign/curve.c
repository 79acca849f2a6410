#include "tool/assign/curve.h"

#include <string.h>

#include "tool/assign/listening.h"
#include "tool/sweep.h"

static bool sweep_it(curve *curve, const assign *assign, const char *target) {
    const profile *profile = &assign->draft.rewriting.profile;
    swept_input input;
    swept_output output;
    sweep sweep;
    if (!sweep_find_input(profile, curve->from, curve->from, &input) ||
        !sweep_find_output(profile, target, target, &output) || input.kind == YT_SWITCH ||
        output.kind == YT_SWITCH || !sweep_begin(&sweep, profile, curve->from))
        return false;
    curve->lowest = sweep_lowest(&input);
    curve->highest = sweep_highest(&input);
    curve->out_lowest = output.kind == YT_LEVEL ? 0 : -1;
    curve->out_highest = 1;
    for (unsigned i = 0; i < CURVE_POINTS; i++) {
        double in[2] = {curve->lowest + (curve->highest - curve->lowest) * i / (CURVE_POINTS - 1)};
        double out[2] = {0};
        sweep_step(&sweep, &input, in, &output, out);
        curve->out[i] = out[0];
    }
    sweep_end(&sweep);
    return true;
}

bool curve_take(curve *curve, const assign *assign) {
    const assign_target *target = assign_target_of(assign);
    const char *text = draft_text(&assign->draft);
    if (curve->text == text && curve->target == assign->target && curve->layer == assign->layer)
        return curve->is_there;
    *curve = (struct curve){.text = text, .target = assign->target, .layer = assign->layer};
    bool is_copy;
    const char *formula = target ? assign_formula(assign, target, &is_copy) : NULL;
    effects effects;
    effects_read(&effects, formula ? formula : "");
    if (!effects.is_control || effects.length >= sizeof curve->from || assign->layer > 0)
        return false;
    snprintf(curve->from, sizeof curve->from, "%.*s", (int)effects.length, formula + effects.at);
    listening listening;
    char said[200];
    begin_listening(&listening);
    curve->is_there = sweep_it(curve, assign, target->name);
    end_listening(&listening, said, sizeof said);
    return curve->is_there;
}

double curve_at(const curve *curve, double in) {
    double share = (in - curve->lowest) / (curve->highest - curve->lowest);
    double at = share * (CURVE_POINTS - 1);
    return curve->out[at < 0 ? 0 : at >= CURVE_POINTS ? CURVE_POINTS - 1 : (unsigned)(at + 0.5)];
}
