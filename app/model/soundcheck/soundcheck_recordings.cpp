// The part of the soundcheck that uses recordings of before, and keeps those of now.
#include "model/scenes/scene_manager.h"
#include "model/soundcheck/soundcheck_follow_up.h"
#include "model/soundcheck/soundcheck_model.h"
#include "model/takes/takes_model.h"
#include "soundcheck/since_soundcheck.h"

namespace reed::ui {

QString SoundcheckModel::repeat(SoundcheckStep step) {
    QString why = open();
    if (!why.isEmpty() || phase_ != Phase::steps) return why;
    useEarlier(step);
    choose(step);
    return {};
}

std::optional<SoundcheckRecord> SoundcheckModel::earlier() const {
    return strip_ ? lastSoundcheck(mixer_, *strip_) : std::nullopt;
}

bool SoundcheckModel::canUseEarlier() const {
    const auto record = earlier();
    return phase_ == Phase::steps && record && !record->takes.empty() &&
           std::ranges::all_of(steps_, [](const Step& s) { return s.state == StepState::waiting; });
}

void SoundcheckModel::useEarlier(std::optional<SoundcheckStep> except) {
    const auto record = earlier();
    if (!record || phase_ != Phase::steps) return;
    const std::filesystem::path folder = takes_.store().folder();
    for (const StepInfo& info : soundcheck_steps()) {
        if (info.step == except || at(info.step).state != StepState::waiting) continue;
        const auto take = record->takes.find(std::string(info.id));
        if (take == record->takes.end()) {
            if (!info.required) at(info.step).state = StepState::skipped;
            continue;
        }
        // Only the name: a scene from another computer must not read other files.
        const std::filesystem::path file = folder / std::filesystem::path(take->second).filename();
        at(info.step).state = StepState::checking;
        work_.run(
            QString(), [file] { return load(file); },
            [this, step = info.step, strip = strip_,
             name = file.filename().string()](Result<Loaded> recording) {
                if (phase_ != Phase::steps || strip_ != strip || at(step).state != StepState::checking)
                    return;
                if (recording.ok()) files_[std::string(step_info(step).id)] = name;
                loaded(step, std::move(recording));
            });
    }
    emit changed();
}

Result<SoundcheckModel::Loaded> SoundcheckModel::load(const std::filesystem::path& file) {
    const Take take = read_take(file);
    if (!take.problem.empty()) return Error{take.problem, file.string(), ""};
    const auto most = static_cast<std::int64_t>(kMaxStepSeconds * take.info.sample_rate);
    auto sound = read_sound_part(file, 0, std::min(most, take.info.frames));
    if (!sound.ok()) return sound.error();
    return Loaded{std::move(sound.value()), take.info.sample_rate};
}

/// A recording of an earlier soundcheck, which was checked then.
void SoundcheckModel::loaded(SoundcheckStep step, Result<Loaded> recording) {
    if (recording.ok() && recordings_.any() && recording.value().sample_rate != recordings_.sample_rate)
        recording = Error{"has another sample rate than the other steps.", std::string(step_info(step).title),
                          "Record this step again."};
    if (!recording.ok()) {
        at(step) = {};
        context_.notices.tell(recording.error());
        emit changed();
        return;
    }
    recordings_.sample_rate = recording.value().sample_rate;
    if (strip_) input_ = strip_->input().choice();
    take(step, std::move(recording.value().sound));
    emit changed();
}

void SoundcheckModel::useFile(const std::filesystem::path& file) {
    if (phase_ != Phase::steps || !strip_ || recording() || at(current_).state == StepState::checking) return;
    at(current_) = {StepState::checking, {}, {}};
    recordings_[current_] = {};
    files_.erase(std::string(step_info(current_).id));
    kept_ = false;
    work_.run(
        QString(), [file] { return load(file); },
        [this, step = current_, strip = strip_](Result<Loaded> recording) {
            if (phase_ != Phase::steps || strip_ != strip || at(step).state != StepState::checking) return;
            current_ = step;
            if (!recording.ok()) return fail(QString::fromStdString(recording.error().text()));
            if (recordings_.any() && recording.value().sample_rate != recordings_.sample_rate)
                return fail(tr("This recording has %1 kHz, the other steps have %2 kHz. Use one sample rate.")
                                .arg(recording.value().sample_rate / 1000.0)
                                .arg(recordings_.sample_rate / 1000.0));
            check(std::move(recording.value().sound), recording.value().sample_rate);
        });
    emit changed();
}

/// What was measured belongs to the strip in the scene, to be compared with later. The steps become takes, so
/// that the chain can be tuned by them; those that are takes stay what they are.
void SoundcheckModel::keep() {
    const SoundcheckRecord record =
        soundcheck_record(result_->facts, strip_->input().title().toStdString(), files_);
    const std::string strip_id = strip_->chainModel().spec().id;
    scenes_.noteSoundcheck(strip_id, record);
    if (kept_) return;
    kept_ = true;
    const auto recordings = std::make_shared<StepRecordings>(recordings_);
    TakeNotes notes;
    notes.strip = strip_->name().toStdString();
    notes.device = record.microphone;
    notes.date = record.date;
    using Kept = std::map<std::string, Take>;  // by id of the step
    work_.run(
        QString(),
        [recordings, notes, files = files_, store = takes_.store()]() -> Result<Kept> {
            Kept out;
            for (const StepInfo& info : soundcheck_steps()) {
                if (!recordings->has(info.step)) continue;
                const std::string id(info.id);
                TakeNotes n = notes;
                n.name = "Soundcheck: " + std::string(info.title);
                auto kept = files.contains(id)
                                ? Result<Take>(read_take(store.folder() / files.at(id)))
                                : store.keep((*recordings)[info.step], recordings->sample_rate, n);
                if (!kept.ok()) return kept.error();
                out[id] = std::move(kept.value());
            }
            return out;
        },
        [this, strip = strip_, strip_id, record](const Result<Kept>& kept) {
            if (!kept.ok()) return context_.notices.tell(kept.error());
            takes_.refresh();
            SoundcheckRecord with_takes = record;
            for (const auto& [id, take] : kept.value()) with_takes.takes[id] = take.path.filename().string();
            // Also after the page was closed, but not over another soundcheck or scene.
            const auto& all = mixer_.metadata().soundchecks;
            const auto there = all.find(strip_id);
            if (there != all.end() && there->second.date == record.date)
                scenes_.noteSoundcheck(strip_id, with_takes);
            if (strip_ != strip || phase_ != Phase::results) return;
            files_ = with_takes.takes;
            takes_.choose(kept.value().at("talk"));
            emit changed();
        });
}

}  // namespace reed::ui
