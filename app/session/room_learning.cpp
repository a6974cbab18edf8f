#include "session/room_learning.h"

#include <algorithm>
#include <optional>

#include "session/session.h"
#include "stages/suppression.h"
#include "suppression/hum.h"

namespace reed::ui {

RoomLearning::RoomLearning(Session& session) : QObject(&session), session_(session) {
    connect(&session_, &Session::ticked, this, &RoomLearning::tick);
}

double RoomLearning::left() const {
    if (state_ != State::listening) return 0.0;
    // By the sound that came in, not by the clock: a source that stalls does not count.
    const auto heard = static_cast<double>(heard_.waiting());
    return std::max(0.0, seconds_ - heard / session_.engine().format().sample_rate);
}

void RoomLearning::start(const std::string& stage, double seconds) {
    if (state_ != State::idle || session_.stage(stage) == nullptr) return;
    if (!session_.deviceStatus().running) {
        emit session_.message(tr("No sound comes in, so there is no room to learn. Choose an input first."),
                              true);
        return;
    }
    seconds_ = std::clamp(seconds, kLeastToneSeconds, kMostToneSeconds);
    stage_ = stage;
    state_ = State::listening;
    ++job_;
    heard_ = RingReader(session_.engine().input_history());
    emit changed();
}

void RoomLearning::cancel() {
    if (state_ == State::idle) return;
    end();
    emit session_.message(tr("Learning was cancelled; nothing has changed."), false);
}

void RoomLearning::end() {
    ++job_;
    state_ = State::idle;
    stage_.clear();
    emit changed();
}

void RoomLearning::tick() {
    if (state_ == State::idle) return;
    const bool restarted = heard_.follow(session_.engine().input_history());  // another input
    if (session_.stage(stage_) == nullptr || (state_ == State::listening && restarted)) {
        end();
        return;
    }
    if (state_ != State::listening) return;
    if (left() > 0.0)
        emit changed();
    else
        learn();
}

void RoomLearning::learn() {
    state_ = State::working;
    emit changed();
    const int job = job_;
    const int index = session_.chain().index_of(stage_);
    session_.background().run(
        [engine = &session_.engine(), chain = session_.chain(), index, wanted = seconds_] {
            const auto sound = engine->chain().sound_before(chain, static_cast<size_t>(index), wanted);
            return learn_room_tone(sound, engine->format().sample_rate);
        },
        [this, job](const Result<RoomTone>& learnt) {
            if (job != job_) return;
            const std::string stage = stage_;
            end();
            if (!learnt.ok()) {
                session_.tell(learnt.error());
                return;
            }
            const RoomTone& tone = learnt.value();
            const QString level = QString::number(tone.level(), 'f', 0);
            session_.setTone(stage, tone, tr("Suppression: room tone of %1 dBFS learnt").arg(level));
            emit session_.message(
                tr("The room has been learnt: %1 dBFS. Learn it again when it sounds different.").arg(level),
                false);
        });
}

void RoomLearning::findHum(const std::string& stage) {
    if (state_ != State::idle || session_.stage(stage) == nullptr) return;
    stage_ = stage;
    state_ = State::working;
    const int job = ++job_;
    emit changed();
    const int index = session_.chain().index_of(stage);
    session_.background().run(
        [engine = &session_.engine(), chain = session_.chain(), index] {
            const auto sound =
                engine->chain().sound_before(chain, static_cast<size_t>(index), kMostToneSeconds);
            return std::pair(find_hum(sound, engine->format().sample_rate), sound.size());
        },
        [this, job, stage](const std::pair<std::optional<Hum>, size_t>& answer) {
            if (job != job_) return;
            end();
            const StageSpec* s = session_.stage(stage);
            if (s == nullptr) return;
            const auto& [hum, heard] = answer;
            if (static_cast<double>(heard) < 2.0 * session_.engine().format().sample_rate) {
                emit session_.message(
                    tr("Too little has been heard to find hum. Wait two seconds and try again."), true);
                return;
            }
            if (!hum) {
                emit session_.message(
                    tr("No hum found in the last seconds. If you hear one, stay silent and try "
                       "again."),
                    false);
                return;
            }
            const StageKind& kind = s->stage_kind();
            StageSpec next = *s;
            const Parameter& at = kind.parameters[static_cast<size_t>(kind.find("hum_frequency"))];
            next.set("hum", 1.0);
            next.set("hum_frequency", round_value(at, hum->frequency));
            next.set("hum_tones", hum->tones);
            session_.setValues(stage, next.values,
                               tr("Suppression: hum filter at %1 Hz").arg(hum->frequency, 0, 'f', 1), {});
            emit session_.message(tr("Hum found at %1 Hz with %2 tones, %3 dBFS; its filter is on.")
                                      .arg(hum->frequency, 0, 'f', 1)
                                      .arg(hum->tones)
                                      .arg(hum->level, 0, 'f', 0),
                                  false);
        });
}

}  // namespace reed::ui
