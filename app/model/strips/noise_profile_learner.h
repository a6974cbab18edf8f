// Records silence and learns a noise profile from it; runs the searches of a stage (find hum).
#pragma once

#include <QObject>
#include <string>

#include "base/ring_reader.h"
#include "engine/engine.h"

namespace reed::ui {

class Background;
class ChainModel;
class InputController;
class Notifications;

/// GUI thread only; the work runs in the background.
class NoiseProfileLearner final : public QObject {
    Q_OBJECT
  public:
    /// All of one strip.
    NoiseProfileLearner(Engine& engine, ChainModel& chain, InputController& input, Background& background,
                        Notifications& notices);

    /// Follows the sound. Call at every tick of the strip.
    void poll();

    enum class State { idle, listening, working };
    State state() const { return state_; }
    /// The stage that learns; empty while idle.
    const std::string& stage() const { return stage_; }
    /// Seconds of audio that are still needed; 0 while not listening.
    double left() const;
    /// Seconds of audio that are needed in all.
    double wanted() const { return seconds_; }

    /// Records `seconds` of silence (0: the default of the kind), then sets the learned data of the stage.
    /// Posts the result. If the recording is rejected, earlier learned data stays. Another input or a removed
    /// stage ends it.
    void start(const std::string& stage, double seconds = 0.0);
    void cancel();
    /// Runs the analysis of the stage's kind (StageKind::search) over the newest audio before the stage,
    /// applies its proposal and posts what it found.
    void search(const std::string& stage);

  signals:
    void changed();

  private:
    void learn();
    template <typename Work, typename Then>
    void onSoundBefore(double seconds, Work work, Then then);
    void end();

    Engine& engine_;
    ChainModel& chain_;
    InputController& input_;
    Background& background_;
    Notifications& notices_;
    State state_ = State::idle;
    std::string stage_;
    double seconds_ = 1.0;
    RingReader heard_;  // input since start()
    int job_ = 0;       // results of earlier jobs are dropped
};

}  // namespace reed::ui
