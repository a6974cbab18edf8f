// Any bytes as the state of the last evening: refused with a reason, or read, written and read again as the
// same.
#include <cstdint>

#include "fuzz/expect.h"
#include "scenes/working_state.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, size_t size) {
    using namespace reed;
    const auto first = parse_working_state({reinterpret_cast<const char*>(data), size});
    if (!first.ok()) {
        expect(!first.error().what.empty(), "a refusal says why");
        return 0;
    }
    if (!first.value().left_out.empty()) return 0;
    const std::string written = write_working_state(first.value());
    const auto again = parse_working_state(written);
    expect(again.ok(), "what is written can be read");
    expect(write_working_state(again.value()) == written, "and is the same");
    return 0;
}
