// Runs actions and sets values by MIDI.
#pragma once

#include <QObject>
#include <QTimer>
#include <map>
#include <memory>
#include <set>

#include "devices/midi_ports.h"
#include "model/shared/midi_assignments.h"
#include "model/strips/parameter_ref.h"
#include "remote/shortcut_delivery.h"

class QSocketNotifier;

namespace reed::ui {

/// Listens to the devices that have assignments, or to all while a control is learned. Positions of absolute
/// controls are taken over softly (SoftTakeover) and set at most 30 times a second, relative ones step as the
/// wheel does, notes and controllers press and release actions, programs press them. What is held is released
/// when its device goes; that never unmutes the microphone. Devices with an input are sent the positions of
/// their values and the state of their actions, but never what they have sent themselves. GUI thread only.
class MidiRemote final : public QObject {
    Q_OBJECT
  public:
    explicit MidiRemote(Actions& actions, QObject* parent = nullptr);
    ~MidiRemote() override;

    /// Begins to listen, if there are assignments.
    void start();

  private:
    /// State of one control of one device.
    struct Moved {
        SoftTakeover takeover;
        bool down = false;               ///< pressed, or in the upper half
        std::optional<double> position;  ///< where it has gone, not set yet
        int steps = 0;                   ///< by how much it has turned, not set yet
        int shown = -1;  ///< value that the device has: it sent it, or was sent it; -1: unknown
    };
    using Key = std::pair<QString, MidiControl>;

    void follow();
    void receive();
    void tellDevices();
    void learn(const MidiEvent& event);
    void moveAction(const Key& key, const MidiAssignment& to, const MidiMove& move);
    void moveValue(const Key& key, const MidiAssignment& to, const MidiMove& move);
    /// Sets the values that have been moved since the last time.
    void setValues();
    void setValue(Moved& state, const MidiAssignment& to);
    ParameterRef valueOf(const QString& address) const;
    void sendStates();
    /// Value of an assignment as its control would send it; nothing if there is none.
    std::optional<int> stateOf(const MidiAssignment& of) const;

    Actions& actions_;
    MidiAssignments& assignments_;
    ShortcutDelivery delivery_;
    MidiPorts ports_;
    std::unique_ptr<QSocketNotifier> notifier_;
    std::map<QString, MidiDecoder> decoders_;  // by device
    std::map<QString, MidiLearner> learners_;  // by device, while learning
    std::map<Key, Moved> moved_;
    std::map<QString, std::set<QString>> held_;  // slots by device
    QStringList connected_;
    std::vector<ParameterRef> edited_;  // since the last pause
    std::set<Key> waiting_;             // controls of values that have moved and are not set yet
    std::uint64_t version_ = 0;
    QTimer tend_, end_edit_, send_later_, set_later_;
};

}  // namespace reed::ui
