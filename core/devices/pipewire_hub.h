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
    double sample_rate = 48000;                ///< Hz; the daemon converts where a device differs
    int channels = 1;                          ///< of the virtual microphone, 1 or 2
    int block = 256;                           ///< frames wished for, 32 to 2048
    std::string mic_title = kVirtualMicTitle;  ///< what other programs call the virtual microphone
    std::shared_ptr<PipeWireGraph> graph{};    ///< shared with others; made when empty
    /// Called by tend() when another process that fed a microphone of ours has gone, before the sound of this
    /// one takes its place: what was muted there must be muted here.
    std::function<void()> on_takeover{};
};

class PipeWireSource;

/// Fails when the daemon knows no source of this name (empty: none at all), or one that has no such channel.
Result<void> source_known(const PipeWireGraph& graph, const std::string& node, int channel = 0);

/// The streams of one program: all run in one cycle of the daemon, on one thread. The feed's stream is there
/// while a source of the hub captures, since one without would hold up the programs that listen to it. When
/// the daemon goes, everything is taken up again as soon as it is back; the virtual microphone stays as long
/// as the daemon does. Control thread.
class PipeWireHub {
  public:
    explicit PipeWireHub(PipeWireHubOptions options);
    ~PipeWireHub();
    PipeWireHub(const PipeWireHub&) = delete;
    PipeWireHub& operator=(const PipeWireHub&) = delete;

    const PipeWireHubOptions& options() const;
    PipeWireGraph& graph() const;

    /// A source of the hub, which must outlive it. `node`: its name; empty: the default source.
    /// `channel`: the only one of its channels to take, from 1 on; 0: all, as so many.
    std::unique_ptr<SoundSource> source(const std::string& node, int channels, int channel = 0);
    /// What other programs play into an output of ours, which is there while the source runs and is called
    /// `title`; stereo. `node` must begin with kProgrammeOutput.
    std::unique_ptr<SoundSource> programme(const std::string& node, const std::string& title);
    /// Another microphone that other programs can choose, beside the feed's own; its sink. Valid until
    /// withdraw(), which no source may still feed.
    FeedSink& offer(const std::string& node, const std::string& title, int channels);
    void withdraw(const std::string& node);
    /// Where the sum goes, to be pushed for all that is offered: what it takes in one cycle goes on in the
    /// same. Valid as long as the hub.
    FeedSink& feed();
    /// Blocks for which the feed had not enough sound.
    std::uint64_t feed_dropouts() const;
    double feed_delay_ms() const;
    /// Another program takes the feed.
    bool feed_used() const;

    /// The daemon answers.
    bool connected() const;
    /// Connects and mends; the sources' own tend() calls it.
    void tend();
    /// What keeps the feed from going out, in plain words; empty while nothing does.
    std::string problem() const;

  private:
    friend class PipeWireSource;
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace reed
