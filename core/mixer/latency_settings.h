// The latency that a user sets, as rows of a parameter table.
#pragma once

#include <span>

#include "stages/parameter.h"

namespace reed {

/// Of all outputs; kept by the computer, not by the scene.
struct LatencySettings {
    double fixed_ms = 0.0;  ///< of the voices from their inputs to the sum, 0 to 250; 0: as short as can be
    double output_delay_ms = 0.0;  ///< added to every virtual microphone, 0 to 1000

    bool operator==(const LatencySettings&) const = default;
};

enum LatencyRow { kLatencyFixed, kLatencyOutputDelay, kLatencyRows };
std::span<const Parameter> latency_parameters();
/// Value of a row, read and set. Values must be inside the range of the row.
double latency_value(const LatencySettings& settings, int row);
void set_latency_value(LatencySettings& settings, int row, double value);

}  // namespace reed
