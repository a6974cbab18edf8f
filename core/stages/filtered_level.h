// Level of a part of the sound's spectrum.
#pragma once

#include <algorithm>

#include "dsp/filter_runner.h"
#include "dsp/level_detector.h"

namespace reed {

/// Level of a filtered copy of the sound, linked over channels.
class FilteredLevel {
  public:
    /// `seconds`: time constant of the mean square.
    void prepare(double sample_rate, const BandSettings& filter, double seconds) {
        filter_.snap(design(filter, sample_rate));
        level_.prepare(sample_rate, seconds);
        reset();
    }
    void reset() {
        filter_.reset();
        level_.reset();
    }
    /// At a grain boundary: another filter with as many sections, over one grain; and another time constant.
    void move(const Sections& filter, double seconds) {
        filter_.glide(filter);
        level_.set(seconds);
    }
    /// At a grain boundary where it does not move.
    void hold() { filter_.hold(); }
    /// dBFS, one a frame. `before`: another filter to go through first.
    void level(const AudioBlock& side, float* out, FilterRunner* before = nullptr) {
        copy(side);
        FilterRunner* both[] = {before, &filter_};
        if (before != nullptr)
            FilterRunner::process_still(both, 2, rows());
        else
            filter_.process(rows());
        level_.process(rows(), LevelDetector::Mode::rms, out);
    }
    /// The filtered copy of the last call of level().
    const AudioBlock& rows() const { return view_; }

  private:
    void copy(const AudioBlock& side) {
        view_.channels = std::min(side.channels, kMaxChannels);
        view_.frames = side.frames;
        for (int c = 0; c < view_.channels; ++c) {
            view_.rows[static_cast<size_t>(c)] = scratch_[c];
            std::copy_n(side[c], side.frames, scratch_[c]);
        }
    }
    FilterRunner filter_;
    LevelDetector level_;
    AudioBlock view_;
    float scratch_[kMaxChannels][kGrain] = {};
};

}  // namespace reed
