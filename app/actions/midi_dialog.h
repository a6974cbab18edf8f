// MIDI controls of an action or a value.
#pragma once

#include <QDialog>
#include <vector>

#include "model/shared/midi_assignments.h"

class QVBoxLayout;

namespace reed::ui {

class AppModel;
class FlatButton;
class Words;

/// "Toggle mute", or "Voice: Gate, Hold" for a value. Ids where the action, strip or stage is not there now.
QString midiTargetTitle(AppModel& app, const MidiTarget& target);

/// Lists the controls that are assigned to an action or a value, and assigns others: while it waits, the next
/// control that is moved on any device is taken. Waits at once if nothing is assigned yet.
class MidiDialog final : public QDialog {
    Q_OBJECT
  public:
    MidiDialog(AppModel& app, MidiTarget target, QWidget* parent = nullptr);
    ~MidiDialog() override;

    /// Opens it over `window`, or over the list of shortcuts if that is open, in place of another one.
    static void open(AppModel& app, const MidiTarget& target, QWidget* window);

    const MidiTarget& target() const { return target_; }

  private:
    void end();
    void refresh();
    void addRow(const MidiAssignments::Assigned& assigned);
    void chooseCoding(const MidiAssignments::Assigned& assigned, QWidget* at);
    /// What to do while it waits, or why nothing can come.
    QString prompt() const;
    void say(const QString& words);

    AppModel& app_;
    MidiAssignments& assignments_;
    MidiTarget target_;
    Words* said_;
    QVBoxLayout* rows_;
    FlatButton* learn_;
    bool ended_ = false;
    FlatButton* follows_ = nullptr;  ///< values: of the strip, or of the selected one
};

}  // namespace reed::ui
