// What one strip is to other programs beside its part of the feed.
#pragma once

#include <memory>
#include <string>

#include "devices/pipewire_hub.h"
#include "mixer/live_mixer.h"

namespace reed::ui {

/// Microphones that carry what a strip gives, and what comes into it, as it is. They end with this object but
/// stay in the daemon, silent, for who uses them.
class StripMicrophones {
  public:
    struct Offer {
        std::string node{}, title{};  ///< empty: none
        int channels = 0;
        bool operator==(const Offer&) const = default;
    };

    StripMicrophones(LiveMixer& desk, LiveStrip& strip) : desk_(desk), strip_(strip) {}
    ~StripMicrophones() { show({}, {}); }
    StripMicrophones(const StripMicrophones&) = delete;
    StripMicrophones& operator=(const StripMicrophones&) = delete;

    /// The hub through which they go from now on; what goes through another one ends.
    void use(const std::shared_ptr<PipeWireHub>& hub);
    /// After use().
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
