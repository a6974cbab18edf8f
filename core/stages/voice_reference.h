// Helpers of stages that compare one part of the voice with the rest.
#pragma once

#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>

#include "dsp/biquad_cascade.h"
#include "dsp/gain_computer.h"
#include "dsp/level_detector.h"
#include "dsp/smoothed.h"
#include "stages/stage.h"

namespace reed {

/// Level of a filtered copy of the signal, linked over channels, computed once per sub-block: the comparison
/// works over milliseconds, and a level per frame would cost several times as much.
class FilteredLevel {
  public:
    /// `seconds`: time constant of the mean square.
    void prepare(double sample_rate, const BandSettings& filter, double seconds) {
        filter_.snap(design(filter, sample_rate));
        level_.set(sample_rate, seconds);
        reset();
    }
    void reset() {
        filter_.reset();
        level_.reset();
        sums_ = {};
    }
    /// The block must not cross a sub-block boundary. `before`: filter that is applied first.
    void listen(const AudioBlock& side, BiquadCascade* before = nullptr) {
        copy(side);
        BiquadCascade* both[] = {before, &filter_};
        if (before != nullptr)
            BiquadCascade::process_still(both, 2, rows());
        else
            filter_.process(rows());
        for (int c = 0; c < view_.channels; ++c) {
            // Frame by frame, so that the result does not depend on the block size.
            float sum = sums_[static_cast<size_t>(c)];
            for (int i = 0; i < view_.frames; ++i) sum += view_[c][i] * view_[c][i];
            sums_[static_cast<size_t>(c)] = sum;
        }
    }
    /// Level in dBFS up to the sub-block boundary, at least -150. Call there.
    float next() {
        const float loudest = *std::max_element(sums_.begin(), sums_.end());
        sums_ = {};
        return level_.next(loudest);
    }
    /// Filtered signal of the last call of listen().
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
    BiquadCascade filter_;
    GrainLevel level_;
    std::array<float, kMaxChannels> sums_{};
    AudioBlock view_;
    float scratch_[kMaxChannels][kSubBlock] = {};
};

/// Reference level of the voice: rises within 25 ms, falls by 18 dB/s, and not below the level of quiet
/// words, so that in a pause nothing is compared with silence.
class VoiceReference {
  public:
    /// Measures between two frequencies. `quiet_words`: dB below the maximum of the last minute.
    void prepare(double sample_rate, double from, double to, float quiet_words) {
        low_.snap(design({FilterType::low_cut, from, 0.0, 0.7071, 12}, sample_rate));
        band_.prepare(sample_rate, {FilterType::high_cut, to, 0.0, 0.7071, 12}, 0.015);
        quiet_words_ = quiet_words;
        rise_ = static_cast<float>(Ballistics::pole(sample_rate / kSubBlock, 25.0));
        fall_ = static_cast<float>(18.0 * kSubBlock / sample_rate);
        forget_ = static_cast<float>(0.5 * kSubBlock / sample_rate);
        reset();
    }
    void reset() {
        low_.reset();
        band_.reset();
        now_ = raw_ = kSilence;
    }
    /// The block must not cross a sub-block boundary.
    void listen(const AudioBlock& side) { band_.listen(side, &low_); }
    void begin_sub_block() {
        raw_ = band_.next();
        const float up = now_ + rise_ * (raw_ - now_), down = std::max(raw_, now_ - fall_);
        now_ = raw_ > now_ ? up : down;
        usual_ = std::max(std::max(usual_ - forget_, now_), kSilence);
        kept_.store(usual_, std::memory_order_relaxed);
    }
    /// Reference level in dBFS; high until there was a voice, so that nothing exceeds it.
    float level() const { return usual_ < kSpeech ? 0.0f : std::max(now_, usual_ - quiet_words_); }
    /// Whether the current level is about that of words.
    bool speaks() const { return now_ > usual_ - quiet_words_ && now_ > kSpeech; }
    /// Current level in dBFS.
    float raw() const { return raw_; }
    /// Maximum of the last minute in dBFS. Thread-safe.
    float usual() const { return kept_.load(std::memory_order_relaxed); }
    void remember(float usual) { usual_ = usual; }

    static constexpr float kSilence = -150.0f;

  private:
    static constexpr float kSpeech = -60.0f;  // dBFS
    BiquadCascade low_;
    FilteredLevel band_;
    float quiet_words_ = 12.0f, rise_ = 0.0f, fall_ = 0.0f, forget_ = 0.0f;
    float now_ = kSilence, raw_ = kSilence, usual_ = kSilence;
    std::atomic<float> kept_{kSilence};
};

/// Gain reduction in dB within a sub-block: moves to the target by the ballistics, and becomes exactly 0
/// after the decay.
class GrainReduction {
  public:
    void set(double sample_rate, double attack_ms, double release_ms) {
        ballistics_.set(sample_rate, attack_ms, release_ms, false);
    }
    void reset() {
        ballistics_.reset();
        wanted_ = reached_ = 0.0f;
    }
    void begin_sub_block(float wanted) {
        wanted_ = wanted;
        if (wanted != 0.0f || reached_ > kNothing) return;
        ballistics_.reset();
        reached_ = 0.0f;
    }
    /// One value per frame; returns the largest.
    float write(float* reduction, int frames) {
        if (wanted_ == 0.0f && reached_ == 0.0f) {
            std::fill_n(reduction, frames, 0.0f);
            return 0.0f;
        }
        float deepest = 0.0f;
        for (int i = 0; i < frames; ++i) {
            reached_ = ballistics_.next(wanted_);
            reduction[i] = reached_;
            deepest = std::max(deepest, reached_);
        }
        return deepest;
    }

  private:
    static constexpr float kNothing = 1e-4f;
    Ballistics ballistics_;
    float wanted_ = 0.0f, reached_ = 0.0f;
};

/// Peak hold of a value, falling by 6 per second, so that users can read it.
class PeakHold {
  public:
    void prepare(double sample_rate) { fall_ = static_cast<float>(6.0 / sample_rate); }
    /// One value per frame.
    void note(const float* values, int frames) {
        float highest = kLowest;
        for (int i = 0; i < frames; ++i) highest = std::max(highest, values[i]);
        note(highest, frames);
    }
    /// Maximum of so many frames.
    void note(float highest, int frames) {
        highest_ = std::max(std::max(highest_ - fall_ * static_cast<float>(frames), highest), kLowest);
    }
    void begin_sub_block() { shown_.store(highest_, std::memory_order_relaxed); }
    /// Thread-safe.
    float shown() const { return shown_.load(std::memory_order_relaxed); }

    static constexpr float kLowest = -60.0f;

  private:
    float fall_ = 0.0f, highest_ = kLowest;
    std::atomic<float> shown_{kLowest};
};

/// Monitors the removed signal: input minus output, faded in and out.
class DeltaListen {
  public:
    void prepare(double sample_rate, double on) { share_.prepare(sample_rate, 0.005, on); }
    void set(double on) { share_.set(on); }
    void begin_sub_block() { share_.begin_sub_block(); }
    /// Call before the processing.
    void keep(const AudioBlock& block) {
        if (!hears()) return;
        for (int c = 0; c < std::min(block.channels, kMaxChannels); ++c)
            std::copy_n(block[c], block.frames, plain_[c]);
    }
    /// Call after the processing.
    void swap(const AudioBlock& block) {
        if (!hears()) return;
        for (int i = 0; i < block.frames; ++i) {
            const float share = share_.next();
            for (int c = 0; c < block.channels; ++c)
                block[c][i] += share * (plain_[c][i] - 2.0f * block[c][i]);
        }
    }

  private:
    bool hears() const { return share_.moving() || share_.sub_block_value() > 0.0; }
    Smoothed share_;
    float plain_[kMaxChannels][kSubBlock] = {};
};

}  // namespace reed
