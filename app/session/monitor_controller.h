// The monitor: what the headphones get, through which output, and when it must be cut.
#pragma once

#include <QObject>
#include <memory>

#include "devices/monitor_output.h"
#include "devices/pipewire_graph.h"
#include "engine/monitor.h"
#include "measure/feedback_guard.h"

namespace reed::ui {

class Session;

class MonitorController final : public QObject {
    Q_OBJECT
  public:
    explicit MonitorController(Session& session);
    ~MonitorController() override;

    /// The headphones: source, device, feedback protection. Off after every start.
    const MonitorSettings& settings() const { return settings_; }
    /// Rejected with a notification if nothing can be played.
    void set(const MonitorSettings& settings);
    /// Balance of voices and app audio in the headphones, -30 to 30 dB: positive values attenuate voices,
    /// negative ones app audio.
    static constexpr double kMostBalance = 30.0;
    double balance() const;
    void setBalance(double db);
    /// Whether the volumes of the strips are linked.
    bool together() const;
    void setTogether(bool together);
    /// Toggles the headphones between output and off.
    void toggle();
    /// Monitors after stage `id`; the same stage again stops.
    void monitorAfterStage(const std::string& id);
    /// The monitored stage; empty if none.
    const std::string& monitoredStage() const { return heard_stage_; }

    /// Overrides the source of settings(); nullptr ends it. False if nothing can be played.
    bool overrideSource(std::shared_ptr<const HistoryRing> sound);

    /// The output device; empty: the default.
    const std::string& sink() const { return sink_; }
    void setSink(const std::string& name);
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
    /// Restores the stored settings.
    void restore(const MonitorSettings& settings, const std::string& sink);

  signals:
    void changed();

  private:
    void tick();
    void give(MonitorSettings settings);
    void turn(double db);
    void take(const std::string& name);
    bool openOutput();
    const PipeWireNode* outputNode() const;
    void warnOfLoudspeakers();

    Session& session_;
    MonitorSettings settings_;
    std::string sink_, heard_stage_;
    std::unique_ptr<MonitorOutput> output_;
    std::shared_ptr<const HistoryRing> instead_;
    std::unique_ptr<FeedbackGuard> howl_;
    RingReader input_;
    std::string warned_of_;
    bool played_ = false;  // a programme was switched on by itself
    int close_in_ = 0;     // ticks until a faded-out output is closed
};

}  // namespace reed::ui
