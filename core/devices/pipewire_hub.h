// One connection to PipeWire for any number of sources, and the virtual microphone that carries the feed.
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "devices/device.h"
#include "devices/pipewire_graph.h"
#include "devices/virtual_microphone.h"

namespace reed {

struct PipeWireHubOptions {
    double sample_rate = 48000;                ///< Hz; the daemon converts if a device differs
    int channels = 1;                          ///< of the virtual microphone, 1 or 2
    int block = 256;                           ///< requested buffer size in frames, 32 to 2048
    std::string mic_title = kVirtualMicTitle;  ///< title of the virtual microphone in other apps
    std::shared_ptr<PipeWireGraph> graph{};    ///< shared graph; created if empty
    /// Called by tend() when another process that fed our microphone has ended, before our output takes its
    /// place: a mute there must be taken over.
    std::function<void()> on_takeover{};
};

class PipeWireSource;

/// Returns an error if there is no source with this name (empty: no source at all) or it lacks this channel.
Result<void> source_known(const PipeWireGraph& graph, const std::string& node, int channel = 0);

/// All streams of this process: they run in one cycle of the daemon on one thread. The output stream exists
/// while a source captures, since an output without a capture would block its readers. After a restart of the
/// daemon everything is created again; the virtual microphone lives as long as the daemon. Control thread
/// only.
class PipeWireHub {
  public:
    explicit PipeWireHub(PipeWireHubOptions options);
    ~PipeWireHub();
    PipeWireHub(const PipeWireHub&) = delete;
    PipeWireHub& operator=(const PipeWireHub&) = delete;

    const PipeWireHubOptions& options() const;
    PipeWireGraph& graph() const;

    /// Creates a source; the hub must outlive it. `node`: its name; empty: the default source. `channel`: one
    /// channel, from 1; 0: all.
    std::unique_ptr<SoundSource> source(const std::string& node, int channels, int channel = 0);
    /// Creates an app audio source: an output called `title` that exists while the source runs; stereo.
    /// `node` must begin with kProgrammeOutput.
    std::unique_ptr<SoundSource> programme(const std::string& node, const std::string& title);
    /// Adds a microphone beside the main one and returns its sink, valid until withdraw(). Precondition of
    /// withdraw(): no source feeds it.
    FeedSink& offer(const std::string& node, const std::string& title, int channels);
    void withdraw(const std::string& node);
    /// Sink of the sum; pushing it also sends the additional microphones in the same cycle. Valid as long as
    /// the hub.
    FeedSink& feed();
    /// Number of buffers for which the output had too little audio.
    std::uint64_t feed_dropouts() const;
    double feed_delay_ms() const;
    /// Whether another app uses the output.
    bool feed_used() const;

    /// Whether the daemon is connected.
    bool connected() const;
    /// Connects and recreates lost streams; called by tend() of the sources.
    void tend();
    /// Message why there is no output; empty if there is.
    std::string problem() const;

  private:
    friend class PipeWireSource;
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace reed
