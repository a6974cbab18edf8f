// Where the sound comes from and where it goes.
#pragma once

#include <QDateTime>
#include <QObject>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <vector>

#include "devices/pipewire_device.h"
#include "devices/simulated_room.h"
#include "session/app_context.h"
#include "session/background.h"
#include "session/chain_model.h"
#include "session/strip_microphones.h"

namespace reed::ui {

/// The input of one strip. The first one also owns the virtual microphone and the snapshot of the PipeWire
/// graph. Opening an input is a background job: the previous input plays until then, and stays if the new one
/// can't be opened (with a notification).
class Devices final : public QObject {
    Q_OBJECT
  public:
    /// `first`: the input of the first strip; nullptr if this is it.
    Devices(AppContext& house, std::shared_ptr<LiveStrip> seat, ChainModel& strip, Devices* first);
    ~Devices() override;

    /// Factory of PipeWire sources; by default PipeWireDevice::create.
    using Maker = std::function<Result<std::unique_ptr<SoundSource>>(const PipeWireOptions&)>;
    void setMaker(Maker maker) { maker_ = std::move(maker); }

    /// Opens the stored input and waits for it if it is not connected.
    void begin(const WorkingState& state);
    /// The same for another strip: app audio gets its own output; a voice without a stored input stays
    /// silent.
    void beginOther(const StripDeviceSettings& input);
    void keep(WorkingState& state) const;
    /// Settings to store.
    StripDeviceSettings kept() const;
    /// Supervises devices. Call about every 100 ms.
    void tend();
    /// Closes the input.
    void stop();
    /// Opens the same input again, with the current mixer.
    void reopen();
    bool usesPipeWire() const;

    /// Whether the strip is attached to the mixer.
    bool isAttached() const { return seated_; }
    /// Detaches the strip from the mixer and attaches it again.
    void detachFromMixer();
    void attachToMixer();

    /// The selected input, possibly not opened yet.
    const DeviceChoice& input() const { return opening_ ? *opening_ : input_; }
    QString inputTitle() const;
    void setInput(const DeviceChoice& choice);
    /// Whether an input is being opened.
    bool opening() const { return opening_.has_value(); }
    DeviceStatus status() const;
    /// Device that receives app audio for this strip.
    DeviceChoice appAudioDevice() const;
    /// Whether no input was selected yet.
    bool unchosen() const { return !source_ && !opening_; }
    /// Times of dropouts since the input was opened.
    const std::vector<QDateTime>& dropoutTimes() const { return dropout_times_; }
    /// Total latency in ms: device, buffer, chain.
    double totalDelayMs() const;

    /// The simulated room if it is the input; otherwise nullptr.
    SimulatedRoom* room() { return room_; }
    void setRoom(RoomControl control, double value);

    /// Snapshot of the PipeWire graph.
    const PipeWireSnapshot& picture() const { return first_.picture_; }
    std::shared_ptr<const PipeWireGraph> graph() const { return house_.graph; }
    const AudioSettings& audio() const { return first_.audio_; }
    /// Sets buffer size, channel count or title of the virtual microphone; restarts the input.
    void setAudio(const AudioSettings& settings);

    /// Makes the virtual microphone the default microphone.
    void makeDefaultMicrophone();
    /// Whether another app uses the virtual microphone.
    bool feedUsed() const { return house_.graph && house_.graph->picture().feed_used; }
    /// Sends an app that plays to this strip, now and whenever it plays; or back to its default output.
    void moveProgram(const PlayingProgram& program, bool here);
    /// Offers the strip as a separate microphone, processed and unprocessed. Only with a PipeWire input.
    bool offered() const { return offered_; }
    bool plainOffered() const { return plain_; }
    void setOffered(bool own, bool plain);
    /// Volume of the microphone in the system settings, in dB.
    void setSystemVolume(double db);
    /// Graph node of the microphone that is the input; nullptr if the input is another one or not connected.
    const PipeWireNode* microphone() const;
    /// Closes the input and removes the virtual microphone; for quitting.
    void removeMicrophone();

  signals:
    /// The input was selected, opened, or its status changed.
    void inputChanged();
    /// The engine was opened for another input that starts next.
    void engineOpened();
    /// The input of the first strip sets this output format.
    void formatChanges(const StreamFormat& feed);
    /// Buffer size, channels or title of the virtual microphone changed.
    void audioChanged();
    /// The strip is about to be attached or detached.
    void seatsChange();
    /// An input was opened or failed to open.
    void opened();
    /// A control of the simulated room changed.
    void roomChanged();
    /// The graph changed.
    void pictureChanged();
    /// Settings to store changed.
    void changed();

  private:
    using Made = Result<std::unique_ptr<SoundSource>>;
    struct Opening;
    struct Making;
    void follow();
    void useHub(const std::shared_ptr<PipeWireHub>& hub);
    void offer();
    void callPrograms();
    Making making(const DeviceChoice& choice, bool wait) const;
    void open(const DeviceChoice& choice, bool wait);
    void finish(const DeviceChoice& choice, Opening opening);
    Result<void> take(const DeviceChoice& choice, Opening opening);
    void noteDropouts(std::uint64_t dropouts);

    AppContext& house_;
    Devices& first_;
    std::shared_ptr<LiveStrip> seat_;
    Engine& engine_;
    ChainModel& strip_;
    Notifications& notices_;
    Maker maker_;
    std::shared_ptr<PipeWireHub> hub_;  // of the source, and outlives it
    std::unique_ptr<SoundSource> source_;
    bool seated_ = false;
    StreamFormat source_format_;
    std::uint64_t lost_before_ = 0;  // by the feed, before this input
    StripMicrophones offers_;
    bool offered_ = false, plain_ = false;  // as wished
    std::set<std::uint32_t> called_;        // programs' streams that were sent here, or are to stay elsewhere
    SimulatedRoom* room_ = nullptr;
    std::map<std::string, double> room_values_;
    DeviceChoice input_;
    std::optional<DeviceChoice> opening_;
    int job_ = 0;           // what an older one opened is dropped
    bool instead_ = false;  // the simulated room is opened in place of what could not be
    PipeWireSnapshot picture_;
    std::uint64_t picture_version_ = 0;
    AudioSettings audio_;
    QString told_problem_;
    std::uint64_t dropouts_seen_ = 0;
    std::vector<QDateTime> dropout_times_;
    int proposed_block_ = 0;
    Background background_;  // ends first: its work uses the rest
};

}  // namespace reed::ui
