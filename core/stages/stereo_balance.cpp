#include "stages/stereo_balance.h"

#include <algorithm>
#include <cmath>

#include "base/decibel.h"
#include "dsp/delay_line.h"
#include "dsp/smoothed.h"

namespace reed {
namespace {

constexpr Choice kRoutes[] = {
    {"as_is", "Unchanged"},     {"swapped", "Swapped"},      {"left", "Left to both"},
    {"right", "Right on both"}, {"sum", "Mono mix to both"},
};
constexpr double kSilent = -60.0;  // dB, and what stands for nothing

constexpr Parameter kTable[] = {
    parameter::choice("route", "Channels", kRoutes, 0, "Which side goes where."),
    parameter::toggle(
        "invert", "Invert right", false,
        "Inverts the polarity of the right channel. Try it if the voice sounds hollow in mono."),
    parameter::number("mid", "Middle", Unit::decibel, kSilent, 12.0, 0.0, Scale::linear,
                      "Level of the mid (common) signal, usually the voice."),
    parameter::number("side", "Side", Unit::decibel, kSilent, 12.0, 0.0, Scale::linear,
                      "Level of the side (difference) signal, usually the room."),
    parameter::number("left", "Left", Unit::decibel, kSilent, 12.0, 0.0, Scale::linear,
                      "Level of the left side."),
    parameter::number("right", "Right", Unit::decibel, kSilent, 12.0, 0.0, Scale::linear,
                      "Level of the right side."),
    parameter::structural(parameter::number(
        "delay", "Delay", Unit::milliseconds, -20.0, 20.0, 0.0, Scale::linear,
        "Positive values delay the right channel, negative the left. Adjust until the voice is centred.")),
};
enum Index { kRoute, kInvert, kMid, kSide, kLeft, kRight, kDelay };

double gain_of(double db) {
    return db <= kSilent ? 0.0 : db_to_gain(db);
}

class BalanceStage final : public Stage {
  public:
    void prepare(const StreamFormat& format, std::span<const double> values) override {
        const double rate = format.sample_rate;
        for (auto& row : route_) {
            for (auto& cell : row) cell.prepare(rate, 0.005, 0.0);
        }
        alone_.prepare(rate, 0.005, 0.0);
        set_values(values);
        alone_.snap(alone_.target());
        for (auto& row : route_) {
            for (auto& cell : row) cell.snap(cell.target());
        }
        const auto frames = static_cast<int>(std::lround(0.001 * values[kDelay] * rate));
        delay_[0].prepare(std::max(0, -frames));
        delay_[1].prepare(std::max(0, frames));
        if (format.channels < 2)
            set_fault("The input is mono, so only the level is changed. Choose Stereo in the input menu.");
    }
    /// All of it but the delay is one matrix, from left and right to left and right.
    void set_values(std::span<const double> values) override {
        static constexpr double kMatrices[5][2][2] = {
            {{1, 0}, {0, 1}}, {{0, 1}, {1, 0}}, {{1, 1}, {0, 0}}, {{0, 0}, {1, 1}}, {{.5, .5}, {.5, .5}},
        };
        const auto& from = kMatrices[static_cast<size_t>(values[kRoute])];
        const double mid = gain_of(values[kMid]), side = gain_of(values[kSide]);
        const double sign = values[kInvert] >= 0.5 ? -1.0 : 1.0;
        for (int in = 0; in < 2; ++in) {
            const double left = from[in][0], right = sign * from[in][1];
            const double middle = 0.5 * mid * (left + right), difference = 0.5 * side * (left - right);
            route_[in][0].set(gain_of(values[kLeft]) * (middle + difference));
            route_[in][1].set(gain_of(values[kRight]) * (middle - difference));
        }
        alone_.set(gain_of(values[kLeft]));
    }
    void begin_sub_block() override {
        alone_.begin_sub_block();
        for (auto& row : route_) {
            for (auto& cell : row) cell.begin_sub_block();
        }
    }
    void process(const AudioBlock& block) override {
        if (block.channels < 2) {
            // A single channel is both sides alike, without what they do to each other.
            for (int i = 0; i < block.frames; ++i) block[0][i] *= alone_.next();
            return;
        }
        float* left = block[0];
        float* right = block[1];
        for (int i = 0; i < block.frames; ++i) {
            const float l = left[i];
            const float r = right[i];
            left[i] = route_[0][0].next() * l + route_[1][0].next() * r;
            right[i] = route_[0][1].next() * l + route_[1][1].next() * r;
        }
        delay_[0].process(left, left, block.frames);
        delay_[1].process(right, right, block.frames);
    }
    void reset() override {
        for (auto& d : delay_) d.reset();
    }

  private:
    Smoothed route_[2][2], alone_;
    DelayLine delay_[2];
};

}  // namespace

const StageKind kStereoBalanceStage{.id = "balance",
                                    .title = "Balance",
                                    .purpose = "Adjusts the left and right channels",
                                    .parameters = kTable,
                                    .make = make_stage<BalanceStage>};

}  // namespace reed
