#include "session/session.h"

#include <QCoreApplication>
#include <QGuiApplication>
#include <QLockFile>
#include <QStandardPaths>

#include "base/file.h"
#include "base/folded.h"
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

const char* kindName(DeviceKind kind) {
    switch (kind) {
        case DeviceKind::pipewire:
            return "pipewire";
        case DeviceKind::sound_file:
            return "file";
        default:
            return "room";
    }
}

/// A step back must not bring back that a band was listened to.
Scene settled(Scene scene) {
    scene.chain = without_transients(std::move(scene.chain));
    return scene;
}

DeviceKind kindByName(const std::string& name) {
    if (name == "pipewire") return DeviceKind::pipewire;
    return name == "file" ? DeviceKind::sound_file : DeviceKind::simulated_room;
}

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
      library_(paths_.scenes),
      readings_(engine_),
      keeper_([path = paths_.state](const std::string& text) { return write_file(path, text); }) {
    background_ = std::make_unique<Background>();
    learning_ = new RoomLearning(*this);
    microphones_heard_ = new Microphones(*this);
    monitoring_ = std::make_unique<Monitoring>(*this);
    tick_.setInterval(kPace);
    tick_.setTimerType(Qt::PreciseTimer);
    connect(&tick_, &QTimer::timeout, this, &Session::tick);
    save_later_.setInterval(400);
    save_later_.setSingleShot(true);
    connect(&save_later_, &QTimer::timeout, this, &Session::keepNow);
    connect(&keys_, &Keys::changed, this, &Session::keepSoon);
    look_again_.setInterval(300);  // after the last news: a program that writes a scene may write it in parts
    look_again_.setSingleShot(true);
    connect(&look_again_, &QTimer::timeout, this, &Session::lookAtScenes);
    connect(&scene_files_, &QFileSystemWatcher::directoryChanged, this, [this] { look_again_.start(); });
    connect(&scene_files_, &QFileSystemWatcher::fileChanged, this, [this] { look_again_.start(); });
}

Session::~Session() {
    tick_.stop();
    background_.reset();
    if (save_later_.isActive()) saveState();
    if (device_) device_->stop();
    monitoring_.reset();
}

void Session::begin() {
    sweep_replacements(paths_.scenes);
    sweep_replacements(paths_.state.parent_path());
    if (auto filled = library_.fill_from(paths_.demo_data / "scenes"); !filled.ok()) tell(filled.error());
    reloadScenes();
    scene_ = defaultScene();
    for (const auto& entry : scenes_) {
        if (entry.scene.name == "Bench talk") scene_ = entry.scene;
    }
    for (const auto& p : room_controls()) room_values_[std::string(p.id)] = p.default_value;

    graph_ = std::make_shared<PipeWireGraph>();
    graph_->settle();
    devices_ = graph_->picture();
    DeviceChoice wanted;
    takeLock();
    const auto mark = paths_.state.parent_path() / "start-crashed";
    if (StartGuard::take_mark(mark)) {
        if (const std::string kept = put_aside(paths_.state); !kept.empty())
            emit message(
                tr("The last start crashed, so this one is without the last session. It was kept as %1.")
                    .arg(QString::fromStdString(kept)),
                true);
        engine_.set_mute(true);  // it may have been
    }
    start_guard_ = std::make_unique<StartGuard>(mark);
    QTimer::singleShot(5000, this, [this] { start_guard_.reset(); });
    auto state = load_working_state(paths_.state);
    if (!state.ok()) {
        tell(state.error());
    } else if (state.value()) {
        WorkingState& s = *state.value();
        if (!s.left_out.empty()) {
            QStringList parts;
            for (const auto& p : s.left_out) parts << QString::fromStdString(p);
            emit message(
                tr("Part of the last session can't be read and starts afresh: %1. It was kept as %2.")
                    .arg(parts.join(", "), QString::fromStdString(s.kept_as)),
                true);
        }
        if (!s.scene.name.empty()) scene_ = std::move(s.scene);
        wanted = {kindByName(s.input_kind), s.input_target};
        for (const auto& p : room_controls()) {
            const auto found = s.room.find(std::string(p.id));
            if (found != s.room.end() && !value_problem(p, found->second))
                room_values_[found->first] = found->second;
        }
        if (!s.theme.empty()) theme_ = QString::fromStdString(s.theme);
        geometry_ = QByteArray::fromBase64(QByteArray::fromStdString(s.geometry));
        focused_ = s.focused;
        readings_.set_window(s.window_seconds);
        memories_ = std::move(s.memories);
        audio_ = s.audio;
        keys_.restore(s.keys);
        target_ = s.target_lufs;
        emit targetChanged();
        talk_key_ = s.talk_key == "talks" ? TalkKey::talks
                                          : (s.talk_key == "mutes" ? TalkKey::mutes : TalkKey::toggles);
        monitoring_->restore(s.monitor, s.monitor_sink);
        // Before any sound: whoever left muted must not be heard because the program ended meanwhile.
        engine_.set_mute(s.muted);
    }
    const bool still_muted = muted();
    if (stage(focused_) == nullptr) focused_ = chain().stages.empty() ? "" : chain().stages.front().id;
    if (!startDevice(wanted, true) && wanted.kind != DeviceKind::simulated_room) {
        // The reason has been told; say what happens instead.
        if (startDevice({}, false)) emit message(tr("The simulated room is used instead."), true);
    }
    setTalkKey(talk_key_);
    emit muteChanged();
    if (still_muted && talk_key_ != TalkKey::talks)
        emit message(keys_.text("talk").isEmpty()
                         ? tr("Muted, as at the end of the last session.")
                         : tr("Muted, as at the end of the last session. %1 lets your voice through.")
                               .arg(keys_.text("talk")),
                     true);
    emit inputChanged();
    tick_.start();
    emit themeChanged();
    emit chainChanged();
    emit focusChanged();
}

// --- the scene in work ---

const StageSpec* Session::stage(const std::string& id) const {
    const int i = chain().index_of(id);
    return i < 0 ? nullptr : &chain().stages[static_cast<size_t>(i)];
}

QString Session::nameOf(const std::string& id) const {
    const StageSpec* s = stage(id);
    return s == nullptr ? QString() : QString::fromStdString(s->shown_title());
}

void Session::take(Scene scene, Fade fade) {
    scene_ = std::move(scene);
    if (stage(focused_) == nullptr) focused_ = chain().stages.empty() ? "" : chain().stages.front().id;
    if (auto followed = engine_.chain().follow(scene_.chain, fade); !followed.ok()) tell(followed.error());
    monitoring_->followChain();
    keepSoon();
    emit chainChanged();
    tellFocus();
}

void Session::change(Scene after, const QString& label, const QString& key, Fade fade,
                     const std::string& flipped) {
    if (after == scene_) return;
    // What is of the moment only (listening, finding) is no step of undo.
    if (!(after.name == scene_.name && without_transients(after.chain) == without_transients(scene_.chain)))
        history_.push(scene_, label, key, flipped);
    take(std::move(after), fade);
}

void Session::undo() {
    const std::string flipped = history_.undoFlips();
    if (history_.canUndo()) step(history_.undo(scene_), flipped);
}

void Session::redo() {
    const std::string flipped = history_.redoFlips();
    if (history_.canRedo()) step(history_.redo(scene_), flipped);
}

void Session::step(Scene to, const std::string& flipped) {
    // A flip of memories is flipped back; else the one that was in work would be lost.
    const auto memory = memories_.find(flipped);
    const StageSpec* now = stage(flipped);
    if (memory != memories_.end() && now != nullptr && now->kind == memory->second.kind)
        memory->second = {now->kind, now->values, now->tone, memory->second.in_work == 'A' ? 'B' : 'A'};
    take(settled(std::move(to)), Fade::quick);
}

void Session::focus(const std::string& id) {
    if (id == focused_ || stage(id) == nullptr) return;
    focused_ = id;
    keepSoon();
    tellFocus();
}

void Session::tellFocus() {
    if (focused_ == told_focus_) return;
    told_focus_ = focused_;
    emit focusChanged();
}

// --- the rest ---

void Session::tell(const Error& error) {
    QString t = QString::fromStdString(error.text());
    if (!t.isEmpty()) t[0] = t[0].toUpper();
    emit message(t, true);
}

void Session::tellTroubles() {
    const auto troubles = engine_.chain().troubles();
    const std::string where = troubles.empty() || troubles.front().first >= chain().stages.size()
                                  ? ""
                                  : chain().stages[troubles.front().first].id;
    if (where != told_trouble_ && !where.empty())
        emit message(nameOf(where) + ": " + QString::fromUtf8(troubles.front().second), true);
    told_trouble_ = where;
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
        spectrum_.follow(chain().index_of(focused_));
        spectrum_.poll();
    }
    if (due(tended_, 240)) tendDevices();
    if (due(looked_, 1000)) {
        tellTroubles();
        tellOfKeeping();
    }
    emit ticked();
    if (seen_) emit readingsChanged();
}

void Session::setThemeName(const QString& name) {
    theme_ = name;
    keepSoon();
    emit themeChanged();
}

void Session::setGeometry(const QByteArray& g) {
    geometry_ = g;
    keepSoon();
}

bool Session::saveState() {
    keepNow();
    const bool done = keeper_.finish();
    tellOfKeeping();
    return done;
}

void Session::tellOfKeeping() {
    const auto problem = keeper_.problem();
    if (problem && !state_failed_) tell(*problem);
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
    emit message(
        tr("Another Dusky Reed runs on the same settings, so this one remembers nothing of what you change "
           "(saved scenes are kept). End the other one and start again."),
        true);
}

void Session::keepNow() {
    save_later_.stop();
    if (!keeps_) return;
    WorkingState s;
    s.scene = scene_;
    s.input_kind = kindName(input_.kind);
    s.input_target = input_.target;
    s.room = room_values_;
    s.theme = theme_.toStdString();
    s.geometry = geometry_.toBase64().toStdString();
    s.focused = focused_;
    s.window_seconds = readings_.window();
    for (const auto& [id, memory] : memories_) {
        if (stage(id) != nullptr) s.memories[id] = memory;
    }
    s.audio = audio_;
    s.monitor = monitoring_->settings();
    s.monitor_sink = monitoring_->sink();
    s.talk_key = talk_key_ == TalkKey::talks ? "talks" : (talk_key_ == TalkKey::mutes ? "mutes" : "toggles");
    s.muted = muted();
    s.keys = keys_.kept();
    s.target_lufs = target_;
    keeper_.keep(write_working_state(s));
}

}  // namespace reed::ui
