// Runs work that needs one sample rate behind sound of another.
#pragma once

#include <algorithm>
#include <vector>

#include "dsp/resample.h"

namespace reed {

/// Takes and gives frames of a fixed length at the outer rate; `work` gets frames of another fixed length at
/// the inner rate. Its delay is exact and constant; all memory is taken in the constructor.
class RateBridge {
  public:
    /// Rates in Hz. `outer_frame` should last about as long as `inner_frame`.
    RateBridge(double outer, int outer_frame, double inner, int inner_frame)
        : in_(outer, inner), out_(inner, outer), outer_frame_(outer_frame), inner_frame_(inner_frame) {
        waiting_.resize(static_cast<size_t>(kRoom * inner_frame));
        ready_.resize(static_cast<size_t>(kRoom * outer_frame));
        // A dry run with silence: it brings the converters into their steady rhythm, and the deepest that the
        // output falls behind the input is the lead it needs.
        std::vector<float> silence(static_cast<size_t>(outer_frame));
        int owed = 0;
        for (int i = 0; i < kDryRun; ++i) {
            std::fill(silence.begin(), silence.end(), 0.0f);
            convert(silence.data(), [](float*) {});
            const int taken = std::min(ready_count_, outer_frame_ + owed);
            drop_ready(taken);
            owed += outer_frame_ - taken;
            delay_ = std::max(delay_, owed);
        }
        delay_ += kMargin;
        // What is still owed now has been given out as silence; the rest of the lead is put in front.
        const int lead = delay_ - owed;
        std::fill_n(ready_.begin() + ready_count_, lead, 0.0f);
        std::rotate(ready_.begin(), ready_.begin() + ready_count_, ready_.begin() + ready_count_ + lead);
        ready_count_ += lead;
    }

    /// Frames at the outer rate by which it delays, apart from what `work` itself does.
    int delay() const { return delay_; }

    /// `frame`: outer_frame samples, replaced. work(float* inner) replaces inner_frame samples.
    template <typename Work>
    void process(float* frame, Work work) {
        convert(frame, work);
        const int given = std::min(ready_count_, outer_frame_);
        std::copy_n(ready_.begin(), given, frame);
        std::fill_n(frame + given, outer_frame_ - given, 0.0f);
        drop_ready(given);
    }

  private:
    static constexpr int kRoom = 24;  // frames; the converters hold back fewer than ten
    static constexpr int kDryRun = 400;
    static constexpr int kMargin = 16;

    template <typename Work>
    void convert(const float* frame, Work work) {
        waiting_count_ += in_.process(frame, outer_frame_, waiting_.data() + waiting_count_,
                                      static_cast<int>(waiting_.size()) - waiting_count_);
        int used = 0;
        for (; waiting_count_ - used >= inner_frame_; used += inner_frame_) {
            work(waiting_.data() + used);
            ready_count_ += out_.process(waiting_.data() + used, inner_frame_, ready_.data() + ready_count_,
                                         static_cast<int>(ready_.size()) - ready_count_);
        }
        std::copy(waiting_.begin() + used, waiting_.begin() + waiting_count_, waiting_.begin());
        waiting_count_ -= used;
    }
    void drop_ready(int count) {
        std::copy(ready_.begin() + count, ready_.begin() + ready_count_, ready_.begin());
        ready_count_ -= count;
    }

    Resampler in_, out_;
    int outer_frame_, inner_frame_;
    int delay_ = 0;
    std::vector<float> waiting_, ready_;
    int waiting_count_ = 0, ready_count_ = 0;
};

}  // namespace reed
