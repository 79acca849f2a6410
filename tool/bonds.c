#include "tool/bonds.h"

#include <errno.h>
#include <stdio.h>
#include <string.h>
#include <sys/stat.h>

#include "tool/tool.h"

#define MAGIC       "yonder bonds 1\n"
#define MAGIC_BYTES (sizeof MAGIC - 1)
#define BOND_BYTES  (4 + 2 + RADIO_KEY + RADIO_IDENTITY + 4 + 1)
#define FILE_BYTES  (MAGIC_BYTES + RADIO_BONDS * BOND_BYTES + 4)

static void put_word(uint8_t *bytes, uint32_t number) {
    for (unsigned i = 0; i < 4; i++)
        bytes[i] = (uint8_t)(number >> 8 * i);
}

static uint32_t word_at(const uint8_t *bytes) {
    return bytes[0] | (uint32_t)bytes[1] << 8 | (uint32_t)bytes[2] << 16 | (uint32_t)bytes[3] << 24;
}

static void put_bond(uint8_t *bytes, const radio_bond *bond) {
    put_word(bytes, bond->layout);
    bytes[4] = bond->has_key;
    bytes[5] = bond->has_identity;
    memcpy(bytes + 6, bond->key, RADIO_KEY);
    memcpy(bytes + 6 + RADIO_KEY, bond->identity, RADIO_IDENTITY);
    put_word(bytes + 6 + RADIO_KEY + RADIO_IDENTITY, bond->choices.listened);
    bytes[BOND_BYTES - 1] = bond->choices.to_battery;
}

static void take_bond(radio_bond *bond, const uint8_t *bytes) {
    bond->layout = word_at(bytes);
    bond->has_key = bytes[4] != 0;
    bond->has_identity = bytes[5] != 0;
    memcpy(bond->key, bytes + 6, RADIO_KEY);
    memcpy(bond->identity, bytes + 6 + RADIO_KEY, RADIO_IDENTITY);
    bond->choices.listened = word_at(bytes + 6 + RADIO_KEY + RADIO_IDENTITY);
    bond->choices.to_battery = bytes[BOND_BYTES - 1] != 0;
}

bool bonds_read(radio_bond bonds[RADIO_BONDS], const char *path) {
    uint8_t bytes[FILE_BYTES + 1];
    struct stat status;
    memset(bonds, 0, RADIO_BONDS * sizeof bonds[0]);
    FILE *file = fopen(path, "rb");
    if (!file)
        return errno == ENOENT || refuse(path, strerror(errno));
    if (fstat(fileno(file), &status) != 0 || status.st_mode & 077) {
        fclose(file);
        return refuse(path, "others may read it, and it holds keys: chmod 600 it");
    }
    size_t size = fread(bytes, 1, sizeof bytes, file);
    int error = ferror(file) ? errno : 0;
    fclose(file);
    if (error)
        return refuse(path, strerror(error));
    if (size != FILE_BYTES || memcmp(bytes, MAGIC, MAGIC_BYTES) != 0 ||
        word_at(bytes + FILE_BYTES - 4) != yt_checksum(0, bytes, FILE_BYTES - 4))
        return refuse(path, "holds no hosts of an adapter, or is damaged; take it away, and they "
                            "are let in anew");
    for (unsigned i = 0; i < RADIO_BONDS; i++)
        take_bond(&bonds[i], bytes + MAGIC_BYTES + i * BOND_BYTES);
    return true;
}

bool bonds_write(const radio_bond bonds[RADIO_BONDS], const char *path) {
    uint8_t bytes[FILE_BYTES];
    whole_file file;
    memcpy(bytes, MAGIC, MAGIC_BYTES);
    for (unsigned i = 0; i < RADIO_BONDS; i++)
        put_bond(bytes + MAGIC_BYTES + i * BOND_BYTES, &bonds[i]);
    put_word(bytes + FILE_BYTES - 4, yt_checksum(0, bytes, FILE_BYTES - 4));
    mode_t others = umask(077);
    bool good = whole_file_open(&file, path, CONTENT_BYTES);
    umask(others);
    if (!good)
        return false;
    fwrite(bytes, 1, sizeof bytes, file.file);
    return whole_file_close(&file);
}
