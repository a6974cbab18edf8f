// Teaching a suppression the room, and looking for hum.
#pragma once

#include <QObject>
#include <string>

#include "base/ring_reader.h"

namespace reed::ui {

class Session;

class RoomLearning final : public QObject {
    Q_OBJECT
  public:
    static constexpr double kUsualSeconds = 5.0;

    explicit RoomLearning(Session& session);

    enum class State { idle, listening, working };
    State state() const { return state_; }
    /// The stage that learns; empty while idle.
    const std::string& stage() const { return stage_; }
    /// Seconds of silence still needed, 0 when all has been heard.
    double left() const;
    double wanted() const { return seconds_; }

    /// Listens for `seconds` (3 to 10) of silence, then teaches the stage; the outcome is told by the
    /// session's message. What was learnt before stays when it is refused.
    void start(const std::string& stage, double seconds = kUsualSeconds);
    void cancel();
    /// Looks for hum in the newest ten seconds before the stage, sets its notches, and says what it found.
    void findHum(const std::string& stage);

  signals:
    void changed();

  private:
    void tick();
    void learn();
    void end();

    Session& session_;
    State state_ = State::idle;
    std::string stage_;
    double seconds_ = kUsualSeconds;
    RingReader heard_;  // of the input, from the start of listening on
    int job_ = 0;       // results of an older one are dropped
};

}  // namespace reed::ui
