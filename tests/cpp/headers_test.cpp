// Every public header is one that C++17 can include, and its calls can be linked.
#include <cstddef>
#include <cstdint>
#include <cstdio>
#include <vector>

#include "yonder/image/check.h"
#include "yonder/inspect.h"
#include "yonder/yonder.h"

namespace {
alignas(8) unsigned char memory[8192];

// A program in a file, in words, as it must stand at a multiple of four.
std::vector<std::uint32_t> read_words(const char *path) {
    std::vector<std::uint32_t> words;
    std::uint32_t word = 0;
    if (std::FILE *file = std::fopen(path, "rb")) {
        while (std::fread(&word, 1, sizeof word, file) > 0)
            words.push_back(word);
        std::fclose(file);
    }
    return words;
}
} // namespace

int main(int count, char **arguments) {
    yt_engine engine;
    yt_port port{};
    port.version = YT_PORT_VERSION;
    if (count != 2 || yt_engine_init(&engine, memory, sizeof memory, &port) != YT_OK)
        return 1;
    const auto words = read_words(arguments[1]);
    if (yt_engine_load(&engine, words.data(), 4 * words.size()) != YT_OK)
        return 1;
    std::uint8_t report[YT_REPORT_BYTES + 1];
    std::size_t length = 99;
    if (yt_interface_report(&engine, 0, report, sizeof report, &length) != YT_OK)
        return 1;
    if (yt_engine_init_sized(&engine, sizeof engine + 1, memory, sizeof memory, &port) !=
        YT_ARGUMENT)
        return 1;
    return yt_engine_program(&engine)->header->interface_count > 0 ? 0 : 1;
}
