// A/B comparison of two processings of a recording, at equal loudness.
#pragma once

#include <optional>

#include "chain/chain_spec.h"
#include "engine/render.h"

namespace reed {

/// One side of a comparison: how the recording is processed.
struct Side {
    enum class What {
        plain,      ///< unprocessed
        processed,  ///< through the chain
        taken_away  ///< removed signal of the stages from `first` to before `end`: their input minus their
                    ///< output
    };
    What what = What::plain;
    ChainSpec chain{};
    size_t first = 0, end = 0;
};

/// Renders a side over `in`, with the latency compensated: out[i] belongs to in[i]. `latency`: returns that
/// latency.
Result<AudioBuffer> render_side(const Side& side, const AudioBuffer& in, double sample_rate,
                                int* latency = nullptr, const Progress& progress = {});

/// Both sides, sample-aligned and at equal loudness (ITU-R BS.1770, integrated). The louder side is
/// attenuated, so that matching never clips.
struct Compared {
    AudioBuffer a, b;
    std::optional<double> a_lufs, b_lufs;  ///< before matching; empty for silence
    double a_gain_db = 0.0, b_gain_db = 0.0;
    std::optional<double> a_true_peak_dbtp, b_true_peak_dbtp;  ///< after matching
    int delay_frames = 0;                                      ///< delay of b against a before the alignment
    /// Gain of b relative to a by the matching, in dB.
    double gain_applied_db() const { return b_gain_db - a_gain_db; }
};

/// `match`: whether loudness is matched.
Result<Compared> compare(const Side& a, const Side& b, const AudioBuffer& in, double sample_rate,
                         bool match = true);
/// The same with a recording per side (two takes through one chain); as long as the longer one.
Result<Compared> compare(const Side& a, const AudioBuffer& in_a, const Side& b, const AudioBuffer& in_b,
                         double sample_rate, bool match = true, const Progress& progress = {});

}  // namespace reed
