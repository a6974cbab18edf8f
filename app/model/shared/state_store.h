// The working state on the disk: read once at the start, written while the program runs.
#pragma once

#include <QTimer>
#include <memory>
#include <optional>

#include "model/shared/app_context.h"
#include "model/shared/start_guard.h"
#include "model/shared/state_writer.h"
#include "scenes/mute_marker.h"
#include "scenes/working_state.h"

class QLockFile;

namespace reed::ui {

/// One program at a time writes the state; a second one on the same files reads it only. Problems are posted
/// as notifications.
class StateStore final : public QObject {
    Q_OBJECT
  public:
    /// Reads nothing yet.
    explicit StateStore(AppContext& context);
    ~StateStore() override;

    /// Claims the state for this program; false with a warning if another one has it.
    bool lock();
    /// The state of the last session as far as it can be read, with what was left out in a warning. After a
    /// start that crashed: an empty one, muted; the file is kept under another name.
    WorkingState read();
    /// Whether read() found no state of an earlier session.
    bool firstStart() const { return first_start_; }

    /// Whether this program writes the state; never before open().
    bool writes() const { return owns_ && open_; }
    /// From now on there is something to write that is not on the disk already.
    void open();
    /// Writes on a thread of its own.
    void write(const WorkingState& state);
    /// Waits until what was given last is on the disk; false if it could not be written.
    bool finish();
    /// Posts what went wrong while writing, once per problem. Call about once a second.
    void reportProblem();

    /// Stores the mute so that a crash a moment later doesn't unmute, even on a full disk.
    void writeMute();
    /// Whether the microphone was muted by the program that ran last, as far as it is known.
    bool wasMuted() const { return mute_marker_.muted(); }
    /// The same of a program that ran beside this one and has just ended.
    bool otherWasMuted() const;

  private:
    AppContext& context_;
    std::unique_ptr<QLockFile> lock_;
    bool owns_ = true, open_ = false, first_start_ = false, failed_ = false;
    QTimer started_;
    std::unique_ptr<StartGuard> start_guard_;
    MuteMarker mute_marker_;
    StateWriter writer_;
};

}  // namespace reed::ui
