#include "session/soundcheck_follow_up.h"

#include "session/adaptation_model.h"
#include "session/session.h"
#include "session/takes_model.h"

namespace reed::ui {

SoundcheckFollowUp::SoundcheckFollowUp(Session& strip) : QObject(&strip), strip_(strip) {
    since_.start();
    connect(&strip_, &Session::readingsChanged, this, &SoundcheckFollowUp::tick);
    connect(&strip_.devices(), &Devices::inputChanged, this, [this] {
        candidate_.clear();
        since_.restart();
        set(std::nullopt);
    });
}

std::optional<SoundcheckRecord> SoundcheckFollowUp::record() const {
    const auto& all = strip_.first().strip().scene().soundchecks;
    const auto found = all.find(strip_.strip().spec().id);
    if (found == all.end() || found->second.microphone != strip_.devices().inputTitle().toStdString())
        return std::nullopt;
    return found->second;
}

void SoundcheckFollowUp::tick() {
    if (working_ || since_.elapsed() < kEvery) return;
    since_.restart();
    const auto checked = record();
    const auto& taps = strip_.levels().taps;
    if (!checked || strip_.takes().strip() == &strip_) {
        candidate_.clear();
        return set(std::nullopt);
    }
    if (taps.empty() || !taps.front().voice_known || !taps.front().room_known) return;
    auto sound = std::make_shared<RecentInput>(recentInput(strip_, kSeconds));
    if (!sound->enough()) return;
    working_ = true;
    strip_.background().run(
        [sound, checked = *checked, noise = taps.front().room] {
            return since_soundcheck(checked, mono_of(sound->sound), sound->rate, noise);
        },
        [this, checked = *checked](const std::optional<SinceSoundcheck>& since) {
            working_ = false;
            // Another soundcheck or scene meanwhile.
            if (!since || record() != checked) return;
            auto found = since_finding(*since, finding_ ? finding_->id : std::string_view());
            const std::string id = found ? std::string(found->id) : std::string();
            const bool again = id == candidate_;
            candidate_ = id;
            if (!again) return;
            moved_ = since->speech;
            set(std::move(found));
        });
}

void SoundcheckFollowUp::set(std::optional<Finding> finding) {
    const bool same = finding.has_value() == finding_.has_value() &&
                      (!finding || (finding->id == finding_->id && finding->words == finding_->words));
    if (same) return;
    finding_ = std::move(finding);
    emit changed();
}

}  // namespace reed::ui
