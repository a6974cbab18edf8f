// The monitor: what the headphones get, through which output, and when it must be cut.
#pragma once

#include <QObject>
#include <memory>

#include "devices/monitor_output.h"
#include "engine/monitor.h"
#include "measure/feedback_guard.h"

namespace reed::ui {

class Session;

class MonitorController final : public QObject {
    Q_OBJECT
  public:
    explicit MonitorController(Session& session);
    ~MonitorController() override;

    /// Off after every start of the program.
    const MonitorSettings& settings() const { return settings_; }
    /// Refused, with the reason told, when nothing can be played.
    void set(const MonitorSettings& settings);
    /// Voices against programmes in the headphones, of all strips: so many dB by which the voices are lower,
    /// or below 0 the programmes. -30 to 30; nothing becomes louder by it.
    static constexpr double kMostBalance = 30.0;
    double balance() const;
    void setBalance(double db);
    /// The volume of one strip turns those of the others as far.
    bool together() const;
    void setTogether(bool together);
    /// On with the feed, or off: what the key does.
    void toggle();
    /// Hears the sound as it leaves stage `id`; the same stage again: stops.
    void monitorAfterStage(const std::string& id);
    /// The stage after which is heard; empty: none.
    const std::string& monitoredStage() const { return heard_stage_; }

    /// The headphones get this sound in place of what settings() says; nullptr: that again. False when
    /// nothing can be played.
    bool overrideSource(std::shared_ptr<const HistoryRing> sound);

    /// The output; empty: the default one.
    const std::string& sink() const { return sink_; }
    void setSink(const std::string& name);
    /// Readable name of the output in use.
    QString sinkTitle() const;

    /// The order of the stages has changed.
    void followChain();
    /// The input is there. What other programs play into a programme reaches nobody's ears but through here,
    /// so it is heard from the beginning, once.
    void inputOpened();
    /// The engine was opened anew: the way out is made anew.
    void reopen();
    /// What is kept between evenings, set at the start.
    void restore(const MonitorSettings& settings, const std::string& sink);

  signals:
    void changed();

  private:
    void tick();
    void give(MonitorSettings settings);
    void turn(double db);
    void take(const std::string& name);
    bool openOutput();
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
