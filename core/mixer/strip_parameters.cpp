#include "mixer/strip_parameters.h"

namespace reed {
namespace {

constexpr Parameter kTable[] = {
    parameter::number("fader", "Fader", Unit::decibel, kFaderMinDb, kFaderMaxDb, 0.0, Scale::linear,
                      "Level of this strip in the mix. The lowest setting is silent."),
    parameter::toggle("mute", "Mute", false, "This strip alone is silent in the output."),
};
static_assert(std::size(kTable) == kStripRows);

}  // namespace

std::span<const Parameter> strip_parameters() {
    return kTable;
}

double strip_value(const StripSpec& strip, size_t row) {
    if (row == kStripFader) return strip.fader;
    return row == kStripMute && strip.mute ? 1.0 : 0.0;
}

}  // namespace reed
