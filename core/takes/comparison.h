// Two ways of treating one sound, at equal loudness.
#pragma once

#include <optional>

#include "chain/chain_spec.h"
#include "engine/render.h"

namespace reed {

/// One side of a comparison: what is made of the sound.
struct Side {
    enum class What {
        plain,      ///< as it came in
        processed,  ///< through the chain
        taken_away  ///< what the stages from `first` to before `end` took away: what came to them minus what
                    ///< left
    };
    What what = What::plain;
    ChainSpec chain{};
    size_t first = 0, end = 0;
};

/// The sound of a side over `in`, latency taken out: out[i] belongs to in[i]. `latency`: what was taken out.
Result<AudioBuffer> render_side(const Side& side, const AudioBuffer& in, double sample_rate,
                                int* latency = nullptr, const Progress& progress = {});

/// Both sides, aligned to the sample and turned to one loudness (ITU-R BS.1770, integrated): the louder one
/// is turned down, so that nothing passes full scale by it.
struct Compared {
    AudioBuffer a, b;
    std::optional<double> a_lufs, b_lufs;  ///< before they were turned; nothing for silence
    double a_gain_db = 0.0, b_gain_db = 0.0;
    std::optional<double> a_true_peak_dbtp, b_true_peak_dbtp;  ///< as they are now
    int delay_frames = 0;  ///< by which b came later than a, before they were aligned
    /// What b was turned against a.
    double gain_applied_db() const { return b_gain_db - a_gain_db; }
};

/// `match`: to one loudness; else as they are.
Result<Compared> compare(const Side& a, const Side& b, const AudioBuffer& in, double sample_rate,
                         bool match = true);
/// The same with a sound of its own for each side (two takes through one chain), as long as the longer one.
Result<Compared> compare(const Side& a, const AudioBuffer& in_a, const Side& b, const AudioBuffer& in_b,
                         double sample_rate, bool match = true, const Progress& progress = {});

}  // namespace reed
