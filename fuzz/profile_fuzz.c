/* Any text as a profile: a clear error, or a program that passes its check (invariant 8) and runs.
 */
#include "compiler/profile/rules.h"
#include "fuzz/fuzz.h"
#include "yonder/engine.h"

static void run(const yt_compiled *compiled) {
    static uint64_t memory[131072];
    yt_port port = {.version = YT_PORT_VERSION};
    yt_engine engine;
    if (yt_engine_init(&engine, memory, sizeof memory, &port) != YT_OK)
        abort();
    INVARIANT(8, yt_engine_load(&engine, compiled->image, compiled->size) == YT_OK);
    for (unsigned i = 0; i < 10; i++)
        yt_engine_update(&engine, i * 4000);
}

/* Rules that allow nothing beyond the plain. */
static void judge(yt_compiled *compiled, yt_messages *messages) {
    const yt_rules none = {.name = "none", .repetition = INT64_MAX, .steps = INT64_MAX};
    bool keeps = rules_judge(&none, compiled, messages);
    INVARIANT(19, !(keeps && compiled->program.header->abilities));
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    yt_compiled compiled;
    yt_messages messages;
    char *text = malloc(size + 1);
    memcpy(text, data, size);
    text[size] = 0;
    messages_begin(&messages, "profile", text, size);
    if (compile_profile(&compiled, &messages)) {
        INVARIANT(8, messages.count == 0);
        run(&compiled);
        judge(&compiled, &messages);
        pool_free(&compiled.pool);
    } else {
        char *printed = NULL;
        size_t length;
        INVARIANT(8, messages.count > 0);
        FILE *file = open_memstream(&printed, &length);
        messages_print(&messages, file);
        fclose(file);
        for (size_t i = 0; i < length; i++)
            INVARIANT(9, (unsigned char)printed[i] >= ' ' || printed[i] == '\n');
        free(printed);
    }
    messages_free(&messages);
    free(text);
    return 0;
}
