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

/* Hosts of two layouts: the ninth of all drops the oldest, and one that comes again does not. */
static void check_list(void) {
    radio_bond bonds[RADIO_BONDS] = {0};
    uint8_t address[7] = {1, 2, 3, 4, 5, 6, 2};
    about("a list of hosts");
    CHECK(!bond_any(bonds, 0) && !bond_find(bonds, 0, address));
    for (unsigned i = 0; i <= RADIO_BONDS; i++) {
        address[0] = (uint8_t)(10 + i);
        radio_bond *bond = bond_make(bonds, i % 2, address);
        memcpy(i % 3 ? bond->key : bond->identity, address, 7);
        bond->has_key = i % 3 != 0;
        bond->has_identity = i % 3 == 0;
        CHECK(bond_make(bonds, i % 2, address) == bond);
        CHECK(bond_find(bonds, i % 2, address) == bond);
        CHECK(!bond_find(bonds, 1 - i % 2, address));
    }
    for (unsigned i = 0; i <= RADIO_BONDS; i++) {
        address[0] = (uint8_t)(10 + i);
        CHECK_EQUAL(bond_find(bonds, i % 2, address) != NULL, i > 0);
    }
    CHECK(bond_any(bonds, 0) && bond_any(bonds, 1) && !bond_any(bonds, 2));
    address[6] = 1; /* another type of address is another host */
    CHECK(!bond_find(bonds, 0, address));
}

int main(void) {
    check_list();
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
    CHECK(chmod(path, 0640) == 0);
    CHECK(!bonds_read(after, path));
    CHECK(chmod(path, 0600) == 0);
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
