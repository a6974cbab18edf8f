// Spectra before and after the focused stage, kept only while somebody looks.
#pragma once

#include <memory>

#include "engine/meter_reader.h"
#include "measure/spectrum.h"

namespace reed::ui {

class StageSpectrum {
  public:
    /// Hann window, three quarters of overlap, averaged over half a second: what the views state.
    static constexpr int kLength = 8192;
    static constexpr double kAverageSeconds = 0.5;

    StageSpectrum(Engine& engine, MeterReader& readings) : engine_(engine), readings_(readings) {}

    /// Views that show spectra call this while they are visible, at least twice a second; without it nothing
    /// is computed.
    void keepAlive() { alive_ticks_ = 20; }
    /// The stage whose spectra are wanted; forgets the old ones when it is another. -1: none.
    void follow(int stage);
    /// Takes in what has come. 33 times a second.
    void poll();
    /// True when the last poll() brought something new.
    bool fresh() const { return fresh_; }

    /// nullptr while there is nothing.
    const SpectrumMeter* before() const { return before_.get(); }
    const SpectrumMeter* after() const { return after_.get(); }
    const ResonanceFinder* resonances() const { return finder_.get(); }
    void restartHold();

  private:
    void begin();
    Engine& engine_;
    MeterReader& readings_;
    std::unique_ptr<SpectrumMeter> before_, after_;
    std::unique_ptr<ResonanceFinder> finder_;
    RingReader heard_, left_;  // before and after the stage; the same frame in both
    double rate_ = 0.0;
    int stage_ = -1, alive_ticks_ = 0;
    bool fresh_ = false;
};

}  // namespace reed::ui
