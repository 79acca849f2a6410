/* Any text as a profile: a clear error, or a program that passes its check (invariant 8) and runs.
 */
#include "compiler/profile/rules.h"
#include "compiler/reading/spacing.h"
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

/* Any text in the usual spacing: a clear error, or a text that says the same and stays as it is. */
static void lay_out(const char *text, size_t size) {
    yt_messages messages;
    size_t once_size, twice_size;
    messages_begin(&messages, "profile", text, size);
    char *once = spacing_usual(&messages, &once_size);
    INVARIANT(30, (once == NULL) == (messages.count > 0));
    INVARIANT(30, once || strncmp(messages.list[0].text, "it cannot be laid out", 21) != 0);
    messages_free(&messages);
    if (!once)
        return;
    messages_begin(&messages, "profile", once, once_size);
    char *twice = spacing_usual(&messages, &twice_size);
    INVARIANT(30, twice && twice_size == once_size && memcmp(once, twice, once_size) == 0);
    messages_free(&messages);
    free(once);
    free(twice);
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
    lay_out(text, size);
    free(text);
    return 0;
}
