/* The same history as ports/bare/keeper.c, on a simulated flash in a file.
 * usage: store_history FLASH SEED CHANGES UNTIL_CUT IS_DONE; prints what it holds, or that the
 * power went. */
#include <errno.h>

#include "ports/sim/nor.h"
#include "tests/harness.h"
#include "tests/store/history.h"

int main(int count, char **words) {
    static yt_store_sector sectors[HISTORY_SECTORS];
    static nor_flash flash;
    static yt_store store;
    yt_port port = {0};
    if (count != 6)
        return 2;
    unsigned long numbers[4];
    for (unsigned i = 0; i < 4; i++)
        numbers[i] = strtoul(words[2 + i], NULL, 10);
    const nor_facts facts = {.sectors = HISTORY_SECTORS,
                             .sector_bytes = HISTORY_SECTOR_BYTES,
                             .unit_bytes = HISTORY_UNIT_BYTES,
                             .erased_value = 0xff,
                             .programs = 1,
                             .torn = 1u << (numbers[3] ? NOR_NEW : NOR_OLD)};
    if (!nor_open(&flash, &facts, 1, words[1])) {
        fprintf(stderr, "%s: %s\n", words[1], strerror(errno));
        return 1;
    }
    nor_port(&flash, &port);
    flash.until_cut = numbers[2];
    yt_status status =
        history_play(&store, sectors, &port, (uint32_t)numbers[0], (unsigned)numbers[1]);
    if (flash.off)
        printf("the power goes\n");
    else if (status == YT_OK)
        printf("holds %08x\n", history_digest(&store));
    bool good = (flash.off || status == YT_OK) && flash.breaches == 0;
    nor_end(&flash);
    return good ? 0 : 1;
}
