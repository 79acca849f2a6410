#include "tool/plugs.h"

#include <inttypes.h>
#include <stdlib.h>
#include <string.h>

bool limit_reached(const simulation *simulation, const char *path) {
    double now = (double)simulation->loop.engine->port_us, all = (double)simulation->last_us;
    double share = now > 0 ? all / now : 1, reports = (double)simulation->reports_out * share;
    fprintf(
        stderr,
        "%s: stopped at %.3f s of %.3f s: %" PRIu64 " reports out so far, about %.0f in all; "
        "--limit %.0f lets it go on\n",
        path, now / 1e6, all / 1e6, simulation->reports_out, reports,
        1.2 * (reports > (double)simulation->limit ? reports : share * (double)simulation->limit) +
            1);
    return false;
}

static bool plug_recording(plugged *plugged, const profile *profile, unsigned input,
                           const char *path) {
    recording *recording = &plugged->recordings[plugged->count];
    if (!plug_open(recording, &profile->compiled, input, path))
        return false;
    plugged->plugs[plugged->count++] = (sim_plug){input, recording};
    return true;
}

bool plugged_add(plugged *plugged, const profile *profile, const char *argument) {
    const char *sign = strchr(argument, '=');
    if (!sign)
        return plug_recording(plugged, profile, YT_ANY_INPUT, argument);
    size_t length = (size_t)(sign - argument);
    const yt_compiled *compiled = &profile->compiled;
    const char *names[PROFILE_INPUTS];
    for (unsigned i = 0; i < compiled->input_count; i++) {
        names[i] = compiled->inputs[i].name;
        if (strlen(names[i]) != length || memcmp(names[i], argument, length) != 0)
            continue;
        return plug_recording(plugged, profile, i, sign + 1);
    }
    const char *near = nearest_name(argument, length, names, compiled->input_count);
    fprintf(stderr, "%s: the profile has no input \"%.*s\"", profile->messages.sources[0].file,
            (int)length, argument);
    fprintf(stderr, near ? "; did you mean \"%s\"?\n" : "\n", near);
    return false;
}

void plugged_free(plugged *plugged) {
    for (unsigned i = 0; i < plugged->count; i++)
        recording_free(&plugged->recordings[i]);
    plugged->count = 0;
}

bool plugged_calibrate(plugged *plugged, simulation *simulation, const calibration_files *files) {
    calibrations *calibrations = &plugged->calibrations;
    if (!calibrations_read(calibrations, files))
        return false;
    for (unsigned i = 0; i < simulation->device_count; i++) {
        const sim_attached *attached = &simulation->devices[i];
        const recording *recording = simulation->plugs[attached->plug].recording;
        calibrations_use(calibrations, &simulation->engine, attached->engine_number,
                         &recording->devices[attached->recorded]);
    }
    return calibrations_all_used(calibrations);
}
