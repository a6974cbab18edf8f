// What the controls of MIDI devices do.
#pragma once

#include <QObject>
#include <QString>
#include <QStringList>
#include <filesystem>
#include <map>
#include <optional>
#include <vector>

#include "midi/assignments.h"
#include "model/shared/notifications.h"

namespace reed::ui {

/// What a control is assigned to: exactly one of the two is set.
struct MidiTarget {
    QString slot;   ///< ShortcutSlot::id
    QString value;  ///< ParameterRef::address(), or with "*" as its strip: the selected one
    bool operator==(const MidiTarget&) const = default;
    /// Whether the control needs a position.
    bool isValue() const { return !value.isEmpty(); }
};

/// The assignments of all devices, stored in one file each in the folder "midi" beside the scenes, and the
/// control that is being learned. Who talks to the devices (MidiControl) reports them here. GUI thread only.
class MidiAssignments final : public QObject {
    Q_OBJECT
  public:
    MidiAssignments(std::filesystem::path folder, Notifications& notices)
        : folder_(std::move(folder)), notices_(notices) {}

    /// Reads the files; those that can't be read, and entries that can't be used, are reported and stay as
    /// they are.
    void read();
    const std::filesystem::path& folder() const { return folder_; }

    struct Assigned {
        QString device;
        MidiAssignment what;
    };
    /// By device, in the order in which they were made.
    std::vector<Assigned> all() const;
    std::vector<Assigned> of(const MidiTarget& target) const;
    /// The assignment of a control; nothing if it has none.
    std::optional<MidiAssignment> at(const QString& device, const MidiControl& control) const;
    static MidiTarget targetOf(const MidiAssignment& assignment);
    /// "Pad, channel 10, note 36".
    static QString describe(const QString& device, const MidiControl& control);
    /// Short, for a button: "note 36", or "3 controls"; empty if nothing is assigned.
    QString text(const MidiTarget& target) const;
    /// The same for a value, also where it is assigned for whatever strip is selected.
    QString textOfValue(const QString& address) const;

    /// Assigns a control, also one that has another target. Saved at once; false, with a notification, if
    /// that failed: it works until the end of the session.
    bool assign(const QString& device, const MidiControl& control, MidiCoding coding,
                const MidiTarget& target);
    void remove(const QString& device, const MidiControl& control);
    void setCoding(const QString& device, const MidiControl& control, MidiCoding coding);
    /// Moves assignments from a slot to another one, as when a scene is renamed.
    void renamed(const QString& from, const QString& to);

    /// Requests the window in which controls are assigned to `target`.
    void edit(const MidiTarget& target) { emit editRequested(target); }

    /// What the next control that is moved will be assigned to.
    const std::optional<MidiTarget>& learning() const { return learning_; }
    void learn(const MidiTarget& target);
    void stopLearning();
    /// Reported: the control that was moved while learning. Assigns it and stops learning.
    void learned(const QString& device, const MidiControl& control, MidiCoding coding);

    /// Devices that are present; known while there are assignments, or while learning.
    const QStringList& devices() const { return devices_; }
    bool available() const { return available_; }
    /// Reported: devices, and whether PipeWire is there.
    void setDevices(const QStringList& devices, bool available);

  signals:
    void editRequested(const MidiTarget& target);
    /// Assignments.
    void changed();
    void learningChanged();
    /// A control was assigned; `former`: what it was assigned to before, if to something else.
    void assigned(const QString& device, const MidiAssignment& what, const std::optional<MidiTarget>& former);
    void devicesChanged();

  private:
    struct File {
        MidiDeviceAssignments assignments;
        std::filesystem::path path;
        bool incomplete = false;  // some of it could not be used: a copy is kept before it is written over
    };
    File& fileOf(const QString& device);
    bool save(File& file);

    std::filesystem::path folder_;
    Notifications& notices_;
    std::map<QString, File> files_;  // by device
    std::optional<MidiTarget> learning_;
    QStringList devices_;
    bool available_ = false;
};

}  // namespace reed::ui
