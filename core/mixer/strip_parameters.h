// The values of a strip itself, as rows of a parameter table.
#pragma once

#include <span>

#include "mixer/mixer_spec.h"
#include "stages/parameter.h"

namespace reed {

enum StripRow { kStripFader, kStripMute, kStripRows };
/// Fader in dB (kFaderMinDb: silent), mute.
std::span<const Parameter> strip_parameters();
/// Value of a row; 0 for a row that does not exist.
double strip_value(const StripSpec& strip, size_t row);

}  // namespace reed
