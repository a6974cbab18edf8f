// Shared by the stages that hold one part of the voice against the rest of it.
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

/// Level of a filtered copy of the sound, linked over channels, told once a grain: what is held against a
/// voice is heard over milliseconds, and a level a frame would cost several times as much.
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
    /// Never across a grain boundary. `before`: another filter to go through first.
    void listen(const AudioBlock& side, BiquadCascade* before = nullptr) {
        copy(side);
        BiquadCascade* both[] = {before, &filter_};
        if (before != nullptr)
            BiquadCascade::process_still(both, 2, rows());
        else
            filter_.process(rows());
        for (int c = 0; c < view_.channels; ++c) {
            // Frame by frame, so that the result does not hang on the size of the blocks.
            float sum = sums_[static_cast<size_t>(c)];
            for (int i = 0; i < view_.frames; ++i) sum += view_[c][i] * view_[c][i];
            sums_[static_cast<size_t>(c)] = sum;
        }
    }
    /// At the grain boundary: dBFS up to there, at least -150.
    float next() {
        const float loudest = *std::max_element(sums_.begin(), sums_.end());
        sums_ = {};
        return level_.next(loudest);
    }
    /// The filtered copy of the last call of listen().
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

/// The voice's own level as something is held against it: rises with a word within 25 ms, falls by 18 dB a
/// second, and no further than to what quiet words have, so that in a pause nothing stands out against
/// silence.
class VoiceReference {
  public:
    /// Listens between two frequencies. `quiet_words`: dB below the loudest of the last minute.
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
    /// Never across a grain boundary.
    void listen(const AudioBlock& side) { band_.listen(side, &low_); }
    void begin_sub_block() {
        raw_ = band_.next();
        const float up = now_ + rise_ * (raw_ - now_), down = std::max(raw_, now_ - fall_);
        now_ = raw_ > now_ ? up : down;
        usual_ = std::max(std::max(usual_ - forget_, now_), kSilence);
        kept_.store(usual_, std::memory_order_relaxed);
    }
    /// dBFS; before any voice was heard nothing stands out against it.
    float level() const { return usual_ < kSpeech ? 0.0f : std::max(now_, usual_ - quiet_words_); }
    /// Whether this moment is about as loud as words are.
    bool speaks() const { return now_ > usual_ - quiet_words_ && now_ > kSpeech; }
    /// dBFS of this moment.
    float raw() const { return raw_; }
    /// The loudest of the last minute, dBFS. Any thread.
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

/// What is taken in the course of a grain, in dB: goes where the grain asks for by the ballistics, and is
/// nothing, to the bit, when that has died away.
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
    /// One a frame; the deepest of them is returned.
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

/// The highest of a figure, falling by 6 a second: what a person can read and aim at.
class PeakHold {
  public:
    void prepare(double sample_rate) { fall_ = static_cast<float>(6.0 / sample_rate); }
    /// One a frame.
    void note(const float* values, int frames) {
        float highest = kLowest;
        for (int i = 0; i < frames; ++i) highest = std::max(highest, values[i]);
        note(highest, frames);
    }
    /// The highest of so many frames.
    void note(float highest, int frames) {
        highest_ = std::max(std::max(highest_ - fall_ * static_cast<float>(frames), highest), kLowest);
    }
    void begin_sub_block() { shown_.store(highest_, std::memory_order_relaxed); }
    /// Any thread.
    float shown() const { return shown_.load(std::memory_order_relaxed); }

    static constexpr float kLowest = -60.0f;

  private:
    float fall_ = 0.0f, highest_ = kLowest;
    std::atomic<float> shown_{kLowest};
};

/// "Hear what is taken": the sound before minus the sound after, faded in and out.
class DeltaListen {
  public:
    void prepare(double sample_rate, double on) { share_.prepare(sample_rate, 0.005, on); }
    void set(double on) { share_.set(on); }
    void begin_sub_block() { share_.begin_sub_block(); }
    /// Before the stage takes anything.
    void keep(const AudioBlock& block) {
        if (!hears()) return;
        for (int c = 0; c < std::min(block.channels, kMaxChannels); ++c)
            std::copy_n(block[c], block.frames, plain_[c]);
    }
    /// After it.
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
