#include "model/scenes/adaptation_model.h"

#include <algorithm>
#include <cmath>

#include "model/scenes/scene_manager.h"

namespace reed::ui {

namespace {

constexpr int kLooksOff = 8;  // looks in a row, half a second each
constexpr int kEvery = 15;    // ticks from look to look

}  // namespace

QString RecentInput::tooLittle() {
    return AdaptationModel::tr("Not enough speech yet. Say a few sentences with pauses, then try again.");
}

RecentInput recentInput(StripModel& strip, double seconds) {
    const auto ring = strip.liveStrip().said();
    const StreamFormat format = strip.engine().format();
    if (!ring || !strip.input().isAttached()) return {};
    const std::int64_t end = ring->written();
    // Another microphone is another voice and room.
    std::int64_t at = std::max(std::min(strip.inputHistoryStart(), end),
                               end - static_cast<std::int64_t>(seconds * format.sample_rate));
    RecentInput out{AudioBuffer(format.channels, static_cast<size_t>(end - at)), format.sample_rate};
    for (size_t done = 0; at < end;) {
        const int n = static_cast<int>(std::min<std::int64_t>(8192, end - at));
        if (!ring->read(at, n, out.sound.block(done, n).rows.data())) return {};
        at += n;
        done += static_cast<size_t>(n);
    }
    return out;
}

AdaptationModel::AdaptationModel(MixerModel& mixer, SceneManager& scenes) : mixer_(mixer), scenes_(scenes) {
    connect(&mixer_.main(), &StripModel::readingsChanged, this, &AdaptationModel::tick);
    connect(&scenes_, &SceneManager::saved, this, &AdaptationModel::noteSaved);
    connect(&mixer_, &MixerModel::changed, this, [this] { ticks_ = kEvery; });
}

AdaptationModel::~AdaptationModel() {
    cancel();
}

std::optional<ReferenceLevels> AdaptationModel::madeFor() const {
    const auto& known = mixer_.metadata().made_for;
    const auto found = known.find(mixer_.current().chainModel().spec().id);
    return found == known.end() ? std::nullopt : std::optional(found->second);
}

void AdaptationModel::tick() {
    if (++ticks_ < kEvery) return;
    ticks_ = 0;
    const StripModel& strip = mixer_.current();
    const auto made = madeFor();
    const auto& taps = strip.levels().taps;
    bool off = false;
    if (made && strip.chainModel().spec().role == StripRole::voice && !taps.empty() &&
        taps.front().voice_known && taps.front().room_known) {
        const TapLevels& in = taps.front();
        off = is_off(made->in, voice_levels(in));
    }
    // A shout or a whisper in between is no other voice.
    looks_off_ = off ? looks_off_ + 1 : 0;
    off = looks_off_ >= kLooksOff;
    if (off == off_) return;
    off_ = off;
    emit offChanged();
}

// --- what a scene is made for ---

void AdaptationModel::noteSaved() {
    for (StripModel* s : mixer_.strips()) {
        if (s->liveStrip().role() == StripRole::voice) note(*s);
    }
}

/// Measures the last speech through the current scene, and stores the result with the scene.
void AdaptationModel::note(StripModel& strip) {
    auto sound = std::make_shared<RecentInput>(recentInput(strip, kSeconds));
    if (!sound->enough()) return;
    const StripSpec spec = strip.chainModel().spec();
    background_.run(
        [sound, spec] { return measure_made_for(spec.chain, spec.fader, sound->sound, sound->rate); },
        [this, id = spec.id, measured = mixer_.scene()](std::optional<ReferenceLevels> made) {
            if (made) scenes_.note({{id, *made}}, measured);
            ticks_ = kEvery;
            tick();
        });
}

// --- what to change ---

void AdaptationModel::look() {
    if (looking_) return;
    fit_.reset();
    StripModel& s = mixer_.current();
    const auto made = madeFor();
    auto sound = std::make_shared<RecentInput>(recentInput(s, kSeconds));
    if (!made) {
        emit failed(tr("This scene has no reference levels yet. Save it to store them."));
        return;
    }
    if (!sound->enough()) {
        emit failed(RecentInput::tooLittle());
        return;
    }
    const StripSpec spec = s.chainModel().spec();
    strip_ = spec.id;
    looking_ = std::make_shared<std::atomic<bool>>(false);
    const auto told = [this, end = looking_, last = -1](double part) mutable {
        if (*end) return false;  // cancelled: `this` may be deleted
        const int percent = static_cast<int>(100.0 * part);
        if (percent != last) emit progressed(percent);  // from there; who listens hears it here
        last = percent;
        return true;
    };
    background_.run(
        [sound, spec, made = *made, told] {
            return adapt_chain(spec.chain, spec.fader, made, sound->sound, sound->rate, told);
        },
        [this, end = looking_](Result<Fit> fit) {
            if (end == looking_) looking_.reset();
            if (*end) return;
            if (!fit.ok()) {
                emit failed(QString::fromStdString(fit.error().text()));
                return;
            }
            fit_ = std::move(fit.value());
            emit found();
        });
}

void AdaptationModel::cancel() {
    if (looking_) *looking_ = true;
    looking_.reset();
}

void AdaptationModel::apply(std::optional<size_t> only) {
    StripModel* s = mixer_.find(strip_);
    if (!fit_ || s == nullptr) return;
    std::vector<AdaptationChange> changes = fit_->changes;
    if (only) changes = {fit_->changes.at(*only)};
    s->chainModel().fitTo(changes, tr("Adapt to this voice and room"));
    if (only) {
        fit_->changes.erase(fit_->changes.begin() + static_cast<std::ptrdiff_t>(*only));
        if (!fit_->changes.empty()) {
            emit found();
            return;
        }
    }
    fit_.reset();
    acceptCurrentLevels();
}

void AdaptationModel::acceptCurrentLevels() {
    note(mixer_.current());
}

}  // namespace reed::ui
