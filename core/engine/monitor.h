// The headphone monitor: source, volume and tone.
#pragma once

#include <array>
#include <atomic>
#include <span>

#include "base/history_ring.h"
#include "chain/chain_runner.h"
#include "dsp/biquad_cascade.h"
#include "dsp/smoothed.h"
#include "stages/parameter.h"

namespace reed {

/// removed: input minus output, aligned: the signal that the chain removes. tap: the signal at one point of
/// the chain.
enum class MonitorSource { off, feed, plain, removed, tap };

/// Source, volume and tone. Values are clamped to their ranges; values that are not finite are ignored.
struct MonitorSettings {
    MonitorSource source = MonitorSource::off;
    int tap = 0;             ///< for MonitorSource::tap: 0 is the input, k the output of stage k - 1
    double volume_db = 0.0;  ///< -60 to 12
    double bass_db = 0.0;    ///< low shelf at 200 Hz, -12 to 12
    double middle_db = 0.0;  ///< bell at 1 kHz, Q 0.7, -12 to 12
    double treble_db = 0.0;  ///< high shelf at 4 kHz, -12 to 12
    bool mute_with_feed = false;

    bool operator==(const MonitorSettings&) const = default;
};

/// Rows of the parameter table.
enum MonitorRow { kMonitorVolume, kMonitorBass, kMonitorMiddle, kMonitorTreble, kMonitorMutes, kMonitorRows };
std::span<const Parameter> monitor_parameters();
/// Value of a row in `settings`, read and set.
double monitor_value(const MonitorSettings& settings, int row);
void set_monitor_value(MonitorSettings& settings, int row, double value);

/// Audio thread only, except for set(). A change of source fades out and in.
class Monitor {
  public:
    /// Allocates. Precondition: the audio thread is not running.
    void prepare(const StreamFormat& format, int longest_block);
    void set(const MonitorSettings& settings);

    /// Tap request for the next block.
    Listener listener(const AudioBlock& block);
    /// Tap request for the chain that fades in. Call after listener().
    Listener fresh_listener(const AudioBlock& block);

    /// `feed`: output before the mute. `input`: history that ends with this block.
    void run(const AudioBlock& feed, const HistoryRing& input, const ChainRunner::Heard& heard,
             bool feed_muted) noexcept;
    /// Clears its filters after non-finite input.
    void recover() noexcept {
        for (auto& f : filters_) f.reset();
    }
    /// The newest block; empty while it is off.
    AudioBlock sound() const { return sound_; }

  private:
    void choose();
    void shape(const AudioBlock& block);
    AudioBlock input_before(const HistoryRing& input, int frames, int latency, AudioBuffer& to);

    StreamFormat format_;
    AudioBuffer buffer_, fresh_, scratch_, fresh_scratch_;
    AudioBlock sound_;
    std::atomic<int> source_{0}, tap_{0};
    std::array<std::atomic<float>, 4> wanted_{};  // volume, bass, middle, treble in dB
    std::atomic<bool> mute_with_feed_{false};
    MonitorSource active_ = MonitorSource::off;
    int active_tap_ = 0;
    Smoothed open_, volume_;
    std::array<float, 3> tone_{};
    std::array<BiquadCascade, 3> filters_;
    int in_grain_ = 0;
};

}  // namespace reed
