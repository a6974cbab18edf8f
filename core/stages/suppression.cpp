#include "stages/suppression.h"

#include <array>
#include <cmath>
#include <memory>

#include "base/decibel.h"
#include "dsp/delay_line.h"
#include "dsp/smoothed.h"
#include "suppression/hum.h"

namespace reed {
namespace {

constexpr Choice kMethods[] = {
    {"adaptive", "Adaptive"}, {"neural", "Neural"}, {"room_tone", "Noise profile"}};
constexpr Choice kCounts[] = {{"louder", "All louder sounds"}, {"voice", "Speech only"}};
constexpr Choice kDelays[] = {{"usual", "Standard"}, {"short", "Short"}};

constexpr Parameter kTable[] = {
    parameter::structural(
        parameter::choice("method", "Method", kMethods, 0,
                          "Listen to speech and silence with each method; choose the least audible one.")),
    parameter::number("amount", "Amount", Unit::decibel, -60.0, 0.0, -25.0, Scale::linear,
                      "Use no more than needed; too much makes the voice dull and watery."),
    parameter::structural(parameter::choice("delay", "Latency", kDelays, 0,
                                            "Short halves the latency. Listen for roughness in low voices "
                                            "and, with Neural, for dull word starts.")),
    parameter::number("smoothing", "Smoothing", Unit::percent, 0.0, 100.0, 50.0, Scale::linear,
                      "Raise it if the remaining noise warbles; lower it if word endings smear."),
    parameter::toggle("hum", "Hum filter", false, "Narrow notches at the hum frequency and its harmonics."),
    parameter::number("hum_frequency", "Hum frequency", Unit::hertz, 45.0, 65.0, 50.0, Scale::linear,
                      "50 or 60 Hz depending on your mains supply. Find hum measures it exactly."),
    parameter::number("hum_tones", "Hum harmonics", Unit::count, 1.0, kMaxHumHarmonics, 8.0, Scale::linear,
                      "Number of harmonics to filter. Use as few as possible."),
    parameter::choice("counts", "Preserve", kCounts, 0,
                      "Neural only. Keep everything louder than the noise, or speech only (also removes key "
                      "clicks and barking, possibly screams)."),
    parameter::transient(
        parameter::toggle("removed", "Listen to removed signal", false,
                          "Input minus output. If you hear words, the suppression is too strong.")),
};
enum Index { kMethod, kAmount, kDelay, kSmoothing, kHum, kHumFrequency, kHumTones, kCounted, kRemoved };

class SuppressionStage final : public Stage {
  public:
    explicit SuppressionStage(MakeVoiceNetwork make_network) : make_network_(make_network) {}

    void teach(const LearnedData& taught) override {
        if (!taught.empty()) tone_ = room_tone_of(taught);
    }

    void prepare(const StreamFormat& format, std::span<const double> values) override {
        kind_ = static_cast<SuppressionKind>(std::lround(values[kMethod]));
        channels_ = format.channels;
        for (int c = 0; c < channels_; ++c) {
            auto& channel = each_[static_cast<size_t>(c)];
            channel.method = make(format.sample_rate, values[kDelay] >= 0.5, c);
            channel.cleaned.prepare(latency());
            channel.original.prepare(latency());
        }
        wet_.prepare(format.sample_rate, 0.010, wet_share(values[kAmount]));
        removed_.prepare(format.sample_rate, 0.005, values[kRemoved]);
        hum_.prepare(format.sample_rate, 0.020, values[kHum]);
        amount_ = values[kAmount];
        share_after_ = static_cast<int>(format.sample_rate);
        share_step_ = static_cast<float>(1.0 / (0.020 * format.sample_rate));
        notches_.prepare(format.sample_rate, values[kHumFrequency], hum_tones(values));
        hum_frequency_ = values[kHumFrequency];
        hum_tones_ = hum_tones(values);
        set_values(values);
        apply();
        begin_sub_block();
        if (failed()) note_trouble();
    }
    void set_values(std::span<const double> values) override {
        amount_ = values[kAmount];
        voice_only_ = values[kCounted] >= 0.5;
        smoothing_ = values[kSmoothing] / 100.0;
        hum_frequency_ = values[kHumFrequency];
        hum_tones_ = hum_tones(values);
        wet_.set(wet_share(amount_));
        removed_.set(values[kRemoved]);
        hum_.set(values[kHum]);
        changed_ = true;
    }
    void begin_sub_block() override {
        wet_.begin_sub_block();
        removed_.begin_sub_block();
        const bool was_humming = hum_used();
        hum_.begin_sub_block();
        if (hum_used()) {
            if (!was_humming) notches_.begin(hum_frequency_, hum_tones_);
            notches_.set(hum_frequency_, hum_tones_);
        }
        if (changed_) apply();
    }
    void process(const AudioBlock& block) override {
        float original[kMaxChannels][kSubBlock];
        for (int c = 0; c < block.channels; ++c)
            each_[static_cast<size_t>(c)].original.process(block[c], original[c], block.frames);
        take_hum(block);
        float share[kSubBlock];
        float removed[kSubBlock];
        for (int i = 0; i < block.frames; ++i) {
            share[i] = wet_.next();
            removed[i] = removed_.next();
        }
        float wet[kMaxChannels][kSubBlock];
        run_methods(block, wet);
        for (int c = 0; c < block.channels; ++c) {
            auto& channel = each_[static_cast<size_t>(c)];
            float dry[kSubBlock];
            channel.cleaned.process(block[c], dry, block.frames);
            float* out = block[c];
            for (int i = 0; i < block.frames; ++i) {
                const float result = dry[i] + share[i] * (wet[c][i] - dry[i]);
                out[i] = result + removed[i] * (original[c][i] - 2.0f * result);
            }
        }
        if (failed()) note_trouble();
    }
    void reset() override {
        for (auto& channel : each_) {
            if (channel.method) channel.method->reset();
            channel.cleaned.reset();
            channel.original.reset();
        }
        notches_.reset();
        shared_ = 0.0f;
        alike_ = 0;
    }
    int latency() const override { return each_[0].method->latency(); }

    float voice_probability() const override {
        float out = -1.0f;
        for (int c = 0; c < (shared_ >= 1.0f ? 1 : channels_); ++c)
            out = std::max(out, each_[static_cast<size_t>(c)].method->voice());
        return out;
    }

  private:
    struct Channel {
        std::unique_ptr<Suppressor> method;
        DelayLine cleaned;   // without hum, as the method gets it
        DelayLine original;  // as it came in
    };

    std::unique_ptr<Suppressor> make(double rate, bool short_delay, int channel) const {
        if (kind_ == SuppressionKind::adaptive) return make_adaptive(rate, short_delay);
        if (kind_ == SuppressionKind::room_tone) return make_profile_suppressor(rate, short_delay, tone_);
        auto network = make_network_();
        // The networks of two channels work in turn, half a frame apart.
        return make_neural(rate, short_delay, network.ok() ? std::move(network.value()) : nullptr,
                           channel * VoiceNetwork::kFrame / 2);
    }
    /// At amount 0 the sound is passed by the method.
    static double wet_share(double amount) { return amount < 0.0 ? 1.0 : 0.0; }
    static int hum_tones(std::span<const double> values) {
        return static_cast<int>(std::lround(values[kHumTones]));
    }
    /// A voice that is the same in both channels needs one method: after a second of it the second channel
    /// fades over to the first one's result, and takes up its state when they part.
    void run_methods(const AudioBlock& block, float wet[][kSubBlock]) {
        bool differs = false;
        bool sounds = false;
        for (int i = 0; block.channels > 1 && i < block.frames; ++i) {
            differs = differs || block[0][i] != block[1][i];
            sounds = sounds || block[0][i] != 0.0f;
        }
        if (differs) {
            if (shared_ >= 1.0f) each_[1].method->follow(*each_[0].method);
            shared_ = 0.0f;
            alike_ = 0;
        } else if (sounds) {
            alike_ = std::min(alike_ + block.frames, share_after_);
        }
        each_[0].method->process(block[0], wet[0], block.frames);
        if (block.channels < 2) return;
        if (shared_ >= 1.0f) {
            std::copy_n(wet[0], block.frames, wet[1]);
            return;
        }
        each_[1].method->process(block[1], wet[1], block.frames);
        if (alike_ < share_after_) return;
        for (int i = 0; i < block.frames; ++i) {
            shared_ = std::min(1.0f, shared_ + share_step_);
            wet[1][i] += shared_ * (wet[0][i] - wet[1][i]);
        }
    }
    bool hum_used() const { return hum_.moving() || hum_.sub_block_value() > 0.0; }
    bool failed() const { return each_[0].method->failed() || (channels_ > 1 && each_[1].method->failed()); }
    void note_trouble() {
        set_fault(
            "The neural method has failed, so the signal passes through unchanged. Choose another method, or "
            "select Neural again to restart it.");
    }
    void apply() {
        // Methods move frame by frame; their overlapping windows smooth the step.
        for (auto& channel : each_) {
            if (!channel.method) continue;
            channel.method->set_amount(amount_);
            // The network is quick enough; what another method was set to stays out of it.
            channel.method->set_smoothing(kind_ == SuppressionKind::neural ? 0.5 : smoothing_);
            channel.method->set_voice_only(voice_only_);
        }
        changed_ = false;
    }
    void take_hum(const AudioBlock& block) {
        if (!hum_used()) return;
        float plain[kMaxChannels][kSubBlock];
        for (int c = 0; c < block.channels; ++c) std::copy_n(block[c], block.frames, plain[c]);
        notches_.process(block);
        if (!hum_.moving()) return;
        for (int i = 0; i < block.frames; ++i) {
            const float share = hum_.next();
            for (int c = 0; c < block.channels; ++c)
                block[c][i] = plain[c][i] + share * (block[c][i] - plain[c][i]);
        }
    }

    MakeVoiceNetwork make_network_;
    NoiseProfile tone_;
    SuppressionKind kind_ = SuppressionKind::adaptive;
    int channels_ = 1;
    std::array<Channel, kMaxChannels> each_;
    HumNotches notches_;
    Smoothed wet_, removed_, hum_;
    double amount_ = 0.0, smoothing_ = 0.5, hum_frequency_ = 50.0;
    int hum_tones_ = 0;
    bool changed_ = false;
    bool voice_only_ = false;
    int alike_ = 0, share_after_ = 48000;               // frames for which both channels have been the same
    float shared_ = 0.0f, share_step_ = 1.0f / 960.0f;  // 1: the second channel's method rests
};

Finding finding(const FindingContext& now) {
    const bool taught = std::lround(now.values[kMethod]) == static_cast<long>(SuppressionKind::room_tone);
    const TapLevels& in = now.in;
    const TapLevels& out = now.out;
    if (now.values[kRemoved] >= 0.5) {
        return {"hears_removed",
                FindingTone::warning,
                "The removed signal is being sent to the output. Turn this off before you go live.",
                {},
                Proposal{{{kRemoved, 0.0}}, "Turn off", {}}};
    }
    if (taught && now.taught.empty()) {
        return {"not_taught",
                FindingTone::warning,
                "No noise profile yet, so the signal passes through unchanged. Choose Learn noise profile "
                "and stay silent.",
                {},
                {}};
    }
    if (!in.room_known || !out.room_known) return waiting_for_pause();
    if (in.voice_known && out.voice_known && in.voice - out.voice > 2.0) {
        const double amount = now.values[kAmount];
        return {"takes_voice",
                FindingTone::warning,
                "The voice is reduced by {0} dB too. Use less than {1} dB.",
                {{in.voice - out.voice}, {amount}},
                propose(kTable, kAmount, std::round(0.6 * amount), "Set amount to {0} dB")};
    }
    const double learnt = taught ? room_tone_of(now.taught).level() : 0.0;
    if (taught && in.room > learnt + 6.0) {
        return {"other_room",
                FindingTone::warning,
                "The noise is {0} dB louder than the learned profile. Learn it again now.",
                {{in.room - learnt}},
                {}};
    }
    return {"room_falls",
            FindingTone::good,
            "Background noise reduced by {0} dB, from {1} to {2} dBFS.",
            {{in.room - out.room}, {in.room}, {out.room}},
            {}};
}

constexpr std::string_view kToneFigures[] = {"sample_rate", "band_hz"};
constexpr LearningSpec kTeaching{
    .id = "room_tone",
    .title = "noise profile",
    .figures = kToneFigures,
    .list = "levels_dbfs",
    .parts = 10.0,  // a tenth of a decibel is finer than any two takes agree
    .least_seconds = kLeastToneSeconds,
    .usual_seconds = 5.0,
    .most_seconds = kMostToneSeconds,
    .problem = [](const LearnedData& memory) { return noise_profile_problem(room_tone_of(memory)); },
    .learn = [](std::span<const float> sound, double sample_rate) -> Result<LearnedData> {
        const auto learnt = learn_noise_profile(sound, sample_rate);
        if (!learnt.ok()) return learnt.error();
        return memory_of(learnt.value());
    },
    .use =
        [](std::span<double> values) { values[kMethod] = static_cast<double>(SuppressionKind::room_tone); },
    .level = [](const LearnedData& memory) { return room_tone_of(memory).level(); },
    .learnt = "Noise profile learned ({0} dBFS). Learn it again when the noise changes."};

Finding look_for_hum(std::span<const float> sound, double sample_rate) {
    const auto hum = find_hum(sound, sample_rate);
    if (!hum)
        return {"no_hum",
                FindingTone::neutral,
                "No hum found. If you hear hum, stay silent and try again.",
                {},
                {}};
    const double frequency = round_value(kTable[kHumFrequency], hum->frequency);
    const Quantity at{hum->frequency, Unit::hertz, 1};
    return {"hum",
            FindingTone::good,
            "Hum found at {0} with {1} harmonics, {2} dBFS. The hum filter is on.",
            {at, {static_cast<double>(hum->tones), Unit::count, 0}, {hum->level}},
            Proposal{{{kHum, 1.0}, {kHumFrequency, frequency}, {kHumTones, static_cast<double>(hum->tones)}},
                     "hum filter at {0}",
                     {at}}};
}
constexpr Search kSearch{.id = "hum",
                         .least_seconds = 2.0,
                         .most_seconds = 10.0,
                         .too_little = "Not enough audio to detect hum. Wait two seconds and try again.",
                         .look = look_for_hum};

}  // namespace

LearnedData memory_of(const NoiseProfile& tone) {
    if (tone.empty()) return {};
    return {{tone.sample_rate, tone.band_hz}, tone.levels};
}

NoiseProfile room_tone_of(const LearnedData& memory) {
    return {memory.figures.at(0), memory.figures.at(1), memory.list};
}

std::unique_ptr<Stage> make_suppression(MakeVoiceNetwork make_network) {
    return std::make_unique<SuppressionStage>(make_network);
}

const StageKind kSuppressionStage{
    .id = "suppression",
    .title = "Suppression",
    .purpose = "Removes background noise: fans, hiss, rain, hum",
    .parameters = kTable,
    .make = []() -> Result<std::unique_ptr<Stage>> { return make_suppression(make_voice_network); },
    .usual = true,
    .rests =
        [](std::span<const double> values) {
            return std::lround(values[kMethod]) == static_cast<long>(SuppressionKind::neural);
        },
    .finding = finding,
    .teaching = &kTeaching,
    .search = &kSearch};

}  // namespace reed
