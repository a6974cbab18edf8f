#include "model/shared/state_store.h"

#include <QLockFile>

#include "base/file.h"

namespace reed::ui {
namespace {
constexpr int kStartSeconds = 5;  // a crash within them counts as one of the start
}

StateStore::StateStore(AppContext& context)
    : context_(context),
      mute_marker_(context.paths.state.parent_path()),
      writer_([path = context.paths.state](const std::string& text) { return write_file(path, text); }) {
    started_.setSingleShot(true);
    connect(&started_, &QTimer::timeout, this, [this] { start_guard_.reset(); });
}

StateStore::~StateStore() = default;

bool StateStore::lock() {
    const auto folder = context_.paths.state.parent_path();
    std::error_code ec;
    std::filesystem::create_directories(folder, ec);
    lock_ = std::make_unique<QLockFile>(QString::fromStdString((folder / "session.lock").string()));
    lock_->setStaleLockTime(
        std::chrono::milliseconds(0));  // one of a program that has gone is noticed by its number
    owns_ = lock_->tryLock(0) || lock_->error() != QLockFile::LockFailedError;
    if (!owns_)
        context_.notices.warn(
            tr("Another Dusky Reed is using the same settings. Changes made here won't be remembered (saved "
               "scenes are). Quit the other one and restart."));
    return owns_;
}

WorkingState StateStore::read() {
    const auto& path = context_.paths.state;
    const auto mark = path.parent_path() / "start-crashed";
    if (StartGuard::take_mark(mark)) {
        if (const std::string kept = back_up_state(path); !kept.empty())
            context_.notices.warn(
                tr("Dusky Reed crashed at the last start, so the session was not restored. It was saved as "
                   "%1.")
                    .arg(QString::fromStdString(kept)));
        context_.mute.restore(true);  // it may have been
    }
    start_guard_ = std::make_unique<StartGuard>(mark);
    started_.start(1000 * kStartSeconds);
    auto state = load_working_state(path);
    if (!state.ok()) {
        context_.notices.tell(state.error());
        return {};
    }
    if (!state.value()) {
        first_start_ = true;
        return {};
    }
    WorkingState& s = *state.value();
    if (!s.left_out.empty()) {
        constexpr qsizetype kNamed = 3;
        QStringList parts;
        for (const auto& p : s.left_out) parts << QString::fromStdString(p);
        const qsizetype more = parts.size() - kNamed;
        QString named = parts.mid(0, kNamed).join(", ");
        if (more > 0) named += tr(" and %1 more").arg(more);
        context_.notices.warn(
            tr("Part of the last session couldn't be restored: %1. The file was saved as %2.")
                .arg(named, QString::fromStdString(s.kept_as)));
    }
    return std::move(s);
}

void StateStore::open() {
    open_ = true;
    if (owns_) (void)mute_marker_.create(context_.mute.on());
}

void StateStore::write(const WorkingState& state) {
    if (writes()) writer_.keep(write_working_state(state));
}

bool StateStore::finish() {
    const bool done = writer_.finish();
    reportProblem();
    return done;
}

void StateStore::reportProblem() {
    const auto problem = writer_.problem();
    if (problem && !failed_) context_.notices.tell(*problem);
    failed_ = problem.has_value();
}

void StateStore::writeMute() {
    const bool muted = context_.mute.on();
    if (!owns_ || mute_marker_.set(muted) || mute_marker_.create(muted) || !muted) return;
    context_.notices.warn(
        tr("Muted, but that can't be saved in %1. After a crash the microphone would be on again. Check the "
           "folder's permissions and free space.")
            .arg(QString::fromStdString(context_.paths.state.parent_path().string())));
}

bool StateStore::otherWasMuted() const {
    if (owns_) return false;  // what was muted is known here
    if (mute_marker_.muted()) return true;
    const auto text = read_file(context_.paths.state, 2 * kMaxSceneBytes);
    const auto state = text.ok() ? parse_working_state(text.value()) : Result<WorkingState>(text.error());
    return !state.ok() || state.value().muted;
}

}  // namespace reed::ui
