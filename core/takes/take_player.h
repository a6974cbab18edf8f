// A take in place of the microphone, round and round, and two sides of a comparison beside it.
#pragma once

#include <atomic>
#include <memory>
#include <vector>

#include "base/audio_block.h"
#include "base/history_ring.h"
#include "takes/comparison.h"

namespace reed {

/// A sound whose end has been faded into its beginning, so that it can go round without a click: frame i is
/// followed by frame i + 1, and the last one by the first.
struct Loop {
    AudioBuffer sound;
    std::int64_t first = 0;  ///< frame of the take at which it begins, at the loop's own rate

    /// The frames from `from` to before `end`, in a stretch that fades over `kSeam` (equal gain: what meets
    /// is mostly room). Shorter than twice the seam: as it is.
    static Loop of(const AudioBuffer& sound, std::int64_t from, std::int64_t end, double sample_rate);
    static constexpr double kSeam = 0.020;  ///< seconds
};

/// Both sides of a comparison as loops of one length.
struct LoopPair {
    AudioBuffer a, b;
};

/// Control thread and one audio thread. While a loop plays, and until it has left the chain behind, holds()
/// says that nothing may go out.
class TakePlayer {
  public:
    /// `rate` in Hz. While no audio thread calls.
    void prepare(double rate, int channels);

    // Control thread.
    /// A loop has been asked for and may still have to be read: nothing goes out until it plays, and, unless
    /// it is aloud, until stop(). Kept over prepare(). `behind`: frames that the chain still holds of the
    /// microphone.
    void reserve(int behind) {
        behind_ = behind;
        reserved_ = true;
        holds_ = true;
    }
    /// Plays `loop` from its frame `at` on, faded in once nothing of the microphone goes out any more.
    void play(std::shared_ptr<const Loop> loop, std::int64_t at, bool aloud);
    /// Whether it goes out, from now on.
    void set_aloud(bool aloud) { aloud_.store(aloud, std::memory_order_relaxed); }
    /// The microphone again; `behind`: frames that the chain still holds of the loop.
    void stop(int behind);
    bool playing() const { return wanted_.load(std::memory_order_relaxed) != nullptr; }
    void seek(std::int64_t frame);
    /// Frame of the loop that is played now; -1 while none is.
    std::int64_t position() const { return position_.load(std::memory_order_relaxed); }
    /// What stands in the ring heard() from now on, beside the loop that plays and in its time; nullptr:
    /// nothing. Of the loop's length and channels.
    void compare(std::shared_ptr<const LoopPair> pair);
    /// Which side is heard, faded over 10 ms.
    void choose(bool b) { choose_b_.store(b, std::memory_order_relaxed); }
    bool chosen_b() const { return choose_b_.load(std::memory_order_relaxed); }
    /// What is heard of a comparison, to be played to the headphones. Another one after prepare().
    std::shared_ptr<const HistoryRing> heard() const { return heard_; }
    /// Frees what the audio thread has done with. Some times a second.
    void tend();

    // Audio thread.
    /// Puts the loop in place of what is in `block`.
    void run(const AudioBlock& block) noexcept;
    /// Nothing may go out now.
    bool holds() const { return holds_.load(std::memory_order_relaxed); }

  private:
    void sound_pair(const LoopPair* pair, const AudioBlock& block, std::int64_t at) noexcept;

    double rate_ = 48000.0;
    int fade_ = 1, switch_ = 1, wait_first_ = 1;
    std::shared_ptr<HistoryRing> heard_ = std::make_shared<HistoryRing>(1, 2);
    AudioBuffer pair_work_;
    // Control thread: kept until nobody uses them.
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
    int share_ = 0;      // of the loop, 0 to fade_
    int side_ = 0;       // of side b, 0 to switch_
    int wait_ = 0;       // frames until the loop may be faded in
    int held_ = 0;       // frames that have been held back, at most wait_first_
    int let_go_in_ = 0;  // frames until something may go out again
};

}  // namespace reed
