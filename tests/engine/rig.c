#include "tests/engine/rig.h"

#include "tests/harness.h"
#include "tests/engine/lengths.h"

const uint8_t rig_six_keys[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07,
                                0x19, 0x00, 0x29, 0x65, 0x15, 0x00, 0x25, 0x65,
                                0x75, 0x08, 0x95, 0x06, 0x81, 0x00, 0xc0};

static void wake(void *context, unsigned connector) {
    (void)connector;
    ((rig *)context)->wakes++;
}

static void restart(void *context, uint32_t layout) {
    rig *rig = context;
    rig->restarts++;
    rig->layout = layout;
}

void rig_compile(yt_compiled *compiled, const char *profile) {
    char *text = malloc(strlen(profile) + 16);
    yt_messages messages;
    sprintf(text, "yonder: 1\n%s", profile);
    messages_begin(&messages, "crane/the test's profile", text, strlen(text));
    bool good = compile_profile(compiled, &messages);
    if (!good)
        messages_print(&messages, stderr);
    messages_free(&messages);
    free(text);
    if (!good)
        exit(1);
}

void rig_load(rig *rig, const char *profile) {
    pool_free(&rig->compiled.pool);
    rig_compile(&rig->compiled, profile);
    if (yt_engine_load(&rig->engine, rig->compiled.image, rig->compiled.size) != YT_OK) {
        fprintf(stderr, "the test's profile is refused\n");
        exit(1);
    }
}

void rig_begin(rig *rig, const char *profile) {
    memset(rig, 0, sizeof *rig);
    rig->port.version = YT_PORT_VERSION;
    rig->port.context = rig;
    rig->port.wake = wake;
    rig->port.restart = restart;
    if (yt_engine_init(&rig->engine, rig->memory, sizeof rig->memory, &rig->port) != YT_OK)
        exit(1);
    rig_load(rig, profile);
}

void rig_end(rig *rig) {
    pool_free(&rig->compiled.pool);
}

unsigned rig_attach(rig *rig, const uint8_t *descriptor, size_t size) {
    unsigned number = 99;
    yt_device device = {.descriptor = descriptor, .descriptor_size = size, .input = YT_ANY_INPUT};
    CHECK_EQUAL(yt_engine_attach(&rig->engine, &device, &number), YT_OK);
    return number;
}

void rig_report(rig *rig, unsigned number, const uint8_t *bytes, size_t size, uint64_t now_us) {
    CHECK_EQUAL(yt_engine_report(&rig->engine, number, bytes, size, now_us), YT_OK);
    yt_engine_update(&rig->engine, now_us);
}

yt_q16 rig_value(const rig *rig, unsigned control) {
    return yt_engine_control(&rig->engine, control);
}

const char *rig_take(rig *rig, unsigned interface, uint64_t now_us) {
    return taken_report(&rig->engine, interface, now_us);
}
