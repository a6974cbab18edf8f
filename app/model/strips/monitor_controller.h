// The headphone monitor of one strip.
#pragma once

#include <QObject>
#include <memory>

#include "devices/monitor_output.h"
#include "devices/pipewire_graph.h"
#include "engine/monitor.h"
#include "measure/feedback_guard.h"
#include "mixer/live_mixer.h"

namespace reed::ui {

class MonitorMix;
class Notifications;
struct AppContext;
class AudioSystem;
class ChainModel;
class InputController;

/// Plays one strip in the headphones. What is common to all strips is in MonitorMix.
class MonitorController final : public QObject {
    Q_OBJECT
  public:
    /// All of one strip.
    MonitorController(AppContext& context, AudioSystem& audio, LiveStrip& strip, ChainModel& chain,
                      InputController& input);
    ~MonitorController() override;

    /// Supervises the output and protects from feedback. Call at every tick of the strip.
    void poll();

    /// The headphones: source, device, feedback protection. Off after every start.
    const MonitorSettings& settings() const { return settings_; }
    /// Rejected with a notification if nothing can be played.
    void set(const MonitorSettings& settings);
    /// Toggles the headphones between output and off.
    void toggle();
    /// Monitors after stage `id`; the same stage again stops.
    void monitorAfterStage(const std::string& id);
    /// The monitored stage; empty if none.
    const std::string& monitoredStage() const { return heard_stage_; }

    /// Overrides the source of settings(); nullptr ends it. False if nothing can be played.
    bool overrideSource(std::shared_ptr<const HistoryRing> sound);

    /// Title of the device in use.
    QString sinkTitle() const;
    /// Whether the device in use looks like loudspeakers.
    bool toLoudspeakers() const;

    /// Call when the order of stages changed.
    void followChain();
    /// Call when the input was opened. App audio can only be heard here, so it is turned on once.
    void inputOpened();
    /// Call when the engine was opened again: reconnects the device.
    void reopen();
    /// Restores the stored settings; it is off after every start.
    void restore(const MonitorSettings& settings);

  signals:
    void changed();

  private:
    void give(MonitorSettings settings);
    void turn(double db);
    void reopenOutput();
    bool isVoice() const;
    bool openOutput();
    const PipeWireNode* outputNode() const;
    void warnOfLoudspeakers();

    Notifications& notices_;
    MonitorMix& mix_;
    AudioSystem& audio_;
    LiveStrip& strip_;
    ChainModel& chain_;
    InputController& input_;
    MonitorSettings settings_;
    std::string heard_stage_;
    std::unique_ptr<MonitorOutput> output_;
    std::shared_ptr<const HistoryRing> instead_;
    std::unique_ptr<FeedbackGuard> howl_;
    RingReader input_sound_;
    std::string warned_of_;
    bool played_ = false;  // the monitor of app audio was switched on automatically
    int close_in_ = 0;     // ticks until a faded-out output is closed
};

}  // namespace reed::ui
