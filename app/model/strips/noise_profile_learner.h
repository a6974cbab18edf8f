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
    /// Seconds of silence still needed, 0 when all has been heard.
    double left() const;
    double wanted() const { return seconds_; }

    /// Listens for `seconds` of silence (0: as long as usual for its kind), then teaches the stage; the
    /// outcome is told by the session's message. What was learnt before stays when it is refused.
    void start(const std::string& stage, double seconds = 0.0);
    void cancel();
    /// Looks for what its kind can look for (StageKind::search) in the newest sound before the stage, sets
    /// what is proposed, and says what it found.
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
    RingReader heard_;  // of the input, from the start of listening on
    int job_ = 0;       // results of an older one are dropped
};

}  // namespace reed::ui
