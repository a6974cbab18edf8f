// Plays a loop instead of the input, and the sides of a comparison beside it.
#pragma once

#include <atomic>
#include <memory>
#include <vector>

#include "base/audio_block.h"
#include "base/history_ring.h"
#include "takes/comparison.h"

namespace reed {

/// A seamless loop: its end is cross-faded into its beginning.
struct Loop {
    AudioBuffer sound;
    std::int64_t first = 0;  ///< first frame in the take, at the rate of the loop

    /// Loops the frames from `from` to before `end`, with an equal-gain cross-fade of kSeam. Parts shorter
    /// than two seams are not faded.
    static Loop of(const AudioBuffer& sound, std::int64_t from, std::int64_t end, double sample_rate);
    static constexpr double kSeam = 0.020;  ///< seconds
};

/// Both sides of a comparison as loops of equal length.
struct LoopPair {
    AudioBuffer a, b;
};

/// One control thread and one audio thread. While a loop plays, and until the chain contains no more of it,
/// holds() says that the output must be withheld.
class TakePlayer {
  public:
    /// `rate`: in Hz. Precondition: the audio thread is not running.
    void prepare(double rate, int channels);

    // Control thread.
    /// Announces a loop that may still have to be loaded: the output is withheld until it plays or, unless it
    /// goes to the output, until stop(). Preserved by prepare(). `behind`: latency of the chain in frames.
    void reserve(int behind) {
        behind_ = behind;
        reserved_ = true;
        holds_ = true;
    }
    /// Plays `loop` from frame `at`, faded in when the chain contains no more of the microphone.
    void play(std::shared_ptr<const Loop> loop, std::int64_t at, bool aloud);
    /// Sets whether the loop goes to the output.
    void set_aloud(bool aloud) { aloud_.store(aloud, std::memory_order_relaxed); }
    /// Returns to the microphone. `behind`: latency of the chain in frames.
    void stop(int behind);
    bool playing() const { return wanted_.load(std::memory_order_relaxed) != nullptr; }
    void seek(std::int64_t frame);
    /// Current frame of the loop; -1 if none plays.
    std::int64_t position() const { return position_.load(std::memory_order_relaxed); }
    /// Sets the comparison that is written to heard(), in time with the loop; nullptr: none. Same length and
    /// channels as the loop.
    void compare(std::shared_ptr<const LoopPair> pair);
    /// Selects the side, with a cross-fade of 10 ms.
    void choose(bool b) { choose_b_.store(b, std::memory_order_relaxed); }
    bool chosen_b() const { return choose_b_.load(std::memory_order_relaxed); }
    /// The selected side, for the headphones. A new object after prepare().
    std::shared_ptr<const HistoryRing> heard() const { return heard_; }
    /// Frees unused objects. Call about every 100 ms. Doesn't block.
    void tend();

    // Audio thread.
    /// Replaces `block` by the loop.
    void run(const AudioBlock& block) noexcept;
    /// Whether the output must be withheld.
    bool holds() const { return holds_.load(std::memory_order_relaxed); }

  private:
    void sound_pair(const LoopPair* pair, const AudioBlock& block, std::int64_t at) noexcept;

    double rate_ = 48000.0;
    int fade_ = 1, switch_ = 1, wait_first_ = 1;
    std::shared_ptr<HistoryRing> heard_ = std::make_shared<HistoryRing>(1, 2);
    AudioBuffer pair_work_;
    // Control thread: held until unused.
    std::vector<std::shared_ptr<const Loop>> loops_;
    std::vector<std::shared_ptr<const LoopPair>> pairs_;
    // Between threads.
    std::atomic<const Loop*> wanted_{nullptr}, in_use_{nullptr};
    std::atomic<const LoopPair*> pair_{nullptr}, pair_in_use_{nullptr};
    std::atomic<std::int64_t> seek_{-1}, position_{-1};
    std::atomic<int> behind_{0};
    std::atomic<bool> reserved_{false}, aloud_{false}, holds_{false}, choose_b_{false};
    // Audio thread.
    const Loop* playing_ = nullptr;
    std::int64_t at_ = 0;
    int share_ = 0;      // fade of the loop, 0 to fade_
    int side_ = 0;       // fade of side b, 0 to switch_
    int wait_ = 0;       // frames until the loop may be faded in
    int held_ = 0;       // withheld frames, at most wait_first_
    int let_go_in_ = 0;  // frames until the output is no longer withheld
};

}  // namespace reed
