// The most important problem of a strip's output, and one change that mends it.
#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <QTimer>
#include <deque>
#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "measure/chain_checks.h"
#include "measure/findings.h"

namespace reed::ui {

class Preferences;

class AdviceLog;
class MixerModel;
class SoundcheckFollowUp;
class SoundcheckModel;
class StripModel;
class TakesModel;
class VoiceLoudnessModel;

/// What advice is derived from beside the strip itself.
struct AdviceSources {
    MixerModel& mixer;
    VoiceLoudnessModel& voices;
    TakesModel& takes;
    SoundcheckModel& soundcheck;
    SoundcheckFollowUp& follow_up;  ///< of the strip
    AdviceLog& log;
};

/// Checks, in this order: whether the output is silent during talk; whether the headphones' sound
/// goes to loudspeakers while the output is in use; the whole chain (chain_checks()); what has changed since
/// the soundcheck; the loudness of the last 10 s of speech since the last change against the target. Proposes
/// one change. Of several voices, the one that is farthest off is named. Advice that the user hides is passed
/// over; everything but loudness can be hidden.
class OutputAdvisor final : public QObject {
    Q_OBJECT
  public:
    /// Lives as long as `strip`.
    OutputAdvisor(StripModel& strip, const AdviceSources& sources);

    FindingTone tone() const { return shown_.tone; }
    /// Message; empty while nothing is known.
    const QString& words() const { return shown_.words; }
    /// The same as a whole sentence, where words() is shortened; else empty.
    const QString& details() const { return shown_.details; }
    /// Text of the proposal that turn() applies; empty if none. It stays for kStays ms after a change of the
    /// chain, so that it does not vanish while it is being pressed.
    const QString& remedy() const { return shown_.remedy; }
    void turn();
    static constexpr int kStays = 1500;
    /// Id of what is shown, if it is advice that can be hidden; else empty.
    const std::string& id() const { return shown_.id; }
    /// Never shows this kind of advice again, until Preferences::showAllAdvice().
    void hide();

  signals:
    void changed();

  private:
    struct Advice {
        std::string id{};  // of what can be hidden; else empty
        FindingTone tone = FindingTone::neutral;
        QString words{}, details{}, remedy{};
        std::function<void()> turn{};
        bool operator==(const Advice& b) const {
            return id == b.id && tone == b.tone && words == b.words && remedy == b.remedy;
        }
    };
    using Found = std::optional<Advice>;
    void tick();
    void update();
    void measureAgain();
    void updateOnce();
    Advice find();
    std::vector<Advice> lastingProblems();
    Found silentOutput() const;
    Found loudspeakers() const;
    std::vector<Advice> chainProblems() const;
    Found sinceSoundcheck() const;
    Found loudness();
    Found loudnessOfVoices() const;
    void log(const Advice& before);

    StripModel& strip_;
    AdviceSources from_;
    Preferences& preferences_;
    QTimer event_done_;
    bool changed_again_ = false;  // in the same event
    QElapsedTimer since_;
    QElapsedTimer changed_;     // since the chain was changed, while an offer of before is still shown
    std::deque<double> heard_;  // loudness of the last 3 s of talk, LUFS, each half second
    int wait_ = 0;
    int ticks_ = 0;
    std::map<std::string, int> since_tick_;  // problems by id: when they were first there
    Advice shown_;
};

}  // namespace reed::ui
