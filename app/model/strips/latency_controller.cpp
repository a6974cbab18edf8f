#include "model/strips/latency_controller.h"

#include <algorithm>

#include "model/devices/audio_system.h"
#include "model/strips/mixer_model.h"

namespace reed::ui {
namespace {

constexpr double kTold = 0.05;  // ms; less is rounding to frames

}  // namespace

LatencyController::LatencyController(AppContext& context, AudioSystem& audio, MixerModel& mixer)
    : context_(context), audio_(audio), mixer_(mixer) {
    connect(&audio_, &AudioSystem::latencyChanged, this, &LatencyController::apply);
    connect(&mixer_, &MixerModel::stripsChanged, this, &LatencyController::apply);
    connect(&mixer_, &MixerModel::stripCreated, this, &LatencyController::apply);
    connect(&mixer_, &MixerModel::ticked, this, &LatencyController::check);
}

double LatencyController::limiterMs() const {
    const double rate = context_.live.format().sample_rate;
    return rate > 0.0 ? 1000.0 * context_.live.desk().limiter_latency() / rate : 0.0;
}

void LatencyController::apply() {
    const LatencySettings& latency = audio_.latency();
    const bool fixed = latency.fixed_ms > 0.0;
    rate_ = context_.live.format().sample_rate;
    context_.live.desk().limit_single_voice(fixed);
    context_.live.set_output_delay(latency.output_delay_ms);
    for (StripModel* s : mixer_.strips()) {
        const bool voice = s->liveStrip().role() == StripRole::voice;
        s->chainModel().setLeastLatency(voice && fixed ? std::max(0.0, latency.fixed_ms - limiterMs()) : 0.0);
    }
}

double LatencyController::excess(const StripModel& strip) const {
    const double fixed = audio_.latency().fixed_ms;
    if (fixed <= 0.0 || strip.liveStrip().role() != StripRole::voice) return 0.0;
    const double rate = std::max(1.0, strip.engine().format().sample_rate);
    const double over = 1000.0 * strip.engine().chain().latencies().total() / rate + limiterMs() - fixed;
    return over > kTold ? over : 0.0;
}

/// Told when the chain has been built, which is before it is heard.
void LatencyController::check() {
    if (context_.live.format().sample_rate != rate_) apply();
    std::set<const StripModel*> now;
    for (StripModel* s : mixer_.strips()) {
        const double over = excess(*s);
        if (over <= 0.0) continue;
        now.insert(s);
        if (told_.contains(s)) continue;
        s->notices().warn(
            tr("This chain is %1 ms longer than the fixed latency of %2 ms. Raise the fixed latency "
               "or use stages with less latency.")
                .arg(over, 0, 'f', 1)
                .arg(audio_.latency().fixed_ms, 0, 'f', 0));
    }
    told_ = std::move(now);
}

}  // namespace reed::ui
