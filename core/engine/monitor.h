// What the person hears of it all: source, loudness and tone of the headphones.
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

/// removed: the input minus the feed, aligned: what the chain takes away. tap: the sound at one point of the
/// chain.
enum class MonitorSource { off, feed, plain, removed, tap };

/// What to monitor, and how it should sound. Values outside their ranges are limited to them; what is no
/// finite number changes nothing.
struct MonitorSettings {
    MonitorSource source = MonitorSource::off;
    int tap = 0;             ///< for MonitorSource::tap: 0 is the input, k what leaves stage k - 1
    double volume_db = 0.0;  ///< -60 to 12
    double bass_db = 0.0;    ///< low shelf at 200 Hz, -12 to 12
    double middle_db = 0.0;  ///< bell at 1 kHz, Q 0.7, -12 to 12
    double treble_db = 0.0;  ///< high shelf at 4 kHz, -12 to 12
    bool mute_with_feed = false;

    bool operator==(const MonitorSettings&) const = default;
};

/// Rows of the table of what can be set of the monitor's sound.
enum MonitorRow { kMonitorVolume, kMonitorBass, kMonitorMiddle, kMonitorTreble, kMonitorMutes, kMonitorRows };
std::span<const Parameter> monitor_parameters();
/// A row's value in `settings`, read and set.
double monitor_value(const MonitorSettings& settings, int row);
void set_monitor_value(MonitorSettings& settings, int row, double value);

/// Runs on the audio thread; set() comes from another. A change of source fades out and in again.
class Monitor {
  public:
    /// Takes memory. Not while the audio thread runs.
    void prepare(const StreamFormat& format, int longest_block);
    void set(const MonitorSettings& settings);

    /// Where the chain shall copy its sound for the block that comes now.
    Listener listener(const AudioBlock& block);
    /// Where the chain that fades in shall copy its sound, after listener().
    Listener fresh_listener(const AudioBlock& block);

    /// `feed`: before the mute. `input`: the history that ends with this block.
    void run(const AudioBlock& feed, const HistoryRing& input, const ChainRunner::Heard& heard,
             bool feed_muted) noexcept;
    /// Forgets what its filters hold, which is no sound any more. Audio thread.
    void recover() noexcept {
        for (auto& f : filters_) f.reset();
    }
    /// The newest block; no frames while it is off.
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
