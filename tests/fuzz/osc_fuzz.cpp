// Any bytes as a packet of Open Sound Control: it is read or refused, and each message is an action or
// refused.
#include <cstdint>

#include "actions/action_table.h"
#include "fuzz/expect.h"
#include "remote/osc_packet.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, size_t size) {
    using namespace reed;
    constexpr double kNow = 4e9;
    const QByteArray packet(reinterpret_cast<const char*>(data), static_cast<qsizetype>(size));
    const auto messages = ui::readOscPacket(packet, kNow);
    if (!messages.ok()) {
        expect(!messages.error().what.empty(), "a problem says what");
        return 0;
    }
    for (const ui::OscMessage& message : messages.value()) {
        expect(message.wait >= 0 && message.wait <= ui::kMaxOscWait, "a time that comes");
        const ui::OscRequest request = ui::oscRequest(message);
        const bool refused = !request.why.isEmpty();
        expect(refused == (ui::find_action(request.action) == nullptr), "an action, or why not");
    }
    return 0;
}
