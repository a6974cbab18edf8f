// Spectra before and after the selected stage, computed only while they are shown.
#pragma once

#include <memory>

#include "engine/meter_reader.h"
#include "measure/spectrum.h"

namespace reed::ui {

/// GUI thread only.
class StageSpectrum {
  public:
    /// Hann window of kLength samples, 75 % overlap, averaged over kAverageSeconds.
    static constexpr int kLength = 8192;
    static constexpr double kAverageSeconds = 0.5;

    StageSpectrum(Engine& engine, MeterReader& readings) : engine_(engine), readings_(readings) {}

    /// Call at least twice a second while the spectra are shown; otherwise they are not computed.
    void keepAlive() { alive_ticks_ = 20; }
    /// Selects the stage by its index in the chain; -1: none. Another stage clears the spectra.
    void follow(int stage);
    /// Reads new audio. Call 33 times a second.
    void poll();
    /// Whether the last poll() changed the spectra.
    bool fresh() const { return fresh_; }

    /// nullptr until known.
    const SpectrumMeter* before() const { return before_.get(); }
    const SpectrumMeter* after() const { return after_.get(); }
    const ResonanceFinder* resonances() const { return finder_.get(); }
    /// Restarts the peak hold of both spectra.
    void restartHold();

  private:
    void begin();
    Engine& engine_;
    MeterReader& readings_;
    std::unique_ptr<SpectrumMeter> before_, after_;
    std::unique_ptr<ResonanceFinder> finder_;
    RingReader heard_, left_;  // before and after the stage, at the same frame
    double rate_ = 0.0;
    int stage_ = -1, alive_ticks_ = 0;
    bool fresh_ = false;
};

}  // namespace reed::ui
