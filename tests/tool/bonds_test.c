/* The hosts that were let in over Bluetooth, in a file: what is written is what is read, nobody
 * else may read it, and what is damaged anywhere is refused as a whole. */
#include <sys/stat.h>
#include <unistd.h>

#include "tests/harness.h"
#include "tool/bonds.h"

static char path[] = "/tmp/yonder-bonds-XXXXXX";

static void make_up(radio_bond bonds[RADIO_BONDS], dice *dice) {
    memset(bonds, 0, RADIO_BONDS * sizeof bonds[0]);
    for (unsigned i = 0; i < RADIO_BONDS; i++) {
        bonds[i].layout = roll(dice);
        bonds[i].has_key = (uint8_t)roll_below(dice, 2);
        bonds[i].has_identity = (uint8_t)roll_below(dice, 2);
        bonds[i].choices.listened = roll(dice);
        bonds[i].choices.to_battery = roll_below(dice, 2);
        for (unsigned k = 0; k < RADIO_KEY; k++)
            bonds[i].key[k] = (uint8_t)roll(dice);
        for (unsigned k = 0; k < RADIO_IDENTITY; k++)
            bonds[i].identity[k] = (uint8_t)roll(dice);
    }
}

static bool are_equal(const radio_bond *one, const radio_bond *other) {
    return one->layout == other->layout && one->has_key == other->has_key &&
           one->has_identity == other->has_identity &&
           memcmp(one->key, other->key, RADIO_KEY) == 0 &&
           memcmp(one->identity, other->identity, RADIO_IDENTITY) == 0 &&
           one->choices.listened == other->choices.listened &&
           one->choices.to_battery == other->choices.to_battery;
}

static void put_file(const char *bytes, size_t size) {
    FILE *file = fopen(path, "wb");
    CHECK(file && fwrite(bytes, 1, size, file) == size);
    if (file)
        fclose(file);
}

int main(void) {
    radio_bond before[RADIO_BONDS], after[RADIO_BONDS];
    dice dice = {5};
    struct stat status;
    int file = mkstemp(path);
    CHECK(file >= 0);
    close(file);
    unlink(path);
    about("a file that is not there is of no hosts");
    memset(after, 0xff, sizeof after);
    CHECK(bonds_read(after, path));
    for (unsigned i = 0; i < RADIO_BONDS; i++)
        CHECK(!after[i].has_key && !after[i].has_identity);
    about("what is written is read");
    for (unsigned round = 0; round < 50; round++) {
        make_up(before, &dice);
        CHECK(bonds_write(before, path));
        CHECK(bonds_read(after, path));
        for (unsigned i = 0; i < RADIO_BONDS; i++)
            CHECK(are_equal(&before[i], &after[i]));
    }
    about("nobody else may read it");
    CHECK(stat(path, &status) == 0);
    CHECK_EQUAL(status.st_mode & 0777, 0600);
    size_t size;
    char *bytes = read_test_file(path, &size);
    if (!freopen("/dev/null", "w", stderr))
        return 1;
    for (size_t at = 0; at < size; at++) {
        about("byte %zu is another", at);
        bytes[at] ^= 0x10;
        put_file(bytes, size);
        CHECK(!bonds_read(after, path));
        bytes[at] ^= 0x10;
    }
    for (size_t cut = 0; cut < size; cut += 7) {
        about("cut at %zu", cut);
        put_file(bytes, cut);
        CHECK(!bonds_read(after, path));
    }
    about("a folder that is not there");
    CHECK(!bonds_write(before, "/tmp/not/there/bonds"));
    free(bytes);
    unlink(path);
    return report_checks();
}
