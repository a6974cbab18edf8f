// The steps of a soundcheck as one sound, and its levels section by section.
#pragma once

#include <optional>
#include <vector>

#include "base/progress.h"
#include "base/result.h"
#include "chain/chain_spec.h"
#include "measure/level_statistics.h"
#include "soundcheck/steps.h"

namespace reed {

/// Levels in dBFS (AES17) of 50 ms at one point of a chain. Of speech: the frames that are speech at the
/// input, wherever the levels are measured.
struct SectionLevels {
    double noise = 0.0, noise_high = 0.0;  ///< median and 95th percentile, silence and the pauses of the talk
    double quiet = 0.0;                    ///< 10th percentile of the quiet talk, or of the talk without it
    double typical = 0.0, loud = 0.0;      ///< median and 90th percentile of the talk
    double talk_peak = 0.0, peak = 0.0;    ///< highest sample of the talk, and of all
    std::optional<double> noises;          ///< 98th percentile of the desk noises
};

/// How speech came through a part of a chain, frame by frame against what went in.
struct SpeechLoss {
    size_t words = 0;      ///< words found at the input
    size_t truncated = 0;  ///< whose first 60 ms or last 150 ms lost 3 dB more than their middle
    size_t pieces = 0;     ///< pieces of 100 ms of quiet speech, clear of the noise
    size_t cut = 0;        ///< of them: 6 dB and more below what speech loses in general
    double deepest = 0.0;  ///< dB, of the piece that lost most
};

/// Mean squares (louder channel) and largest |sample| of every 10 ms at one point of a chain.
struct FrameLevels {
    std::vector<float> mean_square, peak;
};

/// A chain run over a sound: what came out, in time with what went in, and its levels at every tap.
struct ChainRun {
    AudioBuffer out;
    std::vector<FrameLevels> taps;              ///< one more than stages
    std::vector<std::vector<float>> reduction;  ///< dB, largest of every 10 ms, one row per stage
    int latency = 0;                            ///< frames
};
/// Returns an error if the chain can't be built.
Result<ChainRun> run_chain(const ChainSpec& chain, const AudioBuffer& sound, double sample_rate);

/// Silence, quiet talk, talk, loud talk and noises behind one another, so that what adapts meets them in that
/// order. Speech is known by the input alone.
class StepSound {
  public:
    /// Takes at most kMaxStepSeconds of each of usable_steps(). Returns its error, or one if cancelled.
    static Result<StepSound> join(const StepRecordings& recorded, const Progress& progress = {});

    const AudioBuffer& sound() const { return sound_; }
    double sample_rate() const { return rate_; }
    /// What each 10 ms of a step are; empty if it was skipped.
    std::vector<FrameClass> classes(SoundcheckStep step) const;
    /// The part of `at` (as long as sound()) that is a step.
    AudioBuffer part(const AudioBuffer& at, SoundcheckStep step) const;
    bool has(SoundcheckStep step) const { return range(step).count > 0; }

    /// Levels of sound() itself, frame by frame.
    const FrameLevels& input() const { return input_; }
    /// Levels at a point of a chain that sound() was run through.
    SectionLevels levels(const FrameLevels& at) const;
    /// What speech lost between two points of a chain.
    SpeechLoss loss(const FrameLevels& before, const FrameLevels& after) const;
    /// Median of `per_frame` (one value per 10 ms of sound()) over the speech of a step; 0 without speech.
    double median_in_speech(SoundcheckStep step, const std::vector<float>& per_frame) const;

  private:
    struct Range {
        size_t first = 0, count = 0;  ///< frames of 10 ms
    };
    const Range& range(SoundcheckStep step) const { return ranges_[static_cast<size_t>(step)]; }

    double rate_ = 48000.0;
    size_t frame_ = 480;
    AudioBuffer sound_;
    FrameLevels input_;
    std::array<Range, kSoundcheckSteps> ranges_{};
    std::vector<FrameClass> classes_;
};

}  // namespace reed
