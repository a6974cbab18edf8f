// Helpers of the stages that react to a level.
#pragma once

#include "dsp/gain_computer.h"
#include "dsp/level_detector.h"
#include "stages/stage.h"

namespace reed {

inline constexpr Choice kDetectionChoices[] = {{"peak", "Peak"}, {"rms", "RMS"}};

constexpr Parameter detection_choice(size_t default_index) {
    return parameter::choice("detection", "Detection", kDetectionChoices, default_index,
                             "Peak follows every syllable; RMS follows loudness and sounds calmer.");
}

inline LevelDetector::Mode detection_mode(double value) {
    return value < 0.5 ? LevelDetector::Mode::peak : LevelDetector::Mode::rms;
}

/// Smooths target reductions (dB, one per frame; overwritten), applies them to all channels, and returns the
/// largest.
inline float apply_reduction(const AudioBlock& block, Ballistics& ballistics, float* reduction) {
    float deepest = 0.0f;
    Ballistics local = ballistics;  // in registers, where `reduction` can't alias it
    for (int i = 0; i < block.frames; ++i) {
        reduction[i] = local.next(reduction[i]);
        deepest = std::max(deepest, reduction[i]);
    }
    ballistics = local;
    for (int i = 0; i < block.frames; ++i) reduction[i] = fast_exp2(-kLog2PerDb * reduction[i]);
    for (int c = 0; c < block.channels; ++c) {
        for (int i = 0; i < block.frames; ++i) block[c][i] *= reduction[i];
    }
    return deepest;
}

}  // namespace reed
