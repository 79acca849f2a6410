/* The power is cut at every unit of every write: each slot holds its whole old or whole new
 * content, and works on. */
#include "ports/sim/flash.h"
#include "tests/harness.h"
#include "yonder/store.h"

static uint8_t content[3][3000];
static const size_t sizes[3] = {700, 3000, 1};

typedef struct bench {
    sim_flash flash;
    yt_port port;
    yt_store store;
} bench;

static void open_bench(bench *bench, const char *path, uint32_t sector, uint32_t unit) {
    memset(bench, 0, sizeof *bench);
    if (!sim_flash_open(&bench->flash, path, 16384 * 4 / sector, sector, unit)) {
        perror("flash");
        exit(1);
    }
    sim_flash_port(&bench->flash, &bench->port);
    CHECK_EQUAL(yt_store_init(&bench->store, &bench->port, 4), YT_OK);
}

/* Which content a slot holds; -1: none, -2: something else. */
static int held(const yt_store *store, uint32_t slot) {
    uint8_t bytes[4096];
    size_t size;
    yt_status status = yt_store_read(store, slot, bytes, sizeof bytes, &size);
    if (status == YT_SLOT_EMPTY)
        return -1;
    for (int i = 0; i < 3 && status == YT_OK; i++)
        if (size == sizes[i] && memcmp(bytes, content[i], size) == 0)
            return i;
    return -2;
}

static uint64_t units_of_write(uint32_t sector, uint32_t unit) {
    bench bench;
    open_bench(&bench, NULL, sector, unit);
    CHECK_EQUAL(yt_store_write(&bench.store, 1, content[0], sizes[0]), YT_OK);
    uint64_t before = bench.flash.units_done;
    CHECK_EQUAL(yt_store_write(&bench.store, 1, content[1], sizes[1]), YT_OK);
    uint64_t units = bench.flash.units_done - before;
    sim_flash_close(&bench.flash);
    return units;
}

static void cut_at(uint32_t sector, uint32_t unit, uint64_t cut) {
    bench bench;
    about("sectors of %u, units of %u bytes, cut at unit %" PRIu64, sector, unit, cut);
    open_bench(&bench, NULL, sector, unit);
    CHECK_EQUAL(yt_store_write(&bench.store, 0, content[2], sizes[2]), YT_OK);
    CHECK_EQUAL(yt_store_write(&bench.store, 1, content[2], sizes[2]), YT_OK);
    CHECK_EQUAL(yt_store_write(&bench.store, 1, content[0], sizes[0]), YT_OK);
    bench.flash.random = (uint32_t)cut + 1;
    bench.flash.units_until_cut = cut;
    CHECK(yt_store_write(&bench.store, 1, content[1], sizes[1]) != YT_OK);
    sim_flash_power_on(&bench.flash);
    CHECK_EQUAL(held(&bench.store, 0), 2);
    CHECK_EQUAL(held(&bench.store, 2), -1);
    int now = held(&bench.store, 1);
    CHECK(now == 0 || now == 1);
    /* It goes on from there, and the next write is whole again. */
    CHECK_EQUAL(yt_store_write(&bench.store, 1, content[1], sizes[1]), YT_OK);
    CHECK_EQUAL(held(&bench.store, 1), 1);
    CHECK_EQUAL(yt_store_write(&bench.store, 1, content[0], 0), YT_OK);
    CHECK_EQUAL(held(&bench.store, 1), -1);
    sim_flash_close(&bench.flash);
}

/* The same while a slot is emptied: it holds what it held, or nothing, and what it held before that
 * does not come back. */
static void cut_emptying_at(uint32_t sector, uint32_t unit) {
    for (uint64_t cut = 0;; cut++) {
        bench bench;
        about("sectors of %u, units of %u bytes, emptying cut at unit %" PRIu64, sector, unit, cut);
        open_bench(&bench, NULL, sector, unit);
        CHECK_EQUAL(yt_store_write(&bench.store, 1, content[2], sizes[2]), YT_OK);
        CHECK_EQUAL(yt_store_write(&bench.store, 1, content[0], sizes[0]), YT_OK);
        bench.flash.random = (uint32_t)cut + 1;
        bench.flash.units_until_cut = cut;
        bool done = yt_store_write(&bench.store, 1, NULL, 0) == YT_OK;
        sim_flash_power_on(&bench.flash);
        int now = held(&bench.store, 1);
        CHECK(now == -1 || (now == 0 && !done));
        CHECK_EQUAL(yt_store_write(&bench.store, 1, content[1], sizes[1]), YT_OK);
        CHECK_EQUAL(held(&bench.store, 1), 1);
        sim_flash_close(&bench.flash);
        if (done) {
            CHECK(cut > 3);
            return;
        }
    }
}

static void check_limits(void) {
    bench bench;
    uint8_t little[4];
    size_t size;
    const void *found;
    about("what does not fit");
    open_bench(&bench, NULL, 4096, 4);
    CHECK_EQUAL(yt_store_slot_bytes(&bench.store), 8192 - 64);
    CHECK_EQUAL(yt_store_write(&bench.store, 4, little, 4), YT_SLOT);
    CHECK_EQUAL(yt_store_write(&bench.store, 0, little, 8192 - 63), YT_SLOT_SIZE);
    CHECK_EQUAL(yt_store_read(&bench.store, 4, little, 4, &size), YT_SLOT);
    CHECK_EQUAL(yt_store_read(&bench.store, 0, little, 4, &size), YT_SLOT_EMPTY);
    CHECK_EQUAL(yt_store_write(&bench.store, 3, content[1], sizes[1]), YT_OK);
    CHECK_EQUAL(yt_store_read(&bench.store, 3, little, 4, &size), YT_ARGUMENT);
    CHECK_EQUAL(size, sizes[1]);
    CHECK_EQUAL(yt_store_find(&bench.store, 3, &found, &size), YT_OK);
    CHECK_EQUAL(memcmp(found, content[1], size), 0);
    CHECK_EQUAL((uintptr_t)found % 4, 0);
    bench.port.flash.mapped = NULL;
    CHECK_EQUAL(yt_store_find(&bench.store, 3, &found, &size), YT_PORT);
    about("facts that make no sense");
    yt_store store;
    CHECK_EQUAL(yt_store_init(&store, &bench.port, 0), YT_PORT);
    CHECK_EQUAL(yt_store_init(&store, &bench.port, 9), YT_PORT);
    bench.port.flash.unit_bytes = 3;
    CHECK_EQUAL(yt_store_init(&store, &bench.port, 4), YT_PORT);
    bench.port.flash.unit_bytes = 64;
    CHECK_EQUAL(yt_store_init(&store, &bench.port, 4), YT_PORT);
    sim_flash_close(&bench.flash);
}

static void check_file(void) {
    char path[] = "/tmp/yonder-flash-XXXXXX";
    bench bench;
    int file = mkstemp(path);
    about("flash in a file keeps its content");
    CHECK(file >= 0);
    open_bench(&bench, path, 4096, 4);
    CHECK_EQUAL(yt_store_write(&bench.store, 2, content[1], sizes[1]), YT_OK);
    sim_flash_close(&bench.flash);
    open_bench(&bench, path, 4096, 4);
    CHECK_EQUAL(held(&bench.store, 2), 1);
    CHECK_EQUAL(held(&bench.store, 1), -1);
    sim_flash_close(&bench.flash);
    CHECK(!sim_flash_open(&bench.flash, path, 8, 4096, 4));
    remove(path);
}

int main(void) {
    static const uint32_t kinds[][2] = {{4096, 4}, {4096, 32}, {1024, 1}, {8192, 8}};
    dice dice = {12};
    for (int i = 0; i < 3; i++)
        for (size_t k = 0; k < sizeof content[i]; k++)
            content[i][k] = (uint8_t)roll(&dice);
    for (size_t i = 0; i < 4; i++) {
        uint64_t units = units_of_write(kinds[i][0], kinds[i][1]);
        CHECK(units > 90);
        for (uint64_t cut = 0; cut < units; cut++)
            cut_at(kinds[i][0], kinds[i][1], cut);
        cut_emptying_at(kinds[i][0], kinds[i][1]);
    }
    check_limits();
    check_file();
    return report_checks();
}
