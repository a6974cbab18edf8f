// Shared by the stages that hold one part of the voice against the rest of it.
#pragma once

#include <algorithm>
#include <atomic>
#include <cmath>

#include "dsp/filter_runner.h"
#include "dsp/gain_computer.h"
#include "dsp/level_detector.h"
#include "dsp/smoothed.h"
#include "stages/stage.h"

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
        rise_ = static_cast<float>(Ballistics::pole(sample_rate, 25.0));
        fall_ = static_cast<float>(18.0 / sample_rate);
        forget_ = static_cast<float>(0.5 / sample_rate);
        reset();
    }
    void reset() {
        low_.reset();
        band_.reset();
        now_ = kSilence;
    }
    /// One a frame, dBFS; `speaks`: whether the frame is about as loud as words are;
    /// `raw`: the level of this moment.
    void level(const AudioBlock& side, float* out, bool* speaks = nullptr, float* raw = nullptr) {
        band_.level(side, out, &low_);
        if (raw != nullptr) std::copy_n(out, side.frames, raw);
        // Held apart from the members, which might be what `out` points to, for all the compiler knows.
        float now = now_, usual = usual_;
        const float rise = rise_, fall = fall_, forget = forget_, quiet = quiet_words_;
        for (int i = 0; i < side.frames; ++i) {
            const float up = now + rise * (out[i] - now), down = std::max(out[i], now - fall);
            now = out[i] > now ? up : down;
            usual = std::max(std::max(usual - forget, now), kSilence);
            // Before any voice was heard nothing stands out against it.
            if (speaks != nullptr) speaks[i] = now > usual - quiet && now > kSpeech;
            out[i] = usual < kSpeech ? 0.0f : std::max(now, usual - quiet);
        }
        now_ = now;
        usual_ = usual;
    }
    void begin_grain() { kept_.store(usual_, std::memory_order_relaxed); }
    /// The loudest of the last minute, dBFS. Any thread.
    float usual() const { return kept_.load(std::memory_order_relaxed); }
    void remember(float usual) { usual_ = usual; }

    static constexpr float kSilence = -150.0f;

  private:
    static constexpr float kSpeech = -60.0f;  // dBFS
    FilterRunner low_;
    FilteredLevel band_;
    float quiet_words_ = 12.0f, rise_ = 0.0f, fall_ = 0.0f, forget_ = 0.0f;
    float now_ = kSilence, usual_ = kSilence;
    std::atomic<float> kept_{kSilence};
};

/// The highest of a figure, falling by 6 a second: what a person can read and aim at.
class HighestLately {
  public:
    void prepare(double sample_rate) { fall_ = static_cast<float>(6.0 / sample_rate); }
    /// One a frame.
    void note(const float* values, int frames) {
        float highest = kLowest;
        for (int i = 0; i < frames; ++i) highest = std::max(highest, values[i]);
        highest_ = std::max(highest_ - fall_ * static_cast<float>(frames), highest);
    }
    void begin_grain() { shown_.store(highest_, std::memory_order_relaxed); }
    /// Any thread.
    float shown() const { return shown_.load(std::memory_order_relaxed); }

    static constexpr float kLowest = -60.0f;

  private:
    float fall_ = 0.0f, highest_ = kLowest;
    std::atomic<float> shown_{kLowest};
};

/// "Hear what is taken": the sound before minus the sound after, faded in and out.
class HearTaken {
  public:
    void prepare(double sample_rate, double on) { share_.prepare(sample_rate, 0.005, on); }
    void set(double on) { share_.set(on); }
    void begin_grain() { share_.begin_grain(); }
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
    bool hears() const { return share_.moving() || share_.grain_value() > 0.0; }
    Smoothed share_;
    float plain_[kMaxChannels][kGrain] = {};
};

}  // namespace reed
