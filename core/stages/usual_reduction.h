// What a compressor usually takes from the voice.
#pragma once

#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>

namespace reed {

/// Follows the median level of the speech a compressor works on, and by how much the reduction that really
/// acts (attack and release) usually differs from the curve at that level. Both move by sign steps (H.
/// Robbins, S. Monro, "A stochastic approximation method", Annals of Mathematical Statistics 22 (3), 1951:
/// the median is where steps up and down balance), quick in the first second of speech, then ever slower down
/// to kSlowest: a shout of some seconds moves them by less than a decibel, and in pauses they stay. Audio
/// thread; remembered() from any other.
class UsualReduction {
  public:
    static constexpr double kQuickest = 30.0;  ///< dB per second of speech, at the start
    static constexpr double kSlowest = 0.15;   ///< after a minute
    using Memory = std::array<float, 3>;       ///< seconds of speech heard, level in dBFS, difference in dB

    /// Takes in `seconds` of speech at `level` dBFS, of which `taken` dB really were taken and `curve` by the
    /// curve.
    void add(double level, double taken, double curve, double seconds) noexcept {
        if (heard_ <= 0.0) level_ = level;
        const double step = seconds * std::max(kSlowest, kQuickest / (1.0 + heard_ / kHalved));
        level_ += std::clamp(level - level_, -step, step);
        difference_ += std::clamp(taken - curve - difference_, -step, step);
        heard_ += seconds;
    }
    bool known() const { return heard_ > 0.0; }
    double level() const { return level_; }
    double difference() const { return difference_; }

    /// Makes what is known visible to remembered().
    void publish() noexcept {
        published_[0].store(static_cast<float>(heard_), std::memory_order_relaxed);
        published_[1].store(static_cast<float>(level_), std::memory_order_relaxed);
        published_[2].store(static_cast<float>(difference_), std::memory_order_relaxed);
    }
    Memory remembered() const {
        Memory out{};
        for (size_t i = 0; i < out.size(); ++i) out[i] = published_[i].load(std::memory_order_relaxed);
        return out;
    }
    void remember(const Memory& memory) {
        heard_ = memory[0];
        level_ = memory[1];
        difference_ = memory[2];
        publish();
    }

  private:
    static constexpr double kHalved = 0.3;  // seconds of speech after which the steps are half as quick
    double heard_ = 0.0, level_ = 0.0, difference_ = 0.0;
    std::array<std::atomic<float>, 3> published_{};
};

}  // namespace reed
