// The smallest loop again, in C++17: a class that owns an engine and its memory.
#include <array>
#include <cstdint>

#include "board.h"
#include "smallest_program.h"
#include "yonder/yonder.h"

namespace {

class Adapter {
  public:
    Adapter() {
        port_.version = YT_PORT_VERSION;
    }
    Adapter(const Adapter &) = delete; // the engine points into the memory
    Adapter &operator=(const Adapter &) = delete;

    bool begin(const unsigned char *program, std::size_t size) {
        return yt_engine_init(&engine_, memory_.data(), sizeof memory_, &port_) == YT_OK &&
               yt_engine_load(&engine_, program, size) == YT_OK;
    }

    bool plug(const board_device &of) {
        yt_device device{};
        device.descriptor = of.descriptor;
        device.descriptor_size = of.descriptor_size;
        device.vendor = of.vendor;
        device.product = of.product;
        device.bus = YT_BUS_USB;
        device.input = YT_ANY_INPUT;
        return yt_engine_attach(&engine_, &device, &number_) == YT_OK;
    }

    void unplug() {
        yt_engine_detach(&engine_, number_, board_us());
    }

    bool take(const std::uint8_t *bytes, std::size_t size) {
        return yt_engine_report(&engine_, number_, bytes, size, board_us()) == YT_OK;
    }

    void taken(unsigned interface) {
        yt_interface_taken(&engine_, interface, board_us());
    }

    // Looks at what came; returns when it is to be called again.
    std::uint64_t update() {
        const std::uint64_t due_us = yt_engine_update(&engine_, board_us());
        std::size_t length = 0;
        if (yt_interface_report(&engine_, 0, answer_.data(), answer_.size(), &length) == YT_OK &&
            length > 0)
            board_arm(1, 0, answer_.data(), length);
        return due_us;
    }

  private:
    yt_engine engine_{};
    alignas(8) std::array<std::uint8_t, 2048> memory_{};
    yt_port port_{};
    std::array<std::uint8_t, YT_REPORT_BYTES + 1> answer_{};
    unsigned number_ = 0;
};

Adapter adapter;

} // namespace

int main(int count, char **arguments) {
    board_calls calls{};
    calls.plugged = [](unsigned, const board_device *of) {
        if (!adapter.plug(*of))
            board_say("it fits no input");
    };
    calls.unplugged = [](unsigned) { adapter.unplug(); };
    calls.sent = [](unsigned, const std::uint8_t *bytes, std::size_t size) {
        if (!adapter.take(bytes, size))
            board_say("the queue is full");
    };
    calls.host_took = [](unsigned, unsigned interface) { adapter.taken(interface); };
    if (!adapter.begin(smallest_program, smallest_program_size))
        return 1;
    board_begin(count, arguments, &calls);
    while (board_sleep(adapter.update())) {
    }
    return 0;
}
