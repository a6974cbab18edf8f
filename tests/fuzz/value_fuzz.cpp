// Any text typed into any field: refused with a reason, or a value of its range whose shown text is read as
// the same.
#include <cmath>
#include <cstdint>
#include <string_view>

#include "devices/simulated_room.h"
#include "engine/monitor.h"
#include "fuzz/expect.h"
#include "stages/registry.h"

namespace {

const reed::Parameter& pick(std::uint8_t kind, std::uint8_t row) {
    const auto kinds = reed::stage_kinds();
    const auto& table = kinds[kind % kinds.size()]->parameters;
    return table[row % table.size()];
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, size_t size) {
    using namespace reed;
    if (size < 2) return 0;
    const Parameter& p = pick(data[0], data[1]);
    const auto typed = parse_value(p, {reinterpret_cast<const char*>(data) + 2, size - 2});
    if (!typed.ok()) {
        expect(!typed.error().what.empty(), "a refusal says why");
        return 0;
    }
    expect(std::isfinite(typed.value()) && !value_problem(p, typed.value()), "it is in the range");
    expect(!format_value(p, typed.value()).empty(), "it can be shown");
    const double rounded = round_value(p, typed.value());
    const auto again = parse_value(p, format_value_bare(p, rounded));
    expect(again.ok(), "what is shown can be typed");
    const double at = value_to_position(p, typed.value());
    expect(at >= -1e-9 && at <= 1.0 + 1e-9, "it has a place on the scale");
    expect(!value_problem(p, position_to_value(p, at)), "and the place has a value");
    return 0;
}
