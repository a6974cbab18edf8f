#include "stages/doubler.h"

#include <array>
#include <bit>
#include <cmath>
#include <numbers>
#include <vector>

#include "base/decibel.h"
#include "dsp/cubic.h"
#include "dsp/loudness_compensator.h"
#include "dsp/smoothed.h"

namespace reed {
namespace {

constexpr double kMaxVoices = 8.0;
constexpr Parameter kTable[] = {
    parameter::number("level", "Level", Unit::decibel, -40.0, 6.0, -4.0, Scale::linear,
                      "Of the other voices together, against the voice."),
    parameter::number("voices", "Voices", Unit::count, 1.0, kMaxVoices, 2.0, Scale::linear,
                      "Number of copies: one doubles, eight sound like a crowd."),
    parameter::number("apart", "Spread", Unit::percent, 0.0, 100.0, 35.0, Scale::linear,
                      "Delay and detune of the copies; 100% is 80 ms and 25 cents."),
    parameter::number("width", "Width", Unit::percent, 0.0, 100.0, 70.0, Scale::linear,
                      "Stereo position of the copies. Needs two channels."),
};
enum Index { kLevel, kVoices, kApart, kWidth };

constexpr size_t kMost = 8;
constexpr double kFirst = 0.012, kSpread = 0.068;  // s
constexpr double kCents = 25.0;
/// Where in the spread each stands, and how often a second its pitch comes and goes; no two together.
constexpr double kPlaces[kMost] = {0.17, 0.37, 0.61, 0.05, 0.83, 0.49, 0.99, 0.27};
constexpr double kRates[kMost] = {0.41, 0.67, 0.53, 0.89, 0.37, 0.79, 0.59, 0.71};

class DoublerStage final : public Stage {
  public:
    void prepare(const StreamFormat& format, std::span<const double> values) override {
        rate_ = format.sample_rate;
        longest_ = static_cast<int>((kFirst + kSpread + kMostWander) * rate_) + 8;
        const auto size = std::bit_ceil(static_cast<size_t>(longest_ + kSubBlock + 4));
        mask_ = size - 1;
        rows_.assign(static_cast<size_t>(format.channels), std::vector<float>(size, 0.0f));
        level_.prepare(rate_, 0.010, db_to_gain(values[kLevel]));
        apart_.prepare(rate_, 0.080, 0.01 * values[kApart]);
        width_.prepare(rate_, 0.010, 0.01 * values[kWidth]);
        for (size_t v = 0; v < kMost; ++v) {
            Voice& voice = voices_[v];
            voice.there.prepare(rate_, 0.010,
                                static_cast<double>(v) < std::round(values[kVoices]) ? 1.0 : 0.0);
            voice.turn = 2.0 * std::numbers::pi * kRates[v] * kSubBlock / rate_;
            voice.phase = 0.7 * static_cast<double>(v);
        }
        set_values(values);
        for (size_t v = 0; v < kMost; ++v) voices_[v].end = delay_of(v);
        place();
        now_ = next_;
        // Copies of one voice are a little alike, and then add up to more than the sum of their powers.
        loudness_.prepare(format, 0);
        loudness_.allow(0.7, 1.0);
        reset();
    }
    void set_values(std::span<const double> values) override {
        level_.set(db_to_gain(values[kLevel]));
        apart_.set(0.01 * values[kApart]);
        width_.set(0.01 * values[kWidth]);
        for (size_t v = 0; v < kMost; ++v)
            voices_[v].there.set(static_cast<double>(v) < std::round(values[kVoices]) ? 1.0 : 0.0);
    }
    void begin_sub_block() override {
        for (Smoothed* s : {&level_, &apart_, &width_}) s->begin_sub_block();
        loudness_.begin_sub_block();
        now_ = next_;
        for (size_t v = 0; v < kMost; ++v) {
            Voice& voice = voices_[v];
            voice.there.begin_sub_block();
            voice.phase += voice.turn;
            if (voice.phase > std::numbers::pi) voice.phase -= 2.0 * std::numbers::pi;
            voice.begin = voice.end;
            voice.end = delay_of(v);
        }
        place();
        in_grain_ = 0;
    }
    void process(const AudioBlock& block) override {
        const int channels = std::min(block.channels, kMaxChannels);
        loudness_.hear(block);
        for (int c = 0; c < channels; ++c) {
            for (int i = 0; i < block.frames; ++i)
                rows_[static_cast<size_t>(c)][place_of(at_ + i)] = block[c][i];
        }
        constexpr float kStep = 1.0f / kSubBlock;
        for (int c = 0; c < channels; ++c) {
            float* x = block[c];
            const auto ch = static_cast<size_t>(c);
            for (int i = 0; i < block.frames; ++i) {
                const float share = static_cast<float>(in_grain_ + i + 1) * kStep;
                x[i] *= now_.keep + share * (next_.keep - now_.keep);
            }
            for (size_t v = 0; v < kMost; ++v) {
                const float from = now_.gain[v][ch];
                const float to = next_.gain[v][ch];
                if (from == 0.0f && to == 0.0f) continue;
                const Voice& voice = voices_[v];
                const auto step = (voice.end - voice.begin) / kSubBlock;
                for (int i = 0; i < block.frames; ++i) {
                    const int k = in_grain_ + i + 1;
                    const double delay = voice.begin + step * k;
                    const float gain = from + static_cast<float>(k) * kStep * (to - from);
                    x[i] += gain * read(rows_[ch], at_ + i, delay);
                }
            }
        }
        loudness_.process(block);
        at_ += block.frames;
        in_grain_ += block.frames;
    }
    void reset() override {
        loudness_.reset();
        for (auto& row : rows_) std::fill(row.begin(), row.end(), 0.0f);
    }

  private:
    static constexpr double kMostWander = 0.014;  // s: what the cents at the slowest rate come to
    struct Voice {
        Smoothed there;
        double phase = 0.0, turn = 0.0;
        double begin = 0.0, end = 0.0;  // delay in frames, over the grain
    };
    struct Gains {
        float keep = 1.0f;
        std::array<std::array<float, kMaxChannels>, kMost> gain{};
    };
    size_t place_of(std::int64_t frame) const { return static_cast<size_t>(frame) & mask_; }
    /// Frames the delay goes up and down: its steepest is what the pitch is off.
    double depth(size_t v, double apart) const {
        const double off = std::exp2(apart * kCents / 1200.0) - 1.0;
        return off / (2.0 * std::numbers::pi * kRates[v]) * rate_;
    }
    double delay_of(size_t v) const {
        const double apart = apart_.sub_block_value();
        const double middle = (kFirst + kSpread * apart * kPlaces[v]) * rate_;
        return middle + depth(v, apart) * (1.0 + std::sin(voices_[v].phase));
    }
    void place() {
        const double level = level_.sub_block_value();
        double there = 0.0;
        for (const Voice& voice : voices_) there += voice.there.sub_block_value();
        const double each = level / std::sqrt(std::max(there, 1.0));
        next_.keep = static_cast<float>(1.0 / std::sqrt(1.0 + level * level * std::min(there, 1.0)));
        const bool wide = rows_.size() > 1;
        for (size_t v = 0; v < kMost; ++v) {
            const double gain = next_.keep * each * voices_[v].there.sub_block_value();
            // Turn and turn about to the left and right, of the same power together.
            const double side = wide ? width_.sub_block_value() * (v % 2 == 0 ? 1.0 : -1.0) : 0.0;
            next_.gain[v][0] = static_cast<float>(gain * std::sqrt(1.0 + side));
            next_.gain[v][1] = static_cast<float>(gain * std::sqrt(1.0 - side));
        }
    }
    /// Between the frames.
    float read(const std::vector<float>& row, std::int64_t at, double delay) const {
        const double back = std::floor(delay);
        const auto t = static_cast<float>(delay - back);
        const std::int64_t k = at - static_cast<std::int64_t>(back);
        return cubic(row[place_of(k + 1)], row[place_of(k)], row[place_of(k - 1)], row[place_of(k - 2)], t);
    }

    double rate_ = 48000.0;
    int longest_ = 0, in_grain_ = 0;
    size_t mask_ = 0;
    std::int64_t at_ = 0;
    std::vector<std::vector<float>> rows_;
    std::array<Voice, kMost> voices_{};
    Gains now_, next_;
    Smoothed level_, apart_, width_;
    LoudnessCompensator loudness_;
};

Finding finding(const FindingContext& now) {
    if (now.values[kLevel] > 0.0 && now.values[kApart] > 70.0)
        return {"blurs",
                FindingTone::warning,
                "The copies are louder than the voice and far apart: words blur.",
                {},
                propose(kTable, kLevel, -4.0, "Level {0} dB")};
    if (now.values[kVoices] < 1.5) return {"one", FindingTone::good, "1 extra voice.", {}, {}};
    return {"joins", FindingTone::good, "{0} extra voices.", {{now.values[kVoices], Unit::count, 0}}, {}};
}

}  // namespace

const StageKind kDoublerStage{.id = "doubler",
                              .title = "Doubler",
                              .purpose = "Adds slightly detuned copies of the voice",
                              .parameters = kTable,
                              .make = make_stage<DoublerStage>,
                              .finding = finding};

}  // namespace reed
