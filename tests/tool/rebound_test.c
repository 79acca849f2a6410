/* What is rebound goes into the text by its names, and by names alone: a table that somebody made
 * may say anything, and puts nothing else into it. */
#include "tests/harness.h"
#include "tool/rebound.h"
#include "yonder/rebind.h"

static slot_content slot;
static uint8_t *table;

static void begin(void) {
    CHECK(slot_content_read(&slot, "crane/winch.yaml", true));
    yt_program program;
    CHECK_EQUAL(yt_program_check(&program, slot.bytes, slot.program_bytes), YT_OK);
    table = slot.bytes + ((program.header->total_bytes + 3u) & ~3u);
}

static void end(void) {
    slot_content_free(&slot);
}

/* The first cell, pad.south, as if it was written as what the second one is. */
static void make_rebound(void) {
    yt_bindings_header *header = (yt_bindings_header *)table;
    yt_binding_cell *cells = (yt_binding_cell *)(header + 1);
    cells[0].usual = cells[1].usual;
}

static yt_binding_cell *first_cell(void) {
    return (yt_binding_cell *)((yt_bindings_header *)table + 1);
}

static yt_binding_choice *first_choice(void) {
    const yt_bindings_header *header = (const yt_bindings_header *)table;
    return (yt_binding_choice *)(first_cell() + header->cell_count) + 1;
}

/* A name as long as it was. */
static void put_name(unsigned offset, unsigned bytes, const char *name) {
    const yt_bindings_header *header = (const yt_bindings_header *)table;
    char *text =
        (char *)((yt_binding_choice *)(first_cell() + header->cell_count) + header->choice_count);
    CHECK_EQUAL(strlen(name), bytes);
    memcpy(text + offset, name, bytes);
}

static void sign(void) {
    yt_bindings_header *header = (yt_bindings_header *)table;
    header->checksum = yt_checksum(0, table + 12, header->bytes - 12);
}

/* Whether the text that comes of it is the one that was there. */
static bool stays(void) {
    size_t size = slot.program_bytes + slot.text_bytes;
    uint8_t *before = malloc(size);
    memcpy(before, slot.bytes, size);
    rebound_put_into_text(&slot);
    bool same =
        slot.program_bytes + slot.text_bytes == size && memcmp(before, slot.bytes, size) == 0;
    free(before);
    return same;
}

int main(void) {
    static const char *const cells[] = {"pad.sout:", "pad\n  xyz",   "pad.so\"th", "pad.sou{h",
                                        "#ad.south", "pad.so\x1b[m", "pad south",  "PAD.south"};
    static const char *const choices[] = {"keys: pace", "keys.spac\n", "'eys.space",
                                          "keys.spac#", "a or b* 12",  "if(a,b, c)"};
    about("nothing is rebound");
    begin();
    CHECK(stays());
    end();
    about("a cell is rebound");
    begin();
    make_rebound();
    sign();
    CHECK(stays()); /* to what the sheet says already */
    end();
    begin();
    make_rebound();
    put_name(first_choice()[0].name_offset, first_choice()[0].name_bytes, "grip.south");
    sign();
    CHECK(!stays());
    CHECK(memmem(slot.bytes + slot.program_bytes, slot.text_bytes, "pad.south: grip.south ", 22));
    end();
    for (size_t i = 0; i < sizeof cells / sizeof cells[0]; i++) {
        about("a cell's name is %s", cells[i]);
        begin();
        make_rebound();
        put_name(first_cell()->name_offset, first_cell()->name_bytes, cells[i]);
        sign();
        CHECK(stays());
        end();
    }
    for (size_t i = 0; i < sizeof choices / sizeof choices[0]; i++) {
        about("a control's name is %s", choices[i]);
        begin();
        make_rebound();
        put_name(first_choice()->name_offset, first_choice()->name_bytes, choices[i]);
        sign();
        CHECK(stays());
        end();
    }
    return report_checks();
}
