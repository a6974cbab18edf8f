// The input of one strip, and the microphones that the strip is offered as.
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
#include "model/chain/chain_model.h"
#include "model/devices/audio_system.h"
#include "model/devices/strip_microphones.h"
#include "model/shared/background.h"

namespace reed::ui {

/// How the input of a strip differs from others by what the strip is for.
struct InputPolicy {
    /// Something must always sound: where its input can't be opened the simulated room is, and the mixer runs
    /// at its rate while it is alone. Its messages carry no strip name.
    bool main = false;
};

/// The input of one strip. Opening one is a background job: the previous input plays until then, and stays if
/// the new one can't be opened (with a notification).
class InputController final : public QObject {
    Q_OBJECT
  public:
    InputController(AppContext& context, AudioSystem& audio, std::shared_ptr<LiveStrip> strip,
                    ChainModel& chain, InputPolicy policy);
    ~InputController() override;

    /// Restores the values of the simulated room's controls by id; those that are out of range are ignored.
    void setRoomValues(const std::map<std::string, double>& values);
    const std::map<std::string, double>& roomValues() const { return room_values_; }
    /// Opens the stored input and waits for it if it is not connected. Without one, app audio gets its own
    /// output (`demo`: a demo sound where no app can play), a voice stays silent (`demo`: the strip "guest"
    /// has a demo voice), and the main strip gets the simulated room.
    void start(const StripDeviceSettings& settings, bool demo);
    /// Settings to store.
    StripDeviceSettings settings() const;
    /// Supervises the input. Call several times a second.
    void poll();
    /// Stops the source; an input that is being opened still follows.
    void stop();
    /// Stops the source for good and drops what is being opened.
    void close();
    /// Opens the same input again, with the current mixer.
    void reopen();

    /// Whether the strip is attached to the mixer.
    bool isAttached() const { return attached_; }
    /// Detaches the strip from the mixer and attaches it again.
    void detachFromMixer();
    void attachToMixer();

    /// The selected input, possibly not opened yet.
    const DeviceChoice& choice() const { return opening_ ? *opening_ : choice_; }
    QString title() const;
    /// Selects an input; rejected with a notification if another strip uses it.
    void select(const DeviceChoice& choice);
    /// Whether an input is being opened.
    bool isOpening() const { return opening_.has_value(); }
    /// Whether no input was selected yet.
    bool hasNoInput() const { return !source_ && !opening_; }
    DeviceStatus status() const;
    /// Device that receives app audio for this strip.
    DeviceChoice appAudioDevice() const;
    /// Times of dropouts since the input was opened.
    const std::vector<QDateTime>& dropoutTimes() const { return dropout_times_; }
    /// Total latency in ms: device, buffer, chain.
    double totalDelayMs() const;

    /// The simulated room if it is the input; otherwise nullptr.
    SimulatedRoom* simulatedRoom() { return room_; }
    void setRoom(RoomControl control, double value);

    /// Sends an app that plays to this strip, now and whenever it plays; or back to its default output.
    void moveApp(const PlayingProgram& app, bool here);
    /// Whether the strip is to be offered as a separate microphone. Only with a PipeWire input.
    bool offersProcessed() const { return offers_processed_; }
    bool offersUnprocessed() const { return offers_unprocessed_; }
    void setOffers(bool processed, bool unprocessed);
    /// Sets the volume of the microphone in the system settings, in dB.
    void setSystemVolume(double db);
    /// Graph node of the microphone that is the input; nullptr if the input is another one or not connected.
    const PipeWireNode* microphone() const;

    /// Name of the strip that uses this input already; empty if none. Set by MixerModel.
    std::function<QString(const DeviceChoice&)> user_of;

  signals:
    /// The input was selected, opened, or its status changed.
    void inputChanged();
    /// The engine was opened for another input that starts next.
    void engineOpened();
    /// The mixer must be opened with this format before the engine is; main strip only.
    void formatChanging(const StreamFormat& format);
    /// The strip is about to be attached or detached.
    void attachmentChanging();
    /// An input was opened or failed to open.
    void opened();
    /// A control of the simulated room changed.
    void roomChanged();
    /// Settings to store changed.
    void changed();

  private:
    using Made = Result<std::unique_ptr<SoundSource>>;
    struct Opening;
    struct Making;
    void onSnapshot();
    void onSettings();
    bool usesPipeWire() const;
    void useHub(const std::shared_ptr<PipeWireHub>& hub);
    void offer();
    void moveReturnedApps();
    Making making(const DeviceChoice& choice, bool wait) const;
    void open(const DeviceChoice& choice, bool wait);
    void setOpening(std::optional<DeviceChoice> choice);
    void finish(const DeviceChoice& choice, Opening opening);
    Result<void> use(const DeviceChoice& choice, Opening opening);
    void noteDropouts(std::uint64_t dropouts);

    AppContext& context_;
    AudioSystem& audio_;
    const InputPolicy policy_;
    std::shared_ptr<LiveStrip> strip_;
    Engine& engine_;
    ChainModel& chain_;
    Notifications& notices_;
    std::shared_ptr<PipeWireHub> hub_;  // of the source, and outlives it
    std::unique_ptr<SoundSource> source_;
    bool attached_ = false;
    StreamFormat source_format_;
    std::uint64_t lost_before_ = 0;  // by the feed, before this input
    StripMicrophones offers_;
    bool offers_processed_ = false, offers_unprocessed_ = false;
    std::set<std::uint32_t> moved_;  // streams of apps that were sent here, or are to stay elsewhere
    SimulatedRoom* room_ = nullptr;
    std::map<std::string, double> room_values_;
    DeviceChoice choice_;
    std::optional<DeviceChoice> opening_;
    int job_ = 0;              // what an older one opened is dropped
    bool substitute_ = false;  // the simulated room is opened in place of what could not be
    QString reported_problem_;
    std::uint64_t dropouts_seen_ = 0;
    std::vector<QDateTime> dropout_times_;
    int proposed_block_ = 0;
    Background background_;  // ends first: its work uses the rest
};

}  // namespace reed::ui
