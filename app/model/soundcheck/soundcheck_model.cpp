#include "model/soundcheck/soundcheck_model.h"

#include <QDate>
#include <algorithm>
#include <cmath>

#include "base/decibel.h"
#include "base/file.h"
#include "model/scenes/scene_manager.h"
#include "model/takes/takes_model.h"
#include "soundcheck/report.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {

constexpr double kLevelSeconds = 0.1;  // between two levels of the picture

/// What the simulated room's voice does in a step: its effort by row of its choices, and the tools.
struct RoomPart {
    double effort, tools;
};
constexpr RoomPart kRoomParts[kSoundcheckSteps] = {{0, 0}, {3, 0}, {2, 0}, {4, 0}, {0, 60}};

}  // namespace

SoundcheckModel::SoundcheckModel(AppContext& context, MixerModel& mixer, SceneManager& scenes,
                                 TakesModel& takes)
    : context_(context), mixer_(mixer), scenes_(scenes), takes_(takes) {
    connect(&mixer_, &MixerModel::ticked, this, &SoundcheckModel::tick);
    connect(&work_, &JobRunner::changed, this, [this] {
        if (phase_ == Phase::working) emit moved();
    });
    connect(&mixer_, &MixerModel::stripsChanged, this, [this] {
        // A removed strip stays for a moment, until it has faded out.
        const auto& strips = mixer_.strips();
        if (std::ranges::find(strips, strip_.data()) == strips.end()) close();
    });
}

SoundcheckModel::~SoundcheckModel() {
    work_.drop(job_);
}

QString SoundcheckModel::open() {
    if (phase_ != Phase::closed) return {};
    StripModel& strip = mixer_.current();
    if (strip.liveStrip().role() != StripRole::voice)
        return tr("A soundcheck is for voices. Select a strip with a microphone.");
    strip_ = &strip;
    steps_ = {};
    recordings_ = {};
    result_.reset();
    noise_.reset();
    applied_.reset();
    kept_ = false;
    files_.clear();
    current_ = SoundcheckStep::silence;
    phase_ = Phase::steps;
    // Undo, or a value that is turned, makes it another chain than the proposed one.
    chain_watch_ = connect(&strip.chainModel(), &ChainModel::changed, this, [this] {
        if (phase_ == Phase::results) emit changed();
    });
    emit changed();
    return {};
}

void SoundcheckModel::listenToAll(bool on) {
    if (!on || !strip_) return listener_.reset();
    if (listener_) return;
    listener_ = std::make_unique<QObject>();
    strip_->microphones().listenFor(listener_.get());
}

void SoundcheckModel::close() {
    if (phase_ == Phase::closed) return;
    listenToAll(false);
    work_.drop(job_);
    playRoom({});
    if (looped_) {
        takes_.endComparison();
        takes_.setLooping(false);
    }
    looped_ = false;
    disconnect(chain_watch_);
    phase_ = Phase::closed;
    strip_ = nullptr;
    ring_.reset();
    recordings_ = {};
    emit changed();
}

/// The simulated room's voice follows the steps; with nothing, it is put back as it was.
void SoundcheckModel::playRoom(std::optional<SoundcheckStep> step) {
    if (!strip_) return;
    InputController& input = strip_->input();
    SimulatedRoom* room = input.simulatedRoom();
    if (room == nullptr) return;
    if (!step) {
        if (room_before_.empty()) return;
        for (int c = 0; c < kRoomControls; ++c)
            input.setRoom(static_cast<RoomControl>(c), room_before_[static_cast<size_t>(c)]);
        room_before_.clear();
        return;
    }
    if (room_before_.empty()) {
        for (int c = 0; c < kRoomControls; ++c)
            room_before_.push_back(room->get(static_cast<RoomControl>(c)));
    }
    const RoomPart& part = kRoomParts[static_cast<size_t>(*step)];
    input.setRoom(kRoomEffort, part.effort);
    input.setRoom(kRoomTools, part.tools);
}

void SoundcheckModel::choose(SoundcheckStep step) {
    if (phase_ == Phase::closed || phase_ == Phase::working) return;
    listenToAll(false);
    if (recording()) {
        at(current_) = {};
        recordings_[current_] = {};
        ring_.reset();
    }
    phase_ = Phase::steps;
    current_ = step;
    emit changed();
}

void SoundcheckModel::record() {
    if (phase_ != Phase::steps || !strip_) return;
    if (!strip_->input().status().running) {
        fail(tr("No input signal. Choose a microphone first."));
        return;
    }
    if (anotherInput()) return startAgain();
    if (takes_.looping()) takes_.setLooping(false);
    playRoom(current_);
    at(current_) = {StepState::recording, {}, {}};
    recordings_[current_] = {};
    files_.erase(std::string(step_info(current_).id));
    kept_ = false;
    seconds_ = 0.0;
    // So that another microphone that is spoken into can be named.
    listenToAll(current_ == SoundcheckStep::talk);
    ring_ = strip_->liveStrip().said();
    const double rate = strip_->engine().format().sample_rate;
    // The simulated room needs a moment until it does what the step asks for.
    from_ = ring_->written() +
            (strip_->input().simulatedRoom() != nullptr ? static_cast<std::int64_t>(0.4 * rate) : 0);
    emit changed();
}

/// Whether steps were recorded with another microphone, or in another format.
bool SoundcheckModel::anotherInput() const {
    return recordings_.any() && (!(strip_->input().choice() == input_) ||
                                 strip_->engine().format().sample_rate != recordings_.sample_rate);
}

/// All steps are of one microphone.
void SoundcheckModel::startAgain() {
    steps_ = {};
    recordings_ = {};
    files_.clear();
    noise_.reset();
    current_ = SoundcheckStep::silence;
    context_.notices.warn(
        tr("The input or its sample rate differs from the recorded steps, so the soundcheck "
           "starts again with silence."));
    emit changed();
}

void SoundcheckModel::tick() {
    if (phase_ == Phase::working) emit moved();
    if (phase_ != Phase::steps || !recording()) return;
    // The ring stays if the next input has the same format.
    if (!strip_ || strip_->liveStrip().said() != ring_ || strip_->inputHistoryStart() > from_)
        return fail(tr("The input changed. Repeat this step."));
    const DeviceStatus status = strip_->input().status();
    if (!status.running) return fail(tr("The input stopped. Check its cable, then repeat this step."));
    const double rate = strip_->engine().format().sample_rate;
    seconds_ = std::max(0.0, static_cast<double>(ring_->written() - from_) / rate);
    // One level for each tenth of a second, from the sound itself.
    auto& levels = at(current_).levels;
    const auto piece = static_cast<int>(kLevelSeconds * rate);
    AudioBuffer sound(ring_->channels(), static_cast<size_t>(piece));
    while (static_cast<double>(levels.size() + 1) * piece <= seconds_ * rate) {
        const auto first = from_ + static_cast<std::int64_t>(levels.size()) * piece;
        float peak = 0.0f;
        if (ring_->read(first, piece, sound.block(0, piece).rows.data())) {
            for (int c = 0; c < sound.channels(); ++c) {
                for (const float x : sound[c]) peak = std::max(peak, std::abs(x));
            }
        }
        levels.push_back(static_cast<float>(gain_to_db(static_cast<double>(peak))));
    }
    if (seconds_ >= step_info(current_).seconds) finish();
    emit moved();
}

void SoundcheckModel::stop() {
    if (recording() && strip_) finish();
}

/// What was recorded is checked in the background.
void SoundcheckModel::finish() {
    const double rate = strip_->engine().format().sample_rate;
    const std::int64_t end = ring_->written();
    const auto frames = static_cast<size_t>(std::clamp<std::int64_t>(
        end - from_, 0, static_cast<std::int64_t>(step_info(current_).seconds * rate)));
    AudioBuffer sound(ring_->channels(), frames);
    for (size_t done = 0; done < frames;) {
        const int n = static_cast<int>(std::min<size_t>(8192, frames - done));
        if (!ring_->read(from_ + static_cast<std::int64_t>(done), n, sound.block(done, n).rows.data()))
            return fail(tr("Part of the recording was lost. Repeat this step."));
        done += static_cast<size_t>(n);
    }
    ring_.reset();
    check(std::move(sound), rate);
}

void SoundcheckModel::check(AudioBuffer sound, double rate) {
    at(current_).state = StepState::checking;
    const auto recorded = std::make_shared<AudioBuffer>(std::move(sound));
    const auto silence = std::make_shared<AudioBuffer>(recordings_[SoundcheckStep::silence]);
    job_ = work_.run(
        QString(),
        [recorded, silence, rate, step = current_] {
            return step_problem(step, *recorded, rate, silence.get());
        },
        [this, recorded, rate, step = current_](const std::optional<Finding>& problem) {
            if (phase_ != Phase::steps || at(step).state != StepState::checking) return listenToAll(false);
            if (problem) {
                QString why = Words::of(*problem);
                // Most often it is the wrong microphone.
                if (problem->id == "no_speech" || problem->id == "nothing_heard") {
                    const QString other = strip_ ? strip_->microphones().trouble() : QString();
                    if (!other.isEmpty()) why += ' ' + other;
                }
                current_ = step;
                return fail(why);
            }
            listenToAll(false);
            recordings_.sample_rate = rate;
            if (strip_) input_ = strip_->input().choice();
            take(step, std::move(*recorded));
            if (step == current_) next();
        });
    emit changed();
}

void SoundcheckModel::take(SoundcheckStep step, AudioBuffer sound) {
    recordings_[step] = std::move(sound);
    at(step).state = StepState::done;
    if (step == SoundcheckStep::silence) noise_ = rms_dbfs(mono_of(recordings_[step]));
}

void SoundcheckModel::fail(const QString& why) {
    listenToAll(false);
    ring_.reset();
    at(current_).state = StepState::failed;
    at(current_).problem = why;
    emit changed();
}

void SoundcheckModel::skip() {
    if (phase_ != Phase::steps || step_info(current_).required || at(current_).state == StepState::checking)
        return;
    at(current_) = {StepState::skipped, {}, {}};
    recordings_[current_] = {};
    files_.erase(std::string(step_info(current_).id));
    ring_.reset();
    next();
}

bool SoundcheckModel::complete() const {
    return std::ranges::all_of(soundcheck_steps(), [this](const StepInfo& info) {
        return !info.required || at(info.step).state == StepState::done;
    });
}

/// The next step that waits; after the last one, the results.
void SoundcheckModel::next() {
    for (const StepInfo& info : soundcheck_steps()) {
        const StepState s = at(info.step).state;
        if (s != StepState::waiting && s != StepState::failed) continue;
        current_ = info.step;
        emit changed();
        return;
    }
    analyse();
}

void SoundcheckModel::analyse() {
    if (phase_ == Phase::working || !complete() || !strip_) return;
    playRoom({});
    phase_ = Phase::working;
    progress_ = std::make_shared<std::atomic<float>>(0.0f);
    const auto recordings = std::make_shared<StepRecordings>(recordings_);
    using Answer = Result<std::shared_ptr<Outcome>>;
    job_ = work_.run(
        QString(),
        [recordings, done = progress_,
         target = context_.preferences.target()](const Progress& progress) -> Answer {
            const auto report = [&](double from, double to) {
                return Progress([&progress, done, from, to](double part) {
                    *done = static_cast<float>(from + (to - from) * part);
                    return progress(from + (to - from) * part);
                });
            };
            auto out = std::make_shared<Outcome>();
            auto facts = analyse_steps(*recordings, report(0.0, 0.25));
            if (!facts.ok()) return facts.error();
            auto steps = StepSound::join(*recordings, report(0.25, 0.3));
            if (!steps.ok()) return steps.error();
            auto proposal = propose_chain(facts.value(), steps.value(), target, 2, report(0.3, 1.0));
            if (!proposal.ok()) return proposal.error();
            out->facts = std::move(facts.value());
            out->steps = std::make_shared<StepSound>(std::move(steps.value()));
            out->proposal = std::move(proposal.value());
            return out;
        },
        [this](const Answer& answer) {
            if (phase_ != Phase::working) return;
            if (!answer.ok()) {
                phase_ = Phase::steps;
                context_.notices.tell(answer.error());
                emit changed();
                return;
            }
            result_ = *answer.value();
            findings_ = soundcheck_findings(result_->facts);
            on_.assign(result_->proposal.lines.size(), true);
            applied_.reset();
            phase_ = Phase::results;
            emit changed();
        });
    emit changed();
}

void SoundcheckModel::cancel() {
    if (phase_ != Phase::working) return;
    work_.drop(job_);
    phase_ = Phase::steps;
    emit changed();
}

void SoundcheckModel::setOn(size_t line, bool on) {
    if (phase_ != Phase::results || line >= on_.size() || on_[line] == on) return;
    on_[line] = on;
    work_.drop(job_);  // which would use the lines of before
    applied_.reset();
    emit changed();
}

void SoundcheckModel::apply() {
    if (phase_ != Phase::results || !strip_) return;
    if (std::ranges::all_of(on_, [](bool on) { return on; })) {
        use(result_->proposal.chain);
        return;
    }
    // The rest has to reach the target without the lines that are off.
    work_.drop(job_);
    job_ = work_.run(
        tr("Setting the loudness"),
        [proposal = result_->proposal, on = on_, steps = result_->steps](const Progress&) {
            return chain_with_lines(proposal, on, *steps);
        },
        [this](const Result<ChainSpec>& chain) {
            if (phase_ != Phase::results || !strip_) return;
            if (!chain.ok()) return context_.notices.tell(chain.error());
            use(chain.value());
        });
}

void SoundcheckModel::use(const ChainSpec& chain) {
    applied_ = chain;
    strip_->chainModel().setChain(chain, tr("Soundcheck"));
    keep();
    emit changed();
}

void SoundcheckModel::applyAlone(size_t line) {
    if (phase_ != Phase::results || !strip_ || line >= result_->proposal.lines.size()) return;
    work_.drop(job_);
    const ChainSpec chain = with_line(strip_->chainModel().chain(), result_->proposal, line);
    const SoundcheckLine& wanted = result_->proposal.lines[line];
    strip_->chainModel().setChain(
        chain, tr("Soundcheck: %1").arg(QString::fromStdString(line_title(result_->proposal.chain, wanted))));
    keep();
    emit changed();
}

bool SoundcheckModel::applied() const {
    return phase_ == Phase::results && strip_ && applied_ && strip_->chainModel().chain() == *applied_;
}

void SoundcheckModel::compare() {
    if (phase_ != Phase::results || !applied() || takes_.chosen().path.empty()) return;
    if (takes_.comparing()) {
        takes_.endComparison();
        takes_.setLooping(false);
        looped_ = false;
        emit changed();
        return;
    }
    takes_.setLooping(true);
    looped_ = true;
    takes_.compare({ComparisonTarget::What::plain, {}});
    emit changed();
}

void SoundcheckModel::saveReport(const QString& file) {
    if (phase_ != Phase::results || file.isEmpty()) return;
    const bool json = file.endsWith(".json", Qt::CaseInsensitive);
    const std::string text = json ? soundcheck_json(result_->facts, &result_->proposal)
                                  : soundcheck_text(result_->facts, &result_->proposal);
    const auto written = write_file(file.toStdString(), text + "\n");
    if (!written.ok()) return context_.notices.tell(written.error());
    context_.notices.say(tr("Report saved as %1.").arg(file));
}

}  // namespace reed::ui
