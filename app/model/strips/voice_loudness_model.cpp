#include "model/strips/voice_loudness_model.h"

#include <algorithm>
#include <utility>

#include "model/strips/mix_balance_model.h"
#include "model/strips/mixer_model.h"

namespace reed::ui {
namespace {
constexpr int kPiece = 2048;
}

VoiceLoudnessModel::VoiceLoudnessModel(MixerModel& mixer) : mixer_(mixer) {
    connect(&mixer_, &MixerModel::ticked, this, &VoiceLoudnessModel::tick);
    connect(&mixer_, &MixerModel::stripsChanged, this, [this] {
        now_.clear();  // before anybody asks one that is gone
        followed_.clear();
    });
}

/// What sounds now; false while there is one voice alone.
bool VoiceLoudnessModel::follow() {
    std::vector<StripModel*> voices;
    for (StripModel* s : mixer_.strips()) {
        if (s->liveStrip().role() == StripRole::voice && s->input().isAttached()) voices.push_back(s);
    }
    if (voices.size() < 2) voices.clear();
    bool another = voices.size() != followed_.size();
    for (size_t i = 0; i < voices.size() && !another; ++i) another = voices[i] != followed_[i].strip;
    if (another) {
        followed_.clear();
        for (StripModel* s : voices) followed_.push_back({s, {}, nullptr});
    }
    for (Followed& f : followed_) another = f.sound.follow(f.strip->engine().feed_history()) || another;
    if (!another) return !followed_.empty();
    now_.clear();
    from_ = 0;
    for (Followed& f : followed_) {
        f.sound.skip_to_newest();
        f.track = std::make_unique<LoudnessTrack>(f.strip->engine().format(), MixBalanceModel::kSeconds);
    }
    return !followed_.empty();
}

void VoiceLoudnessModel::tick() {
    if (!follow()) return;
    // They are written in one go, but for the block that comes just now.
    const auto most = [&] {
        std::int64_t n = kPiece;
        for (const Followed& f : followed_) n = std::min(n, f.sound.waiting());
        return static_cast<int>(n);
    };
    for (int n = most(); n > 0; n = most()) {
        for (Followed& f : followed_) {
            AudioBlock piece;
            if (f.sound.next(n, piece) == RingReader::Got::sound) f.track->add(piece);
        }
    }
    std::int64_t changes = 0;
    for (const Followed& f : followed_) changes += f.strip->soundChanges();
    if (std::exchange(changes_, changes) != changes) {
        from_ = followed_.front().track->next_independent();
        now_.clear();
    }
    if (++ticks_ % 15 != 0 && mixer_.main().isVisible()) return;
    std::vector<const LoudnessTrack*> tracks;
    for (const Followed& f : followed_) tracks.push_back(f.track.get());
    const auto apart = per_voice_loudness(tracks, from_);
    now_.clear();
    for (size_t i = 0; i < followed_.size(); ++i) now_.push_back({followed_[i].strip, apart[i]});
}

}  // namespace reed::ui
