// Applies the fixed latency and the output delay.
#pragma once

#include <QObject>
#include <set>

#include "model/shared/app_context.h"

namespace reed::ui {

class AudioSystem;
class MixerModel;
class StripModel;

/// Applies LatencySettings to the mixer and its voices, also to new ones, and posts a notification when a
/// chain does not fit. GUI thread only.
class LatencyController final : public QObject {
    Q_OBJECT
  public:
    LatencyController(AppContext& context, AudioSystem& audio, MixerModel& mixer);

    /// By how many ms the newest chain of a voice, with its character, is longer than the fixed latency; 0 if
    /// it fits or none is set.
    double excess(const StripModel& strip) const;

  private:
    void apply();
    void check();
    double limiterMs() const;
    AppContext& context_;
    AudioSystem& audio_;
    MixerModel& mixer_;
    double rate_ = 0.0;  // of the mixer, when it was applied
    std::set<const StripModel*> told_;
};

}  // namespace reed::ui
