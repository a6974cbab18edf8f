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

/// The input of one strip; with that of the first strip come the virtual microphone and what PipeWire knows,
/// which the others ask it for. Opening an input is a job of its own:
/// the one before sounds on until the new one is there, or for good when it can't be opened (then the reason
/// is told, and input() is the old one again).
class Devices final : public QObject {
    Q_OBJECT
  public:
    /// `first`: of the first strip; nullptr: this one is.
    Devices(AppContext& house, std::shared_ptr<LiveStrip> seat, ChainModel& strip, Devices* first);
    ~Devices() override;

    /// Makes sources of PipeWire; PipeWireDevice::create when nothing else is said.
    using Maker = std::function<Result<std::unique_ptr<SoundSource>>(const PipeWireOptions&)>;
    void setMaker(Maker maker) { maker_ = std::move(maker); }

    /// Opens what was in use; what is not there is waited for.
    void begin(const WorkingState& state);
    /// The same for another strip: a programme has its own output; a voice without an input is silent until
    /// one is chosen.
    void beginOther(const StripDeviceSettings& input);
    void keep(WorkingState& state) const;
    /// As it is remembered.
    StripDeviceSettings kept() const;
    /// Looks after devices: some times a second.
    void tend();
    /// Ends the input.
    void stop();
    /// Opens the same input again, with what the desk is now.
    void reopen();
    bool usesPipeWire() const;

    /// The strip stands on the desk: its engine was opened.
    bool isAttached() const { return seated_; }
    /// Takes it off the desk, so that nothing runs it, and puts it there again.
    void detachFromMixer();
    void attachToMixer();

    /// What was chosen last, perhaps still to be opened.
    const DeviceChoice& input() const { return opening_ ? *opening_ : input_; }
    QString inputTitle() const;
    void setInput(const DeviceChoice& choice);
    /// An input is being opened.
    bool opening() const { return opening_.has_value(); }
    DeviceStatus status() const;
    /// The input of a programme: what other programs play into its own output.
    DeviceChoice appAudioDevice() const;
    /// No input was chosen yet.
    bool unchosen() const { return !source_ && !opening_; }
    /// When blocks were lost since the input started.
    const std::vector<QDateTime>& dropoutTimes() const { return dropout_times_; }
    /// Delay from the microphone to other programs in ms: device, one block, chain.
    double totalDelayMs() const;

    /// The simulated room, while it is the input; else nullptr.
    SimulatedRoom* room() { return room_; }
    void setRoom(RoomControl control, double value);

    /// What PipeWire knows now.
    const PipeWireSnapshot& picture() const { return first_.picture_; }
    std::shared_ptr<const PipeWireGraph> graph() const { return house_.graph; }
    const AudioSettings& audio() const { return first_.audio_; }
    /// Another block size, channel count or name of the virtual microphone: the input starts anew with it.
    void setAudio(const AudioSettings& settings);

    /// Makes the virtual microphone the one that programs use which do not choose.
    void makeDefaultMicrophone();
    /// Another program listens to the virtual microphone, whatever the input is.
    bool feedUsed() const { return house_.graph && house_.graph->picture().feed_used; }
    /// Sends a program that plays now into this programme's output, and whenever it plays from then on; or
    /// back to where it would go by itself.
    void moveProgram(const PlayingProgram& program, bool here);
    /// What this strip is to other programs beside its part of the feed: a microphone of its own, and what
    /// comes in, as it is. Only while its input comes from PipeWire.
    bool offered() const { return offered_; }
    bool plainOffered() const { return plain_; }
    void setOffered(bool own, bool plain);
    /// The microphone's volume in the system's settings in dB.
    void setSystemVolume(double db);
    /// The microphone that is the input, as PipeWire knows it; nullptr: it is another input, or not there.
    const PipeWireNode* microphone() const;
    /// Ends the input and takes the virtual microphone away from all programs: for the last moment of the
    /// program.
    void removeMicrophone();

  signals:
    /// Another input is wished for, in use, in trouble, or well again.
    void inputChanged();
    /// The engine was opened for another input, which will start next.
    void engineOpened();
    /// The first strip's input makes the feed this format.
    void formatChanges(const StreamFormat& feed);
    /// Block, channels or title of the virtual microphone are others.
    void audioChanged();
    /// The strip comes to the desk or leaves it.
    void seatsChange();
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
