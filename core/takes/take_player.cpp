#include "takes/take_player.h"

#include <algorithm>
#include <cmath>

namespace reed {
namespace {
constexpr double kFade = 0.020;       // seconds from the microphone to the loop
constexpr double kSwitch = 0.010;     // from side to side
constexpr double kMuteFirst = 0.100;  // the engine's mute is over by then
constexpr double kRest = 0.250;       // after the chain has given the last of the loop
constexpr int kMost = 8192;
constexpr double kHeardSeconds = 1.0;
}  // namespace

Loop Loop::of(const AudioBuffer& sound, std::int64_t from, std::int64_t end, double sample_rate) {
    Loop out;
    const auto all = static_cast<std::int64_t>(sound.frames());
    const std::int64_t first = std::clamp<std::int64_t>(from, 0, all);
    const std::int64_t length = std::clamp<std::int64_t>(end, first, all) - first;
    const auto seam = static_cast<std::int64_t>(kSeam * sample_rate);
    const std::int64_t fade = length >= 2 * seam ? seam : 0;
    out.first = first;
    out.sound = AudioBuffer(sound.channels(), static_cast<size_t>(length - fade));
    for (int c = 0; c < sound.channels(); ++c) {
        const float* x = sound[c].data() + first;
        std::copy_n(x, length - fade, out.sound[c].begin());
        // The end goes on under the beginning.
        for (std::int64_t i = 0; i < fade; ++i) {
            const float share = (static_cast<float>(i) + 0.5f) / static_cast<float>(fade);
            const float tail = x[length - fade + i];
            out.sound[c][static_cast<size_t>(i)] = tail + share * (x[i] - tail);
        }
    }
    return out;
}

void TakePlayer::prepare(double rate, int channels) {
    rate_ = rate;
    fade_ = std::max(1, static_cast<int>(kFade * rate));
    switch_ = std::max(1, static_cast<int>(kSwitch * rate));
    wait_first_ = static_cast<int>(kMuteFirst * rate);
    heard_ = std::make_shared<HistoryRing>(channels, static_cast<size_t>(kHeardSeconds * rate));
    pair_work_ = AudioBuffer(channels, kMost);
    wanted_ = nullptr;
    pair_ = nullptr;
    in_use_ = playing_ = nullptr;
    pair_in_use_ = nullptr;
    position_ = -1;
    // Reopened during a loop: nothing goes out until it plays again.
    holds_ = reserved_.load();
    share_ = side_ = wait_ = held_ = let_go_in_ = 0;
    tend();
}

void TakePlayer::play(std::shared_ptr<const Loop> loop, std::int64_t at, bool aloud) {
    if (!loop || loop->sound.frames() == 0) return;
    aloud_ = aloud;
    seek_ = std::clamp<std::int64_t>(at, 0, static_cast<std::int64_t>(loop->sound.frames()) - 1);
    loops_.push_back(std::move(loop));
    wanted_ = loops_.back().get();
}

void TakePlayer::stop(int behind) {
    behind_ = behind;
    pair_ = nullptr;
    wanted_ = nullptr;
    reserved_ = false;
}

void TakePlayer::seek(std::int64_t frame) {
    seek_ = std::max<std::int64_t>(0, frame);
}

void TakePlayer::compare(std::shared_ptr<const LoopPair> pair) {
    const LoopPair* next = pair.get();
    if (pair) pairs_.push_back(std::move(pair));
    pair_ = next;
}

void TakePlayer::tend() {
    const Loop *wanted = wanted_, *in_use = in_use_;
    std::erase_if(loops_, [&](const auto& l) { return l.get() != wanted && l.get() != in_use; });
    const LoopPair *pair = pair_, *pair_in_use = pair_in_use_;
    std::erase_if(pairs_, [&](const auto& p) { return p.get() != pair && p.get() != pair_in_use; });
}

// ---- the audio thread ----

void TakePlayer::run(const AudioBlock& block) noexcept {
    // Said to be in use before it is looked at again, so that it is not freed meanwhile.
    const Loop* wanted = wanted_;
    const bool reserved = reserved_;
    if (playing_ == nullptr && reserved) holds_ = true;
    held_ = holds_ ? std::min(wait_first_, held_ + block.frames) : 0;
    if (playing_ == nullptr) {
        if (wanted == nullptr) {
            if (reserved) let_go_in_ = 0;
            if (reserved || !holds_) return;
            // The last loop may have ended for another one that is not wanted any more: only from here on it
            // is known how much the chain has to give still.
            if (let_go_in_ <= 0)
                let_go_in_ = behind_.load() + static_cast<int>(kRest * rate_);
            else if ((let_go_in_ -= block.frames) <= 0)
                holds_ = false;
            return;
        }
        for (in_use_ = wanted; wanted != wanted_; in_use_ = wanted) wanted = wanted_;
        if (wanted == nullptr) return;
        playing_ = wanted;
        at_ = 0;
        share_ = 0;
        // What the microphone gave last must have left the chain before something goes out again.
        wait_ = aloud_ && !holds_ ? 0 : wait_first_ - held_;
        let_go_in_ = holds_ ? wait_ + behind_.load() + fade_ : 0;
    }
    if (wanted == playing_) {
        let_go_in_ = std::max(0, let_go_in_ - block.frames);
        holds_ = !aloud_ || let_go_in_ > 0;
    }
    const std::int64_t frames = static_cast<std::int64_t>(playing_->sound.frames());
    if (const std::int64_t to = seek_.exchange(-1); to >= 0) at_ = to % frames;
    const bool stays = wanted == playing_;
    const int channels = std::min(block.channels, playing_->sound.channels());
    const std::int64_t began = at_;
    for (int i = 0; i < block.frames; ++i) {
        if (wait_ > 0) {
            --wait_;
            continue;
        }
        share_ = std::clamp(share_ + (stays ? 1 : -1), 0, fade_);
        const float share = static_cast<float>(share_) / static_cast<float>(fade_);
        for (int c = 0; c < block.channels; ++c) {
            const float x = playing_->sound[std::min(c, channels - 1)][static_cast<size_t>(at_)];
            block[c][i] = share_ == fade_ ? x : block[c][i] + share * (x - block[c][i]);
        }
        if (++at_ == frames) at_ = 0;
    }
    position_ = at_;
    const LoopPair* pair = pair_;
    for (pair_in_use_ = pair; pair != pair_; pair_in_use_ = pair) pair = pair_;
    if (stays && wait_ == 0) sound_pair(pair, block, began);
    pair_in_use_ = nullptr;
    if (stays || share_ > 0) return;
    // Another one may wait already; it begins with the next block.
    playing_ = nullptr;
    in_use_ = nullptr;
    position_ = -1;
    let_go_in_ = 0;
}

void TakePlayer::sound_pair(const LoopPair* pair, const AudioBlock& block, std::int64_t at) noexcept {
    if (pair == nullptr) return;
    const std::int64_t frames = static_cast<std::int64_t>(pair->a.frames());
    const bool b = choose_b_;
    for (int done = 0; done < block.frames;) {
        const int n = std::min(kMost, block.frames - done);
        const AudioBlock out = pair_work_.block(0, n);
        for (int i = 0; i < n; ++i) {
            side_ = std::clamp(side_ + (b ? 1 : -1), 0, switch_);
            const float share = static_cast<float>(side_) / static_cast<float>(switch_);
            const auto k = static_cast<size_t>((at + done + i) % frames);
            for (int c = 0; c < out.channels; ++c) {
                const float x = pair->a[std::min(c, pair->a.channels() - 1)][k];
                const float y = pair->b[std::min(c, pair->b.channels() - 1)][k];
                out[c][i] = side_ == switch_ ? y : x + share * (y - x);
            }
        }
        heard_->write(out);
        done += n;
    }
}

}  // namespace reed
