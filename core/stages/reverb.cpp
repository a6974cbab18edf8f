#include "stages/reverb.h"

#include <array>
#include <cmath>
#include <numbers>

#include "dsp/all_pass.h"
#include "dsp/biquad_cascade.h"
#include "dsp/crossfade_delay.h"
#include "dsp/smoothed.h"

namespace reed {
namespace {

constexpr Choice kSizes[] = {
    {"booth", "Booth"}, {"room", "Room"}, {"hall", "Hall"}, {"cathedral", "Cathedral"}};

constexpr Parameter kTable[] = {
    parameter::number("mix", "Mix", Unit::percent, 0.0, 100.0, 15.0, Scale::linear,
                      "Wet/dry mix. For speech, use less than you would notice."),
    parameter::number("decay", "Decay", Unit::milliseconds, 100.0, 12000.0, 700.0, Scale::logarithmic,
                      "Reverberation time (60 dB): booth 0.2 s, hall 2 s, cathedral 6 s."),
    parameter::structural(
        parameter::choice("size", "Size", kSizes, 1, "Distance of the walls. Decay is set separately.")),
    parameter::number("dark", "Damping", Unit::percent, 0.0, 100.0, 45.0, Scale::linear,
                      "How much faster high frequencies decay: tiles 0%, curtains 80%."),
    parameter::number("before", "Pre-delay", Unit::milliseconds, 0.0, 150.0, 10.0, Scale::linear,
                      "Delay before the reverb starts; longer keeps words clear."),
    parameter::number("from", "Low cut", Unit::hertz, 20.0, 1000.0, 150.0, Scale::logarithmic,
                      "Low cut of the reverb; prevents boominess."),
};
enum Index { kMix, kDecay, kSize, kDark, kBefore, kFrom };

constexpr size_t kLines = 8;
/// s, in a hall; no two in a ratio of small numbers, so that their echoes do not fall together.
constexpr double kLengths[kLines] = {0.0317, 0.0371, 0.0413, 0.0439, 0.0479, 0.0533, 0.0599, 0.0673};
constexpr double kScales[] = {0.13, 0.4, 1.0, 1.9};
constexpr double kScatter[] = {0.0013, 0.0021, 0.0037, 0.0053};  // s, before the lines
constexpr float kScatterGain = 0.6f;
/// Which sides of the lines' sums a channel hears: two rows of a Hadamard matrix.
constexpr float kSigns[kMaxChannels][kLines] = {{1, -1, 1, -1, 1, -1, 1, -1}, {1, 1, -1, -1, 1, 1, -1, -1}};

struct Line {
    std::vector<float> ring;
    size_t at = 0;
    float gain = 0.0f, dull = 0.0f;  // kept at low frequencies; the pole of the low-pass
    float state = 0.0f;
};

/// Hadamard, in place: every line hears every other, and no energy comes or goes.
void mix_lines(std::array<float, kLines>& x) {
    for (size_t step = 1; step < kLines; step *= 2) {
        for (size_t i = 0; i < kLines; i += 2 * step) {
            for (size_t k = i; k < i + step; ++k) {
                const float a = x[k];
                const float b = x[k + step];
                x[k] = a + b;
                x[k + step] = a - b;
            }
        }
    }
    constexpr float kEven = 0.35355339f;  // 1 / sqrt(8)
    for (float& v : x) v *= kEven;
}

class ReverbStage final : public Stage {
  public:
    void prepare(const StreamFormat& format, std::span<const double> values) override {
        rate_ = format.sample_rate;
        channels_ = format.channels;
        const double scale = kScales[static_cast<size_t>(values[kSize])];
        frames_ = 0.0;
        for (size_t i = 0; i < kLines; ++i) {
            lines_[i].ring.assign(static_cast<size_t>(std::lround(kLengths[i] * scale * rate_)) | 1u, 0.0f);
            frames_ += static_cast<double>(lines_[i].ring.size());
        }
        for (auto& channel : scatter_) {
            for (size_t i = 0; i < channel.size(); ++i)
                channel[i].prepare(static_cast<int>(std::lround(kScatter[i] * rate_)), kScatterGain);
        }
        before_.prepare(format, static_cast<int>(0.150 * rate_) + 1);
        before_.snap(frames_before(values));
        mix_.prepare(rate_, 0.010, 0.01 * values[kMix]);
        decay_.prepare(rate_, 0.020, std::log(values[kDecay]));
        dark_.prepare(rate_, 0.020, 0.01 * values[kDark]);
        from_.prepare(rate_, 0.010, std::log(values[kFrom]));
        low_.snap(low_cut());
        set_values(values);
        tune();
        dry_now_ = dry_end_ = dry();
        wet_now_ = wet_end_ = wet();
        reset();
    }
    void set_values(std::span<const double> values) override {
        mix_.set(0.01 * values[kMix]);
        decay_.set(std::log(values[kDecay]));
        dark_.set(0.01 * values[kDark]);
        from_.set(std::log(values[kFrom]));
        wanted_before_ = frames_before(values);
    }
    void begin_sub_block() override {
        for (Smoothed* s : {&mix_, &decay_, &dark_, &from_}) s->begin_sub_block();
        if (decay_.moving() || dark_.moving()) tune();
        if (from_.moving())
            low_.glide(low_cut());
        else
            low_.hold();
        before_.set(wanted_before_);
        in_grain_ = 0;
        dry_now_ = dry_end_;
        wet_now_ = wet_end_;
        if (!mix_.moving() && !decay_.moving()) return;
        dry_end_ = dry();
        wet_end_ = wet();
    }
    void process(const AudioBlock& block) override {
        float rows[kMaxChannels][kSubBlock];
        AudioBlock room = block;
        room.channels = std::min(block.channels, kMaxChannels);
        for (int c = 0; c < room.channels; ++c) {
            std::copy_n(block[c], block.frames, rows[c]);
            room.rows[static_cast<size_t>(c)] = rows[c];
        }
        low_.process(room);
        before_.process(room);
        for (int c = 0; c < room.channels; ++c) {
            for (auto& pass : scatter_[static_cast<size_t>(c)]) {
                for (int i = 0; i < block.frames; ++i) rows[c][i] = pass.next(rows[c][i]);
            }
        }
        sound(room);
        constexpr float n = 1.0f / kSubBlock;
        const float dry_step = (dry_end_ - dry_now_) * n;
        const float wet_step = (wet_end_ - wet_now_) * n;
        for (int c = 0; c < room.channels; ++c) {
            for (int i = 0; i < block.frames; ++i) {
                const auto at = static_cast<float>(in_grain_ + i + 1);
                block[c][i] =
                    (dry_now_ + at * dry_step) * block[c][i] + (wet_now_ + at * wet_step) * rows[c][i];
            }
        }
        in_grain_ += block.frames;
    }
    void reset() override {
        for (Line& l : lines_) {
            std::fill(l.ring.begin(), l.ring.end(), 0.0f);
            l.state = 0.0f;
        }
        for (auto& channel : scatter_) {
            for (auto& pass : channel) pass.reset();
        }
        low_.reset();
        before_.reset();
    }

  private:
    int frames_before(std::span<const double> values) const {
        return static_cast<int>(std::lround(values[kBefore] / 1000.0 * rate_));
    }
    Sections low_cut() const {
        return design({FilterType::low_cut, std::exp(from_.sub_block_value()), 0.0, 0.7071, 12}, rate_);
    }
    double seconds() const { return std::exp(decay_.sub_block_value()) / 1000.0; }
    /// What each line loses on its way, so that 60 dB are lost in the time of the decay; the top in a share
    /// of it (Jot's one-pole filter).
    void tune() {
        const double share = 1.0 - 0.85 * dark_.sub_block_value();
        for (Line& l : lines_) {
            const double lost = -3.0 * static_cast<double>(l.ring.size()) / (rate_ * seconds());  // log10
            l.gain = static_cast<float>(std::pow(10.0, lost));
            const double pole = 0.25 * std::numbers::ln10 * lost * (1.0 - 1.0 / (share * share));
            l.dull = static_cast<float>(std::clamp(pole, 0.0, 0.9));
        }
    }
    float dry() const {
        return static_cast<float>(std::cos(0.5 * std::numbers::pi * mix_.sub_block_value()));
    }
    /// An impulse's energy comes out of every line, and again with what its way has left of it: the sum of
    /// that series is what the room adds. Kept at that of the impulse.
    float wet() const {
        const double left = std::pow(10.0, -6.0 * frames_ / kLines / (rate_ * seconds()));
        const double energy = channels_ / (1.0 - left);
        return static_cast<float>(std::sin(0.5 * std::numbers::pi * mix_.sub_block_value()) /
                                  std::sqrt(energy));
    }
    /// The lines, sample by sample; `room` in and out.
    void sound(const AudioBlock& room) {
        const bool two = room.channels > 1;
        const float in_gain = two ? 0.5f : 0.35355339f;
        std::array<float, kLines> x{};
        for (int i = 0; i < room.frames; ++i) {
            float left = 0.0f;
            float right = 0.0f;
            for (size_t k = 0; k < kLines; ++k) {
                Line& l = lines_[k];
                const float out = l.ring[l.at];
                left += kSigns[0][k] * out;
                right += kSigns[1][k] * out;
                l.state += (1.0f - l.dull) * (l.gain * out - l.state);
                x[k] = l.state;
            }
            mix_lines(x);
            for (size_t k = 0; k < kLines; ++k) {
                Line& l = lines_[k];
                l.ring[l.at] = x[k] + in_gain * room[two ? static_cast<int>(k % 2) : 0][i];
                if (++l.at == l.ring.size()) l.at = 0;
            }
            room[0][i] = left;
            if (two) room[1][i] = right;
        }
    }

    double rate_ = 48000.0, frames_ = 1.0;
    int channels_ = 1, in_grain_ = 0, wanted_before_ = 0;
    std::array<Line, kLines> lines_;
    std::array<std::array<AllPass, std::size(kScatter)>, kMaxChannels> scatter_;
    CrossfadeDelay before_;
    BiquadCascade low_;
    Smoothed mix_, decay_, dark_, from_;
    float dry_now_ = 1.0f, dry_end_ = 1.0f, wet_now_ = 0.0f, wet_end_ = 0.0f;
};

Finding finding(const FindingContext& now) {
    const double mix = now.values[kMix];
    const double decay = now.values[kDecay];
    if (mix > 35.0 && decay > 400.0)
        return {"drowns",
                FindingTone::warning,
                "At {0}% the reverb is nearly as loud as the words, which is tiring to follow.",
                {{mix, Unit::none}},
                propose(kTable, kMix, 20.0, "Set mix to {0}%")};
    if (mix > 50.0) return {};
    return {"stays_clear", FindingTone::good, "The words stay clearly above the reverb.", {}, {}};
}

}  // namespace

const StageKind kReverbStage{.id = "reverb",
                             .title = "Reverb",
                             .purpose = "Adds the sound of a room",
                             .parameters = kTable,
                             .make = make_stage<ReverbStage>,
                             .finding = finding};

}  // namespace reed
