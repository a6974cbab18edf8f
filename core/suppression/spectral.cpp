#include <algorithm>
#include <cmath>
#include <cstdint>
#include <optional>
#include <vector>

#include "dsp/overlap_add.h"
#include "suppression/log_spectral_gain.h"
#include "suppression/method.h"

namespace reed {
namespace {

constexpr float kLeastPrior = 0.0032f;  // -25 dB
constexpr float kMostPosterior = 1e4f;  // 40 dB: beyond it the gain is one anyway
constexpr float kLeastV = 1e-4f;
constexpr float kLeastNoise = 1e-12f;  // far below what 24 bits can hold
constexpr float kMostAbsence = 0.95f;  // a-priori probability of no speech, at most
constexpr int kWide = 15;              // bands to either side that are heard together

/// 0 below `low`, 1 above `high`, in between on a logarithmic scale (Cohen and Berdugo 2001, equation 25).
inline float soft_step(float log2_x, float low, float high) {
    const float from = fast_log2(low);
    const float to = fast_log2(high);
    return std::min(1.0f, std::max(0.0f, (log2_x - from) / (to - from)));
}

/// Follows the noise under the speech: I. Cohen, "Noise estimation by minima controlled recursive averaging
/// for robust speech enhancement", IEEE Signal Processing Letters 9 (1), 2002. The minimum is sought over 1.5
/// to 3 s: long vowels are no noise. The paper's constants (threshold 5, presence 0.2, noise 0.95 per 8 ms)
/// let weak speech leak into the noise here; these were chosen with bench/suppression: STOI rises where it
/// fell by 0.01 to 0.03.
class NoiseTracker {
  public:
    NoiseTracker(size_t bins, double hop_seconds)
        : here_(bins, 0.0f),
          smooth_(bins, 0.0f),
          least_(bins, 0.0f),
          newer_least_(bins, 0.0f),
          presence_(bins, 0.0f),
          smooth_keep_(keep(0.8, hop_seconds)),
          noise_keep_(keep(0.98, hop_seconds)),
          presence_keep_(keep(0.01, hop_seconds)),
          start_(4 + static_cast<int>(0.3 / hop_seconds)),
          window_(static_cast<int>(1.5 / hop_seconds)) {}

    void follow(std::span<const float> power, std::vector<float>& noise) {
        const size_t n = power.size();
        float loudest = 0.0f;
        for (size_t k = 0; k < n; ++k) loudest = std::max(loudest, power[k]);
        // Digital silence is no room; a minimum of zero would hide the noise that follows for seconds.
        if (loudest <= kLeastNoise) return;
        // The window is full with the fourth frame, which is the first that tells a level. The mean of the
        // next frames is the first guess: a single frame is too ragged, and a minimum begun in one of its
        // gaps would take the room for speech until the window has passed.
        const std::int64_t frame = ++frames_;
        const bool first = frame <= 4;
        const bool beginning = frame <= start_;
        const bool turn = frame % window_ == 0;
        if (beginning) {
            const float share = first ? 1.0f : 1.0f / static_cast<float>(frame - 3);
            for (size_t k = 0; k < n; ++k) noise[k] += share * (power[k] - noise[k]);
            std::fill(presence_.begin(), presence_.end(), 0.0f);
        }
        here_[0] = power[0];
        here_[n - 1] = power[n - 1];
        for (size_t k = 1; k + 1 < n; ++k)
            here_[k] = 0.25f * power[k - 1] + 0.5f * power[k] + 0.25f * power[k + 1];
        if (first) smooth_ = here_;
        if (beginning) {
            const float share = first ? 1.0f : 1.0f / static_cast<float>(frame - 3);
            for (size_t k = 0; k < n; ++k) smooth_[k] += share * (here_[k] - smooth_[k]);
            least_ = newer_least_ = smooth_;
            return;
        }
        const float* here = here_.data();
        const float* now = power.data();
        float* smooth = smooth_.data();
        float* least = least_.data();
        float* newer = newer_least_.data();
        float* presence = presence_.data();
        float* out = noise.data();
        const float keep_smooth = smooth_keep_;
        const float keep_presence = presence_keep_;
        const float keep_noise = noise_keep_;
        for (size_t k = 0; k < n; ++k) {
            const float s = keep_smooth * smooth[k] + (1.0f - keep_smooth) * here[k];
            smooth[k] = s;
            const float before = turn ? newer[k] : least[k];
            newer[k] = turn ? s : std::min(newer[k], s);
            least[k] = std::min(before, s);
            const float speech = s > kRise * least[k] ? 1.0f : 0.0f;
            const float p = keep_presence * presence[k] + (1.0f - keep_presence) * speech;
            presence[k] = p;
            const float stay = keep_noise + (1.0f - keep_noise) * p;
            const float followed = stay * out[k] + (1.0f - stay) * now[k];
            // A first guess that held speech falls as soon as there is a gap.
            out[k] = std::max(kLeastNoise, std::min(followed, kMostOverLeast * least[k]));
        }
    }
    void reset() { frames_ = 0; }
    /// Too little heard yet for a guess.
    bool beginning() const { return frames_ <= start_; }

  private:
    static constexpr float kRise = 3.5f;
    static constexpr float kMostOverLeast = 6.0f;
    static float keep(double paper, double hop_seconds) {
        return static_cast<float>(std::pow(paper, hop_seconds / 0.008));
    }
    std::vector<float> here_, smooth_, least_, newer_least_, presence_;
    float smooth_keep_, noise_keep_, presence_keep_;
    int start_, window_;
    std::int64_t frames_ = 0;
};

class Spectral final : public SuppressionMethod {
  public:
    /// Without a tone it follows the noise by itself; with one, that is the noise.
    Spectral(double sample_rate, bool short_delay, const RoomTone* tone)
        : frames_(fast_length(static_cast<int>(std::lround(sample_rate * (short_delay ? 0.010 : 0.020))))),
          working_(tone == nullptr || !tone->empty()) {
        const int length = frames_.latency();
        const auto bins = static_cast<size_t>(frames_.bins());
        hop_seconds_ = 0.25 * length / sample_rate;
        if (tone == nullptr) {
            tracker_.emplace(bins, hop_seconds_);
            noise_.assign(bins, kLeastNoise);
        } else {
            take_tone(*tone, sample_rate);
        }
        clean_.assign(bins, 0.0f);
        smooth_.assign(bins, 0.0f);
        prior_.assign(bins, 0.0f);
        power_.assign(bins, 0.0f);
        posterior_.assign(bins, 0.0f);
        presence_.assign(bins, 0.0f);
        here_.assign(bins, 0.0f);
        near_.assign(bins, 0.0f);
        sums_.assign(bins + 1, 0.0f);
        amount_step_ = static_cast<float>(1.0 - std::exp(-hop_seconds_ / 0.030));
        set_smoothing(0.5);
    }
    void process(const float* in, float* out, int frames) override {
        frames_.process(in, out, frames, [this](std::span<std::complex<float>> bins) { work(bins); });
    }
    int latency() const override { return frames_.latency(); }
    void set_amount(double db) override { wanted_floor_ = static_cast<float>(db) * kLog2PerDb; }
    void set_smoothing(double amount) override {
        // Time constants of 30 to 500 ms for the decision-directed rule.
        prior_keep_ = static_cast<float>(std::exp(-hop_seconds_ / (0.030 * std::pow(500.0 / 30.0, amount))));
        smooth_keep_ = static_cast<float>(std::exp(-hop_seconds_ / (0.010 + 0.040 * amount)));
    }
    void reset() override {
        frames_.reset();
        std::fill(clean_.begin(), clean_.end(), 0.0f);
        std::fill(smooth_.begin(), smooth_.end(), 0.0f);
        if (tracker_) tracker_->reset();
    }

  private:
    void take_tone(const RoomTone& tone, double sample_rate) {
        const int length = frames_.latency();
        double shape_power = 0.0;
        for (const float w : root_hann(length)) shape_power += static_cast<double>(w) * w;
        const int bins = frames_.bins();
        for (int k = 0; k < bins; ++k) {
            // Mean square per band back to the expected power of a bin of our window.
            const double mean_square = tone.density(k * sample_rate / length) * sample_rate / length;
            const double sides = k == 0 || k + 1 == bins ? 1.0 : 2.0;
            noise_.push_back(
                std::max(kLeastNoise, static_cast<float>(mean_square * length * shape_power / sides)));
        }
    }
    void work(std::span<std::complex<float>> bins) {
        floor_ += amount_step_ * (wanted_floor_ - floor_);
        if (std::abs(floor_ - wanted_floor_) < 1e-4f) floor_ = wanted_floor_;
        const size_t n = bins.size();
        for (size_t k = 0; k < n; ++k) power_[k] = std::norm(bins[k]);
        if (tracker_) tracker_->follow(power_, noise_);
        if (!working_ || floor_ > -1e-3f || (tracker_ && tracker_->beginning())) return;
        estimate_prior();
        find_speech();
        const float* presence = presence_.data();
        float* gain = prior_.data();
        const float* posterior = posterior_.data();
        float* clean = clean_.data();
        const float low = floor_;
        for (size_t k = 0; k < n; ++k) {
            const float prior = gain[k];
            const float v = std::max(kLeastV, prior / (1.0f + prior) * posterior[k]);
            const float spoken = std::min(log_spectral_gain(prior, v), 1.0f);
            // Probability of speech in the band, Cohen and Berdugo 2001, equation 9.
            const float absence = std::min(1.0f - presence[k], kMostAbsence);
            const float here =
                1.0f / (1.0f + absence / (1.0f - absence) * (1.0f + prior) * fast_exp2(-1.442695f * v));
            clean[k] = spoken * spoken * posterior[k];
            gain[k] = fast_exp2(here * std::max(fast_log2(spoken), low) + (1.0f - here) * low);
        }
        for (size_t k = 0; k < n; ++k) bins[k] *= gain[k];
    }
    /// A-priori SNR by the decision-directed rule, smoothed in time, and its running sum over the bands.
    void estimate_prior() {
        const size_t n = power_.size();
        const float* power = power_.data();
        const float* noise = noise_.data();
        const float* clean = clean_.data();
        float* posterior = posterior_.data();
        float* prior = prior_.data();
        float* smooth = smooth_.data();
        const float keep = prior_keep_;
        const float keep_smooth = smooth_keep_;
        for (size_t k = 0; k < n; ++k) {
            posterior[k] = std::min(power[k] / noise[k], kMostPosterior);
            prior[k] =
                std::max(kLeastPrior, keep * clean[k] + (1.0f - keep) * std::max(posterior[k] - 1.0f, 0.0f));
            smooth[k] = keep_smooth * smooth[k] + (1.0f - keep_smooth) * prior[k];
        }
        for (size_t k = 0; k < n; ++k) sums_[k + 1] = sums_[k] + smooth_[k];
    }
    /// Speech is broad: a band counts as speech when its neighbourhood and the whole frame do.
    void find_speech() {
        const size_t n = power_.size();
        const float frame =
            soft_step(fast_log2(std::max(sums_[n] / static_cast<float>(n), 1e-9f)), 0.05f, 0.2f);
        for (size_t k = 0; k < n; ++k) {
            here_[k] = around(k, 1);
            near_[k] = around(k, kWide);
        }
        const float* here = here_.data();
        const float* near = near_.data();
        float* presence = presence_.data();
        for (size_t k = 0; k < n; ++k)
            presence[k] = frame * soft_step(fast_log2(here[k]), 0.1f, 0.3162f) *
                          soft_step(fast_log2(near[k]), 0.1f, 0.3162f);
    }
    float around(size_t k, int wide) const {
        const size_t first = k < static_cast<size_t>(wide) ? 0 : k - static_cast<size_t>(wide);
        const size_t end = std::min(prior_.size(), k + static_cast<size_t>(wide) + 1);
        return std::max(1e-9f, (sums_[end] - sums_[first]) / static_cast<float>(end - first));
    }

    OverlapAdd frames_;
    bool working_;
    std::optional<NoiseTracker> tracker_;
    std::vector<float> power_, noise_;  // of this frame, and expected of the room, per bin
    std::vector<float> clean_;          // estimated speech over room of the frame before, powers
    std::vector<float> posterior_, presence_, here_, near_;
    std::vector<float> prior_, smooth_, sums_;  // a-priori SNR, smoothed in time, and its running sum
    float prior_keep_ = 0.0f, smooth_keep_ = 0.0f;
    float wanted_floor_ = 0.0f, floor_ = 0.0f, amount_step_ = 1.0f;  // log2 of the gain where only room is
    double hop_seconds_ = 0.005;
};

}  // namespace

std::unique_ptr<SuppressionMethod> make_adaptive(double sample_rate, bool short_delay) {
    return std::make_unique<Spectral>(sample_rate, short_delay, nullptr);
}

std::unique_ptr<SuppressionMethod> make_room_tone(double sample_rate, bool short_delay,
                                                  const RoomTone& tone) {
    return std::make_unique<Spectral>(sample_rate, short_delay, &tone);
}

}  // namespace reed
