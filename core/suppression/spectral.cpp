#include <algorithm>
#include <cmath>
#include <cstdint>
#include <optional>
#include <vector>

#include "dsp/overlap_add.h"
#include "dsp/periodicity.h"
#include "suppression/log_spectral_gain.h"
#include "suppression/neural_gain_estimator.h"
#include "suppression/noise_tracker.h"
#include "suppression/suppressor.h"

namespace reed {
namespace {

constexpr float kLeastPrior = 0.0032f;  // -25 dB
constexpr float kMostPosterior = 1e4f;  // 40 dB: beyond it the gain is one anyway
constexpr float kLeastV = 1e-4f;
constexpr size_t kWide = 15;  // bands to either side that are heard together

/// 0 below `low`, 1 above `high`, in between on a logarithmic scale (Cohen and Berdugo 2001, equation 25).
inline float soft_step(float log2_x, float low, float high) {
    const float from = fast_log2(low);
    const float to = fast_log2(high);
    return std::min(1.0f, std::max(0.0f, (log2_x - from) / (to - from)));
}

/// Source of the noise estimate and of the voice detection.
struct Means {
    const NoiseProfile* tone = nullptr;  // taught; the noise never falls below it
    std::unique_ptr<VoiceNetwork> network;
    bool asks_network = false;
    int offset = 0;
};

class Spectral final : public Suppressor {
  public:
    Spectral(double sample_rate, bool short_delay, Means means)
        : frames_(fast_length(static_cast<int>(std::lround(sample_rate * (short_delay ? 0.010 : 0.020))))),
          hop_seconds_(0.25 * frames_.latency() / sample_rate),
          tracker_(static_cast<size_t>(frames_.bins()), hop_seconds_),
          watch_(hop_seconds_, sample_rate / frames_.latency()),
          periodicity_(sample_rate) {
        const auto bins = static_cast<size_t>(frames_.bins());
        noise_.assign(bins, kLeastNoise);
        if (means.tone != nullptr) {
            working_ = !means.tone->empty();
            take_tone(*means.tone, sample_rate);
        }
        expected_ = taught_;
        begin();
        if (means.asks_network)
            ear_.emplace(std::move(means.network), sample_rate, sample_rate / frames_.latency(), bins,
                         means.offset);
        for (auto* v : {&clean_, &prior_, &power_, &posterior_}) v->assign(bins, 0.0f);
        if (ear_) {
            smooth_.assign(bins, 0.0f);
            above_.assign(bins + 1, 0.0f);
            smooth_above_.assign(bins + 1, 0.0f);
        }
        amount_step_ = static_cast<float>(1.0 - std::exp(-hop_seconds_ / 0.030));
        nobody_step_ = static_cast<float>(1.0 - std::exp(-hop_seconds_ / 0.030));
        periodic_step_ = static_cast<float>(1.0 - std::exp(-2.0 * hop_seconds_ / 0.060));
        tone_step_ = static_cast<float>(hop_seconds_ / 0.100);
        voice_keep_ = static_cast<float>(std::exp(-hop_seconds_ / 0.120));
        set_smoothing(0.5);
    }
    void process(const float* in, float* out, int frames) override {
        frames_.process(
            in, out, frames, [this](const float* hop, int count) { hear(hop, count); },
            [this](std::span<std::complex<float>> bins) { work(bins); });
    }
    int latency() const override { return frames_.latency(); }
    void set_amount(double db) override { wanted_floor_ = static_cast<float>(db) * kLog2PerDb; }
    void set_smoothing(double amount) override {
        // Time constants of 30 to 500 ms for the decision-directed rule.
        prior_keep_ = static_cast<float>(std::exp(-hop_seconds_ / (0.030 * std::pow(500.0 / 30.0, amount))));
        smooth_keep_ = static_cast<float>(std::exp(-hop_seconds_ / (0.010 + 0.040 * amount)));
    }
    void set_voice_only(bool only) override { wanted_trust_ = only ? 0.0f : 1.0f; }
    void reset() override {
        frames_.reset();
        std::fill(clean_.begin(), clean_.end(), 0.0f);
        std::fill(smooth_.begin(), smooth_.end(), 0.0f);
        tracker_.reset();
        begin();
        watch_.reset();
        periodicity_.reset();
        periodic_ = repeats_ = toned_ = alert_ = nobody_ = voice_held_ = 0.0f;
        hops_ = 0;
        if (ear_) ear_->reset();
    }
    float voice() const override { return ear_ && !ear_->failed() ? ear_->voice() : -1.0f; }
    bool failed() const override { return ear_ && ear_->failed(); }
    bool follow(const Suppressor& other) override {
        const auto* same = dynamic_cast<const Spectral*>(&other);
        if (same == nullptr || same->noise_.size() != noise_.size()) return false;
        frames_.follow(same->frames_);
        tracker_ = same->tracker_;
        watch_ = same->watch_;
        periodicity_ = same->periodicity_;
        if (ear_ && same->ear_) ear_->follow(*same->ear_);
        noise_ = same->noise_;
        clean_ = same->clean_;
        smooth_ = same->smooth_;
        floor_ = same->floor_;
        trust_ = same->trust_;
        periodic_ = same->periodic_;
        repeats_ = same->repeats_;
        toned_ = same->toned_;
        alert_ = same->alert_;
        nobody_ = same->nobody_;
        voice_held_ = same->voice_held_;
        hops_ = same->hops_;
        return true;
    }

  private:
    void take_tone(const NoiseProfile& tone, double sample_rate) {
        const int length = frames_.latency();
        double shape_power = 0.0;
        for (const float w : root_hann(length)) shape_power += static_cast<double>(w) * w;
        const int bins = frames_.bins();
        for (int k = 0; k < bins; ++k) {
            // Mean square per band back to the expected power of a bin of our window.
            const double mean_square = tone.density(k * sample_rate / length) * sample_rate / length;
            const double sides = k == 0 || k + 1 == bins ? 1.0 : 2.0;
            taught_.push_back(
                std::max(kLeastNoise, static_cast<float>(mean_square * length * shape_power / sides)));
        }
    }
    void begin() {
        if (taught_.empty()) return;
        std::copy(taught_.begin(), taught_.end(), noise_.begin());
        tracker_.begin_with(noise_);
    }
    void hear(const float* hop, int count) {
        periodicity_.add(hop, count);
        if (++hops_ % 2 == 0) {
            repeats_ = periodicity_.strength();
            periodic_ += periodic_step_ * (repeats_ - periodic_);
        }
        if (!ear_) return;
        ear_->add(hop, count);
        voice_held_ = std::max(ear_->voice(), voice_keep_ * voice_held_);
    }
    void work(std::span<std::complex<float>> bins) {
        floor_ += amount_step_ * (wanted_floor_ - floor_);
        if (std::abs(floor_ - wanted_floor_) < 1e-4f) floor_ = wanted_floor_;
        trust_ += amount_step_ * (wanted_trust_ - trust_);
        const size_t n = bins.size();
        for (size_t k = 0; k < n; ++k) power_[k] = std::norm(bins[k]);
        const Learning learning = watch_.judge(power_, noise_, periodic_);
        tracker_.follow(power_, noise_, learning);
        if (learning != Learning::quickly && !tracker_.beginning()) watch_.bound(noise_);
        // A sound that may be speech passes before that is known; the noise estimate learns later.
        const bool maybe = watch_.rise() > kAlert || repeats_ > kRepeats;
        alert_ = maybe ? kAlertSeconds : std::max(0.0f, alert_ - static_cast<float>(hop_seconds_));
        nobody_ =
            learning != Learning::quickly || alert_ > 0.0f ? 0.0f : nobody_ + nobody_step_ * (1.0f - nobody_);
        toned_ = std::max(std::clamp((repeats_ - kToneless) / (kToned - kToneless), 0.0f, 1.0f),
                          toned_ - tone_step_);
        for (size_t k = 0; k < taught_.size(); ++k) expected_[k] = std::max(noise_[k], taught_[k]);
        if (!working_ || floor_ > -1e-3f || failed() || (taught_.empty() && tracker_.beginning())) return;
        estimate_prior();
        const float* posterior = posterior_.data();
        float* gain = prior_.data();
        float* clean = clean_.data();
        const float low = floor_;
        const float somebody = 1.0f - nobody_;
        for (size_t k = 0; k < n; ++k) {
            const float prior = gain[k];
            const float v = std::max(kLeastV, prior / (1.0f + prior) * posterior[k]);
            const float spoken = std::min(log_spectral_gain(prior, v), 1.0f);
            clean[k] = spoken * spoken * posterior[k];
            gain[k] = fast_exp2(somebody * std::max(fast_log2(spoken), low) + nobody_ * low);
        }
        close_lows();
        if (ear_) ask_network();
        for (size_t k = 0; k < n; ++k) bins[k] *= gain[k];
    }
    /// Where the room's lowest tones leap, they are let through only under a voice's own tones.
    void close_lows() {
        const float closed = watch_.restless_lows() * (1.0f - toned_);
        if (closed <= 0.0f) return;
        const size_t end = std::min(watch_.lows_end(), prior_.size());
        for (size_t k = 0; k < end; ++k)
            prior_[k] = fast_exp2((1.0f - closed) * fast_log2(prior_[k]) + closed * floor_);
    }
    /// The network's word counts where the sound is not clearly louder than the room.
    void ask_network() {
        // How far the neighbourhood is above the room in this very frame: beginnings are not waited for.
        for (size_t k = 0; k < power_.size(); ++k) {
            above_[k + 1] = above_[k] + posterior_[k];
            smooth_above_[k + 1] = smooth_above_[k] + smooth_[k];
        }
        const float* network = ear_->gains().data();
        float* gain = prior_.data();
        const float low = floor_;
        const float speaks =
            std::clamp((voice_held_ - kMaybe) / (kSurely - kMaybe), 0.0f, 1.0f) * (1.0f - nobody_);
        const float trust = trust_;
        for (size_t k = 0; k < power_.size(); ++k) {
            const float above = std::max(around(smooth_above_, k), around(above_, k) - 1.0f);
            const float loud = trust * soft_step(fast_log2(above), kLoudFrom, kLoudTo);
            const float own = fast_log2(gain[k]);
            const float its = std::max(low, fast_log2(std::max(network[k], 1e-6f)));
            // For weak bands the higher gain is right during speech. Without speech the lower one is, but
            // the network is late: halfway to it.
            const float spoken = trust * std::max(own, its) + (1.0f - trust) * its;
            const float unspoken = trust * 0.5f * (own + std::min(own, its)) + (1.0f - trust) * low;
            const float weak = speaks * spoken + (1.0f - speaks) * unspoken;
            gain[k] = fast_exp2(loud * own + (1.0f - loud) * weak);
        }
    }
    /// A-priori SNR by the decision-directed rule, and for the network's sake smoothed in time.
    void estimate_prior() {
        const size_t n = power_.size();
        const float* power = power_.data();
        const float* noise = taught_.empty() ? noise_.data() : expected_.data();
        const float* clean = clean_.data();
        float* posterior = posterior_.data();
        float* prior = prior_.data();
        const float keep = prior_keep_;
        const float louder = fast_exp2(watch_.louder() / 3.0103f);
        for (size_t k = 0; k < n; ++k) {
            posterior[k] = std::min(power[k] / (louder * noise[k]), kMostPosterior);
            prior[k] =
                std::max(kLeastPrior, keep * clean[k] + (1.0f - keep) * std::max(posterior[k] - 1.0f, 0.0f));
        }
        for (size_t k = 0; k < smooth_.size(); ++k)
            smooth_[k] = smooth_keep_ * smooth_[k] + (1.0f - smooth_keep_) * prior[k];
    }
    /// Mean over the neighbourhood of a band, from a running sum.
    static float around(const std::vector<float>& sums, size_t k) {
        const size_t first = k < kWide ? 0 : k - kWide;
        const size_t end = std::min(sums.size() - 1, k + kWide + 1);
        return std::max(1e-9f, (sums[end] - sums[first]) / static_cast<float>(end - first));
    }

    // dB, correlation. A fountain repeats itself by chance, now and then, and is heard as chirps where that
    // opens.
    static constexpr float kAlert = 6.0f, kRepeats = 0.65f;
    static constexpr float kToneless = 0.30f, kToned = 0.50f;
    static constexpr float kAlertSeconds = 0.15f;
    static constexpr float kMaybe = 0.15f, kSurely = 0.5f;  // probability of speech
    static constexpr float kLoudFrom = 4.0f,
                           kLoudTo = 16.0f;  // a-priori SNR of the neighbourhood: 6 and 12 dB

    OverlapAdd frames_;
    double hop_seconds_;
    NoiseTracker tracker_;
    NoiseUpdateControl watch_;
    Periodicity periodicity_;
    std::optional<NeuralGainEstimator> ear_;
    bool working_ = true;
    std::vector<float> power_, noise_, taught_;  // of this frame, followed in the room, taught, per bin
    std::vector<float> expected_;  // the louder of followed and taught, where something was taught
    std::vector<float> clean_;     // estimated speech over room of the frame before, powers
    std::vector<float> posterior_, prior_;
    std::vector<float> smooth_, smooth_above_, above_;  // a-priori SNR smoothed in time, and running sums
    float prior_keep_ = 0.0f, smooth_keep_ = 0.0f, voice_keep_ = 0.0f;
    float wanted_floor_ = 0.0f, floor_ = 0.0f, amount_step_ = 1.0f;  // log2 of the gain where only room is
    float wanted_trust_ = 1.0f, trust_ = 1.0f;  // in one's own ears where the network knows better
    float nobody_ = 0.0f, nobody_step_ = 1.0f;  // 1: no voice is found
    float periodic_step_ = 1.0f, repeats_ = 0.0f, alert_ = 0.0f;
    float tone_step_ = 1.0f, toned_ = 0.0f;  // 1: a voice's tones are heard, or were just now
    float periodic_ = 0.0f, voice_held_ = 0.0f;
    unsigned hops_ = 0;
};

}  // namespace

std::unique_ptr<Suppressor> make_adaptive(double sample_rate, bool short_delay) {
    return std::make_unique<Spectral>(sample_rate, short_delay, Means{});
}

std::unique_ptr<Suppressor> make_profile_suppressor(double sample_rate, bool short_delay,
                                                    const NoiseProfile& tone) {
    Means means;
    means.tone = &tone;
    return std::make_unique<Spectral>(sample_rate, short_delay, std::move(means));
}

std::unique_ptr<Suppressor> make_neural(double sample_rate, bool short_delay,
                                        std::unique_ptr<VoiceNetwork> network, int offset) {
    Means means;
    means.network = std::move(network);
    means.asks_network = true;
    means.offset = offset;
    return std::make_unique<Spectral>(sample_rate, short_delay, std::move(means));
}

}  // namespace reed
