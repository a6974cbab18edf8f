// The virtual microphone "Dusky Reed" for other apps.
#pragma once

#include <cstdint>
#include <memory>
#include <string>

namespace reed {

class PipeWireConnection;

/// Node names of the virtual microphone and of the stream that feeds it.
inline constexpr const char* kVirtualMicName = "dusky-reed";
inline constexpr const char* kVirtualMicTitle = "Dusky Reed";
inline constexpr const char* kFeedName = "dusky-reed-feed";
/// Prefix of all node names of this program, and of its outputs for app audio.
inline constexpr const char* kOwnNodes = "dusky-reed";
inline constexpr const char* kProgrammeOutput = "dusky-reed-programme";
/// Link group of app audio outputs and the headphones: the session manager links none to another, so app
/// audio is never fed into itself.
inline constexpr const char* kPlaybackLinkGroup = "dusky-reed-heard";
/// Node name of the separate microphone of a strip.
std::string node_of(const std::string& strip);
/// Object path of the streams that carry an output; distinguishes processes.
std::string feed_path();
/// Link group of input, output and virtual microphone: the session manager links none to another.
inline constexpr const char* kLinkGroup = "dusky-reed";

/// A source in the daemon that outlives this process: apps that use it stay connected and receive silence
/// when the process ends, and never the unprocessed microphone. This object links the output into it; the
/// links end with it. PipeWireGraph::remove_virtual_microphone() removes it.
class VirtualMicrophone {
  public:
    struct Wish {
        std::string title{};                 ///< title in other apps
        int channels = 1;                    ///< 1 or 2
        std::string node = kVirtualMicName;  ///< name of its node
        std::string feed = kFeedName;        ///< name of the streams that may be linked into it
        bool operator==(const Wish&) const = default;
    };
    enum class Standing {
        coming,    ///< not created or not linked yet
        fed,       ///< carries the output
        unfed,     ///< exists without an output
        occupied,  ///< another process feeds it
        vacant     ///< that process has ended; take_over() links the output
    };

    VirtualMicrophone();
    ~VirtualMicrophone();
    VirtualMicrophone(const VirtualMicrophone&) = delete;
    VirtualMicrophone& operator=(const VirtualMicrophone&) = delete;

    /// Attaches to an open connection, which must stay open until detach(): creates the microphone if it is
    /// missing, and creates it again if its title or channels differ. The new one exists before the old one
    /// is removed, so that apps do not switch to another microphone.
    void attach(PipeWireConnection& connection, const Wish& wish);
    void detach();
    /// Links the node `feed` (PW_ID_ANY: none) into it and retries what failed. Call about every 100 ms
    /// without the lock of the connection. Doesn't block.
    Standing tend(std::uint32_t feed);
    /// Links the output where another process fed it before.
    void take_over();

  private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace reed
