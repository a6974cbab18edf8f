// Whether what goes out is as loud as it shall be, and the one thing to turn first.
#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <deque>
#include <functional>
#include <map>
#include <string>

#include "measure/chain_checks.h"
#include "measure/findings.h"

namespace reed::ui {

class Session;

/// Checks the whole chain (chain_checks()); if it is right, compares the output loudness of the last 10 s of
/// speech since the last change with the target. Proposes one change. Of several voices, the one that is
/// farthest off is named.
class LoudnessAdvisor final : public QObject {
    Q_OBJECT
  public:
    explicit LoudnessAdvisor(Session& session);

    FindingTone tone() const { return tone_; }
    /// Message; empty while nothing is known.
    const QString& words() const { return words_; }
    /// The same as a whole sentence, where words() is shortened; else empty.
    const QString& details() const { return details_; }
    /// Text of the proposal that turn() applies; empty if none. It stays for kStays ms after a change of the
    /// chain, so that it does not vanish while it is being pressed.
    const QString& remedy() const { return remedy_; }
    void turn();
    static constexpr int kStays = 1500;

  signals:
    void changed();

  private:
    void follow();
    void judge();
    void judgeVoices();
    void judgeFeed();
    void measureAgain();
    void propose(const FeedFinding& finding);
    bool adviseChain();

    Session& session_;
    QElapsedTimer since_;
    QElapsedTimer changed_;     // since the chain was changed, while an offer of before is still shown
    std::deque<double> heard_;  // loudness of the last 3 s of talk, LUFS, each half second
    int wait_ = 0;
    std::map<std::string, int> seen_;  // problems of the chain, by id: judgements in a row
    FindingTone tone_ = FindingTone::neutral;
    QString words_, details_, remedy_;
    std::function<void()> turn_;
};

}  // namespace reed::ui
