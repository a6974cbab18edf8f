// PipeWire and the virtual microphone, which all strips share.
#pragma once

#include <QObject>
#include <functional>
#include <map>
#include <memory>
#include <string>

#include "devices/pipewire_device.h"
#include "devices/pipewire_hub.h"
#include "model/shared/app_context.h"
#include "scenes/working_state.h"

namespace reed::ui {

/// The PipeWire graph, the connection that the strips' sources and outputs use, and the settings of the
/// virtual microphone. GUI thread only.
class AudioSystem final : public QObject {
    Q_OBJECT
  public:
    explicit AudioSystem(AppContext& context) : context_(context) {}

    /// Connects to PipeWire with the stored settings.
    void start(const WorkingState& state);
    void save(WorkingState& state) const;
    /// Reconnects, and updates snapshot(). Call several times a second.
    void poll();

    /// Null before start().
    const std::shared_ptr<PipeWireGraph>& graph() const { return graph_; }
    const PipeWireSnapshot& snapshot() const { return snapshot_; }
    const AudioSettings& settings() const { return settings_; }
    /// Sets buffer size (32 to 2048 frames), channels (1 or 2) or title of the virtual microphone. Inputs
    /// that use PipeWire are opened again.
    void setSettings(const AudioSettings& settings);
    const LatencySettings& latency() const { return latency_; }
    /// Values outside their ranges (latency_parameters()) are limited; NaN is ignored.
    void setLatency(const LatencySettings& latency);
    /// The connection for these settings; a new one if they have changed.
    std::shared_ptr<PipeWireHub> hub();

    /// Makes the virtual microphone the default microphone.
    void makeDefaultMicrophone();
    /// Removes the virtual microphone. Precondition: nothing feeds it.
    void removeVirtualMicrophone();
    /// Whether another app uses the virtual microphone.
    bool outputUsed() const { return graph_ && graph_->picture().feed_used; }

    /// Factory of PipeWire sources; by default PipeWireDevice::create.
    using SourceFactory = std::function<Result<std::unique_ptr<SoundSource>>(const PipeWireOptions&)>;
    void setSourceFactory(SourceFactory factory) { source_factory_ = std::move(factory); }
    const SourceFactory& sourceFactory() const { return source_factory_; }

    /// Apps that are sent to a strip whenever they play: strip id by app name.
    std::map<std::string, std::string> moved_apps;
    /// Titles of the strips' microphones when they were created in this session, by node name. A renamed
    /// strip keeps its node: creating it again has crashed session managers, and apps that use it would lose
    /// it for a moment.
    std::map<std::string, std::string> microphone_titles;
    /// Inputs that are being opened: their jobs use the graph, so poll() leaves it alone.
    int inputs_opening = 0;
    /// Sample rate of the mixer in Hz; 0: that of the main input.
    double fixed_rate = 0.0;
    static constexpr double kMixerRate = 48000.0;  ///< fixed_rate while there are several strips

  signals:
    void snapshotChanged();
    void settingsChanged();
    void latencyChanged();
    /// The program that fed the virtual microphone has ended, and this one feeds it next. What is muted by a
    /// directly connected slot is not heard.
    void takenOver();

  private:
    AppContext& context_;
    std::shared_ptr<PipeWireGraph> graph_;
    PipeWireSnapshot snapshot_;
    std::uint64_t version_ = 0;
    AudioSettings settings_, hub_settings_;
    LatencySettings latency_;
    std::shared_ptr<PipeWireHub> hub_;
    SourceFactory source_factory_;
};

}  // namespace reed::ui
