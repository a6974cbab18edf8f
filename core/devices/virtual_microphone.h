// The microphone "Dusky Reed" that other programs choose.
#pragma once

#include <cstdint>
#include <memory>
#include <string>

namespace reed {

class PipeWireConnection;

/// Node name of the virtual microphone, and of the stream that carries the feed into it.
inline constexpr const char* kVirtualMicName = "dusky-reed";
inline constexpr const char* kVirtualMicTitle = "Dusky Reed";
inline constexpr const char* kFeedName = "dusky-reed-feed";
/// Begin of the names of all nodes that are made here; and of the outputs into which other programs play.
inline constexpr const char* kOwnNodes = "dusky-reed";
inline constexpr const char* kProgrammeOutput = "dusky-reed-programme";
/// Outputs for programmes, and the monitor: the session manager links none to another, or a programme would
/// be fed into itself where its output is the system's default.
inline constexpr const char* kPlaybackLinkGroup = "dusky-reed-heard";
/// Name of the source as which a strip is offered on its own.
std::string node_of(const std::string& strip);
/// Object path of the streams that carry a feed: tells this process' from another's.
std::string feed_path();
/// Input, feed and virtual microphone: the session manager links none of them to another.
inline constexpr const char* kLinkGroup = "dusky-reed";

/// A source in the daemon that outlives this program: whoever uses it stays connected and hears silence when
/// the program ends, in whatever way, and is never handed the plain microphone instead. The feed is linked
/// into it by this object, the links end with it. PipeWireGraph::remove_virtual_microphone() takes it away.
class VirtualMicrophone {
  public:
    struct Wish {
        std::string title{};                 ///< what other programs call it
        int channels = 1;                    ///< 1 or 2
        std::string node = kVirtualMicName;  ///< its own name,
        std::string feed = kFeedName;        ///< and that of the streams that may be linked into it
        bool operator==(const Wish&) const = default;
    };
    enum class Standing {
        coming,    ///< not there yet, or not linked yet
        fed,       ///< it carries the feed
        unfed,     ///< it is there; no feed was given
        occupied,  ///< another program of this name feeds it
        vacant     ///< that program has gone; take_over() lets the feed in
    };

    VirtualMicrophone();
    ~VirtualMicrophone();
    VirtualMicrophone(const VirtualMicrophone&) = delete;
    VirtualMicrophone& operator=(const VirtualMicrophone&) = delete;

    /// Begins to work on an open connection, which must stay open until detach(): makes the microphone when
    /// it is missing, and makes it anew when it is another than wished. The new one is there before the old
    /// one goes, so that nobody falls back to another microphone in between.
    void attach(PipeWireConnection& connection, const Wish& wish);
    void detach();
    /// Links the node `feed` (PW_ID_ANY: none) into it, and tries again what failed. Call it some times a
    /// second, without the connection's lock. Quick.
    Standing tend(std::uint32_t feed);
    /// Lets the feed in where another program fed it before.
    void take_over();

  private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace reed
