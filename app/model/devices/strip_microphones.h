// The virtual microphones of one strip.
#pragma once

#include <memory>
#include <string>

#include "devices/pipewire_hub.h"
#include "mixer/live_mixer.h"

namespace reed::ui {

/// Offers the output of a strip, and its unprocessed input, as microphones to other apps. After this object
/// the nodes stay in PipeWire, silent, for the apps that use them.
class StripMicrophones {
  public:
    /// A microphone that is offered.
    struct Offer {
        std::string node{}, title{};  ///< empty: none
        int channels = 0;
        bool operator==(const Offer&) const = default;
    };

    StripMicrophones(LiveMixer& desk, LiveStrip& strip) : desk_(desk), strip_(strip) {}
    ~StripMicrophones() { show({}, {}); }
    StripMicrophones(const StripMicrophones&) = delete;
    StripMicrophones& operator=(const StripMicrophones&) = delete;

    /// Sets the connection to use; microphones of another connection are withdrawn.
    void use(const std::shared_ptr<PipeWireHub>& hub);
    /// Offers these microphones in place of the previous ones. Precondition: use() was called.
    void show(const Offer& own, const Offer& plain);
    const Offer& own() const { return own_; }
    const Offer& plain() const { return plain_; }

  private:
    void show(Offer& now, const Offer& wanted, bool plain);

    LiveMixer& desk_;
    LiveStrip& strip_;
    std::shared_ptr<PipeWireHub> hub_;
    Offer own_, plain_;
};

}  // namespace reed::ui
