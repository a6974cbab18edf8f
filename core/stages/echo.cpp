#include "stages/echo.h"

#include <array>
#include <cmath>
#include <numbers>
#include <vector>

#include "base/decibel.h"
#include "dsp/smoothed.h"

namespace reed {
namespace {

constexpr Parameter kTable[] = {
    parameter::number("level", "Level", Unit::decibel, -40.0, 0.0, -14.0, Scale::linear,
                      "The first repeat against the voice."),
    parameter::number("time", "Time", Unit::milliseconds, 30.0, 2000.0, 320.0, Scale::logarithmic,
                      "To the next repeat: below 60 ms a doubled voice, 300 ms a valley."),
    parameter::number("repeats", "Repeats", Unit::percent, 0.0, 85.0, 30.0, Scale::linear,
                      "Feedback: level of each repeat relative to the one before. 0 plays one repeat."),
    parameter::number("tone", "Tone", Unit::hertz, 500.0, 20000.0, 4000.0, Scale::logarithmic,
                      "High cut in the feedback path; keeps s sounds from building up."),
};
enum Index { kLevel, kTime, kRepeats, kTone };
constexpr double kLongest = 2.0;  // s

class EchoStage final : public Stage {
  public:
    void prepare(const StreamFormat& format, std::span<const double> values) override {
        rate_ = format.sample_rate;
        size_ = static_cast<int>(kLongest * rate_) + 1;
        rows_.assign(static_cast<size_t>(format.channels),
                     std::vector<float>(static_cast<size_t>(size_), 0.0f));
        fade_length_ = static_cast<int>(0.050 * rate_);
        fade_ = fade_length_;
        level_.prepare(rate_, 0.010, db_to_gain(values[kLevel]));
        repeats_.prepare(rate_, 0.010, 0.01 * values[kRepeats]);
        tone_.prepare(rate_, 0.010, std::log(values[kTone]));
        set_values(values);
        now_ = next_ = wanted_;
        place();
        keep_now_ = keep_end_;
        reset();
    }
    void set_values(std::span<const double> values) override {
        level_.set(db_to_gain(values[kLevel]));
        repeats_.set(0.01 * values[kRepeats]);
        tone_.set(std::log(values[kTone]));
        wanted_ =
            std::clamp(static_cast<int>(std::lround(values[kTime] / 1000.0 * rate_)), kSubBlock, size_ - 1);
    }
    void begin_sub_block() override {
        for (Smoothed* s : {&level_, &repeats_, &tone_}) s->begin_sub_block();
        keep_now_ = keep_end_;
        keep_step_ = 0.0f;
        if (level_.moving() || repeats_.moving() || tone_.moving()) place();
        if (fade_ == fade_length_ && wanted_ != now_) {
            next_ = wanted_;
            fade_ = 0;
        }
    }
    void process(const AudioBlock& block) override {
        for (int i = 0; i < block.frames; ++i) {
            const float level = level_.next();
            const float repeats = repeats_.next();
            const float keep = keep_now_ += keep_step_;
            float share = 0.0f;
            if (fade_ < fade_length_) share = static_cast<float>(++fade_) / static_cast<float>(fade_length_);
            for (int c = 0; c < block.channels; ++c) {
                const auto ch = static_cast<size_t>(c);
                std::vector<float>& row = rows_[ch];
                const float old = heard_before(row, now_);
                const float wet = share > 0.0f ? old + share * (heard_before(row, next_) - old) : old;
                dull_[ch] += pole_ * (wet - dull_[ch]);
                row[static_cast<size_t>(at_)] = block[c][i] + repeats * dull_[ch];
                block[c][i] = keep * (block[c][i] + level * dull_[ch]);
            }
            if (fade_ == fade_length_ && share > 0.0f) now_ = next_;
            if (++at_ == size_) at_ = 0;
            if (known_ < size_) ++known_;
        }
    }
    void reset() override {
        known_ = 0;
        dull_ = {};
    }

  private:
    /// What came in so many frames ago. Older than the last reset is silence: two seconds of memory are too
    /// much to be cleared between two blocks.
    float heard_before(const std::vector<float>& row, int delay) const {
        if (delay > known_) return 0.0f;
        return row[static_cast<size_t>(at_ < delay ? at_ - delay + size_ : at_ - delay)];
    }
    /// What of the sound is kept so that all repeats together add no loudness: their powers add up.
    void place() {
        const double f = std::min(std::exp(tone_.sub_block_value()), 0.45 * rate_);
        pole_ = static_cast<float>(1.0 - std::exp(-2.0 * std::numbers::pi * f / rate_));
        const double level = level_.sub_block_value();
        const double again = repeats_.sub_block_value();
        const auto keep = static_cast<float>(1.0 / std::sqrt(1.0 + level * level / (1.0 - again * again)));
        keep_end_ = keep;
        keep_step_ = (keep_end_ - keep_now_) / kSubBlock;
    }

    double rate_ = 48000.0;
    int size_ = 1, at_ = 0, known_ = 0, now_ = 0, next_ = 0, wanted_ = 0, fade_ = 0, fade_length_ = 1;
    std::vector<std::vector<float>> rows_;
    std::array<float, kMaxChannels> dull_{};
    float pole_ = 1.0f, keep_now_ = 1.0f, keep_end_ = 1.0f, keep_step_ = 0.0f;
    Smoothed level_, repeats_, tone_;
};

Finding finding(const FindingContext& now) {
    if (now.values[kLevel] > -6.0 && now.values[kRepeats] > 60.0)
        return {"piles_up",
                FindingTone::warning,
                "The repeats mask the following words. Reduce them.",
                {},
                propose(kTable, kRepeats, 40.0, "Set repeats to {0}%")};
    return {"gives_way", FindingTone::good, "The repeats are quieter than the words that follow.", {}, {}};
}

}  // namespace

const StageKind kEchoStage{.id = "echo",
                           .title = "Echo",
                           .purpose = "Repeats each word with decreasing level",
                           .parameters = kTable,
                           .make = make_stage<EchoStage>,
                           .finding = finding};

}  // namespace reed
