#include "model/strips/mix_balance_model.h"

#include <algorithm>
#include <cmath>
#include <utility>

#include "model/strips/mixer_model.h"

namespace reed::ui {
namespace {
constexpr int kPiece = 2048;
constexpr double kMostDucking = 12.0;  // dB; more is heard to come and go
}  // namespace

MixBalanceModel::MixBalanceModel(MixerModel& mixer, LiveMixer& live)
    : mixer_(mixer), live_(live), sum_(kMaxChannels, kPiece) {
    connect(&mixer_, &MixerModel::ticked, this, &MixBalanceModel::tick);
}

/// Creates readers of the current strips; false while there is no app audio.
bool MixBalanceModel::follow() {
    std::vector<std::shared_ptr<const HistoryRing>> rings;
    for (StripModel* s : mixer_.strips()) {
        if (s->liveStrip().role() == StripRole::programme && s->input().isAttached())
            rings.push_back(s->engine().feed_history());
    }
    bool another = voices_.follow(live_.feed_history()) || rings.size() != programmes_.size();
    programmes_.resize(rings.size());
    for (size_t i = 0; i < rings.size(); ++i) another = programmes_[i].follow(rings[i]) || another;
    if (!another) return !rings.empty();
    voices_.skip_to_newest();
    for (auto& p : programmes_) p.skip_to_newest();
    voice_track_.reset();
    programme_track_.reset();
    now_ = {};
    from_ = 0;
    if (rings.empty()) return false;
    const StreamFormat format = live_.format();
    voice_track_ = std::make_unique<LoudnessTrack>(format, kSeconds);
    programme_track_ = std::make_unique<LoudnessTrack>(StreamFormat{format.sample_rate, 2}, kSeconds);
    return true;
}

void MixBalanceModel::tick() {
    if (!follow()) return;
    // All are written in one go, so what one has the others have too, but for the block that comes just now.
    const auto most = [&] {
        std::int64_t n = voices_.waiting();
        for (const auto& p : programmes_) n = std::min(n, p.waiting());
        return static_cast<int>(std::min<std::int64_t>(n, kPiece));
    };
    for (int n = most(); n > 0; n = most()) {
        AudioBlock voice;
        if (voices_.next(n, voice) != RingReader::Got::sound) break;
        voice_track_->add(voice);
        sum_.clear();
        const AudioBlock sum = sum_.block(0, n);
        for (auto& p : programmes_) {
            AudioBlock piece;
            if (p.next(n, piece) != RingReader::Got::sound) continue;
            for (int c = 0; c < 2; ++c) {
                const float* x = piece[std::min(c, piece.channels - 1)];
                for (int i = 0; i < piece.frames; ++i) sum[c][i] += x[i];
            }
        }
        programme_track_->add(sum);
    }
    std::int64_t changes = 0;
    for (const StripModel* strip : mixer_.strips()) changes += strip->soundChanges();
    if (std::exchange(changes_, changes) != changes) from_ = voice_track_->next_independent();
    if (++ticks_ % 3 != 0 && mixer_.main().isVisible()) return;
    now_ = balance_of(*voice_track_, *programme_track_, from_);
    if (now_.speech_seconds < kEnough) now_ = {};
    emit changed();
}

Finding MixBalanceModel::finding() const {
    const auto [least, most] = mixer_.targetDistance();
    return balance_finding(now_, least, most);
}

double MixBalanceModel::wantedMove() const {
    if (!now_.distance) return 0.0;
    const auto [least, most] = mixer_.targetDistance();
    const double d = *now_.distance;
    if (d >= least - 0.5 && d <= most + 0.5) return 0.0;
    return std::round(d < least ? d - least : d - most);  // as it is shown
}

void MixBalanceModel::offsetAppAudio(double db) {
    for (StripModel* s : mixer_.strips()) {
        if (s->liveStrip().role() != StripRole::programme) continue;
        s->chainModel().setFader(s->chainModel().spec().fader + db);
        s->chainModel().closeStep();
    }
}

void MixBalanceModel::increaseDucking(double db) {
    for (StripModel* s : mixer_.strips()) {
        if (s->liveStrip().role() != StripRole::programme) continue;
        ChainModel& strip = s->chainModel();
        const auto& stages = strip.chain().stages;
        const auto ducks = std::ranges::find(stages, "ducking", &StageSpec::kind);
        if (ducks == stages.end()) {
            StageSpec fresh = new_stage({}, *find_stage_kind("ducking"));
            fresh.set("amount", std::clamp(db, 1.0, kMostDucking));
            strip.insertStages({fresh}, 0, tr("Duck by %1 dB").arg(db, 0, 'f', 1));
            return;
        }
        const std::string id = ducks->id;
        const auto row = static_cast<size_t>(ducks->stage_kind().find("amount"));
        const double now = ducks->bypass ? 0.0 : ducks->values[row];
        strip.setBypass(id, false);
        strip.setValue(id, row, std::clamp(now + db, 1.0, kMostDucking));
        strip.closeStep();
        return;
    }
}

}  // namespace reed::ui
