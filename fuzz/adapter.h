/* An adapter with one keyboard of eight keys, a bit each, for targets that are a host to it. */
#ifndef YONDER_FUZZ_ADAPTER_H
#define YONDER_FUZZ_ADAPTER_H

#include "compiler/profile/compile.h"
#include "fuzz/fuzz.h"
#include "yonder/engine.h"

typedef struct fuzz_adapter {
    yt_compiled program;
    yt_engine engine;
    uint64_t memory[2048];
    unsigned number; /* of the keyboard */
    bool is_compiled;
} fuzz_adapter;

static inline void fuzz_adapter_begin(fuzz_adapter *adapter, const char *profile) {
    static const uint8_t keyboard[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07,
                                       0x19, 0x04, 0x29, 0x0b, 0x15, 0x00, 0x25, 0x01,
                                       0x75, 0x01, 0x95, 0x08, 0x81, 0x02, 0xc0};
    static const yt_port port = {.version = YT_PORT_VERSION};
    const yt_device arriving = {.descriptor = keyboard,
                                .descriptor_size = sizeof keyboard,
                                .bus = YT_BUS_USB,
                                .input = YT_ANY_INPUT};
    yt_messages messages;
    if (!adapter->is_compiled) {
        messages_begin(&messages, "profile", profile, strlen(profile));
        if (!compile_profile(&adapter->program, &messages))
            abort();
        messages_free(&messages);
    }
    adapter->is_compiled = true;
    if (yt_engine_init(&adapter->engine, adapter->memory, sizeof adapter->memory, &port) != YT_OK ||
        yt_engine_load(&adapter->engine, adapter->program.image, adapter->program.size) != YT_OK ||
        yt_engine_attach(&adapter->engine, &arriving, &adapter->number) != YT_OK)
        abort();
}

#endif
