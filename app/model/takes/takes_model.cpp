#include "model/takes/takes_model.h"

#include <QDateTime>
#include <algorithm>
#include <cmath>

#include "base/file.h"
#include "model/scenes/scene_manager.h"
#include "model/strips/monitor_controller.h"

namespace reed::ui {
namespace {

constexpr double kShortest = 0.2;                       // seconds of a part
constexpr int kCompareAfter = 250, kReportAfter = 700;  // ms after the last change
constexpr int kPiece = 8192;

/// What the chain makes of its beginning.
Result<TakeReport> reportOf(const Take& take, const ChainSpec& chain, const Progress& progress) {
    const double rate = take.info.sample_rate;
    auto sound = read_sound_part(take.path, 0, std::llround(TakesModel::mostReported(take) * rate));
    if (!sound.ok()) return sound.error();
    return report_on(sound.value(), rate, chain, progress);
}

}  // namespace

TakesModel::TakesModel(AppContext& context, MixerModel& mixer, SceneManager& scenes)
    : context_(context),
      mixer_(mixer),
      scenes_(scenes),
      recorder_(context.notices),
      store_(context.paths.takes.empty() ? context.paths.scenes.parent_path() / "takes"
                                         : context.paths.takes) {
    compare_later_.setSingleShot(true);
    compare_later_.setInterval(kCompareAfter);
    connect(&compare_later_, &QTimer::timeout, this, &TakesModel::renderComparison);
    report_later_.setSingleShot(true);
    report_later_.setInterval(kReportAfter);
    connect(&report_later_, &QTimer::timeout, this, &TakesModel::renderReport);
    connect(&mixer_, &MixerModel::ticked, this, &TakesModel::follow);
    connect(&work_, &JobRunner::ended, this, [this](int ticket, const QString& words) {
        context_.notices.say(tr("Cancelled: %1.").arg(words));
        if (ticket == compare_) endComparison();
    });
    const auto again = [this] {
        if (comparing()) compare_later_.start();
        if (!chosen_.path.empty()) report_later_.start();
    };
    connect(&mixer_, &MixerModel::changed, this, again);
    connect(&mixer_, &MixerModel::focusChanged, this, again);
    connect(&mixer_, &MixerModel::stripsChanged, this, [this] {
        const auto& strips = mixer_.strips();
        if (strip_ != nullptr && std::ranges::find(strips, strip_.data()) == strips.end()) setLooping(false);
    });
}

TakesModel::~TakesModel() {
    // Keeps a recording in progress, and waits for files that are being written.
    stopRecording();
    work_.drop(compare_);
}

StripModel& TakesModel::worked() const {
    return strip_ != nullptr ? *strip_ : mixer_.current();
}

// --- the list ---

void TakesModel::refresh() {
    work_.drop(listing_);
    listing_ = work_.run(
        {}, [store = store_] { return store.list(); },
        [this](std::vector<Take> all) {
            all_ = std::move(all);
            emit listChanged();
            outlines_.want(all_);
        });
}

void TakesModel::choose(const Take& take) {
    if (!take.problem.empty()) {
        context_.notices.warn(
            tr("%1: %2").arg(QString::fromStdString(take.notes.name), QString::fromStdString(take.problem)));
        return;
    }
    chosen_ = take;
    from_ = 0.0;
    to_ = take.path.empty() ? 0.0 : take.seconds();
    report_.reset();
    work_.drop(rendering_);
    if (looping()) take.path.empty() ? setLooping(false) : load();
    if (!take.path.empty()) report_later_.start(0);
    emit chosenChanged();
    emit reportChanged();
}

/// A take was made, or changed: it is chosen.
void TakesModel::take(Result<Take> made, const QString& said) {
    if (!made.ok()) {
        context_.notices.tell(made.error());
        return refresh();
    }
    if (!said.isEmpty()) context_.notices.say(said.arg(QString::fromStdString(made.value().notes.name)));
    refresh();
    choose(made.value());
}

template <typename Work>
void TakesModel::change(const QString& words, const QString& said, Work work) {
    work_.run(words, std::move(work), [this, said](Result<Take> made) { take(std::move(made), said); });
}

struct TakesModel::Kept {
    std::shared_ptr<const HistoryRing> ring;
    std::int64_t end = 0;
    StreamFormat format;
    TakeNotes notes;
};

Result<Take> TakesModel::keepOne(const TakeStore& store, const Kept& kept, double seconds) {
    const auto wanted = static_cast<std::int64_t>(seconds * kept.format.sample_rate);
    std::int64_t at = std::max<std::int64_t>(0, kept.end - wanted);
    AudioBuffer sound(kept.format.channels, static_cast<size_t>(kept.end - at));
    for (size_t done = 0; at < kept.end;) {
        const int n = static_cast<int>(std::min<std::int64_t>(kPiece, kept.end - at));
        if (!kept.ring->read(at, n, sound.block(done, n).rows.data()))
            return Error{"The audio was overwritten before it could be saved (system overloaded).",
                         kept.notes.strip, "Save it again."};
        at += n;
        done += static_cast<size_t>(n);
    }
    return store.keep(sound, kept.format.sample_rate, kept.notes);
}

QString TakesModel::keep(double seconds, bool every) {
    std::vector<Kept> kept;
    const QString now = QDateTime::currentDateTime().toString("yyyy-MM-dd hh.mm.ss");
    for (StripModel* s : meant(every)) {
        Kept k{s->liveStrip().said(), 0, s->engine().format(), {}};
        k.end = k.ring->written();
        const bool several = mixer_.strips().size() > 1;
        k.notes = {(several ? s->name() + " " + now : now).toStdString(), s->name().toStdString(),
                   s->input().title().toStdString(), date_now(), ""};
        if (k.end > 0) kept.push_back(std::move(k));
    }
    if (kept.empty()) return tr("Nothing to save yet. Try again when the input has a signal.");
    work_.run(
        tr("Saving take"),
        [store = store_, kept, seconds] {
            std::vector<Result<Take>> made;
            made.reserve(kept.size());
            for (const Kept& k : kept) made.push_back(keepOne(store, k, seconds));
            return made;
        },
        [this](std::vector<Result<Take>> made) {
            for (size_t i = made.size(); i-- > 0;) take(std::move(made[i]), i == 0 ? tr("Saved as %1.") : "");
        });
    return {};
}

// --- recording ---

std::vector<StripModel*> TakesModel::meant(bool every) const {
    std::vector<StripModel*> out;
    for (StripModel* s : mixer_.strips()) {
        const bool wanted = every ? s->liveStrip().role() == StripRole::voice : s == &mixer_.current();
        if (wanted && s->input().isAttached()) out.push_back(s);
    }
    return out;
}

QString TakesModel::record(bool every) {
    if (recording()) {
        stopRecording();
        return {};
    }
    const auto strips = meant(every);
    if (strips.empty()) return tr("Nothing to record yet. Try again when the input has a signal.");
    recorder_.start(strips, store_.folder());
    emit recordingChanged();
    return recording() ? QString() : tr("Recording could not be started; another message says why.");
}

void TakesModel::stopRecording() {
    for (const auto& recording : recorder_.stop()) takeIn(recording, tr("Saved as %1."));
    emit recordingChanged();
}

void TakesModel::recoverUnfinished() {
    for (const auto& path : TakeRecorder::leftIn(store_.folder()))
        takeIn(path, tr("Recovered an unfinished recording as %1."));
}

void TakesModel::takeIn(const std::filesystem::path& recording, const QString& said) {
    change(tr("Saving the recording"), said,
           [store = store_, recording] { return TakeRecorder::takeIn(store, recording); });
}

// --- the selected take ---

void TakesModel::import(const QString& file) {
    const std::filesystem::path path = file.toStdString();
    change(tr("Importing %1").arg(QString::fromStdString(path.filename())), tr("Imported as %1."),
           [store = store_, path](const Progress& progress) { return store.import(path, progress); });
}

void TakesModel::exportTo(const QString& file, bool processed) {
    if (chosen_.path.empty()) return;
    const ChainSpec chain = without_transients(worked().chainModel().chain());
    writeFile(file, [store = store_, take = chosen_, path = std::filesystem::path(file.toStdString()), chain,
                     processed](const Progress& progress) {
        return store.write_out(take, path, processed ? &chain : nullptr, progress);
    });
}

void TakesModel::exportBoth(const QString& file) {
    const std::filesystem::path plain = file.toStdString();
    exportTo(file, false);
    const std::string made =
        plain.stem().string() + tr(" through the chain").toStdString() + plain.extension().string();
    exportTo(QString::fromStdString(unique_path(plain.parent_path() / made).string()), true);
}

void TakesModel::writeFile(const QString& file, std::function<Result<void>(const Progress&)> write) {
    const std::filesystem::path path = file.toStdString();
    work_.run(tr("Exporting %1").arg(QString::fromStdString(path.filename())), std::move(write),
              [this, file](const Result<void>& done) {
                  if (done.ok())
                      context_.notices.say(tr("Written: %1").arg(file));
                  else
                      context_.notices.tell(done.error());
              });
}

void TakesModel::remove() {
    if (chosen_.path.empty()) return;
    const auto gone = store_.remove(chosen_);
    if (!gone.ok()) {
        context_.notices.tell(gone.error());
        return refresh();
    }
    removed_ = gone.value();
    context_.notices.say(tr("Removed %1. Choose Restore removed take to undo.")
                             .arg(QString::fromStdString(chosen_.notes.name)));
    choose({});
    refresh();
}

void TakesModel::restoreRemoved() {
    if (removed_.empty()) return;
    take(store_.bring_back(std::exchange(removed_, {})), {});
}

void TakesModel::rename(const QString& name) {
    if (chosen_.path.empty() || name.trimmed().isEmpty()) return;
    change(tr("Renaming"), {},
           [store = store_, take = chosen_, to = name.trimmed().toStdString()](const Progress& progress) {
               return store.rename(take, to, progress);
           });
}

void TakesModel::trim() {
    if (chosen_.path.empty()) return;
    const double rate = chosen_.info.sample_rate;
    change(tr("Trimming"), tr("Trimmed %1. The original is in the “removed” folder."),
           [store = store_, take = chosen_, first = std::llround(from_ * rate),
            count = std::llround((to_ - from_) * rate)](const Progress& progress) {
               return store.trim(take, first, count, progress);
           });
}

void TakesModel::writeReport(const QString& file) {
    if (chosen_.path.empty()) return;
    writeFile(
        file,
        [take = chosen_, chain = without_transients(worked().chainModel().chain()), scene = mixer_.name(),
         path = std::filesystem::path(file.toStdString())](const Progress& progress) -> Result<void> {
            auto report = reportOf(take, chain, progress);
            if (!report.ok()) return report.error();
            return write_file(path, report_page(report.value(), take, chain, scene));
        });
}

// --- the loop ---

void TakesModel::setPart(double from, double to) {
    const double all = chosen_.path.empty() ? 0.0 : chosen_.seconds();
    double begin = std::clamp(std::min(from, to), 0.0, all), end = std::clamp(std::max(from, to), 0.0, all);
    if (end - begin < kShortest) {
        begin = 0.0;
        end = all;
    }
    if (begin == from_ && end == to_) return;
    from_ = begin;
    to_ = end;
    if (looping()) load();
    emit loopChanged();
}

void TakesModel::setLooping(bool on) {
    if (!on) {
        work_.drop(load_);
        if (strip_ == nullptr) return;
        endComparison();
        StripModel& s = *strip_;
        s.liveStrip().takes().stop(s.liveStrip().latency());
        if (monitored_ && s.monitoring().settings().source != MonitorSource::off) s.monitoring().toggle();
        monitored_ = false;
        strip_ = nullptr;
        loop_.reset();
        emit loopChanged();
        return;
    }
    if (chosen_.path.empty()) {
        context_.notices.warn(tr("No take to loop. Save one first."));
        return;
    }
    if (looping()) return;
    strip_ = &mixer_.current();
    // From the press on, not only from when the file has been read.
    strip_->liveStrip().reserve_for_take();
    // A loop needs the headphones.
    monitored_ = strip_->monitoring().settings().source == MonitorSource::off;
    if (monitored_) strip_->monitoring().toggle();
    load();
    emit loopChanged();
}

void TakesModel::setAloud(bool aloud) {
    if (aloud == aloud_) return;
    aloud_ = aloud;
    if (looping()) strip_->liveStrip().takes().set_aloud(aloud);
    emit loopChanged();
}

QString TakesModel::silenceText() const {
    return mixer_.count(StripRole::voice) > 1 ? tr("Take looping: %1 is muted").arg(worked().name())
                                              : tr("Take looping: no output");
}

/// The part of the chosen take at the strip's rate.
void TakesModel::load() {
    work_.drop(load_);
    const StreamFormat format = strip_->engine().format();
    load_ = work_.run(
        tr("Loading"),
        [take = chosen_, from = from_, to = to_, format] { return load_loop(take, from, to, format); },
        [this, format](Result<std::shared_ptr<Loop>> loaded) {
            if (strip_ == nullptr) return;
            if (!loaded.ok()) {
                context_.notices.tell(loaded.error());
                return setLooping(false);
            }
            if (!(strip_->engine().format() == format)) return load();  // the input was reopened
            loop_rate_ = format.sample_rate;
            loop_ = std::move(loaded.value());
            restartLoop();
            if (comparing()) renderComparison();
        });
}

void TakesModel::restartLoop() {
    if (!loop_ || strip_ == nullptr) return;
    TakePlayer& player = strip_->liveStrip().takes();
    player.compare(nullptr);
    player.play(loop_, std::max<std::int64_t>(0, player.position()), aloud_);
    if (comparing()) compare_later_.start();
}

double TakesModel::position() const {
    if (strip_ == nullptr || !loop_) return -1.0;
    const std::int64_t at = strip_->liveStrip().takes().position();
    return at < 0 ? -1.0 : static_cast<double>(loop_->first + at) / loop_rate_;
}

void TakesModel::seek(double seconds) {
    if (strip_ == nullptr || !loop_) return;
    const auto at = std::llround(seconds * loop_rate_) - loop_->first;
    const auto last = static_cast<std::int64_t>(loop_->sound.frames()) - 1;
    strip_->liveStrip().takes().seek(std::clamp<std::int64_t>(at, 0, last));
}

void TakesModel::toNextCut() {
    if (!report_ || report_->course.cuts.empty()) {
        context_.notices.say(tr("No words are cut off"));
        return;
    }
    const double now = std::max(0.0, position());
    const auto& cuts = report_->course.cuts;
    const auto next = std::ranges::find_if(cuts, [&](const auto& c) { return c.at > now + 0.75; });
    seek((next == cuts.end() ? cuts.front() : *next).at - 0.5);
}

void TakesModel::follow() {
    if (recording() && !recorder_.pump()) stopRecording();
    if (strip_ == nullptr) return;
    TakePlayer& player = strip_->liveStrip().takes();
    player.tend();
    // The strip was reopened: the loop continues in it.
    if (loop_ != nullptr && !player.playing()) {
        loop_.reset();
        load();
    }
}

// --- along time ---

void TakesModel::renderReport() {
    if (chosen_.path.empty()) return;
    work_.drop(rendering_);
    rendering_ = work_.run(
        {},
        [take = chosen_, chain = without_transients(worked().chainModel().chain())](
            const Progress& progress) { return reportOf(take, chain, progress); },
        [this](Result<TakeReport> report) {
            if (!report.ok()) {
                // It is gone, or broken: nothing more can be done with it.
                context_.notices.tell(report.error());
                choose({});
                return refresh();
            }
            report_ = std::move(report.value());
            emit reportChanged();
        });
}

}  // namespace reed::ui
