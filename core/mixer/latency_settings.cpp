#include "mixer/latency_settings.h"

#include "chain/chain_spec.h"
#include "mixer/live_mixer.h"

namespace reed {
namespace {

constexpr Parameter kTable[] = {
    parameter::number("fixed_latency", "Fixed latency", Unit::milliseconds, 0.0, kMaxLeastLatency, 0.0,
                      Scale::linear,
                      "Scenes, stages and characters don't change the latency up to this. 0: as short as "
                      "possible."),
    parameter::number("output_delay", "Output delay", Unit::milliseconds, 0.0, LiveMixer::kLongestOutputDelay,
                      0.0, Scale::linear,
                      "For an app that can't delay its sound: set the delay of your camera's picture here."),
};
static_assert(std::size(kTable) == kLatencyRows);

}  // namespace

std::span<const Parameter> latency_parameters() {
    return kTable;
}

double latency_value(const LatencySettings& settings, int row) {
    return row == kLatencyFixed ? settings.fixed_ms : settings.output_delay_ms;
}

void set_latency_value(LatencySettings& settings, int row, double value) {
    (row == kLatencyFixed ? settings.fixed_ms : settings.output_delay_ms) = value;
}

}  // namespace reed
