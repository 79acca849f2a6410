/* Two slots in the microcontroller's own flash, which is mapped: one program runs, and another slot
 * is gone to while a key is held. For whoever counts what that costs.
 *
 * usage: switcher IN OUT     both are not used */
#include "ports/bare/bare.h"
#include "ports/bare/own_flash.h"
#include "yonder/adapter.h"

#define ENGINE_BYTES 6144
#define SECTORS      16u

extern const unsigned char demo_program[];
extern const unsigned long demo_program_size;

static uint64_t memory[ENGINE_BYTES / 8];
static yt_engine engine;
static yt_store store;
static yt_store_sector sectors[SECTORS];
static yt_adapter adapter;
static yt_port port;
static unsigned lights;

/* A keyboard of six keys (HID 1.11, appendix B.1, without its lights). */
static const uint8_t keyboard[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07,
                                   0x19, 0x00, 0x29, 0x65, 0x15, 0x00, 0x25, 0x65,
                                   0x75, 0x08, 0x95, 0x06, 0x81, 0x00, 0xc0};
static const uint8_t held[6] = {0x04}; /* A */

static void attach(void *context) {
    const yt_device device = {.descriptor = keyboard,
                              .descriptor_size = sizeof keyboard,
                              .bus = YT_BUS_USB,
                              .input = YT_ANY_INPUT};
    unsigned number;
    (void)context;
    if (yt_adapter_attach(&adapter, &device, held, sizeof held, &number) != YT_OK)
        fail("the keyboard does not fit\n");
}

static void light(void *context, unsigned slot, uint32_t colour, unsigned percent) {
    (void)context, (void)slot, (void)colour, (void)percent;
    lights++;
}

static const yt_adapter_parts parts = {
    .engine = &engine, .store = &store, .attach = attach, .light = light};

int main(void) {
    const yt_plugged_in alone = {.position = -1};
    own_flash_port(&port, SECTORS);
    if (yt_store_format(&store, &port, 4, sectors, SECTORS) != YT_OK)
        fail("the flash cannot be used\n");
    for (unsigned slot = 0; slot < 2; slot++)
        if (yt_store_write(&store, slot, "crane", demo_program, demo_program_size, NULL, 0) !=
            YT_OK)
            fail("the slot cannot be written\n");
    if (yt_engine_init(&engine, memory, sizeof memory, &port) != YT_OK ||
        yt_adapter_start(&adapter, &parts, &alone, 0) != YT_OK)
        fail("the slot does not run\n");
    yt_engine_update(&engine, 1000);
    mark_other();
    yt_status status = yt_adapter_go(&adapter, 1, 2000);
    yt_engine_update(&engine, 2000);
    mark_one_report();
    if (status != YT_OK || lights != 2)
        fail("the other slot does not run\n");
    return 0;
}
