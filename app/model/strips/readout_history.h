// What running stages told over the last minute.
#pragma once

#include <QObject>
#include <deque>
#include <functional>
#include <map>
#include <string>

#include "chain/chain_spec.h"

namespace reed::ui {

/// Of every stage whose kind tells something in decibels that is held against a value, or its gain: the first
/// of it, ten times a second of sound, whether anybody looks at that stage or not.
class ReadoutHistory final : public QObject {
    Q_OBJECT
  public:
    struct Moment {
        double time = 0.0;  ///< s, of the strip's sound
        float value = 0.0f;
    };
    static constexpr double kSeconds = 60.0;
    static constexpr double kStep = 0.1;  ///< s

    explicit ReadoutHistory(QObject* parent = nullptr) : QObject(parent) {}
    /// The readout of a kind that is shown over time; -1: none is.
    static int shown(const StageKind& kind);

    /// Takes in what there is, `time` seconds into the strip's sound; `told(stage)`: all its readouts.
    void follow(const ChainSpec& chain, double time,
                const std::function<std::vector<float>(const StageSpec&)>& told);
    /// Oldest first; empty of a stage that is bypassed.
    const std::deque<Moment>& of(const std::string& stage) const;
    /// s into the strip's sound.
    double now() const { return time_; }

  private:
    double time_ = 0.0;
    std::map<std::string, std::deque<Moment>> stages_;
};

}  // namespace reed::ui
