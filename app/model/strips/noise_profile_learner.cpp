#include "model/strips/noise_profile_learner.h"

#include <algorithm>
#include <optional>

#include "model/chain/chain_model.h"
#include "model/devices/input_controller.h"
#include "widgets/input.h"
#include "widgets/words.h"

namespace reed::ui {

NoiseProfileLearner::NoiseProfileLearner(Engine& engine, ChainModel& chain, InputController& input,
                                         Background& background, Notifications& notices)
    : engine_(engine), chain_(chain), input_(input), background_(background), notices_(notices) {}

double NoiseProfileLearner::left() const {
    if (state_ != State::listening) return 0.0;
    // By the sound that came in, not by the clock: a source that stalls does not count.
    const auto heard = static_cast<double>(heard_.waiting());
    return std::max(0.0, seconds_ - heard / engine_.format().sample_rate);
}

void NoiseProfileLearner::start(const std::string& stage, double seconds) {
    const StageSpec* s = chain_.stage(stage);
    const LearningSpec* teaching = s == nullptr ? nullptr : s->stage_kind().teaching;
    if (state_ != State::idle || teaching == nullptr) return;
    if (!input_.status().running) {
        notices_.warn(tr("No input signal, so nothing can be learned. Choose an input first."));
        return;
    }
    seconds_ = seconds <= 0.0 ? teaching->usual_seconds
                              : std::clamp(seconds, teaching->least_seconds, teaching->most_seconds);
    stage_ = stage;
    state_ = State::listening;
    ++job_;
    heard_ = RingReader(engine_.input_history());
    emit changed();
}

void NoiseProfileLearner::cancel() {
    if (state_ == State::idle) return;
    end();
    notices_.say(tr("Learning cancelled. The previous noise profile is unchanged."));
}

void NoiseProfileLearner::end() {
    ++job_;
    state_ = State::idle;
    stage_.clear();
    emit changed();
}

void NoiseProfileLearner::poll() {
    if (state_ == State::idle) return;
    const bool restarted = heard_.follow(engine_.input_history());  // another input
    if (chain_.stage(stage_) == nullptr || (state_ == State::listening && restarted)) {
        end();
        return;
    }
    if (state_ != State::listening) return;
    if (left() > 0.0)
        emit changed();
    else
        learn();
}

/// Runs `work` on the newest `seconds` of sound before the stage, and `then` with its answer, unless it was
/// cancelled.
template <typename Work, typename Then>
void NoiseProfileLearner::onSoundBefore(double seconds, Work work, Then then) {
    state_ = State::working;
    const int job = ++job_;
    emit changed();
    const int index = chain_.chain().index_of(stage_);
    background_.run(
        [engine = &engine_, chain = chain_.chain(), index, seconds, work] {
            const auto sound =
                engine->chain().render_before_stage(chain, static_cast<size_t>(index), seconds);
            return work(sound, engine->format().sample_rate);
        },
        [this, job, stage = stage_, then](const auto& answer) {
            if (job != job_) return;
            end();
            if (chain_.stage(stage) != nullptr) then(stage, answer);
        });
}

void NoiseProfileLearner::learn() {
    const LearningSpec* teaching = chain_.stage(stage_)->stage_kind().teaching;
    onSoundBefore(
        seconds_,
        [teaching](const std::vector<float>& sound, double rate) { return teaching->learn(sound, rate); },
        [this, teaching](const std::string& stage, const Result<LearnedData>& learnt) {
            if (!learnt.ok()) {
                notices_.tell(learnt.error());
                return;
            }
            const Quantity level{teaching->level(learnt.value())};
            chain_.teach(
                stage, learnt.value(),
                tr("Learned %1 at %2 dBFS").arg(text(teaching->title), QString::number(level.value, 'f', 0)));
            notices_.say(Words::spelt(teaching->learnt, {&level, 1}));
        });
}

void NoiseProfileLearner::search(const std::string& stage) {
    const StageSpec* s = chain_.stage(stage);
    if (state_ != State::idle || s == nullptr || s->stage_kind().search == nullptr) return;
    stage_ = stage;
    const Search* search = s->stage_kind().search;
    onSoundBefore(
        search->most_seconds,
        [search](const std::vector<float>& sound, double rate) {
            if (static_cast<double>(sound.size()) < search->least_seconds * rate)
                return Finding{"too_little", FindingTone::warning, search->too_little, {}, {}};
            return search->look(sound, rate);
        },
        [this](const std::string& id, const Finding& found) {
            if (found.proposal) chain_.apply(id, *found.proposal, Words::of(*found.proposal));
            notices_.tell(Words::of(found), found.tone == FindingTone::warning);
        });
}

}  // namespace reed::ui
