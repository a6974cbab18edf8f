#include "session/session.h"

#include <QCoreApplication>
#include <QGuiApplication>
#include <QLockFile>
#include <QStandardPaths>

#include "base/file.h"
#include "session/default_scene.h"
#include "session/microphones.h"
#include "session/monitoring.h"
#include "session/room_learning.h"

namespace reed::ui {
namespace {

std::filesystem::path standardPath(QStandardPaths::StandardLocation where) {
    return QStandardPaths::writableLocation(where).toStdString();
}

constexpr int kPace = 33, kDraggingPace = 16, kUnseenPace = 250;  // ms from tick to tick

}  // namespace

SessionPaths SessionPaths::standard() {
    SessionPaths out;
    out.scenes = standardPath(QStandardPaths::GenericDataLocation) / "dusky-reed" / "scenes";
    // The specification has relative paths ignored (XDG Base Directory 0.8, "Environment variables").
    const std::filesystem::path state = qgetenv("XDG_STATE_HOME").toStdString();
    const std::filesystem::path base =
        state.is_absolute() ? state : standardPath(QStandardPaths::HomeLocation) / ".local/state";
    out.state = base / "dusky-reed" / "session.json";
    const std::filesystem::path beside = QCoreApplication::applicationDirPath().toStdString();
    out.demo_data = beside / "../share/dusky-reed/demo_data";
    return out;
}

Session::Session(SessionPaths paths, QObject* parent)
    : QObject(parent),
      paths_(std::move(paths)),
      shelf_(paths_.scenes, strip_, notices_),
      devices_(paths_.demo_data, engine_, strip_, notices_),
      keeper_([path = paths_.state](const std::string& text) { return write_file(path, text); }) {
    background_ = std::make_unique<Background>();
    learning_ = new RoomLearning(*this);
    microphones_ = new Microphones(*this);
    monitoring_ = std::make_unique<Monitoring>(*this);
    tick_.setInterval(kPace);
    tick_.setTimerType(Qt::PreciseTimer);
    connect(&tick_, &QTimer::timeout, this, &Session::tick);
    save_later_.setInterval(400);
    save_later_.setSingleShot(true);
    connect(&save_later_, &QTimer::timeout, this, &Session::keepNow);
    started_.setSingleShot(true);
    connect(&started_, &QTimer::timeout, this, [this] { start_guard_.reset(); });
    connectParts();
}

void Session::connectParts() {
    connect(&strip_, &ChainModel::changed, monitoring_.get(), &Monitoring::followChain);
    connect(&devices_, &Devices::engineOpened, monitoring_.get(), &Monitoring::reopen);
    connect(&strip_, &ChainModel::changed, this, &Session::keepSoon);
    connect(&strip_, &ChainModel::focusChanged, this, &Session::keepSoon);
    connect(&shelf_, &SceneShelf::saved, this, &Session::keepSoon);
    connect(&devices_, &Devices::changed, this, &Session::keepSoon);
    connect(&preferences_, &Preferences::changed, this, &Session::keepSoon);
    connect(&preferences_, &Preferences::talkKeyChanged, this, [this] {
        // With a key to talk the microphone is closed until it is held.
        if (preferences_.talkKey() == Preferences::TalkKey::talks) setMuted(true);
        emit muteChanged();
    });
}

Session::~Session() {
    tick_.stop();
    background_.reset();
    if (save_later_.isActive()) saveState();
    devices_.stop();
    monitoring_.reset();
}

/// The last session, as far as it can be read.
WorkingState Session::readState() {
    const auto mark = paths_.state.parent_path() / "start-crashed";
    if (StartGuard::take_mark(mark)) {
        if (const std::string kept = put_aside(paths_.state); !kept.empty())
            notices_.warn(
                tr("The last start crashed, so this one is without the last session. It was kept as %1.")
                    .arg(QString::fromStdString(kept)));
        engine_.set_mute(true);  // it may have been
    }
    start_guard_ = std::make_unique<StartGuard>(mark);
    started_.start(5000);
    auto state = load_working_state(paths_.state);
    if (!state.ok()) {
        notices_.tell(state.error());
        return {};
    }
    if (!state.value()) return {};
    WorkingState& s = *state.value();
    if (!s.left_out.empty()) {
        QStringList parts;
        for (const auto& p : s.left_out) parts << QString::fromStdString(p);
        notices_.warn(tr("Part of the last session can't be read and starts afresh: %1. It was kept as %2.")
                          .arg(parts.join(", "), QString::fromStdString(s.kept_as)));
    }
    return std::move(s);
}

void Session::begin() {
    sweep_replacements(paths_.scenes);
    sweep_replacements(paths_.state.parent_path());
    shelf_.begin(paths_.demo_data / "scenes");
    takeLock();
    WorkingState state = readState();
    if (state.scene.name.empty()) {
        const Scene* first = shelf_.find("Bench talk");
        state.scene = first != nullptr ? *first : defaultScene();
    }
    preferences_.restore(state);
    readings_.set_window(state.window_seconds);
    monitoring_->restore(state.monitor, state.monitor_sink);
    // Before any sound: whoever left muted must not be heard because the program ended meanwhile.
    if (state.muted) engine_.set_mute(true);
    const bool still_muted = muted();
    const bool talks = preferences_.talkKey() == Preferences::TalkKey::talks;
    if (talks) engine_.set_mute(true);
    strip_.begin({state.scene, state.memories[state.scene.desk.strips.front().id]}, state.focused);
    devices_.begin(state);
    emit muteChanged();
    if (still_muted && !talks) {
        const QString key = preferences_.keys().text("talk");
        notices_.warn(
            key.isEmpty()
                ? tr("Muted, as at the end of the last session.")
                : tr("Muted, as at the end of the last session. %1 lets your voice through.").arg(key));
    }
    tick_.start();
}

void Session::tellTroubles() {
    const auto& stages = strip_.chain().stages;
    std::map<std::string, QString> now;
    for (const auto& [index, why] : engine_.chain().troubles()) {
        if (index < stages.size()) now[stages[index].id] = QString::fromStdString(why);
    }
    for (const auto& [id, why] : now) {
        if (troubleOf(id) != why)
            notices_.warn(QString::fromStdString(strip_.stage(id)->shown_title()) + ": " + why);
    }
    troubles_ = std::move(now);
}

QString Session::troubleOf(const std::string& stage) const {
    const auto found = troubles_.find(stage);
    return found == troubles_.end() ? QString() : found->second;
}

int Session::pace() const {
    if (!seen_) return monitoring_->settings().source == MonitorSource::off ? kUnseenPace : kPace;
    return QGuiApplication::mouseButtons() == Qt::NoButton ? kPace : kDraggingPace;
}

void Session::setSeen(bool seen) {
    if (seen == seen_) return;
    seen_ = seen;
    if (!seen_)
        engine_.chain().probe(-1);  // the spectra are not taken; seen again, they ask for it themselves
    if (tick_.isActive()) tick_.start(pace());
}

void Session::tick() {
    const auto due = [](QElapsedTimer& since, int ms) {
        if (since.isValid() && since.elapsed() < ms) return false;
        since.start();
        return true;
    };
    if (const int now = pace(); now != tick_.interval()) tick_.setInterval(now);
    readings_.poll(seen_);
    if (seen_) emit moved();
    odd_ = !odd_ && tick_.interval() == kDraggingPace;
    if (odd_) return;
    if (seen_) {
        spectrum_.follow(strip_.chain().index_of(strip_.focused()));
        spectrum_.poll();
    }
    if (due(tended_, 240)) devices_.tend();
    if (due(looked_, 1000)) {
        tellTroubles();
        tellOfKeeping();
    }
    emit ticked();
    if (seen_) emit readingsChanged();
}

void Session::setMuted(bool muted) {
    if (muted == engine_.muted()) return;
    engine_.set_mute(muted);
    keepNow();  // a crash a moment later must not open the microphone
    emit muteChanged();
}

void Session::talk(bool held) {
    switch (preferences_.talkKey()) {
        case Preferences::TalkKey::talks:
            return setMuted(!held);
        case Preferences::TalkKey::mutes:
            return setMuted(held);
        case Preferences::TalkKey::toggles:
            if (held) setMuted(!muted());
    }
}

// --- the working state ---

bool Session::saveState() {
    keepNow();
    const bool done = keeper_.finish();
    tellOfKeeping();
    return done;
}

void Session::tellOfKeeping() {
    const auto problem = keeper_.problem();
    if (problem && !state_failed_) notices_.tell(*problem);
    state_failed_ = problem.has_value();
}

void Session::takeLock() {
    std::error_code ec;
    std::filesystem::create_directories(paths_.state.parent_path(), ec);
    lock_ = std::make_unique<QLockFile>(
        QString::fromStdString((paths_.state.parent_path() / "session.lock").string()));
    lock_->setStaleLockTime(
        std::chrono::milliseconds(0));  // one of a program that has gone is noticed by its number
    if (lock_->tryLock(0) || lock_->error() != QLockFile::LockFailedError) return;
    keeps_ = false;
    notices_.warn(
        tr("Another Dusky Reed runs on the same settings, so this one remembers nothing of what you change "
           "(saved scenes are kept). End the other one and start again."));
}

void Session::keepNow() {
    save_later_.stop();
    if (!keeps_) return;
    WorkingState s;
    const SharedState strip = strip_.state();
    s.scene = strip->scene;
    for (const auto& [id, memory] : strip->memories) {
        if (strip_.stage(id) != nullptr) s.memories[s.scene.desk.strips.front().id][id] = memory;
    }
    s.focused = strip_.focused();
    s.window_seconds = readings_.window();
    s.monitor = monitoring_->settings();
    s.monitor_sink = monitoring_->sink();
    s.muted = muted();
    devices_.keep(s);
    preferences_.keep(s);
    keeper_.keep(write_working_state(s));
}

}  // namespace reed::ui
