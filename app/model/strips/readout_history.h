// Readouts of the running stages over the last minute.
#pragma once

#include <QObject>
#include <deque>
#include <functional>
#include <map>
#include <string>

#include "chain/chain_spec.h"

namespace reed::ui {

/// For each stage whose kind has a readout in dB that belongs to a parameter, or that is its gain: the first
/// such readout, every kStep of audio. Recorded whether the stage is shown or not.
class ReadoutHistory final : public QObject {
    Q_OBJECT
  public:
    /// A reading.
    struct Moment {
        double time = 0.0;  ///< s of audio since the input was opened
        float value = 0.0f;
    };
    static constexpr double kSeconds = 60.0;
    static constexpr double kStep = 0.1;  ///< s

    explicit ReadoutHistory(QObject* parent = nullptr) : QObject(parent) {}
    /// Index of the readout of a kind that is recorded; -1 if there is none.
    static int shown(const StageKind& kind);

    /// Records the readouts at `time`, in s of audio; `told(stage)` returns all readouts of a stage. A
    /// smaller time than before means another input and clears everything.
    void follow(const ChainSpec& chain, double time,
                const std::function<std::vector<float>(const StageSpec&)>& told);
    /// Readings of a stage, oldest first; empty while it is bypassed.
    const std::deque<Moment>& of(const std::string& stage) const;
    /// Time of the newest reading, in s of audio.
    double now() const { return time_; }

  private:
    double time_ = 0.0;
    std::map<std::string, std::deque<Moment>> stages_;
};

}  // namespace reed::ui
