#include "model/soundcheck/soundcheck_follow_up.h"

#include "measure/chain_checks.h"
#include "model/scenes/adaptation_model.h"
#include "model/scenes/scene_manager.h"
#include "model/takes/takes_model.h"

namespace reed::ui {

std::optional<SoundcheckRecord> lastSoundcheck(const MixerModel& mixer, const StripModel& strip) {
    const auto& all = mixer.metadata().soundchecks;
    const auto found = all.find(strip.chainModel().spec().id);
    if (found == all.end() || found->second.microphone != strip.input().title().toStdString())
        return std::nullopt;
    return found->second;
}

SoundcheckFollowUp::SoundcheckFollowUp(StripModel& strip, MixerModel& mixer, SceneManager& scenes,
                                       TakesModel& takes)
    : QObject(&strip), strip_(strip), mixer_(mixer), scenes_(scenes), takes_(takes) {
    since_.start();
    connect(&strip_, &StripModel::readingsChanged, this, &SoundcheckFollowUp::tick);
    connect(&strip_.input(), &InputController::inputChanged, this, [this] {
        since_.restart();
        set(std::nullopt);
    });
}

std::optional<SoundcheckRecord> SoundcheckFollowUp::record() const {
    return lastSoundcheck(mixer_, strip_);
}

std::optional<Finding> SoundcheckFollowUp::finding() const {
    // Another soundcheck or another scene ends it at once.
    if (!comparison_ || record() != comparison_->record) return std::nullopt;
    return comparison_->finding;
}

double SoundcheckFollowUp::gainChange() const {
    const auto found = finding();
    return found && found->id == "gain_changed" ? comparison_->since.speech : 0.0;
}

void SoundcheckFollowUp::compensateGain(const QString& label) {
    const double by = gainChange();
    auto checked = record();
    if (by == 0.0 || !checked) return;
    set(std::nullopt);  // before who shows it asks again, for the changed chain
    strip_.chainModel().setChain(with_input_gain(strip_.chainModel().chain(), -by), label);
    checked->noise += by;
    checked->speech += by;
    checked->takes.clear();
    scenes_.noteSoundcheck(strip_.chainModel().spec().id, *checked);
}

void SoundcheckFollowUp::tick() {
    if (working_ || since_.elapsed() < kEvery) return;
    since_.restart();
    const auto checked = record();
    const auto& taps = strip_.levels().taps;
    if (!checked || takes_.strip() == &strip_) return set(std::nullopt);
    if (taps.empty() || !taps.front().voice_known || !taps.front().room_known) return;
    auto sound = std::make_shared<RecentInput>(recentInput(strip_, kSeconds));
    if (!sound->enough()) return;
    if (comparison_ && comparison_->record != *checked) set(std::nullopt);
    working_ = true;
    strip_.background().run(
        [sound, checked = *checked, noise = taps.front().room] {
            return since_soundcheck(checked, mono_of(sound->sound), sound->rate, noise);
        },
        [this, checked = *checked](const std::optional<SinceSoundcheck>& since) {
            working_ = false;
            if (!since || record() != checked) return;
            const auto shown = finding();
            auto found = since_finding(*since, shown ? shown->id : std::string_view());
            const std::string id = found ? std::string(found->id) : std::string();
            const bool again = id == candidate_;
            candidate_ = id;
            if (again) set(Comparison{checked, *since, std::move(found)});
        });
}

void SoundcheckFollowUp::set(std::optional<Comparison> comparison) {
    if (!comparison) candidate_.clear();
    comparison_ = std::move(comparison);
    emit changed();
}

}  // namespace reed::ui
