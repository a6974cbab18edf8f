// What one strip is to other programs beside its part of the feed.
#pragma once

#include <memory>
#include <string>

#include "desk/live_desk.h"
#include "devices/pipewire_hub.h"

namespace reed::ui {

/// Microphones that carry what a strip gives, and what comes into it, as it is. They end with this object but
/// stay in the daemon, silent, for who uses them.
class Offers {
  public:
    struct Offer {
        std::string node{}, title{};  ///< empty: none
        int channels = 0;
        bool operator==(const Offer&) const = default;
    };

    Offers(LiveDesk& desk, LiveStrip& strip) : desk_(desk), strip_(strip) {}
    ~Offers() { show({}, {}); }
    Offers(const Offers&) = delete;
    Offers& operator=(const Offers&) = delete;

    /// The hub through which they go from now on; what goes through another one ends.
    void use(const std::shared_ptr<PipeWireHub>& hub);
    /// After use().
    void show(const Offer& own, const Offer& plain);
    const Offer& own() const { return own_; }
    const Offer& plain() const { return plain_; }

  private:
    void show(Offer& now, const Offer& wanted, bool plain);

    LiveDesk& desk_;
    LiveStrip& strip_;
    std::shared_ptr<PipeWireHub> hub_;
    Offer own_, plain_;
};

}  // namespace reed::ui
