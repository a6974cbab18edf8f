// Where the sound comes from and where it goes.
#pragma once

#include <QDateTime>
#include <QObject>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <vector>

#include "devices/pipewire_device.h"
#include "devices/simulated_room.h"
#include "engine/engine.h"
#include "session/background.h"
#include "session/chain_model.h"

namespace reed::ui {

/// The input in use, the virtual microphone, and what PipeWire knows. Opening an input is a job of its own:
/// the one before sounds on until the new one is there, or for good when it can't be opened (then the reason
/// is told, and input() is the old one again).
class Devices final : public QObject {
    Q_OBJECT
  public:
    Devices(std::filesystem::path demo_data, Engine& engine, ChainModel& strip, Notices& notices,
            QObject* parent = nullptr);
    ~Devices() override;

    /// Makes sources of PipeWire; PipeWireDevice::create when nothing else is said.
    using Maker = std::function<Result<std::unique_ptr<SoundSource>>(const PipeWireOptions&)>;
    void setMaker(Maker maker) { maker_ = std::move(maker); }

    /// Opens what was in use; what is not there is waited for.
    void begin(const WorkingState& state);
    void keep(WorkingState& state) const;
    /// Looks after devices: some times a second.
    void tend();
    /// Ends the input.
    void stop();

    /// What was chosen last, perhaps still to be opened.
    const DeviceChoice& input() const { return opening_ ? *opening_ : input_; }
    QString inputTitle() const;
    void setInput(const DeviceChoice& choice);
    /// An input is being opened.
    bool opening() const { return opening_.has_value(); }
    DeviceStatus status() const { return source_ ? source_->status() : DeviceStatus{}; }
    /// When blocks were lost since the input started.
    const std::vector<QDateTime>& dropoutTimes() const { return dropout_times_; }
    /// Delay from the microphone to other programs in ms: device, one block, chain.
    double totalDelayMs() const;

    /// The simulated room, while it is the input; else nullptr.
    SimulatedRoom* room() { return room_; }
    void setRoom(RoomControl control, double value);

    /// What PipeWire knows now.
    const PipeWirePicture& picture() const { return picture_; }
    std::shared_ptr<const PipeWireGraph> graph() const { return graph_; }
    const AudioSettings& audio() const { return audio_; }
    /// Another block size, channel count or name of the virtual microphone: the input starts anew with it.
    void setAudio(const AudioSettings& settings);

    /// Makes the virtual microphone the one that programs use which do not choose.
    void makeDefaultMicrophone();
    /// Another program listens to the virtual microphone, whatever the input is.
    bool feedUsed() const { return graph_ && graph_->picture().feed_used; }
    /// Ends the input and takes the virtual microphone away from all programs: for the last moment of the
    /// program.
    void removeMicrophone();

  signals:
    /// Another input is wished for, in use, in trouble, or well again.
    void inputChanged();
    /// The engine was opened for another input, which will start next.
    void engineOpened();
    /// An input was opened, or could not be.
    void opened();
    /// A control of the simulated room has moved.
    void roomChanged();
    /// Microphones or outputs came or went.
    void pictureChanged();
    /// What is to be kept has changed.
    void changed();

  private:
    using Made = Result<std::unique_ptr<SoundSource>>;
    struct Opening;
    struct Making;
    Making making(const DeviceChoice& choice, bool wait) const;
    void open(const DeviceChoice& choice, bool wait);
    void finish(const DeviceChoice& choice, Opening opening);
    Result<void> take(const DeviceChoice& choice, Opening opening);
    void noteDropouts(std::uint64_t dropouts);

    std::filesystem::path demo_data_;
    Engine& engine_;
    ChainModel& strip_;
    Notices& notices_;
    Maker maker_;
    std::unique_ptr<SoundSource> source_;
    SimulatedRoom* room_ = nullptr;
    std::map<std::string, double> room_values_;
    DeviceChoice input_;
    std::optional<DeviceChoice> opening_;
    int job_ = 0;                           // what an older one opened is dropped
    bool instead_ = false;                  // the simulated room is opened in place of what could not be
    std::shared_ptr<PipeWireGraph> graph_;  // from begin() on
    PipeWirePicture picture_;
    std::uint64_t picture_version_ = 0;
    AudioSettings audio_;
    QString told_problem_;
    std::uint64_t dropouts_seen_ = 0;
    std::vector<QDateTime> dropout_times_;
    int proposed_block_ = 0;
    Background background_;  // ends first: its work uses the rest
};

}  // namespace reed::ui
